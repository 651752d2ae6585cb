use super::*;
use crate::Moment;
use jiff::tz::TimeZone;
use proptest::prelude::*;

fn json(body: &[u8]) -> Result<Decoded<'_>, Refusal> {
    super::json(body, &Times::new(Moment::parse("2026-05-01T12:00:00Z").unwrap(), TimeZone::UTC))
}

fn names_and_values(body: &str) -> Vec<(String, Raw<'_>)> {
    json(body.as_bytes()).unwrap().items.into_iter().map(|i| (i.name.into_owned(), i.value)).collect()
}

#[test]
fn reads_an_object() {
    assert_eq!(
        names_and_values(r#" {"temp": 21.4, "door": true, "mode": "eco", "gap": null} "#),
        [
            ("temp".into(), Raw::Number(21.4)),
            ("door".into(), Raw::Flag(true)),
            ("mode".into(), Raw::Text("eco".into())),
        ]
    );
}

#[test]
fn flattens_inner_objects_with_dots() {
    assert_eq!(
        names_and_values(r#"{"env": {"in": {"temp": 1}, "hum": 2}, "x": 3}"#),
        [
            ("env.in.temp".into(), Raw::Number(1.0)),
            ("env.hum".into(), Raw::Number(2.0)),
            ("x".into(), Raw::Number(3.0)),
        ]
    );
}

#[test]
fn every_object_of_an_array_has_its_own_time() {
    let decoded = json(br#"[{"at": 1777636800, "a": 1}, {"a": 2, "at": "2026-05-01T12:00:30Z"}, {"a": 3}]"#).unwrap();
    let times: Vec<_> = decoded.items.iter().map(|i| i.at.map(|m| m.to_string())).collect();
    assert_eq!(times, [Some("2026-05-01T12:00:00Z".into()), Some("2026-05-01T12:00:30Z".into()), None]);
}

#[test]
fn arrays_are_evenly_spaced_samples() {
    let decoded = json(br#"{"at": 1777636800, "every": 0.25, "wave": [1, null, 3], "flat": 7}"#).unwrap();
    let seen: Vec<_> = decoded.items.iter().map(|i| (i.name.as_ref(), i.at.unwrap().to_string())).collect();
    let at = |text: &str| text.to_owned();
    assert_eq!(
        seen,
        [
            ("flat", at("2026-05-01T12:00:00Z")),
            ("wave", at("2026-05-01T12:00:00Z")),
            ("wave", at("2026-05-01T12:00:00.5Z")),
        ]
    );
    assert_eq!(decoded.samples, 2);
    for (body, code) in [
        (r#"{"wave": [1, 2, 3, 4, 5]}"#, RefusalCode::NoInterval),
        (r#"{"wave": [1, 2], "every": 0}"#, RefusalCode::NoInterval),
        (r#"{"wave": [1, "a"], "every": 1}"#, RefusalCode::WrongType),
        (r#"{"wave": [1, 2], "every": 1, "ago": "x"}"#, RefusalCode::BadTime),
    ] {
        let decoded = json(body.as_bytes()).unwrap();
        assert!(decoded.items.is_empty(), "{body}");
        assert_eq!(decoded.refused[0].code, code, "{body}");
    }
    let many = format!(r#"{{"every": 1, "wave": [{}]}}"#, vec!["1"; 10_001].join(","));
    assert_eq!(json(many.as_bytes()).unwrap_err().code, RefusalCode::TooManyReadings);
}

#[test]
fn ago_counts_back_from_the_arrival() {
    let decoded = json(br#"[{"ago": 90, "a": 1}, {"a": 2, "ago": "0.5"}]"#).unwrap();
    let times: Vec<_> = decoded.items.iter().map(|i| i.at.unwrap().to_string()).collect();
    assert_eq!(times, ["2026-05-01T11:58:30Z", "2026-05-01T11:59:59.5Z"]);
}

#[test]
fn a_number_too_large_spoils_only_itself() {
    let decoded = json(br#"{"good": 1, "bad": 1e999}"#).unwrap();
    assert_eq!(decoded.items.len(), 1);
    assert_eq!(decoded.refused[0].code, RefusalCode::NumberTooLarge);
    assert_eq!(decoded.refused[0].name.as_deref(), Some("bad"));
}

#[test]
fn a_bad_time_refuses_the_values_of_that_object_only() {
    let decoded = json(br#"[{"at": "noon", "a": 1}, {"a": 2}]"#).unwrap();
    assert_eq!(decoded.items.len(), 1);
    assert_eq!(decoded.refused[0].code, RefusalCode::BadTime);
    assert!(decoded.refused[0].detail.contains("`noon`"), "{}", decoded.refused[0].detail);
}

#[test]
fn says_where_it_is_broken() {
    for (body, code, detail) in [
        (&b"{\"a\": 1,\n \"b\": nan}"[..], RefusalCode::MalformedJson, "line 2, column 8"),
        (b"{\"a\": 1", RefusalCode::MalformedJson, "line 1, column 7"),
        (b"{\"a\": 1} x", RefusalCode::MalformedJson, "line 1, column 10"),
        (b"{\"a\": \"\xff\"}", RefusalCode::MalformedJson, "line 1, column 8"),
        (b"21.4", RefusalCode::NotAnObject, "neither an object"),
        (b"[1, 2]", RefusalCode::NotAnObject, "column 2"),
        (b"", RefusalCode::NoValues, "empty"),
        (b"{}", RefusalCode::NoValues, "no values"),
        (b"[{\"a\": null}]", RefusalCode::NoValues, "no values"),
    ] {
        let refusal = json(body).unwrap_err();
        assert_eq!(refusal.code, code, "{}", String::from_utf8_lossy(body));
        assert!(refusal.detail.contains(detail), "{}", refusal.detail);
    }
}

#[test]
fn limits_hold_exactly() {
    let nested = |depth: usize| format!("{}1{}", "{\"a\":".repeat(depth), "}".repeat(depth));
    assert!(json(nested(MAX_DEPTH).as_bytes()).is_ok());
    assert_eq!(json(nested(MAX_DEPTH + 1).as_bytes()).unwrap_err().code, RefusalCode::TooDeep);

    let many = |n: usize| format!("[{}]", vec![r#"{"a":1}"#; n].join(","));
    assert_eq!(json(many(crate::decode::MAX_READINGS).as_bytes()).unwrap().items.len(), 10_000);
    for bad in [r#"{"a":["x"]}"#, r#"{"a":1e999}"#, r#"{"at":"noon"}"#] {
        let refusals = format!("[{}]", vec![bad; 10_001].join(","));
        let refused = json(refusals.as_bytes()).unwrap_err().code;
        assert_eq!(refused, RefusalCode::TooManyReadings, "refusals are bounded too: {bad}");
    }
    assert_eq!(json(many(crate::decode::MAX_READINGS + 1).as_bytes()).unwrap_err().code, RefusalCode::TooManyReadings);
}

#[test]
fn deep_nesting_in_a_value_is_no_stack_overflow() {
    assert!(json("[".repeat(200_000).as_bytes()).is_err());
    assert!(json(format!("{{\"a\":{}", "[".repeat(200_000)).as_bytes()).is_err());
}

proptest! {
    #[test]
    fn any_bytes_decode_or_are_refused(bytes in prop::collection::vec(any::<u8>(), 0..200)) {
        let _ = json(&bytes);
    }

    #[test]
    fn a_cut_anywhere_is_refused(cut in 0usize..58) {
        let body = r#"{"temp": 21.4, "env": {"hum": 55, "t": "x"}, "at": 177763680}"#;
        prop_assert!(json(&body.as_bytes()[..cut]).is_err());
    }

    #[test]
    fn numbers_arrive_as_written(number in prop::num::f64::NORMAL) {
        let body = format!("{{\"x\": {}}}", serde_json::to_string(&number).unwrap());
        prop_assert_eq!(&json(body.as_bytes()).unwrap().items[0].value, &Raw::Number(number));
    }
}
