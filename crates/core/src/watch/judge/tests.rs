use super::*;
use crate::ValueType;
use crate::formula::SignalType;
use crate::quality::{Cause, Quality};
use crate::watch::Watch;
use proptest::prelude::*;
use serde_json::{Value as Json, json};

fn rule(watch: Json, value_type: ValueType) -> Rule {
    let watch: Watch = serde_json::from_value(watch).unwrap();
    Rule::new(&watch, Some(&SignalType { unit: None, value_type })).unwrap()
}

fn at(second: f64) -> Moment {
    Moment::parse_rfc3339("2026-05-01T12:00:00Z").unwrap().plus_seconds(second)
}

/// The edges of readings at seconds: when, and whether the condition holds.
fn edges(rule: &Rule, readings: &[(f64, Value)], end: f64) -> Vec<(f64, bool)> {
    let judge = Judge { rule, zone: &TimeZone::UTC };
    let (mut memory, mut edges) = (Memory::default(), Vec::new());
    for (second, value) in readings {
        assert!(judge.take(&mut memory, Seen { at: at(*second), value, quality: Quality::Good }, &mut edges));
    }
    judge.pass(&mut memory, at(end), &mut edges);
    edges.into_iter().map(|edge| (edge.at.seconds_since(at(0.0)), edge.holds)).collect()
}

fn numbers(values: &[(f64, f64)]) -> Vec<(f64, Value)> {
    values.iter().map(|(second, value)| (*second, Value::Number(*value))).collect()
}

/// A condition, what the signal is, its readings at seconds, and the edges that come of them.
type Case = (Json, ValueType, Vec<(f64, Value)>, Vec<(f64, bool)>);

#[test]
fn each_condition_holds_when_it_says() {
    let n = ValueType::Number;
    let cases: Vec<Case> = vec![
        (
            json!({"is": "above", "limit": 8}),
            n,
            numbers(&[(0.0, 8.0), (1.0, 8.1), (2.0, 8.0)]),
            vec![(1.0, true), (2.0, false)],
        ),
        (
            json!({"is": "below", "limit": 2}),
            n,
            numbers(&[(0.0, 2.0), (1.0, 1.9), (2.0, 2.0)]),
            vec![(1.0, true), (2.0, false)],
        ),
        (
            json!({"is": "outside", "low": 2, "high": 8}),
            n,
            numbers(&[(0.0, 5.0), (1.0, 9.0), (2.0, 1.0), (3.0, 5.0)]),
            vec![(1.0, true), (3.0, false)],
        ),
        (
            json!({"is": "changing", "by": 2, "within_s": 60, "direction": "falls"}),
            n,
            numbers(&[(0.0, 5.0), (30.0, 4.0), (50.0, 2.5), (120.0, 2.5), (200.0, 9.0)]),
            vec![(50.0, true), (120.0, false)],
        ),
        (
            json!({"is": "changing", "by": 2, "within_s": 60}),
            n,
            numbers(&[(0.0, 5.0), (600.0, 8.0), (700.0, 8.0)]),
            // It came at once after a long time, which is fast.
            vec![(600.0, true), (700.0, false)],
        ),
        (
            json!({"is": "steady", "for_s": 100, "within": 0.1}),
            n,
            numbers(&[(0.0, 5.0), (50.0, 5.05), (99.0, 5.0), (100.0, 5.0), (150.0, 6.0), (160.0, 6.0)]),
            vec![(100.0, true), (150.0, false)],
        ),
        (
            json!({"is": "steady", "for_s": 100}),
            ValueType::Text,
            ["run", "run", "stop"]
                .iter()
                .zip([0.0, 120.0, 130.0])
                .map(|(text, s)| (s, Value::Text((*text).into())))
                .collect(),
            vec![(120.0, true), (130.0, false)],
        ),
        (
            json!({"is": "flag", "value": true}),
            ValueType::Flag,
            [(0.0, false), (1.0, true), (2.0, false)].map(|(s, flag)| (s, Value::Flag(flag))).into(),
            vec![(1.0, true), (2.0, false)],
        ),
        (
            json!({"is": "text", "equals": "FAULT"}),
            ValueType::Text,
            [(0.0, "ok"), (1.0, "FAULT"), (2.0, "fault")].map(|(s, text)| (s, Value::Text(text.into()))).into(),
            vec![(1.0, true), (2.0, false)],
        ),
        (
            json!({"is": "outside_of", "area": {"type": "Polygon",
                "coordinates": [[[-2.4, 54.4], [-2.2, 54.4], [-2.2, 54.6], [-2.4, 54.6], [-2.4, 54.4]]]}}),
            ValueType::Position,
            [(0.0, 54.5), (1.0, 54.7), (2.0, 54.5)]
                .map(|(s, north)| (s, Value::Position(Box::new(crate::fix::Fix::new(north, -2.3)))))
                .into(),
            vec![(1.0, true), (2.0, false)],
        ),
        (
            json!({"is": "farther", "latitude": 54.5, "longitude": -2.3, "than_m": 1000}),
            ValueType::Position,
            [(0.0, 54.5), (1.0, 54.51), (2.0, 54.505)]
                .map(|(s, north)| (s, Value::Position(Box::new(crate::fix::Fix::new(north, -2.3)))))
                .into(),
            vec![(1.0, true), (2.0, false)],
        ),
    ];
    for (when, value_type, readings, expected) in cases {
        let rule = rule(json!({"name": "w", "when": when}), value_type);
        assert_eq!(edges(&rule, &readings, 1_000.0), expected, "{when}");
    }
}

#[test]
fn what_hovers_at_the_limit_is_one_alarm() {
    let with = |more: Json| {
        let mut watch = json!({"name": "w", "when": {"is": "above", "limit": 8}});
        watch.as_object_mut().unwrap().extend(more.as_object().unwrap().clone());
        rule(watch, ValueType::Number)
    };
    let hovering: Vec<(f64, f64)> = (0..40).map(|i| (f64::from(i), if i % 2 == 0 { 8.1 } else { 7.9 })).collect();
    assert_eq!(edges(&with(json!({})), &numbers(&hovering), 60.0).len(), 40, "without a deadband it comes and goes");
    assert_eq!(edges(&with(json!({"deadband": 0.5})), &numbers(&hovering), 60.0), [(0.0, true)]);
    let back = [hovering, vec![(50.0, 7.5)]].concat();
    assert_eq!(edges(&with(json!({"deadband": 0.5})), &numbers(&back), 60.0), [(0.0, true), (50.0, false)]);
    assert_eq!(edges(&with(json!({"delay_on_s": 5})), &numbers(&back), 60.0), [], "it never held for five seconds");
    assert_eq!(edges(&with(json!({"delay_off_s": 5})), &numbers(&back), 60.0), [(0.0, true), (44.0, false)]);
}

#[test]
fn what_changes_by_about_so_much_is_one_alarm() {
    let falls = |deadband: f64| {
        let when = json!({"is": "changing", "by": 4, "within_s": 600, "direction": "falls"});
        rule(json!({"name": "w", "when": when, "deadband": deadband}), ValueType::Number)
    };
    let mut values = vec![(0.0, 10.0)];
    values.extend((1..30).map(|i| (f64::from(i), if i % 2 == 0 { 5.9 } else { 6.1 })));
    values.push((40.0, 7.5));
    assert_eq!(edges(&falls(0.0), &numbers(&values), 50.0).len(), 28);
    assert_eq!(edges(&falls(1.0), &numbers(&values), 50.0), [(2.0, true), (40.0, false)]);
}

/// Delays end on time, whether a reading comes then or not.
#[test]
fn delays_are_over_when_they_are() {
    let rule = rule(
        json!({"name": "w", "when": {"is": "above", "limit": 8}, "delay_on_s": 60, "delay_off_s": 30}),
        ValueType::Number,
    );
    let once = numbers(&[(0.0, 9.0)]);
    assert_eq!(edges(&rule, &once, 59.0), []);
    assert_eq!(edges(&rule, &once, 60.0), [(60.0, true)]);
    let late = numbers(&[(0.0, 9.0), (500.0, 5.0), (600.0, 5.0)]);
    assert_eq!(edges(&rule, &late, 600.0), [(60.0, true), (530.0, false)], "it held until the next reading");
    let short = numbers(&[(0.0, 9.0), (50.0, 5.0), (55.0, 9.0)]);
    assert_eq!(edges(&rule, &short, 100.0), [], "the time begins anew");
    assert_eq!(edges(&rule, &short, 116.0), [(115.0, true)]);
}

#[test]
fn readings_that_are_not_good_do_not_count_but_where_they_are_looked_for() {
    let seen = |quality, value| (quality, Value::Number(value));
    let readings = [
        seen(Quality::Good, 5.0),
        seen(Quality::Suspect(Cause::Jump), 9.0),
        seen(Quality::Rejected(Cause::Range), 99.0),
        seen(Quality::Good, 5.0),
    ];
    let told = |watch: Json| {
        let rule = rule(watch, ValueType::Number);
        let judge = Judge { rule: &rule, zone: &TimeZone::UTC };
        let (mut memory, mut edges) = (Memory::default(), Vec::new());
        for (second, (quality, value)) in readings.iter().enumerate() {
            judge.take(&mut memory, Seen { at: at(second as f64), value, quality: *quality }, &mut edges);
        }
        edges.into_iter().map(|edge| (edge.at.seconds_since(at(0.0)), edge.holds)).collect::<Vec<_>>()
    };
    assert_eq!(told(json!({"name": "w", "when": {"is": "above", "limit": 8}})), []);
    let suspect = json!({"name": "w", "when": {"is": "above", "limit": 8}, "least_quality": "suspect"});
    assert_eq!(told(suspect), [(1.0, true), (3.0, false)]);
    assert_eq!(told(json!({"name": "w", "when": {"is": "doubtful"}})), [(1.0, true), (3.0, false)]);
}

#[test]
fn a_watch_counts_only_in_its_hours() {
    let watch = json!({"name": "w", "when": {"is": "above", "limit": 8}, "hours": [{"from": "13:00", "to": "14:00"}]});
    let rule = rule(watch, ValueType::Number);
    let judge = Judge { rule: &rule, zone: &TimeZone::UTC };
    let (mut memory, mut edges) = (Memory::default(), Vec::new());
    let value = Value::Number(9.0);
    judge.take(&mut memory, Seen { at: at(0.0), value: &value, quality: Quality::Good }, &mut edges);
    for minute in 0..180 {
        judge.pass(&mut memory, at(f64::from(minute) * 60.0), &mut edges);
    }
    let told: Vec<_> = edges.iter().map(|edge| (edge.at.seconds_since(at(0.0)) / 60.0, edge.holds)).collect();
    assert_eq!(told, [(60.0, true), (120.0, false)]);
}

#[test]
fn what_is_late_is_not_judged_out_of_order() {
    let rule = rule(json!({"name": "w", "when": {"is": "above", "limit": 8}}), ValueType::Number);
    let judge = Judge { rule: &rule, zone: &TimeZone::UTC };
    let (mut memory, mut edges) = (Memory::default(), Vec::new());
    let (low, high) = (Value::Number(5.0), Value::Number(9.0));
    assert!(judge.take(&mut memory, Seen { at: at(100.0), value: &low, quality: Quality::Good }, &mut edges));
    assert!(!judge.take(&mut memory, Seen { at: at(50.0), value: &high, quality: Quality::Good }, &mut edges));
    assert_eq!((edges.len(), memory.holds()), (0, false));
}

/// Time passes by the service's clock, and readings come a little later than they were taken.
#[test]
fn a_reading_that_is_a_moment_under_way_is_judged() {
    let rule = rule(json!({"name": "w", "when": {"is": "above", "limit": 8}, "delay_on_s": 10}), ValueType::Number);
    let judge = Judge { rule: &rule, zone: &TimeZone::UTC };
    let (mut memory, mut edges) = (Memory::default(), Vec::new());
    let (low, high) = (Value::Number(5.0), Value::Number(9.0));
    let seen = |second: f64, value| Seen { at: at(second), value, quality: Quality::Good };
    assert!(judge.take(&mut memory, seen(0.0, &high), &mut edges));
    judge.pass(&mut memory, at(10.0), &mut edges);
    assert!(judge.take(&mut memory, seen(8.0, &low), &mut edges), "it was two seconds under way");
    let told: Vec<_> = edges.iter().map(|edge| (edge.at.seconds_since(at(0.0)), edge.holds)).collect();
    assert_eq!(told, [(10.0, true), (10.0, false)], "raised in good faith, and cleared at once");
}

proptest! {
    /// Whatever comes: edges take turns and do not go back in time, a restart changes nothing, and
    /// letting time pass between readings changes nothing but when it is known.
    #[test]
    fn a_restart_at_any_point_changes_nothing(
        steps in prop::collection::vec((0.0..40.0f64, -5..15i8, any::<bool>()), 1..120),
        delays in (0..60u32, 0..60u32), deadband in 0..4u8, kind in 0..3usize,
    ) {
        let when = [
            json!({"is": "above", "limit": 8}),
            json!({"is": "changing", "by": 6, "within_s": 50}),
            json!({"is": "steady", "for_s": 30, "within": 2}),
        ];
        let watch = json!({"name": "w", "when": when[kind], "deadband": deadband,
            "delay_on_s": delays.0, "delay_off_s": delays.1});
        let rule = rule(watch, ValueType::Number);
        let judge = Judge { rule: &rule, zone: &TimeZone::UTC };
        let (mut plain, mut expected) = (Memory::default(), Vec::new());
        let (mut restarted, mut found) = (Memory::default(), Vec::new());
        let mut second = 0.0;
        for (wait, value, restarts) in steps {
            if restarts {
                let text = serde_json::to_string(&restarted).unwrap();
                restarted = serde_json::from_str(&text).unwrap();
                judge.pass(&mut restarted, at(second + wait / 2.0), &mut found);
            }
            second += wait;
            let value = Value::Number(f64::from(value));
            let seen = Seen { at: at(second), value: &value, quality: Quality::Good };
            prop_assert!(judge.take(&mut plain, seen, &mut expected));
            prop_assert!(judge.take(&mut restarted, seen, &mut found));
        }
        prop_assert_eq!(&found, &expected);
        for (place, edge) in found.iter().enumerate() {
            prop_assert_eq!(edge.holds, place % 2 == 0);
            prop_assert!(place == 0 || found[place - 1].at <= edge.at);
        }
    }
}
