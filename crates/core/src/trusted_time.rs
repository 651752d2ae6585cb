//! Whether the wall clock can be believed before something is deleted for its age.
//!
//! A machine without a clock of its own, or with a wrong one, may wake up years ahead. What is too
//! old by such a clock must not be deleted. So the latest time that was believed is kept, and a clock
//! that is further ahead of it than can have passed is not believed until somebody confirms it.

use crate::Moment;

/// How far the clock may be ahead of what has passed while the service runs, in seconds.
pub const RUNNING_S: f64 = 3_600.0;
/// How long the service may have been off, as far as nobody confirms it, in seconds: three days.
pub const OFF_S: f64 = 3.0 * 86_400.0;

/// What is made of the wall clock.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Judged {
    /// It can be believed.
    Believed,
    /// It has leapt ahead: from when it was last believed to what it says.
    Leapt {
        /// What was believed last.
        from: Moment,
        /// What it says.
        to: Moment,
    },
}

/// The latest time that was believed.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct TrustedTime {
    latest: Moment,
}

impl TrustedTime {
    /// Goes on from what was kept.
    #[must_use]
    pub const fn new(latest: Moment) -> Self {
        Self { latest }
    }

    /// The latest time that was believed.
    #[must_use]
    pub const fn latest(&self) -> Moment {
        self.latest
    }

    /// Judges the wall clock. `passed_s` is how long ago it was last judged, by a clock that cannot leap;
    /// none at the start, when nobody knows how long the service was off.
    ///
    /// A clock that is behind is believed: by it less is too old, not more.
    pub fn judge(&mut self, wall: Moment, passed_s: Option<f64>) -> Judged {
        let most_s = passed_s.map_or(OFF_S, |passed_s| passed_s + RUNNING_S);
        if wall.seconds_since(self.latest) > most_s {
            return Judged::Leapt { from: self.latest, to: wall };
        }
        self.latest = self.latest.max(wall);
        Judged::Believed
    }

    /// Believes the wall clock because somebody says so.
    pub fn confirm(&mut self, wall: Moment) {
        self.latest = wall;
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const DAY_S: f64 = 86_400.0;

    fn at(seconds: f64) -> Moment {
        Moment::from_epoch(1_777_636_800.0 + seconds).unwrap()
    }

    /// What was believed last, what the clock says, what has passed, and whether it is believed.
    #[test]
    fn leaps_are_told_from_time_that_passed() {
        let cases = [
            ("a minute on", 60.0, Some(60.0), true),
            ("as it was", 0.0, Some(60.0), true),
            ("an hour of summer time, set by hand", 3_660.0, Some(60.0), true),
            ("a day ahead while running", DAY_S, Some(60.0), false),
            ("ten years ahead while running", 3_650.0 * DAY_S, Some(60.0), false),
            ("a machine that slept for a week", 7.0 * DAY_S, Some(60.0), false),
            ("behind while running", -30.0 * DAY_S, Some(60.0), true),
            ("off over a weekend", 2.5 * DAY_S, None, true),
            ("off for a month, or a leap: nobody knows", 30.0 * DAY_S, None, false),
            ("a board that wakes up in 1970", -20_000.0 * DAY_S, None, true),
        ];
        for (what, says_s, passed_s, is_believed) in cases {
            let mut time = TrustedTime::new(at(0.0));
            let judged = time.judge(at(says_s), passed_s);
            assert_eq!(judged == Judged::Believed, is_believed, "{what}");
            let latest = if is_believed { at(says_s.max(0.0)) } else { at(0.0) };
            assert_eq!(time.latest(), latest, "{what}");
        }
    }

    #[test]
    fn a_leap_is_held_until_the_clock_is_right_again_or_is_confirmed() {
        let mut time = TrustedTime::new(at(0.0));
        let ahead = at(400.0 * DAY_S);
        for minute in 1..100 {
            let later = ahead.plus_seconds(f64::from(minute) * 60.0);
            assert_eq!(time.judge(later, Some(60.0)), Judged::Leapt { from: at(0.0), to: later });
        }
        assert_eq!(time.judge(at(120.0), Some(60.0)), Judged::Believed, "it was set right");
        time.confirm(ahead);
        assert_eq!(time.judge(ahead.plus_seconds(60.0), Some(60.0)), Judged::Believed);
    }
}
