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
    /// Nothing to tell the quality of a position by.
    #[error("how good a position is tells another signal, and a number that it has to reach")]
    Position,
    /// A check that is for other types of signals.
    #[error("{0} is checked of {1} only")]
    NotFor(&'static str, &'static str),
}
