//! What is to be done for the callings of one roster.

use jiff::tz::TimeZone;
use lantern_core::Moment;
use lantern_core::alarm::Severity;
use lantern_core::callout::{Callee, Duty, Next};
use lantern_store::{Calling, CallingChange};
use std::collections::BTreeMap;

/// Why somebody gets a message.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Wanted {
    /// They are told of an alarm, whoever is called.
    Tell,
    /// It is their turn.
    Call,
    /// It is over.
    End,
}

/// Alarms one callee gets messages about.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct Group {
    pub(super) callee: Callee,
    pub(super) wanted: Wanted,
    pub(super) callings: Vec<Calling>,
}

/// What is to be done.
#[derive(Debug, Default, PartialEq)]
pub(super) struct Decided {
    /// What becomes of callings, by their numbers.
    pub(super) changes: BTreeMap<i64, CallingChange>,
    /// Who gets messages.
    pub(super) groups: Vec<Group>,
    /// Those whose end is told to whoever was called.
    pub(super) ended: Vec<Calling>,
}

impl Decided {
    fn add(&mut self, callee: Callee, wanted: Wanted, calling: &Calling) {
        match self.groups.iter_mut().find(|group| group.callee == callee && group.wanted == wanted) {
            Some(group) => group.callings.push(calling.clone()),
            None => self.groups.push(Group { callee, wanted, callings: vec![calling.clone()] }),
        }
    }
}

/// Decides for the callings of one roster. Nobody is called for an alarm that nobody waits for any more, or
/// that somebody has acknowledged.
pub(super) fn decide(duty: &Duty, callings: Vec<Calling>, now: Moment, zone: &TimeZone) -> Decided {
    let mut decided = Decided::default();
    for calling in callings {
        let alarm = &calling.alarm;
        let is_cleared = alarm.cleared_at.is_some();
        match &alarm.acknowledged {
            // Covered, shelved, out of service, or ended with its watch.
            _ if alarm.is_silent || !duty.is_for(alarm.severity, alarm.device.as_deref()) => {
                decided.changes.insert(calling.id, CallingChange::Over);
            }
            Some((None, _)) => {
                decided.changes.insert(calling.id, CallingChange::Over);
            }
            Some((Some(_), _)) if is_cleared => end(&mut decided, calling),
            Some((Some(_), _)) => {
                decided.changes.insert(calling.id, CallingChange::AwaitEnd);
            }
            // An urgent call goes on until somebody answers: a button is let go of at once.
            None if is_cleared && was_called(&calling) && alarm.severity < Severity::Urgent => {
                end(&mut decided, calling);
            }
            None if calling.is_going_on && calling.is_due => step(&mut decided, duty, &calling, now, zone),
            None => {}
        }
    }
    decided
}

/// Whether somebody was called, not only told.
fn was_called(calling: &Calling) -> bool {
    calling.step >= 2 || !calling.is_going_on
}

fn end(decided: &mut Decided, calling: Calling) {
    decided.changes.insert(calling.id, CallingChange::Over);
    decided.ended.push(calling);
}

/// Tells and calls until somebody is waited for.
fn step(decided: &mut Decided, duty: &Duty, calling: &Calling, now: Moment, zone: &TimeZone) {
    let mut step = calling.step;
    let change = loop {
        match duty.next(step, calling.alarm.severity, now, zone) {
            Next::Tell(callees) => {
                for callee in callees {
                    decided.add(callee, Wanted::Tell, calling);
                }
                step += 1;
            }
            Next::Call(callee, then) => {
                decided.add(callee, Wanted::Call, calling);
                break CallingChange::Step(step + 1, then);
            }
            Next::Wait(until) => break CallingChange::Step(step, until),
            Next::Over => break CallingChange::AwaitEnd,
        }
    };
    decided.changes.insert(calling.id, change);
}

#[cfg(test)]
mod tests {
    use super::*;
    use lantern_core::SiteId;
    use lantern_store::{AlarmRow, PointId, RosterId};

    fn at(seconds: i64) -> Moment {
        Moment::from_micros((1_790_000_000 + seconds) * 1_000_000).unwrap()
    }

    fn calling(step: u32, change: impl FnOnce(&mut AlarmRow)) -> Calling {
        let mut alarm = AlarmRow {
            id: 7,
            point: PointId(1),
            watch: "warm".to_owned(),
            name: "Warm".to_owned(),
            severity: Severity::High,
            device: Some("fridge".to_owned()),
            signal: None,
            unit: None,
            value: None,
            raised_at: at(0),
            recorded_at: at(0),
            cleared_at: None,
            acknowledged: None,
            is_silent: false,
            is_found: false,
            cause: None,
            shelved_until: None,
            state: None,
        };
        change(&mut alarm);
        Calling { id: 1, site: SiteId(1), roster: RosterId(1), step, is_going_on: true, is_due: true, alarm }
    }

    fn decide_one(calling: Calling) -> (Vec<(String, Wanted)>, CallingChange, bool) {
        let roster = r#"{"name": "D", "least": "high", "order": ["Ann", "Ben"], "pass_on_min": 5, "rounds": 1, "also": ["topic:bell"]}"#;
        let duty = Duty::new(&serde_json::from_str(roster).unwrap()).unwrap();
        let decided = decide(&duty, vec![calling], at(3), &TimeZone::UTC);
        let told = decided.groups.iter().map(|group| (group.callee.to_string(), group.wanted)).collect();
        (told, decided.changes[&1], !decided.ended.is_empty())
    }

    #[test]
    fn an_alarm_goes_from_hand_to_hand() {
        let tell = |who: &str| (who.to_owned(), Wanted::Tell);
        let call = |who: &str| (who.to_owned(), Wanted::Call);
        let cases = [
            (0, vec![tell("topic:bell"), call("Ann")], CallingChange::Step(2, at(303))),
            (2, vec![call("Ben")], CallingChange::Step(3, at(303))),
            (3, vec![], CallingChange::AwaitEnd),
        ];
        for (step, told, change) in cases {
            assert_eq!(decide_one(calling(step, |_| {})), (told, change, false), "step {step}");
        }
    }

    #[test]
    fn nobody_is_called_for_what_is_answered_over_or_covered() {
        let by = |who: Option<&str>| Some((who.map(str::to_owned), at(1)));
        let nobody: Vec<(String, Wanted)> = Vec::new();
        let over = (nobody.clone(), CallingChange::Over, false);
        let told = (nobody.clone(), CallingChange::Over, true);
        assert_eq!(decide_one(calling(0, |alarm| alarm.is_silent = true)), over, "covered at once");
        assert_eq!(decide_one(calling(2, |alarm| alarm.acknowledged = by(None))), over, "shelved later");
        assert_eq!(decide_one(calling(0, |alarm| alarm.severity = Severity::Medium)), over, "milder than it calls for");
        let acknowledged = calling(2, |alarm| alarm.acknowledged = by(Some("Ann")));
        assert_eq!(decide_one(acknowledged), (nobody, CallingChange::AwaitEnd, false));
        let both = calling(2, |alarm| (alarm.acknowledged, alarm.cleared_at) = (by(Some("Ann")), Some(at(2))));
        assert_eq!(decide_one(both), told, "its end is told");
        assert_eq!(decide_one(calling(2, |alarm| alarm.cleared_at = Some(at(2)))), told);
    }

    #[test]
    fn a_button_that_is_let_go_of_still_calls() {
        let pressed = calling(0, |alarm| (alarm.severity, alarm.cleared_at) = (Severity::Urgent, Some(at(1))));
        assert_eq!(decide_one(pressed).0.len(), 2);
        let passed_on = calling(2, |alarm| (alarm.severity, alarm.cleared_at) = (Severity::Urgent, Some(at(1))));
        assert_eq!(decide_one(passed_on).0, [("Ben".to_owned(), Wanted::Call)]);
    }
}
