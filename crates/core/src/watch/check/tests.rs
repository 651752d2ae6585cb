use super::*;
use serde_json::{Value as Json, json};

fn bound(watch: Json, unit: Option<&str>, value_type: ValueType) -> Result<Rule, String> {
    let watch: Watch = serde_json::from_value(watch).map_err(|error| error.to_string())?;
    let unit = unit.map(|unit| UnitCode::parse(unit).unwrap());
    Rule::new(&watch, Some(&SignalType { unit, value_type })).map_err(|error| error.to_string())
}

fn level(rule: Result<Rule, String>) -> (Option<f64>, Option<f64>, f64) {
    match rule.unwrap().test {
        Test::Level { low, high, deadband } => (low, high, deadband),
        other => panic!("{other:?}"),
    }
}

#[test]
fn limits_are_in_any_unit_of_the_same_quantity() {
    let above = |limit: f64, unit: &str, deadband: f64| json!({"name": "w", "when": {"is": "above", "limit": limit, "unit": unit}, "deadband": deadband});
    let number = ValueType::Number;
    let (_, high, deadband) = level(bound(above(46.4, "[degF]", 1.8), Some("Cel"), number));
    assert!((high.unwrap() - 8.0).abs() < 1e-9 && (deadband - 1.0).abs() < 1e-9, "{high:?} {deadband}");
    let (low, high, deadband) = level(bound(above(150.0, "cm", 10.0), Some("m"), number));
    assert!(
        low.is_none() && (high.unwrap() - 1.5).abs() < 1e-9 && (deadband - 0.1).abs() < 1e-9,
        "{high:?} {deadband}"
    );
    let own = json!({"name": "w", "when": {"is": "outside", "low": 1, "high": 9}, "deadband": 0.5});
    assert_eq!(level(bound(own, Some("m"), number)), (Some(1.0), Some(9.0), 0.5));
    let wrong = bound(above(1.0, "Cel", 0.0), Some("m"), number).unwrap_err();
    assert!(wrong.starts_with("`when.unit` does not fit the signal"), "{wrong}");
}

#[test]
fn what_makes_no_sense_is_refused_with_its_field() {
    let n = ValueType::Number;
    let with = |more: Json| {
        let mut watch = json!({"name": "w", "when": {"is": "above", "limit": 8}});
        watch.as_object_mut().unwrap().extend(more.as_object().unwrap().clone());
        watch
    };
    let cases = [
        (with(json!({"name": " "})), n, "`name` has 1 to 100"),
        (with(json!({"advice": "x".repeat(2_001)})), n, "`advice` has at most 2000"),
        (with(json!({"on": {"device": "a", "kind": "b"}})), n, "`on` names a device or a kind"),
        (with(json!({"deadband": -1})), n, "`deadband` is a number from 0 on"),
        (with(json!({"delay_on_s": 1e9})), n, "`delay_on_s` is from 0 s to a week"),
        (with(json!({"hours": [{"from": "9", "to": "17:00"}]})), n, "not from `9` to `17:00`"),
        (with(json!({"severity": "awful"})), n, "unknown variant `awful`"),
        (with(json!({"loud": true})), n, "unknown field `loud`"),
        (with(json!({"when": {"is": "above", "limit": 8, "over": 3}})), n, "unknown field `over`"),
        (with(json!({"when": {"is": "hot"}})), n, "unknown variant `hot`"),
        (
            with(json!({"when": {"is": "above", "limit": 8}})),
            ValueType::Flag,
            "is about a number, and the signal is a flag",
        ),
        (with(json!({"when": {"is": "above", "limit": 8, "unit": "parsec-ish"}})), n, "`when.unit` is no unit"),
        (with(json!({"when": {"is": "above", "limit": 8, "unit": "m"}})), n, "the signal has no unit"),
        (with(json!({"when": {"is": "outside", "low": 8, "high": 2}})), n, "`when.low` is below"),
        (with(json!({"when": {"is": "outside", "low": 2, "high": 8}, "deadband": 3})), n, "less than half the band"),
        (with(json!({"when": {"is": "changing", "by": 0, "within_s": 60}})), n, "`when.by` is a number above 0"),
        (with(json!({"when": {"is": "changing", "by": 2, "within_s": 60}, "deadband": 2})), n, "less than `when.by`"),
        (with(json!({"when": {"is": "changing", "by": 1, "within_s": 0}})), n, "`when.within_s` is from 1 s"),
        (with(json!({"when": {"is": "steady", "for_s": 60, "within": 1}})), ValueType::Text, "about a number"),
        (with(json!({"when": {"is": "flag", "value": true}})), n, "is about a flag"),
        (
            with(json!({"when": {"is": "farther", "latitude": 99, "longitude": 0, "than_m": 5}})),
            ValueType::Position,
            "a place on the Earth",
        ),
        (
            with(json!({"when": {"is": "inside", "area": {"type": "Polygon", "coordinates": []}}})),
            ValueType::Position,
            "has no ring",
        ),
        (with(json!({"when": {"is": "losses", "above": 20}})), n, "`when.above` is a share from 0 to 1"),
        (with(json!({"when": {"is": "disk", "days": -1}})), n, "`when.days`"),
    ];
    for (watch, value_type, expected) in cases {
        let error = bound(watch.clone(), None, value_type).unwrap_err();
        assert!(error.contains(expected), "{watch}: {error}");
    }
    let watch: Watch = serde_json::from_value(with(json!({}))).unwrap();
    assert_eq!(Rule::new(&watch, None).unwrap_err().field, "on.signal");
}

#[test]
fn a_watch_is_written_as_short_as_it_is() {
    let short = json!({"name": "Fridge", "on": {"device": "fridge", "signal": "temp"}, "when": {"is": "above", "limit": 8.0, "unit": "Cel"}, "severity": "high"});
    let watch: Watch = serde_json::from_value(short.clone()).unwrap();
    assert_eq!(serde_json::to_value(&watch).unwrap(), short);
}
