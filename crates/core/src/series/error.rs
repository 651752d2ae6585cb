//! Why bytes cannot be read.

/// Why bytes are not a segment.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
pub enum SegmentError {
    /// They end too early.
    #[error("the segment is cut off")]
    Short,
    /// A newer program wrote them.
    #[error("the segment has format {0}, which this version cannot read")]
    Format(u8),
    /// They are not what was written.
    #[error("the segment is damaged: its checksum is not that of its bytes")]
    Checksum,
    /// The checksum is right, but what they say makes no sense.
    #[error("the segment is damaged: {0}")]
    Wrong(&'static str),
}
