//! Packs of an independent resolver (`tests/data/senml_*.json`), and our own.

use super::*;
use proptest::prelude::*;
use serde_json::Value as Json;

fn reference(name: &str) -> Json {
    let path = format!("{}/tests/data/{name}", env!("CARGO_MANIFEST_DIR"));
    serde_json::from_str(&std::fs::read_to_string(path).unwrap()).unwrap()
}

fn hex(text: &str) -> Vec<u8> {
    data_encoding::HEXLOWER.decode(text.as_bytes()).unwrap()
}

fn check(resolved: &[Resolved], expected: &[Json], what: &str) {
    assert_eq!(resolved.len(), expected.len(), "{what}");
    for (got, want) in resolved.iter().zip(expected) {
        assert_eq!(got.name, want["n"], "{what}");
        assert_eq!(got.unit.as_deref(), want["u"].as_str(), "{what}");
        assert!((got.at.as_micros() as f64 / 1e6 - want["t"].as_f64().unwrap()).abs() < 1e-6, "{what}");
        let value = match &want {
            w if w["v"].is_number() => w["v"].as_f64().map(Value::Number),
            w if w["vb"].is_boolean() => w["vb"].as_bool().map(Value::Flag),
            w if w["vs"].is_string() => w["vs"].as_str().map(|text| Value::Text(text.to_owned())),
            w => w["vd"].as_str().map(|text| Value::Data(text.to_owned())),
        };
        assert_eq!(got.value, value, "{what}");
        assert_eq!(got.sum, want["s"].as_f64(), "{what}");
        assert_eq!(got.update_s, want["ut"].as_f64(), "{what}");
    }
}

#[test]
fn valid_packs_resolve_in_json_and_in_cbor() {
    let cases = reference("senml_valid.json");
    for case in cases.as_array().unwrap() {
        let now = Moment::from_epoch(case["now"].as_f64().unwrap()).unwrap();
        let expected = case["resolved"].as_array().unwrap();
        let what = case["id"].as_str().unwrap();
        let json = from_json(case["json"].as_str().unwrap().as_bytes()).unwrap();
        check(&resolve(json, now).unwrap(), expected, what);
        let cbor = from_cbor(&hex(case["cbor_hex"].as_str().unwrap())).unwrap();
        check(&resolve(cbor, now).unwrap(), expected, what);
    }
}

#[test]
fn invalid_packs_are_refused() {
    let now = Moment::from_epoch(1.72e9).unwrap();
    let cases = reference("senml_invalid.json");
    for case in cases["json"].as_array().unwrap() {
        let read = from_json(case["json"].as_str().unwrap().as_bytes());
        assert!(read.and_then(|records| resolve(records, now)).is_err(), "{case}");
    }
    for case in cases["cbor"].as_array().unwrap() {
        let read = from_cbor(&hex(case["cbor_hex"].as_str().unwrap()));
        assert!(read.and_then(|records| resolve(records, now)).is_err(), "{case}");
    }
}

#[test]
fn a_refusal_names_the_record_and_the_label() {
    let refusal = from_json(br#"[{"n":"a","v":1},{"n":"b","v":"1"}]"#).unwrap_err();
    assert_eq!(refusal.code, RefusalCode::BadSenml);
    assert!(refusal.detail.starts_with("Record 2 of the SenML pack: `v`: invalid type: string"), "{}", refusal.detail);
    let refusal = from_cbor(&hex("81a2006178026131")).unwrap_err();
    assert!(refusal.detail.starts_with("Record 1 of the SenML pack: label v: a number"), "{}", refusal.detail);
}

fn decoded(pack: &str) -> Decoded<'static> {
    decode(from_json(pack.as_bytes()).unwrap(), Moment::from_epoch(1.72e9).unwrap()).unwrap()
}

#[test]
fn one_prefix_is_the_sender_and_several_are_devices() {
    let one = decoded(r#"[{"bn":"urn:dev:shed-1:","n":"temp","u":"Cel","v":1},{"n":"hum","u":"%RH","v":40,"s":2}]"#);
    assert_eq!(one.sender.as_deref(), Some("urn:dev:shed-1"));
    let seen: Vec<_> = one.items.iter().map(|i| (i.name.as_ref(), i.unit.as_deref(), i.device.is_none())).collect();
    assert_eq!(seen, [("temp", Some("Cel"), true), ("hum.sum", Some("%{RH}"), true), ("hum", Some("%{RH}"), true)]);

    let several = decoded(r#"[{"n":"shed-1/temp","v":1},{"n":"shed-2/temp","v":2}]"#);
    assert_eq!(several.sender, None);
    let devices: Vec<_> = several.items.iter().map(|i| i.device.as_deref()).collect();
    assert_eq!(devices, [Some("shed-1"), Some("shed-2")]);
}

#[test]
fn what_is_written_reads_back() {
    let now = Moment::from_epoch(1_777_636_800.25).unwrap();
    let values = [crate::Value::Number(-0.5), crate::Value::Flag(true), crate::Value::Text("a \"b\"".into())];
    let json = values.iter().map(|v| to_json("shed-1:temp", Some("%{RH}"), now, v)).collect::<Vec<_>>().join(",");
    let mut cbor = vec![0x9f];
    values.iter().for_each(|v| cbor.extend(to_cbor("shed-1:temp", Some("%{RH}"), now, v)));
    cbor.push(0xff);
    let from_json = from_json(format!("[{json}]").as_bytes()).unwrap();
    assert_eq!(from_cbor(&cbor).unwrap(), from_json);
    let resolved = resolve(from_json, now).unwrap();
    assert!(resolved.iter().all(|r| r.at == now && r.unit.as_deref() == Some("%RH")));
    assert_eq!(resolved[0].value, Some(Value::Number(-0.5)));
}

proptest! {
    #[test]
    fn any_bytes_are_a_pack_or_refused(bytes in prop::collection::vec(any::<u8>(), 0..200)) {
        let now = Moment::from_epoch(1.72e9).unwrap();
        let _ = from_cbor(&bytes).and_then(|records| decode(records, now));
        let _ = from_json(&bytes).and_then(|records| decode(records, now));
    }

    #[test]
    fn any_records_resolve_or_are_refused(t in any::<f64>(), bt in any::<f64>(), v in any::<f64>(), bv in any::<f64>()) {
        let record = Record {
            n: Some("x".into()), t: Some(t), bt: Some(bt), bv: Some(bv), value: Some(Value::Number(v)),
            ..Record::default()
        };
        let resolved = resolve(vec![record], Moment::from_epoch(1.72e9).unwrap());
        let all_finite = |r: &Resolved| matches!(r.value, Some(Value::Number(n)) if n.is_finite());
        prop_assert!(resolved.is_ok_and(|r| r.iter().all(all_finite)) || !(v + bv).is_finite() || !(t + bt).is_finite()
            || (t + bt).abs() > 1e10);
    }
}

#[test]
fn a_version_is_one_to_ten_and_the_same_for_all() {
    for (versions, is_taken) in [
        (&["10"][..], true),
        (&["1"], true),
        (&["5", "5"], true),
        (&["0"], false),
        (&["11"], false),
        (&["5", "10"], false),
    ] {
        let record = |version: &&str| format!(r#"{{"bver":{version},"n":"temp","v":1}}"#);
        let pack = format!("[{}]", versions.iter().map(record).collect::<Vec<_>>().join(","));
        let decoded = decode(from_json(pack.as_bytes()).unwrap(), Moment::from_epoch(1.72e9).unwrap());
        assert_eq!(decoded.is_ok(), is_taken, "{pack}");
    }
}
