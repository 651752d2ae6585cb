//! The steps of a commissioning, judged by what came.

use super::Seen;
use crate::keys::may_send;
use lantern_api::{Soak, Step, StepState};
use lantern_core::clock_offset::{self, WORTH_SAYING_S};
use lantern_core::coverage::coverage;
use lantern_core::{Moment, ValueType, duration};
use lantern_store::Key;

/// Coverage from which a soak test is passed.
const COVERAGE_ENOUGH: f64 = 0.95;
/// Reports from which on their interval is judged.
const ENOUGH_REPORTS: usize = 4;

fn step(code: &str, title: &str, state: StepState, finding: impl Into<String>) -> Step {
    Step { code: code.to_owned(), title: title.to_owned(), state, finding: finding.into() }
}

const fn passed_if(is_so: bool) -> StepState {
    if is_so { StepState::Passed } else { StepState::Failed }
}

pub(super) fn contacted(last_heard: Option<Moment>, since: Moment, now: Moment) -> Step {
    let title = "It has made contact";
    match last_heard.filter(|heard| *heard >= since) {
        Some(heard) => {
            let ago = duration(now.seconds_since(heard));
            step("contacted", title, StepState::Passed, format!("Last heard {ago} ago."))
        }
        None => step("contacted", title, StepState::Open, "Nothing has come from it yet."),
    }
}

/// `is_heard_through` says whether something was heard of it through a sender with another key.
pub(super) fn key(is_heard_through: bool, keys: &[Key], now: Moment) -> Step {
    let title = "Its key is accepted";
    let is_usable = |key: &&Key| may_send(key, now);
    match keys.iter().filter(is_usable).find(|key| key.last_used_at.is_some()) {
        Some(key) => step("key", title, StepState::Passed, format!("The key that ends in {} is in use.", key.hint)),
        None if is_heard_through => {
            step("key", title, StepState::Passed, "It sends with the key of the site or through another device.")
        }
        None if keys.iter().any(|key| is_usable(&key)) => {
            step("key", title, StepState::Open, "It has a key, which has not been used yet.")
        }
        None => step("key", title, StepState::Open, "It has no key yet; issue one."),
    }
}

pub(super) fn signals(seen: &[Seen]) -> Step {
    let title = "Every declared signal was seen";
    let missing: Vec<&str> = seen.iter().filter(|s| s.readings.is_empty()).map(|s| s.signal.code.as_str()).collect();
    match (seen.len(), missing.len()) {
        (0, _) => step("signals", title, StepState::Open, "It has no signals yet; declare them."),
        (all, 0) => step("signals", title, StepState::Passed, format!("All {all} were seen.")),
        (all, _) => {
            let finding = format!("{} of {all} were seen; not yet: {}.", all - missing.len(), missing.join(", "));
            step("signals", title, StepState::Open, finding)
        }
    }
}

pub(super) fn plausible(seen: &[Seen]) -> Step {
    let title = "Its values can be true";
    let mut outside = Vec::new();
    let mut unlimited = Vec::new();
    let mut is_any = false;
    for Seen { signal, readings } in seen.iter().filter(|s| s.signal.value_type == Some(ValueType::Number)) {
        let low = signal.low.unwrap_or(f64::NEG_INFINITY);
        let high = signal.high.unwrap_or(f64::INFINITY);
        is_any |= !readings.is_empty();
        let odd = readings.iter().filter_map(|(_, value)| value.as_number()).find(|n| !(low..=high).contains(n));
        if let Some(odd) = odd {
            outside.push(format!("{} was {odd}, outside {} to {}", signal.code, bound(signal.low), bound(signal.high)));
        }
        if signal.low.is_none() && signal.high.is_none() {
            unlimited.push(signal.code.as_str());
        }
    }
    let any_other = seen.iter().any(|s| !s.readings.is_empty());
    if !outside.is_empty() {
        return step("plausible", title, StepState::Failed, format!("{}.", outside.join("; ")));
    }
    if !is_any && !any_other {
        return step("plausible", title, StepState::Open, "No values have come yet.");
    }
    let finding = match unlimited.as_slice() {
        [] => "All values lie within the limits of their signals.".to_owned(),
        codes => format!("No value is outside limits; none are set for {}.", codes.join(", ")),
    };
    step("plausible", title, StepState::Passed, finding)
}

fn bound(limit: Option<f64>) -> String {
    limit.map_or_else(|| "anything".to_owned(), |limit| limit.to_string())
}

pub(super) fn clock_step(offset_s: Option<f64>, has_readings: bool) -> Step {
    let title = "Its clock is right";
    match offset_s {
        Some(offset) if offset.abs() <= WORTH_SAYING_S => {
            let finding = format!("Its times are {} from the time of arrival.", duration(offset.abs()));
            step("clock", title, StepState::Passed, finding)
        }
        Some(offset) => {
            let finding = format!("Its clock is {}; set it, or send no times.", clock_offset::told(offset));
            step("clock", title, StepState::Failed, finding)
        }
        None if has_readings => step(
            "clock",
            title,
            StepState::Passed,
            "It sends no times, or too few to judge; the time of arrival holds.",
        ),
        None => step("clock", title, StepState::Open, "No values have come yet."),
    }
}

pub(super) fn interval(times: &[Moment], since: Moment, now: Moment, interval_s: f64) -> Step {
    let title = "It keeps its interval";
    let expected = duration(interval_s);
    let Some(median) =
        coverage(times, since, now, interval_s).median_interval_s.filter(|_| times.len() >= ENOUGH_REPORTS)
    else {
        let finding =
            format!("{} of {ENOUGH_REPORTS} reports that are needed have come.", times.len().min(ENOUGH_REPORTS));
        return step("interval", title, StepState::Open, finding);
    };
    if median < interval_s / 20.0 {
        let finding = format!("Samples come every {}, in messages expected every {expected}.", duration(median));
        return step("interval", title, StepState::Passed, finding);
    }
    let is_kept = (0.5..=1.5).contains(&(median / interval_s));
    let finding = format!("It reports every {}; expected is every {expected}.", duration(median));
    step("interval", title, passed_if(is_kept), finding)
}

pub(super) fn coverage_step(soak: Option<&Soak>) -> Step {
    let title = "It is heard reliably at its place";
    let Some(soak) = soak else {
        return step("coverage", title, StepState::Open, "No soak test was begun; leave it at its place overnight.");
    };
    if soak.expected == 0 && !soak.is_over {
        return step("coverage", title, StepState::Open, "The soak test has begun; no report was due yet.");
    }
    let share = if soak.expected == 0 { 1.0 } else { soak.received as f64 / soak.expected as f64 };
    let found = format!(
        "{} of {} reports came ({:.1} %), the longest gap was {}",
        soak.received,
        soak.expected,
        share * 100.0,
        duration(soak.longest_gap_s)
    );
    if soak.is_over {
        step("coverage", title, passed_if(share >= COVERAGE_ENOUGH), format!("{found}."))
    } else {
        step("coverage", title, StepState::Open, format!("So far {found}; the soak test is still on."))
    }
}

pub(super) fn verdict(steps: &[Step]) -> String {
    let count = |state| steps.iter().filter(|step| step.state == state).count();
    match (count(StepState::Failed), count(StepState::Open)) {
        (0, 0) => "Ready to go live: all steps have passed.".to_owned(),
        (0, open) => format!("Not ready yet: {open} of {} steps {} open.", steps.len(), is_or_are(open)),
        (failed, 0) => format!("Not ready: {failed} of {} steps failed.", steps.len()),
        (failed, open) => {
            format!("Not ready: {failed} of {} steps failed, {open} {} open.", steps.len(), is_or_are(open))
        }
    }
}

const fn is_or_are(count: usize) -> &'static str {
    if count == 1 { "is" } else { "are" }
}

#[cfg(test)]
mod tests {
    use super::*;
    use lantern_core::KeyId;
    use lantern_store::Grants;

    #[test]
    fn only_a_key_that_can_still_send_counts() {
        let now = Moment::from_epoch(1.7e9).unwrap();
        let (before, after) = (Some(now.plus_seconds(-1.0)), Some(now.plus_seconds(1.0)));
        let fresh = Key {
            id: KeyId(1),
            device: None,
            hint: "cret".to_owned(),
            note: String::new(),
            grants: Grants::SEND,
            created_at: now.plus_seconds(-60.0),
            expires_at: None,
            last_used_at: None,
            last_used_from: None,
            revoked_at: None,
        };
        let used = Key { last_used_at: before, ..fresh.clone() };
        let reader = Grants { send: false, read: true, command: false };
        for (key, state, says) in [
            (None, StepState::Open, "no key yet"),
            (Some(fresh.clone()), StepState::Open, "not been used"),
            (Some(used.clone()), StepState::Passed, "ends in cret"),
            (Some(Key { expires_at: after, ..used.clone() }), StepState::Passed, "ends in cret"),
            (Some(Key { expires_at: before, ..used.clone() }), StepState::Open, "no key yet"),
            (Some(Key { expires_at: before, ..fresh }), StepState::Open, "no key yet"),
            (Some(Key { revoked_at: before, ..used.clone() }), StepState::Open, "no key yet"),
            (Some(Key { grants: reader, ..used }), StepState::Open, "no key yet"),
        ] {
            let keys: Vec<Key> = key.into_iter().collect();
            let step = super::key(false, &keys, now);
            assert_eq!(step.state, state, "{keys:?}: {}", step.finding);
            assert!(step.finding.contains(says), "{keys:?}: {}", step.finding);
        }
        assert_eq!(key(true, &[], now).state, StepState::Passed);
    }

    #[test]
    fn a_verdict_counts_what_is_missing() {
        let of = |states: &[StepState]| verdict(&states.iter().map(|s| step("x", "X", *s, "")).collect::<Vec<_>>());
        use StepState::{Failed, Open, Passed};
        assert_eq!(of(&[Passed, Passed]), "Ready to go live: all steps have passed.");
        assert_eq!(of(&[Passed, Open]), "Not ready yet: 1 of 2 steps is open.");
        assert_eq!(of(&[Failed, Open, Open]), "Not ready: 1 of 3 steps failed, 2 are open.");
    }

    #[test]
    fn intervals_are_judged_by_their_median() {
        let start = Moment::from_epoch(1.7e9).unwrap();
        let of = |every: f64, count: u32| {
            let times: Vec<_> = (0..count).map(|i| start.plus_seconds(every * f64::from(i))).collect();
            interval(&times, start, start.plus_seconds(1_000.0), 30.0).state
        };
        assert_eq!(of(30.0, 10), StepState::Passed);
        assert_eq!(of(60.0, 10), StepState::Failed);
        assert_eq!(of(5.0, 10), StepState::Failed);
        assert_eq!(of(0.004, 100), StepState::Passed, "a waveform");
        assert_eq!(of(30.0, 3), StepState::Open);
    }

    #[test]
    fn a_soak_test_is_judged_when_it_is_over() {
        let soak = |received, is_over| Soak {
            from: String::new(),
            to: String::new(),
            is_over,
            expected: 100,
            received,
            longest_gap_s: 90.0,
            gap_from: String::new(),
        };
        for (soak, state) in [
            (None, StepState::Open),
            (Some(soak(100, false)), StepState::Open),
            (Some(soak(95, true)), StepState::Passed),
            (Some(soak(94, true)), StepState::Failed),
        ] {
            assert_eq!(coverage_step(soak.as_ref()).state, state, "{soak:?}");
        }
    }
}
