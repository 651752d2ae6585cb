use super::*;
use crate::fix::Fix;
use crate::quality::Cause;
use proptest::prelude::*;
use std::collections::BTreeMap;

/// Any value, with the qualities and raw values that go with it.
pub(crate) fn any_point(at: impl Strategy<Value = i64>) -> impl Strategy<Value = Point> {
    let value = prop_oneof![
        6 => (-2000i32..2000).prop_map(|n| Value::Number(f64::from(n) / 10.0)),
        1 => prop::num::f64::NORMAL.prop_map(Value::Number),
        1 => any::<bool>().prop_map(Value::Flag),
        1 => "[a-c]{0,3}".prop_map(Value::Text),
        1 => any_fix().prop_map(Value::from),
    ];
    let quality = prop_oneof![
        9 => Just(Quality::Good),
        1 => (0..Cause::ALL.len()).prop_map(|i| Quality::Suspect(Cause::ALL[i])),
        1 => (0..Cause::ALL.len()).prop_map(|i| Quality::Rejected(Cause::ALL[i])),
    ];
    let raw = prop_oneof![9 => Just(None), 1 => (0i32..4096).prop_map(|n| Some(f64::from(n)))];
    (at, value, quality, raw).prop_map(|(at, value, quality, raw)| Point { at: moment(at), value, quality, raw })
}

fn any_fix() -> impl Strategy<Value = Fix> {
    let metres = || prop::option::of((0i32..9_000).prop_map(|n| f64::from(n) / 10.0));
    let degrees = (-900_000i32..900_000).prop_map(|n| f64::from(n) / 1e4);
    (degrees, prop::num::f64::NORMAL, metres(), metres())
        .prop_map(|(latitude, longitude, altitude_m, accuracy_m)| Fix { latitude, longitude, altitude_m, accuracy_m })
}

pub(crate) fn any_run(times: Range<i64>, len: usize) -> impl Strategy<Value = Run> {
    prop::collection::vec(any_point(times), 0..len).prop_map(|points| {
        let sorted: BTreeMap<i64, Point> = points.into_iter().map(|p| (p.at.as_micros(), p)).collect();
        sorted.into_values().collect()
    })
}

fn map(run: &Run) -> BTreeMap<i64, Point> {
    run.points().map(|point| (point.at.as_micros(), point)).collect()
}

proptest! {
    #[test]
    fn laying_over_agrees_with_a_map(base in any_run(0..60, 40), over in any_run(0..60, 40)) {
        let mut expected = map(&base);
        expected.extend(map(&over));
        let mut merged = base.clone();
        merged.overlay(&over);
        prop_assert_eq!(map(&merged), expected.clone());
        prop_assert_eq!(map(&base.overlaid(&over)), expected);
    }

    #[test]
    fn removing_agrees_with_a_map(run in any_run(0..60, 40), from in 0i64..60, to in 0i64..60) {
        let mut rest = run.clone();
        rest.remove(from, to);
        let mut expected = map(&run);
        expected.retain(|at, _| !(from..to).contains(at));
        prop_assert_eq!(map(&rest), expected);
    }
}
