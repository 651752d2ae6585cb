//! Presence: whether a device is heard as often as it should be.

use crate::Moment;
use serde::{Deserialize, Serialize};

/// How a device is doing, judged by its own expected interval.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
pub enum Presence {
    /// Heard less than two intervals ago, or as many as the device is given.
    Fresh,
    /// Heard longer ago than that, but less than five intervals ago.
    Late,
    /// Not heard for five intervals or more.
    Silent,
    /// Not heard at all.
    Never,
}

/// How long a device may keep silent, in its expected intervals.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Patience {
    /// Seconds between the reports expected of it.
    pub interval_s: f64,
    /// Late from this many intervals on.
    pub late_after: f64,
    /// Silent from this many intervals on.
    pub silent_after: f64,
}

impl Patience {
    /// Late from this many intervals on, unless the device says otherwise.
    pub const LATE_AFTER: f64 = 2.0;
    /// Silent from this many intervals on, unless the device says otherwise.
    pub const SILENT_AFTER: f64 = 5.0;

    /// The usual patience with a device that reports every so many seconds.
    #[must_use]
    pub const fn usual(interval_s: f64) -> Self {
        Self { interval_s, late_after: Self::LATE_AFTER, silent_after: Self::SILENT_AFTER }
    }
}

impl std::str::FromStr for Presence {
    type Err = ();

    fn from_str(word: &str) -> Result<Self, ()> {
        [Self::Fresh, Self::Late, Self::Silent, Self::Never].into_iter().find(|p| p.as_str() == word).ok_or(())
    }
}

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
    pub fn judge(last_heard: Option<Moment>, patience: Patience, now: Moment) -> Self {
        let Some(last_heard) = last_heard else { return Self::Never };
        match now.seconds_since(last_heard) / patience.interval_s {
            intervals if intervals < patience.late_after => Self::Fresh,
            intervals if intervals < patience.silent_after => Self::Late,
            _ => Self::Silent,
        }
    }

    /// Since when the device has been in this state; `None` if never heard.
    #[must_use]
    pub fn since(self, last_heard: Option<Moment>, patience: Patience) -> Option<Moment> {
        let intervals = match self {
            Self::Never => return None,
            Self::Fresh => 0.0,
            Self::Late => patience.late_after,
            Self::Silent => patience.silent_after,
        };
        last_heard.map(|heard| heard.plus_seconds(intervals * patience.interval_s))
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
            assert_eq!(
                Presence::judge(Some(heard), Patience::usual(30.0), heard.plus_seconds(after)),
                expected,
                "{after}"
            );
        }
        let own = Patience { interval_s: 30.0, late_after: 1.2, silent_after: 1.5 };
        assert_eq!(Presence::judge(Some(heard), own, heard.plus_seconds(37.0)), Presence::Late);
        assert_eq!(Presence::judge(Some(heard), own, heard.plus_seconds(45.0)), Presence::Silent);
        assert_eq!(Presence::judge(None, Patience::usual(30.0), heard), Presence::Never);
    }

    #[test]
    fn says_since_when() {
        let heard = Moment::parse("2026-05-01T12:00:00Z").unwrap();
        assert_eq!(Presence::Silent.since(Some(heard), Patience::usual(30.0)), Some(heard.plus_seconds(150.0)));
        assert_eq!(Presence::Never.since(None, Patience::usual(30.0)), None);
    }
}
