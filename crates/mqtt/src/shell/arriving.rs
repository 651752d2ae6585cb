//! What comes in on a connection, from bytes to packets.

use crate::codec::{Fault, Incoming, Reader, Version};
use tokio::io::{AsyncRead, AsyncReadExt};

/// Where bytes come from.
pub(super) type Inward = Box<dyn AsyncRead + Unpin + Send>;

const SMALL_CHUNK: usize = 1 << 10;
const LARGE_CHUNK: usize = 16 << 10;

/// The bytes that have come and are not packets yet.
pub(super) struct Arriving<R> {
    from: R,
    reader: Reader,
    chunk: Vec<u8>,
    left: std::ops::Range<usize>,
}

impl<R: AsyncRead + Unpin> Arriving<R> {
    pub(super) fn new(from: R) -> Self {
        Self { from, reader: Reader::default(), chunk: vec![0; SMALL_CHUNK], left: 0..0 }
    }

    /// Whether all that came was taken.
    pub(super) fn is_empty(&self) -> bool {
        self.left.is_empty()
    }

    /// The version of the connection, once it is known.
    pub(super) fn version(&self) -> Option<Version> {
        self.reader.version()
    }

    /// The next packet, if it has come whole.
    pub(super) fn packet(&mut self) -> Result<Option<Incoming>, Fault> {
        let mut data = &self.chunk[self.left.clone()];
        let packet = self.reader.read(&mut data);
        self.left.start = self.left.end - data.len();
        packet
    }

    /// Reads more. Memory is small while little comes. Safe to be cancelled.
    pub(super) async fn more(&mut self) -> std::io::Result<()> {
        let count = self.from.read(&mut self.chunk).await?;
        if count == 0 {
            return Err(std::io::ErrorKind::UnexpectedEof.into());
        }
        self.left = 0..count;
        Ok(())
    }

    /// Fits the buffer to what came last; only when nothing is left in it.
    pub(super) fn fit(&mut self) {
        let wanted = if self.left.end == self.chunk.len() { LARGE_CHUNK } else { SMALL_CHUNK };
        if self.left.is_empty() && (wanted > self.chunk.len() || self.left.end * 16 < self.chunk.len()) {
            self.chunk = vec![0; wanted];
            self.left = 0..0;
        }
    }
}
