use super::*;
use crate::decode::{self, Times};
use crate::fix::{Fix, FixPart};
use crate::quality::{Cause, Quality};
use crate::{SignalId, ValueType};
use jiff::tz::TimeZone;

fn plan() -> Plan {
    let mut plan = Plan::default();
    for (id, name, value_type) in [
        (1, "temp", Some(ValueType::Number)),
        (2, "door", Some(ValueType::Flag)),
        (3, "mode", Some(ValueType::Text)),
        (4, "odd", None),
    ] {
        let unit = (name == "temp").then(|| "Cel".to_owned());
        plan.insert(name, PlannedSignal { id: SignalId(id), value_type, unit, is_derived: false, is_ignored: false });
    }
    let unwanted = PlannedSignal { id: SignalId(5), value_type: None, unit: None, is_derived: false, is_ignored: true };
    plan.insert("unwanted", unwanted);
    plan
}

fn now() -> Moment {
    Moment::parse("2026-05-01T12:00:00Z").unwrap()
}

fn take(body: &str) -> Understood {
    let times = Times::new(now(), TimeZone::UTC);
    understand(&plan(), decode::json(body.as_bytes(), &times).unwrap(), now())
}

#[test]
fn another_unit_is_changed_into_the_signals_own() {
    let of = |unit: Option<&str>| {
        let item = Item { unit: unit.map(|unit| unit.to_owned().into()), ..Item::new("temp", Raw::Number(68.0)) };
        place(&plan(), item, now())
    };
    for (unit, expected) in
        [(None, 68.0), (Some("Cel"), 68.0), (Some("°C"), 68.0), (Some("[degF]"), 20.0), (Some("°F"), 20.0)]
    {
        let Ok(Placed::Reading(reading)) = of(unit) else { panic!("{unit:?}") };
        assert!((reading.value.as_number().unwrap() - expected).abs() < 1e-9, "{unit:?}: {reading:?}");
        assert_eq!((reading.raw, reading.quality), (None, Quality::Good), "{unit:?}");
    }
    for (unit, says) in
        [("tea", "which is no unit"), ("hPa", "`hPa` is a pressure (L-1.M.T-2) and `Cel` is a temperature (Th)")]
    {
        let refusal = of(Some(unit)).unwrap_err();
        assert_eq!(refusal.code, RefusalCode::UnitMismatch);
        assert!(refusal.detail.contains(says), "{}", refusal.detail);
    }
    let mut plan = plan();
    plan.insert("dew", PlannedSignal { is_derived: true, ..PlannedSignal::declared(SignalId(9), ValueType::Number) });
    let refusal = place(&plan, Item::new("dew", Raw::Number(3.0)), now()).unwrap_err();
    assert_eq!(refusal.code, RefusalCode::Derived, "nobody sends what is worked out");
    // A signal without a unit takes any, and a new name keeps the one it came with.
    let item = Item { unit: Some("%RH".into()), ..Item::new("new", Raw::Number(55.0)) };
    let Ok(Placed::Arrival(arrival)) = place(&plan, item, now()) else { panic!("not an arrival") };
    assert_eq!(arrival.unit.as_deref(), Some("%{RH}"));
}

#[test]
fn an_ignored_name_is_passed_over_and_counted() {
    let understood = take(r#"{"unwanted": 1, "temp": 2}"#);
    assert_eq!((understood.ignored, understood.readings.len()), (1, 1));
}

#[test]
fn the_clock_of_a_board_that_was_never_set_is_noticed() {
    for at in ["1970-01-01T00:10:00Z", "1980-01-06T00:00:00Z", "2000-01-01T00:00:12Z"] {
        let understood = take(&format!(r#"{{"temp": 1, "at": "{at}"}}"#));
        assert_eq!(understood.refused[0].code, RefusalCode::TimeTooOld, "{at}");
    }
    assert_eq!(take(r#"{"temp": 1, "at": "2010-01-01T00:00:00Z"}"#).readings.len(), 1);
}

#[test]
fn values_take_the_type_of_their_signal() {
    for (body, expected) in [
        (r#"{"temp": 21.4}"#, Some(Value::Number(21.4))),
        (r#"{"temp": " 21.4 "}"#, Some(Value::Number(21.4))),
        (r#"{"temp": true}"#, None),
        (r#"{"door": true}"#, Some(Value::Flag(true))),
        (r#"{"door": 0}"#, Some(Value::Flag(false))),
        (r#"{"door": "On"}"#, Some(Value::Flag(true))),
        (r#"{"door": 2}"#, None),
        (r#"{"mode": "eco"}"#, Some(Value::Text("eco".into()))),
        (r#"{"mode": 3}"#, Some(Value::Text("3".into()))),
        (r#"{"odd": "anything"}"#, Some(Value::Text("anything".into()))),
    ] {
        let understood = take(body);
        assert_eq!(understood.readings.first().map(|r| r.value.clone()), expected, "{body}");
        match understood.refused.first() {
            None => assert!(expected.is_some(), "{body}"),
            Some(r) => assert_eq!(r.code, RefusalCode::WrongType, "{body}"),
        }
    }
}

#[test]
fn a_text_where_a_number_belongs_is_kept_and_rejected() {
    for sent in ["warm", "inf", "NaN", "", "1,2,3", "ERR 7"] {
        let understood = take(&format!(r#"[{{"temp": "{sent}", "at": 1777636800}}, {{"temp": "{sent}"}}]"#));
        let kept: Vec<_> = understood.readings.iter().map(|one| (one.value.clone(), one.quality)).collect();
        let expected = (Value::Text(sent.into()), Quality::Rejected(Cause::Type));
        assert_eq!(kept, [expected.clone(), expected], "{sent}");
        assert_eq!(understood.refused, [], "{sent}");
        let [remark] = &understood.remarks[..] else { panic!("said once: {:?}", understood.remarks) };
        assert_eq!(remark.code, decode::RemarkCode::NotANumber);
        assert!(remark.detail.contains(&format!("\"{sent}\" was sent")), "{}", remark.detail);
    }
    let long = take(&format!(r#"{{"temp": "{}"}}"#, "x".repeat(1025)));
    assert_eq!((long.readings.len(), long.refused[0].code), (0, RefusalCode::TextTooLong));
}

#[test]
fn a_decimal_comma_is_recognised_and_not_taken() {
    for (sent, is_said) in [("24,5", true), (" -0,25 ", true), ("1,2,3", false), ("warm, dry", false), ("1,", true)] {
        let understood = take(&format!(r#"{{"temp": "{sent}"}}"#));
        assert_eq!(understood.readings[0].quality, Quality::Rejected(Cause::Type));
        let detail = &understood.remarks[0].detail;
        assert_eq!(detail.contains("decimal comma"), is_said, "{sent}: {detail}");
    }
}

#[test]
fn a_good_value_beside_a_bad_one_is_kept() {
    let understood = take(r#"{"temp": 21.4, "door": "ajar", "new": 1, "bad name": 2}"#);
    assert_eq!(understood.readings.len(), 1);
    assert_eq!(understood.arrivals.len(), 1);
    let codes: Vec<_> = understood.refused.iter().map(|r| r.code).collect();
    assert_eq!(codes, [RefusalCode::WrongType, RefusalCode::BadName]);
}

#[test]
fn the_future_is_refused_beyond_ten_minutes() {
    assert_eq!(take(r#"{"temp": 1, "at": "2026-05-01T12:10:00Z"}"#).readings.len(), 1);
    let late = take(r#"{"temp": 1, "at": "2026-05-01T12:10:01Z"}"#);
    assert_eq!(late.refused[0].code, RefusalCode::TimeInFuture);
    assert!(late.refused[0].detail.contains("10 minutes ahead"), "{}", late.refused[0].detail);
}

#[test]
fn texts_are_bounded() {
    let fits = take(&format!(r#"{{"mode": "{}"}}"#, "x".repeat(1024)));
    assert_eq!(fits.readings.len(), 1);
    let over = take(&format!(r#"{{"mode": "{}"}}"#, "x".repeat(1025)));
    assert_eq!(over.refused[0].code, RefusalCode::TextTooLong);
}

fn at_sea() -> Plan {
    let mut plan = plan();
    plan.insert("pos", PlannedSignal::declared(SignalId(20), ValueType::Position));
    plan.insert("buoy.lat", PlannedSignal::declared(SignalId(21), ValueType::Number));
    plan.insert("height", PlannedSignal::declared(SignalId(22), ValueType::Number));
    plan.insert_part("n", "pos", FixPart::Latitude);
    plan.insert_part("e", "pos", FixPart::Longitude);
    plan
}

fn fix(altitude_m: Option<f64>, accuracy_m: Option<f64>) -> Value {
    Fix { altitude_m, accuracy_m, ..Fix::new(54.5, -2.25) }.into()
}

fn take_at_sea(body: &str) -> Understood {
    understand(&at_sea(), decode::json(body.as_bytes(), &Times::new(now(), TimeZone::UTC)).unwrap(), now())
}

#[test]
fn a_position_comes_in_every_way_senders_write_it() {
    let table: &[(&str, Value)] = &[
        (r#"{"pos": {"lat": 54.5, "lon": -2.25}}"#, fix(None, None)),
        (
            r#"{"pos": {"latitude": 54.5, "longitude": -2.25, "altitude": 120, "accuracy": 4}}"#,
            fix(Some(120.0), Some(4.0)),
        ),
        (r#"{"pos": {"lng": "-2.25", "lat": "54.5", "ele": 120}}"#, fix(Some(120.0), None)),
        (
            r#"{"pos": {"latitude": 54.5, "longitude": -2.25, "altitude_m": 1, "accuracy_m": 2}}"#,
            fix(Some(1.0), Some(2.0)),
        ),
        (r#"{"pos.lat": 54.5, "pos.lon": -2.25, "temp": 1}"#, fix(None, None)),
        (r#"{"pos": [54.5, -2.25]}"#, fix(None, None)),
        (r#"{"pos": [54.5, -2.25, 120, 4]}"#, fix(Some(120.0), Some(4.0))),
        (r#"{"pos": {"type": "Point", "coordinates": [-2.25, 54.5, 120]}}"#, fix(Some(120.0), None)),
        (r#"{"pos": "54.5,-2.25"}"#, fix(None, None)),
        (r#"{"pos": "geo:54.5,-2.25,120;u=4"}"#, fix(Some(120.0), Some(4.0))),
        (r#"{"e": -2.25, "n": 54.5}"#, fix(None, None)),
    ];
    for (body, expected) in table {
        let understood = take_at_sea(body);
        let found = understood.readings.iter().find(|reading| reading.signal == SignalId(20));
        assert_eq!(found.map(|reading| &reading.value), Some(expected), "{body}: {understood:?}");
        assert!(understood.refused.is_empty() && understood.arrivals.is_empty(), "{body}: {understood:?}");
    }
}

#[test]
fn a_position_nobody_declared_arrives_as_one() {
    for (body, name, value) in [
        (r#"{"gps": {"lat": 54.5, "lon": -2.25}}"#, "gps", fix(None, None)),
        (r#"{"lat": 54.5, "lon": -2.25, "alt": 120}"#, "position", fix(Some(120.0), None)),
        (r#"{"type": "Point", "coordinates": [-2.25, 54.5]}"#, "position", fix(None, None)),
    ] {
        let understood = take_at_sea(body);
        let found: Vec<_> = understood.arrivals.iter().map(|arrival| (arrival.name.as_str(), &arrival.value)).collect();
        assert_eq!(found, [(name, &value)], "{body}");
    }
}

#[test]
fn what_is_no_position_stays_what_it_is() {
    for (body, arrivals, refused) in [
        (r#"{"lat": 54.5}"#, &["lat"][..], &[][..]),
        (r#"{"lon": 1, "acc": 2}"#, &["lon", "acc"], &[]),
        // Of these one is a signal of its own.
        (r#"{"buoy": {"lat": 54.5, "lon": -2.25}}"#, &["buoy.lon"], &[]),
        // A number that was declared is no position.
        (r#"{"height": {"lat": 54.5, "lon": -2.25}}"#, &["height.lat", "height.lon"], &[]),
        (r#"{"way": [54.5, -2.25]}"#, &[], &["no-interval"]),
        (r#"{"temp": [54.5, -2.25]}"#, &[], &["no-interval"]),
        (r#"{"n": 54.5}"#, &[], &["half-position"]),
        (r#"{"n": "north", "e": 1}"#, &[], &["wrong-type"]),
        (r#"{"pos": 54.5}"#, &[], &["wrong-type"]),
        (r#"{"pos": "54.5"}"#, &[], &["wrong-type"]),
        (r#"{"pos": [1, 2, 3, 4, 5]}"#, &[], &["no-interval"]),
        (r#"{"temp": {"lat": 1, "lon": 2}}"#, &["temp.lat", "temp.lon"], &[]),
    ] {
        let understood = take_at_sea(body);
        let found: Vec<_> = understood.arrivals.iter().map(|arrival| arrival.name.as_str()).collect();
        let codes: Vec<_> = understood.refused.iter().map(|refusal| refusal.code.as_str()).collect();
        assert_eq!((&found[..], &codes[..]), (arrivals, refused), "{body}");
    }
}

#[test]
fn what_stands_beside_a_position_is_not_lost_with_it() {
    let body = r#"{"gps": {"type": "Point", "coordinates": [1, 2], "acc": 3, "value": 4, "unit": "m"}}"#;
    let found = take_at_sea(body).arrivals.into_iter().map(|arrival| arrival.name).collect::<Vec<_>>();
    assert_eq!(found, ["gps", "gps.acc", "gps.value", "gps.unit"]);
}

#[test]
fn positions_of_several_times_are_kept_apart() {
    let body = r#"[{"ago": 2, "pos": {"lat": 1, "lon": 2}}, {"ago": 1, "pos": {"lat": 3, "lon": 4}},
                   {"pos": {"lat": 5, "lon": 6}}, {"pos": {"lat": 7, "lon": 8}}]"#;
    let understood = take_at_sea(body);
    let found: Vec<_> = understood.readings.iter().map(|reading| reading.value.clone()).collect();
    assert_eq!(
        found,
        [Fix::new(1.0, 2.0), Fix::new(3.0, 4.0), Fix::new(5.0, 6.0), Fix::new(7.0, 8.0)].map(Value::from)
    );
}

#[test]
fn senml_tells_a_position_by_its_units_or_its_names() {
    for body in [
        r#"[{"n": "pos", "u": "lat", "v": 54.5}, {"n": "pos", "u": "lon", "v": -2.25}]"#,
        r#"[{"n": "pos.lat", "u": "lat", "v": 54.5}, {"n": "pos.lon", "u": "lon", "v": -2.25}, {"n": "pos.alt", "u": "m", "v": 120}]"#,
    ] {
        let decoded = crate::senml::decode(crate::senml::from_json(body.as_bytes()).unwrap(), now()).unwrap();
        let understood = understand(&at_sea(), decoded, now());
        let found = understood.readings.first().and_then(|reading| reading.value.as_fix()).copied();
        assert_eq!(found.map(|fix| (fix.latitude, fix.longitude)), Some((54.5, -2.25)), "{body}: {understood:?}");
    }
    let sent = fix(Some(120.0), Some(4.5));
    let pack = format!("[{}]", crate::senml::to_json("pos", None, now(), &sent));
    let decoded = crate::senml::decode(crate::senml::from_json(pack.as_bytes()).unwrap(), now()).unwrap();
    assert_eq!(understand(&at_sea(), decoded, now()).readings[0].value, sent, "{pack}");
}

#[test]
fn a_position_that_is_nowhere_is_kept_and_not_believed() {
    for body in [r#"{"pos": {"lat": 0, "lon": 0}}"#, r#"{"pos": [91, 0.5]}"#, r#"{"pos": "10,200"}"#] {
        let understood = take_at_sea(body);
        assert_eq!(understood.readings[0].quality, Quality::Rejected(Cause::Position), "{body}");
    }
}

#[test]
fn a_part_in_another_unit_is_changed_or_refused() {
    let parts = |unit: &'static str| {
        let part = |name: &'static str, number, unit: Option<&'static str>| Item {
            unit: unit.map(Into::into),
            ..Item::new(name, Raw::Number(number))
        };
        let items = vec![part("pos.lat", 54.5, None), part("pos.lon", -2.25, None), part("pos.alt", 1.2, Some(unit))];
        understand(&at_sea(), Decoded { items, ..Decoded::default() }, now())
    };
    assert_eq!(parts("km").readings[0].value, fix(Some(1200.0), None));
    assert_eq!(parts("Cel").refused[0].code, RefusalCode::UnitMismatch);
}

#[test]
fn a_message_may_say_another_unit_in_every_dialect() {
    let times = Times::new(now(), TimeZone::UTC);
    let values = |decoded: Decoded<'_>| {
        let understood = understand(&plan(), decoded, now());
        let value = understood.readings.first().and_then(|reading| reading.value.as_number());
        (value.map(|value| (value * 1e6).round() / 1e6), understood.refused.first().map(|refusal| refusal.code))
    };
    for (body, expected) in [
        (r#"{"temp": {"value": 68, "unit": "degF"}}"#, Some(20.0)),
        (r#"{"temp": {"unit": "°F", "value": 68}}"#, Some(20.0)),
        (r#"{"temp": {"value": "68", "unit": "K"}}"#, Some(-205.15)),
        (r#"{"temp": "68 °F"}"#, Some(20.0)),
        (r#"{"temp": "68°F"}"#, Some(20.0)),
        (r#"{"temp": "6.8e1 [degF]"}"#, Some(20.0)),
        (r#"{"temp": "21.5 °C"}"#, Some(21.5)),
    ] {
        assert_eq!(values(decode::json(body.as_bytes(), &times).unwrap()), (expected, None), "{body}");
    }
    for (body, code) in [
        (r#"{"temp": {"value": 68, "unit": "hPa"}}"#, RefusalCode::UnitMismatch),
        (r#"{"temp": "68 hPa"}"#, RefusalCode::UnitMismatch),
    ] {
        assert_eq!(values(decode::json(body.as_bytes(), &times).unwrap()), (None, Some(code)), "{body}");
    }
    for body in [r#"{"temp": "68 apples"}"#, r#"{"temp": "warm °F"}"#] {
        let decoded = decode::json(body.as_bytes(), &times).unwrap();
        let [reading] = &understand(&plan(), decoded, now()).readings[..] else { panic!("{body}") };
        assert_eq!(reading.quality, Quality::Rejected(Cause::Type), "{body}");
    }
    let table = decode::csv("at,temp (°F)\n2026-05-01T11:00:00Z,68\n".as_bytes(), &times).unwrap();
    assert_eq!(values(table), (Some(20.0), None));
    let form = decode::pairs([("temp".into(), "68 °F".into())], &times).unwrap();
    assert_eq!(values(form), (Some(20.0), None));
    // What is no signal keeps the unit it came with.
    let understood = take(r#"{"new": {"value": 5, "unit": "bar"}}"#);
    assert_eq!((understood.arrivals[0].name.as_str(), understood.arrivals[0].unit.as_deref()), ("new", Some("bar")));
}

#[test]
fn joining_everything_at_once_leaves_signals_alone() {
    let times = Times::new(now(), TimeZone::UTC);
    let decoded =
        decode::json(br#"{"buoy": {"lat": 54.5, "lon": -2.25}, "pos": {"lat": 1, "lon": 2}}"#, &times).unwrap();
    let names: Vec<_> =
        join(&at_sea(), decoded.items, &mut Vec::new()).into_iter().map(|item| item.name.into_owned()).collect();
    assert_eq!(names, ["buoy.lat", "buoy.lon", "pos"]);
}
