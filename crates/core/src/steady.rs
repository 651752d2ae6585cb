//! Time by a clock that cannot leap.

/// A time by a clock that nobody can set: only what has passed between two of them means something.
#[derive(Debug, Clone, Copy, PartialEq, PartialOrd, Default)]
pub struct Steady(f64);

impl Steady {
    /// So many seconds after the clock began.
    #[must_use]
    pub const fn after(seconds: f64) -> Self {
        Self(seconds)
    }

    /// How many seconds have passed since an earlier time.
    #[must_use]
    pub fn seconds_since(self, earlier: Self) -> f64 {
        self.0 - earlier.0
    }

    /// So many seconds later.
    #[must_use]
    pub fn plus_seconds(self, seconds: f64) -> Self {
        Self(self.0 + seconds)
    }
}
