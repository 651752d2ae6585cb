//! Many alarms in one message, and when a message is tried again.

use crate::alarm::Severity;

/// A new alarm is looked at after so many seconds: what is covered at once calls nobody, and many at once
/// are gathered.
pub const GATHERED_S: f64 = 3.0;
/// Alarms at once that get a message each; more are gathered into one.
const MOST_ALONE: usize = 3;
/// Messages to one address within the time that is looked back on, before it is a flood.
const FLOOD: u32 = 10;
/// In a flood a message goes out so often, in seconds; one with something urgent in it so often.
const FLOOD_PAUSE_S: f64 = 300.0;
const URGENT_PAUSE_S: f64 = 60.0;
/// The first pause before a message is tried again, in seconds; each is twice as long as the one before.
const FIRST_PAUSE_S: f64 = 5.0;
const LONGEST_PAUSE_S: f64 = 300.0;
/// A message is given up after so many attempts: a day of them. Time is not asked, because a clock that was
/// wrong when the message was made would give it up at once.
const MOST_ATTEMPTS: u32 = 293;

/// What somebody got by a roster lately.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct Recent {
    /// Messages within [`Recent::LOOKS_BACK_S`].
    pub count: u32,
    /// Seconds since the last one.
    pub since_s: f64,
}

impl Recent {
    /// How far it looks back, in seconds.
    pub const LOOKS_BACK_S: f64 = 600.0;
}

/// Whether so many alarms for one callee become one message.
#[must_use]
pub const fn gathers(alarms: usize) -> bool {
    alarms > MOST_ALONE
}

/// For how many seconds somebody gets no further message, because many came lately.
#[must_use]
pub fn waits_s(recent: Recent, severity: Severity) -> Option<f64> {
    let pause_s = if severity == Severity::Urgent { URGENT_PAUSE_S } else { FLOOD_PAUSE_S };
    (recent.count >= FLOOD && recent.since_s < pause_s).then(|| (pause_s - recent.since_s).clamp(1.0, pause_s))
}

/// After how many seconds a message is tried again that was tried so often; `None` if it is given up.
#[must_use]
pub fn retry_after_s(attempts: u32) -> Option<f64> {
    (attempts < MOST_ATTEMPTS)
        .then(|| (FIRST_PAUSE_S * 2f64.powi(attempts.saturating_sub(1).min(20) as i32)).min(LONGEST_PAUSE_S))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn pauses_grow_up_to_five_minutes_and_end_after_a_day() {
        let pauses: Vec<_> = (1..=8).map(retry_after_s).collect();
        let expected = [5.0, 10.0, 20.0, 40.0, 80.0, 160.0, 300.0, 300.0].map(Some);
        assert_eq!(pauses, expected);
        let all_s: f64 = (1..).map_while(retry_after_s).sum();
        assert!((86_000.0..=86_400.0).contains(&all_s), "{all_s}");
    }

    #[test]
    fn a_flood_is_gathered_and_slowed_down() {
        assert!(!gathers(3) && gathers(4));
        let waits = |count, since_s| waits_s(Recent { count, since_s }, Severity::High);
        assert_eq!(waits(9, 0.0), None);
        assert_eq!(waits(10, 100.0), Some(200.0));
        assert_eq!(waits(10, 300.0), None);
        assert_eq!(waits(99, -50.0), Some(300.0), "a clock that was put back");
        assert_eq!(waits_s(Recent { count: 10, since_s: 20.0 }, Severity::Urgent), Some(40.0));
    }
}
