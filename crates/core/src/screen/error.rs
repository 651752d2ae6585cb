//! Why a screen makes no sense.

/// Why a screen makes no sense.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum ScreenError {
    /// A range whose end is before its beginning, or of no numbers.
    #[error("{0}: the lowest must be below the highest, and both numbers")]
    Range(&'static str),
    /// What is expected reaches out of what is possible.
    #[error("what is expected must lie within what is possible")]
    Wider,
    /// Something that must be over zero is not.
    #[error("{0} must be over zero")]
    Positive(&'static str),
    /// The window of the outliers.
    #[error("outliers are told among 3 to 99 values")]
    Window,
    /// Too many markers.
    #[error("there are at most 20 markers, all of them numbers")]
    Markers,
    /// No signal to depend on.
    #[error("name the signal on which it depends")]
    Dependence,
    /// No two signals for a position, or nothing to tell its quality by.
    #[error("a position is two signals, latitude and longitude, and its quality a third with a number")]
    Position,
}
