//! Presence: whether a device is heard as often as it should be.

use crate::Moment;

/// How a device is doing, judged by its own expected interval.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Presence {
    /// Heard less than two intervals ago.
    Fresh,
    /// Heard at least two and less than five intervals ago.
    Late,
    /// Not heard for five intervals or more.
    Silent,
    /// Not heard at all.
    Never,
}

/// Late from this many intervals on.
pub const LATE_AFTER: f64 = 2.0;
/// Silent from this many intervals on.
pub const SILENT_AFTER: f64 = 5.0;

impl Presence {
    /// The word for it.
    #[must_use]
    pub const fn as_str(self) -> &'static str {
        match self {
            Self::Fresh => "fresh",
            Self::Late => "late",
            Self::Silent => "silent",
            Self::Never => "never",
        }
    }

    /// Judges a device by when it was last heard and its expected interval.
    #[must_use]
    pub fn judge(last_heard: Option<Moment>, interval_seconds: f64, now: Moment) -> Self {
        let Some(last_heard) = last_heard else { return Self::Never };
        match now.seconds_since(last_heard) / interval_seconds {
            intervals if intervals < LATE_AFTER => Self::Fresh,
            intervals if intervals < SILENT_AFTER => Self::Late,
            _ => Self::Silent,
        }
    }

    /// Since when the device has been in this state; `None` if never heard.
    #[must_use]
    pub fn since(self, last_heard: Option<Moment>, interval_seconds: f64) -> Option<Moment> {
        let intervals = match self {
            Self::Never => return None,
            Self::Fresh => 0.0,
            Self::Late => LATE_AFTER,
            Self::Silent => SILENT_AFTER,
        };
        last_heard.map(|heard| heard.plus_seconds(intervals * interval_seconds))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn judges_at_the_edges() {
        let heard = Moment::parse("2026-05-01T12:00:00Z").unwrap();
        for (after, expected) in [
            (-5.0, Presence::Fresh), // a sender's clock slightly ahead is no reason to worry
            (0.0, Presence::Fresh),
            (59.9, Presence::Fresh),
            (60.0, Presence::Late),
            (149.9, Presence::Late),
            (150.0, Presence::Silent),
        ] {
            assert_eq!(Presence::judge(Some(heard), 30.0, heard.plus_seconds(after)), expected, "{after}");
        }
        assert_eq!(Presence::judge(None, 30.0, heard), Presence::Never);
    }

    #[test]
    fn says_since_when() {
        let heard = Moment::parse("2026-05-01T12:00:00Z").unwrap();
        assert_eq!(Presence::Silent.since(Some(heard), 30.0), Some(heard.plus_seconds(150.0)));
        assert_eq!(Presence::Never.since(None, 30.0), None);
    }
}
