//! The order of readings.

/// In which order to read.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Order {
    /// Oldest first.
    Ascending,
    /// Newest first.
    Descending,
}
