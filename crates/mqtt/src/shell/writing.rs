//! What goes out on a connection, from packets to bytes.

use crate::codec::{Outgoing, Writer};
use bytes::{Buf, BytesMut};
use lantern_core::Moment;
use std::io;
use std::time::Duration;
use tokio::io::{AsyncWrite, AsyncWriteExt};
use tokio::time::{Instant, timeout_at};

/// Where bytes go.
pub(super) type Outward = Box<dyn AsyncWrite + Unpin + Send>;

/// How long the last words may take.
pub(super) const LAST_WORDS: Duration = Duration::from_secs(2);
/// How long a client may take nothing while something is to be written.
const WRITE_TIMEOUT: Duration = Duration::from_secs(30);
/// Bytes that may wait in the buffer.
const WRITE_AHEAD: usize = 64 << 10;
/// A buffer that has grown beyond this is let go when it is empty.
const KEPT_CAPACITY: usize = 4_096;

/// Bytes that wait to be written.
pub(super) struct Writing {
    writer: Writer,
    out: BytesMut,
    is_flushed: bool,
    /// Until when some of them must have been taken.
    by: Instant,
}

impl Writing {
    pub(super) fn new(writer: Writer, now: Instant) -> Self {
        Self { writer, out: BytesMut::new(), is_flushed: true, by: now }
    }

    /// Whether nothing is to be done.
    pub(super) fn is_done(&self) -> bool {
        self.out.is_empty() && self.is_flushed
    }

    /// Whether no more packets are to be put in for now.
    pub(super) fn is_full(&self) -> bool {
        self.out.len() >= WRITE_AHEAD
    }

    /// Puts a packet in.
    pub(super) fn put(&mut self, packet: &Outgoing, now: Moment) {
        if self.is_done() {
            self.by = Instant::now() + WRITE_TIMEOUT;
        }
        self.writer.write(packet, now, &mut self.out);
    }

    /// Writes a part, or flushes when all was written. Safe to be cancelled.
    pub(super) async fn write_some(&mut self, to: &mut Outward) -> io::Result<()> {
        if self.out.is_empty() {
            timeout_at(self.by, to.flush()).await??;
            self.is_flushed = true;
            if self.out.capacity() > KEPT_CAPACITY {
                self.out = BytesMut::new();
            }
            return Ok(());
        }
        let count = timeout_at(self.by, to.write(&self.out)).await??;
        if count == 0 {
            return Err(io::ErrorKind::WriteZero.into());
        }
        self.out.advance(count);
        self.is_flushed = false;
        self.by = Instant::now() + WRITE_TIMEOUT;
        Ok(())
    }

    /// Writes everything, and that nothing more comes.
    pub(super) async fn write_all(&mut self, to: &mut Outward) -> io::Result<()> {
        to.write_all(&self.out).await?;
        to.shutdown().await
    }
}
