use super::*;
use proptest::prelude::*;

const GOOD: Quality = Quality::Good;

fn flag(flag: Option<bool>) -> Beside {
    Beside { flag, ..Beside::default() }
}

fn screen(text: &str) -> Screen {
    let screen: Screen = serde_json::from_str(text).unwrap();
    screen.check().unwrap();
    screen
}

/// What becomes of values that come every second.
fn judged(screen: &Screen, values: &[f64]) -> Vec<Quality> {
    let mut memory = Memory::default();
    (0..).zip(values).map(|(i, value)| screen.judge(i * 1_000_000, *value, &flag(Some(true)), &mut memory)).collect()
}

#[test]
fn each_check_finds_what_it_is_for() {
    use Cause::{Frozen, Jump, Outlier, Range};
    use Quality::{Rejected, Suspect};
    let cases: &[(&str, &[f64], &[Quality])] = &[
        (
            r#"{"possible": {"low": -40, "high": 85}, "expected": {"low": 0, "high": 30}}"#,
            &[20.0, 31.0, 85.1, -40.0],
            &[GOOD, Suspect(Range), Rejected(Range), Suspect(Range)],
        ),
        // Measured from the last good value: what was rejected does not count.
        (r#"{"fastest_per_s": 2}"#, &[10.0, 12.0, 50.0, 15.0, 14.0], &[GOOD, GOOD, Rejected(Jump), GOOD, GOOD]),
        (r#"{"frozen_after_s": 2}"#, &[1.0, 1.0, 1.0, 1.0, 1.1, 1.1], &[GOOD, GOOD, GOOD, Suspect(Frozen), GOOD, GOOD]),
        (
            r#"{"outlier": {"window": 5, "threshold": 3}}"#,
            &[1.0, 1.2, 0.9, 1.1, 9.0, 1.0],
            &[GOOD, GOOD, GOOD, GOOD, Suspect(Outlier), GOOD],
        ),
    ];
    for (text, values, expected) in cases {
        assert_eq!(judged(&screen(text), values), *expected, "{text}");
    }
}

#[test]
fn it_counts_only_while_the_other_says_so() {
    let screen = screen(r#"{"while": {"signal": "attached", "is": true}}"#);
    for (other, expected) in [
        (Some(true), GOOD),
        (Some(false), Quality::Rejected(Cause::Dependent)),
        (None, Quality::Rejected(Cause::Dependent)),
    ] {
        assert_eq!(screen.judge(0, 1.0, &flag(other), &mut Memory::default()), expected, "{other:?}");
    }
}

#[test]
fn what_comes_long_after_its_time_is_doubted() {
    let screen = screen(r#"{"late_after_s": 60}"#);
    for (late, expected) in [(None, GOOD), (Some(60), GOOD), (Some(61), Quality::Suspect(Cause::Time))] {
        let beside = Beside { late: late.map(|s: i64| s * 1_000_000), ..Beside::default() };
        assert_eq!(screen.judge(0, 1.0, &beside, &mut Memory::default()), expected, "{late:?}");
    }
}

#[test]
fn late_values_are_judged_by_themselves() {
    let screen = screen(r#"{"possible": {"high": 100}, "fastest_per_s": 1}"#);
    let mut memory = Memory::default();
    assert_eq!(screen.judge(10_000_000, 5.0, &Beside::default(), &mut memory), GOOD);
    let before = memory.clone();
    assert_eq!(screen.judge(5_000_000, 90.0, &Beside::default(), &mut memory), GOOD, "the rate is not known backwards");
    assert_eq!(screen.judge(5_000_000, 101.0, &Beside::default(), &mut memory), Quality::Rejected(Cause::Range));
    assert_eq!(memory, before);
}

#[test]
fn nonsense_is_refused() {
    for (text, expected) in [
        (r#"{"possible": {"low": 5, "high": 5}}"#, ScreenError::Range("what is possible")),
        (r#"{"possible": {"low": 0}, "expected": {"low": -1}}"#, ScreenError::Wider),
        (r#"{"fastest_per_s": 0}"#, ScreenError::Positive("the fastest change")),
        (r#"{"frozen_after_s": -1}"#, ScreenError::Positive("the time after which it is frozen")),
        (r#"{"outlier": {"window": 2, "threshold": 3}}"#, ScreenError::Window),
        (r#"{"outlier": {"window": 5, "threshold": 0}}"#, ScreenError::Positive("the threshold of outliers")),
        (r#"{"while": {"signal": "", "is": true}}"#, ScreenError::Dependence),
    ] {
        assert_eq!(serde_json::from_str::<Screen>(text).unwrap().check(), Err(expected), "{text}");
    }
    assert!(serde_json::from_str::<Screen>(r#"{"posible": {}}"#).is_err(), "a misspelt part is no part");
}

/// A restart makes no difference to what is judged after it.
#[test]
fn what_was_judged_already_is_recalled() {
    let screen = screen(
        r#"{"possible": {"low": 0, "high": 100}, "fastest_per_s": 20, "frozen_after_s": 3,
            "outlier": {"window": 5, "threshold": 3}}"#,
    );
    let values = [1.0, 1.2, 500.0, 0.9, 60.0, 1.1, 9.0, 1.0, 1.0, 1.0, 1.0, 1.0, 30.0];
    for cut in 0..values.len() {
        let (mut whole, mut seen) = (Memory::default(), Vec::new());
        let mut recalled = None;
        for (second, value) in (0..).zip(values) {
            let at = second * 1_000_000;
            if second as usize == cut {
                recalled = Some(Memory::recall(seen.iter().copied()));
            }
            let quality = screen.judge(at, value, &Beside::default(), &mut whole);
            if let Some(memory) = &mut recalled {
                assert_eq!(screen.judge(at, value, &Beside::default(), memory), quality, "{value} after {cut}");
            }
            seen.push((at, value, quality));
        }
    }
}

proptest! {
    /// What is rejected by range is so whatever came before, and memory survives
    /// being written down.
    #[test]
    fn what_is_impossible_stays_so(values in prop::collection::vec(-50.0..150.0f64, 1..40), cut in 0usize..40) {
        let screen = screen(r#"{"possible": {"low": 0, "high": 100}, "fastest_per_s": 20, "frozen_after_s": 3,
            "outlier": {"window": 5, "threshold": 3}}"#);
        let mut memory = Memory::default();
        for (i, value) in values.iter().enumerate() {
            if i == cut {
                memory = serde_json::from_str(&serde_json::to_string(&memory).unwrap()).unwrap();
            }
            let quality = screen.judge(i as i64 * 1_000_000, *value, &Beside::default(), &mut memory);
            let is_impossible = !(0.0..=100.0).contains(value);
            prop_assert_eq!(quality == Quality::Rejected(Cause::Range), is_impossible);
        }
        prop_assert!(memory.window.len() <= 5);
    }
}
