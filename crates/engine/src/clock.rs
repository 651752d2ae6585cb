//! The one place that reads clocks.

use lantern_core::{Moment, Steady};
use std::sync::LazyLock;
use std::time::Instant;

static BEGAN: LazyLock<Instant> = LazyLock::new(Instant::now);

/// The time now, by a clock that can be set and so can leap.
#[must_use]
pub fn now() -> Moment {
    let micros = jiff::Timestamp::now().as_microsecond();
    // A clock outside the years 0 to 9999 is broken beyond our help; it reads
    // as 1970, which every sender's time is then "too far ahead" of.
    let now = Moment::from_micros(micros)
        .or_else(|| Moment::from_micros(0))
        .unwrap_or_else(|| unreachable!("1970 is in range"));
    #[cfg(debug_assertions)]
    let now = now.plus_seconds(shifted::wall());
    now
}

/// The time now, by a clock that cannot leap: for whatever waits or runs out while the service runs.
#[must_use]
pub fn steady() -> Steady {
    let seconds = BEGAN.elapsed().as_secs_f64();
    #[cfg(debug_assertions)]
    let seconds = seconds + shifted::steady();
    Steady::after(seconds)
}

/// The clocks as tests want them, each thread for itself.
#[cfg(debug_assertions)]
pub mod shifted {
    use std::cell::Cell;

    thread_local! {
        static SHIFTS: Cell<(f64, f64)> = const { Cell::new((0.0, 0.0)) };
    }

    /// So many seconds pass, by both clocks.
    pub fn pass(seconds: f64) {
        SHIFTS.set((wall() + seconds, steady() + seconds));
    }

    /// The clock that can be set leaps by so many seconds, back if they are negative.
    pub fn leap(seconds: f64) {
        SHIFTS.set((wall() + seconds, steady()));
    }

    pub(super) fn wall() -> f64 {
        SHIFTS.get().0
    }

    pub(super) fn steady() -> f64 {
        SHIFTS.get().1
    }
}
