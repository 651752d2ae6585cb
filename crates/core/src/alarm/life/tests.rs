use super::Event::{Acknowledge, Ends, Holds, Release, Suppress};
use super::Reason::{Covered, OutOfService, Shelved};
use super::State::{Acknowledged, Normal, Returned, Unacknowledged};
use super::*;
use proptest::prelude::*;

/// Suppressed for reasons by their first letters.
fn by(letters: &str, holds: bool) -> State {
    let has = |letter| letters.contains(letter);
    let reasons = Reasons { shelved: has('s'), covered: has('c'), out_of_service: has('o') };
    State::Suppressed { reasons, holds }
}

fn states() -> Vec<State> {
    let mut states = vec![Normal, Unacknowledged, Acknowledged, Returned];
    for letters in ["s", "c", "o", "sc", "so", "co", "sco"] {
        states.extend([by(letters, false), by(letters, true)]);
    }
    states
}

/// Every event in the four states in which somebody may be called, as in the standard's figure.
#[test]
fn what_each_event_makes_of_what_is_not_suppressed() {
    let table = [
        (Normal, Holds, Unacknowledged, Step::Raised),
        (Normal, Ends, Normal, Step::Nothing),
        (Normal, Acknowledge, Normal, Step::Nothing),
        (Normal, Suppress(Shelved), by("s", false), Step::Suppressed),
        (Normal, Suppress(Covered), by("c", false), Step::Suppressed),
        (Normal, Suppress(OutOfService), by("o", false), Step::Suppressed),
        (Unacknowledged, Holds, Unacknowledged, Step::Nothing),
        (Unacknowledged, Ends, Returned, Step::Returned),
        (Unacknowledged, Acknowledge, Acknowledged, Step::Acknowledged),
        (Unacknowledged, Suppress(Shelved), by("s", true), Step::Suppressed),
        (Unacknowledged, Suppress(Covered), by("c", true), Step::Suppressed),
        (Unacknowledged, Suppress(OutOfService), by("o", true), Step::Suppressed),
        (Acknowledged, Holds, Acknowledged, Step::Nothing),
        (Acknowledged, Ends, Normal, Step::Cleared),
        (Acknowledged, Acknowledge, Acknowledged, Step::Nothing),
        (Acknowledged, Suppress(Shelved), by("s", true), Step::Suppressed),
        (Acknowledged, Suppress(Covered), by("c", true), Step::Suppressed),
        (Acknowledged, Suppress(OutOfService), by("o", true), Step::Suppressed),
        (Returned, Holds, Unacknowledged, Step::Raised),
        (Returned, Ends, Returned, Step::Nothing),
        (Returned, Acknowledge, Normal, Step::Acknowledged),
        (Returned, Suppress(Shelved), by("s", false), Step::Suppressed),
        (Returned, Suppress(Covered), by("c", false), Step::Suppressed),
        (Returned, Suppress(OutOfService), by("o", false), Step::Suppressed),
    ];
    for (before, event, after, step) in table {
        assert_eq!(before.after(event), (after, step), "{before:?} {event:?}");
    }
    for state in [Normal, Unacknowledged, Acknowledged, Returned] {
        for reason in Reason::ALL {
            assert_eq!(state.after(Release(reason)), (state, Step::Nothing), "{state:?} {reason:?}");
        }
    }
}

/// Every event in every suppressed state.
#[test]
fn what_each_event_makes_of_what_is_suppressed() {
    for letters in ["s", "c", "o", "sc", "so", "co", "sco"] {
        for holds in [false, true] {
            let state = by(letters, holds);
            let silently = if holds { Step::Nothing } else { Step::RaisedSilently };
            assert_eq!(state.after(Holds), (by(letters, true), silently), "{letters} {holds}");
            let cleared = if holds { Step::Cleared } else { Step::Nothing };
            assert_eq!(state.after(Ends), (by(letters, false), cleared), "{letters} {holds}");
            assert_eq!(state.after(Acknowledge), (state, Step::Nothing), "{letters} {holds}");
            for (reason, letter) in [(Shelved, "s"), (Covered, "c"), (OutOfService, "o")] {
                let more = by(&format!("{letters}{letter}"), holds);
                assert_eq!(state.after(Suppress(reason)), (more, Step::Nothing), "{letters} {letter}");
                let left = letters.replace(letter, "");
                let expected = match (left.as_str(), holds) {
                    ("", true) => (Unacknowledged, Step::Uncovered),
                    ("", false) => (Normal, Step::Released),
                    _ => (by(&left, holds), Step::Nothing),
                };
                assert_eq!(state.after(Release(reason)), expected, "{letters} {letter}");
            }
        }
    }
}

#[test]
fn states_read_back_as_they_are_kept() {
    for state in states() {
        let text = serde_json::to_string(&state).unwrap();
        assert_eq!(serde_json::from_str::<State>(&text).unwrap(), state, "{text}");
    }
}

#[test]
fn words_are_by_what_weighs_most() {
    let words = [(by("sco", true), "out_of_service"), (by("sc", true), "shelved"), (by("c", false), "covered")];
    for (state, word) in words {
        assert_eq!(state.as_str(), word);
    }
}

/// A plain model: whether the condition holds, whether it was told, which reasons there are.
#[derive(Default)]
struct Model {
    holds: bool,
    is_open: bool,
    reasons: Vec<Reason>,
}

impl Model {
    /// Whether somebody is told by an event.
    fn take(&mut self, event: Event) -> bool {
        let was_suppressed = !self.reasons.is_empty();
        match event {
            Holds if !self.holds => {
                self.holds = true;
                self.is_open = self.reasons.is_empty();
                return self.is_open;
            }
            Ends => self.holds = false,
            Acknowledge => self.is_open = false,
            Suppress(reason) => {
                self.reasons.retain(|known| *known != reason);
                self.reasons.push(reason);
                self.is_open = false;
            }
            Release(reason) => {
                self.reasons.retain(|known| *known != reason);
                if was_suppressed && self.reasons.is_empty() && self.holds {
                    self.is_open = true;
                    return true;
                }
            }
            Holds => {}
        }
        false
    }
}

proptest! {
    #[test]
    fn a_life_is_as_the_model_says(events in prop::collection::vec(prop::sample::select(Event::ALL.to_vec()), 0..200)) {
        let (mut state, mut model) = (State::default(), Model::default());
        for event in events {
            let (after, step) = state.after(event);
            let told = model.take(event);
            prop_assert_eq!(matches!(step, Step::Raised | Step::Uncovered), told, "{:?} {:?}", state, event);
            match step {
                Step::Nothing => prop_assert!(after == state || after.reasons() != state.reasons()),
                _ => prop_assert_ne!(after, state),
            }
            prop_assert_eq!(after.holds(), model.holds);
            prop_assert_eq!(after.is_pending(), model.is_open);
            prop_assert_eq!(matches!(after, State::Suppressed { .. }), !model.reasons.is_empty());
            state = after;
        }
    }
}
