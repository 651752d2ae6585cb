//! Decoders on what boards really print.

use super::*;
use crate::Moment;
use crate::decode::{Raw, RemarkCode};
use jiff::tz::TimeZone;
use proptest::prelude::*;

fn times() -> Times {
    Times::new(Moment::parse("2026-05-01T12:00:00Z").unwrap(), TimeZone::UTC)
}

fn run(decoder: &str, body: &[u8]) -> Result<Decoded<'static>, Refusal> {
    Decoder::from_json(decoder).unwrap_or_else(|e| panic!("{e}: {decoder}")).run(body, &times())
}

/// `name=value` of all items, with the device and the time where they have them.
fn seen(decoder: &str, body: &[u8]) -> String {
    let decoded = run(decoder, body).unwrap_or_else(|e| panic!("{e:?}"));
    let one = |item: crate::decode::Item<'_>| {
        let value = match item.value {
            Raw::Number(number) => number.to_string(),
            Raw::Flag(flag) => flag.to_string(),
            Raw::Text(text) => format!("'{text}'"),
            Raw::List(list) => format!("{list:?}"),
            Raw::Position(fix) => fix.to_string(),
        };
        let device = item.device.map(|d| format!("{d}/")).unwrap_or_default();
        let unit = item.unit.unwrap_or_default();
        let at = item.at.map(|at| format!("@{}", at.seconds_since(times().now))).unwrap_or_default();
        format!("{device}{}={value}{unit}{at}", item.name)
    };
    decoded.items.into_iter().map(one).collect::<Vec<_>>().join(" ")
}

const LIST: &str = r#"{"form": "list", "fields": ["temp", "-", {"name": "hum", "type": "number", "unit": "%"}]}"#;
const PAIRS: &str = r#"{"form": "pairs", "fields": {"T": "temp", "B": {"name": "door", "type": "flag"}}}"#;
const COMMAS: &str = r#"{"form": "list", "separator": ";", "fields": [{"name": "temp", "type": "decimal-comma"}, "hum",
    {"name": "level", "type": "decimal-comma"}]}"#;
const FRAMES: &str =
    r#"{"form": "frames", "start": "<", "stop": ">", "inside": {"form": "list", "fields": ["@device", "temp"]}}"#;

#[test]
fn text_lines() {
    for (decoder, body, expected) in [
        (r#"{"form": "bare", "field": "level"}"#, "21.4\n", "level=21.4"),
        (r#"{"form": "bare", "field": {"name": "id", "type": "hex"}}"#, "0x1F", "id=31"),
        (r#"{"form": "bare", "field": {"name": "id", "type": "text"}}"#, "007", "id='007'"),
        (LIST, "21.4,x,55", "temp=21.4 hum=55%"),
        (LIST, "21.4 x 55\r\n\r\n22;y;56\n", "temp=21.4 hum=55% temp=22 hum=56%"),
        (r#"{"form": "list", "separator": "|", "fields": ["a", "b"]}"#, "1| 2 ", "a=1 b=2"),
        (r#"{"form": "list", "fields": ["@ago", "a"]}"#, "30,1\n0,2", "a=1@-30 a=2@0"),
        (PAIRS, "T=21.4 B=on x=5", "temp=21.4 door=true x=5"),
        (PAIRS, "T:21.4;B:0", "temp=21.4 door=false"),
        (COMMAS, "21,4;55;-0,25", "temp=21.4 hum=55 level=-0.25"),
        (FRAMES, "noise<shed-1,21.4>\r\n<shed-2,-3>", "shed-1/temp=21.4 shed-2/temp=-3"),
    ] {
        assert_eq!(seen(decoder, body.as_bytes()), expected, "{body:?}");
    }
}

#[test]
fn frames_tolerate_noise_and_lost_marks() {
    let decoded = run(FRAMES, b"\xff\xfe<a,1><b,2<c,3>zz<d,4").unwrap();
    let names: Vec<_> = decoded.items.iter().map(|i| i.device.as_deref()).collect();
    assert_eq!(names, [Some("a"), Some("c")]);
    assert_eq!(decoded.refused.len(), 2, "{:?}", decoded.refused);
    assert_eq!(decoded.remarks[0].code, RemarkCode::Noise);
    assert_eq!(decoded.remarks[0].detail, "4 bytes stood between the messages.");
    assert_eq!(run(FRAMES, b"nothing here").unwrap_err().code, RefusalCode::DoesNotFit);
}

#[test]
fn json_of_any_shape() {
    let renamed = r#"{"form": "json", "at": "meta.ts", "fields": [
        {"path": "data.t", "field": {"name": "temp", "unit": "Cel"}},
        {"path": "data.probes.1", "field": "probe"}, {"path": "gone", "field": "gone"}]}"#;
    let body = br#"{"meta": {"ts": 1777636740}, "data": {"t": 21.4, "probes": [1, 2]}}"#;
    assert_eq!(seen(renamed, body), "temp=21.4Cel@-60 probe=2@-60");

    let named = r#"{"form": "json", "each": "items", "name": "id", "value": "v", "unit": "u", "device": "$.gw"}"#;
    let body = br#"{"gw": "shed-gw", "items": [{"id": "temp", "v": 21.4, "u": "Cel"}, {"id": "door", "v": true}]}"#;
    assert_eq!(seen(named, body), "shed-gw/temp=21.4Cel shed-gw/door=true");

    let refused = run(named, br#"{"items": 5}"#).unwrap_err();
    assert_eq!((refused.code, refused.detail.as_str()), (RefusalCode::DoesNotFit, "`items` is not an array."));
    assert_eq!(run(named, b"{").unwrap_err().code, RefusalCode::MalformedJson);
}

#[test]
fn packed_bits_and_bytes() {
    let mixed = r#"{"form": "packed", "encoding": "hex", "fields": [
        {"name": "-", "type": "u8", "expect": 1},
        {"name": "temp", "type": "i16", "scale": 0.01, "unit": "Cel"},
        {"name": "door", "type": "flag"}, {"name": "level", "type": "u7", "missing": 127},
        {"name": "battery", "type": "u12", "scale": 0.001}, {"name": "-", "type": "u4"}]}"#;
    assert_eq!(seen(mixed, b"01 fc18 b2 c8 00"), "temp=-10Cel door=true level=50 battery=3.2");
    assert_eq!(seen(mixed, b"01:FC:18:FF:C8:00"), "temp=-10Cel door=true battery=3.2");

    let little = r#"{"form": "packed", "order": "little", "fields": [
        {"name": "a", "type": "u16"}, {"name": "b", "type": "i24"}, {"name": "low", "type": "u4"},
        {"name": "high", "type": "u4"}, {"name": "f", "type": "f32"}]}"#;
    let body = [0x01, 0x02, 0xff, 0xff, 0xff, 0xa5, 0x00, 0x00, 0x80, 0x3f];
    assert_eq!(seen(little, &body), "a=513 b=-1 low=5 high=10 f=1");

    let base64 = r#"{"form": "packed", "encoding": "base64", "fields": [{"name": "a", "type": "u16"}]}"#;
    assert_eq!(seen(base64, b"AQI="), "a=258");
    assert_eq!(seen(base64, b"AQI"), "a=258");

    for (body, detail) in [
        (&b"02fc18b2c800"[..], "`-` is 2, where the decoder expects 1."),
        (b"01fc", "The payload ends before `temp`."),
        (b"01zz", "The payload is not hexadecimal"),
    ] {
        let refused = run(mixed, body).unwrap_err();
        assert!(refused.detail.starts_with(detail), "{}", refused.detail);
    }
    assert_eq!(run(mixed, b"01fc18b2c800ffff").unwrap().refused[0].detail, "2 bytes are left after the last field.");
}

#[test]
fn packed_groups_are_samples_devices_or_numbered() {
    let wave = r#"{"form": "packed", "order": "little", "every": 0.5, "fields": [
        {"repeat": "rest", "fields": [{"name": "accel", "type": "i16", "scale": 0.5}]}]}"#;
    assert_eq!(seen(wave, &[2, 0, 4, 0, 0xff, 0xff]), "accel=1@-1 accel=2@-0.5 accel=-0.5@0");
    assert_eq!(run(wave, &[2, 0, 4, 0]).unwrap().samples, 2);

    let started = r#"{"form": "packed", "every": 0.5, "fields": [{"name": "@at", "type": "u32"},
        {"name": "battery", "type": "u8"}, {"repeat": 2, "fields": [{"name": "accel", "type": "u8"}]}]}"#;
    let mut body = 1_777_636_740u32.to_be_bytes().to_vec();
    body.extend([90, 1, 2]);
    assert_eq!(seen(started, &body), "battery=90@-60 accel=1@-60 accel=2@-59.5");

    let carried = r#"{"form": "packed", "fields": [{"name": "battery", "type": "u8"}, {"repeat": "rest", "fields": [
        {"name": "@device", "type": "u8"}, {"name": "temp", "type": "i8"}]}]}"#;
    assert_eq!(seen(carried, &[90, 1, 21, 2, 0xff]), "battery=90 1/temp=21 2/temp=-1");

    let numbered = r#"{"form": "packed", "fields": [{"repeat": 2, "fields": [{"name": "t", "type": "u8"}]}]}"#;
    assert_eq!(seen(numbered, &[7, 8]), "t.1=7 t.2=8");
    assert_eq!(run(numbered, &[7]).unwrap_err().detail, "The payload ends before repetition 2 of 2.");
}

#[test]
fn what_does_not_fit_says_so() {
    for (decoder, body, detail) in [
        (LIST, "21.4,55", "Line 1 has 2 values, the decoder lists 3: `21.4,55`."),
        (LIST, "21.4,x,wet", "`hum` should be a number, but `wet` was sent."),
        (PAIRS, "T=21.4 hello", "Line 1 has `hello` in it, which is no pair."),
        (COMMAS, "1,2,3;55;4", "`temp` should be a number with a decimal comma, but `1,2,3` was sent."),
        (PAIRS, "B=ajar", "`door` should be a flag (1 or 0, on or off), but `ajar` was sent."),
    ] {
        assert_eq!(run(decoder, body.as_bytes()).unwrap().refused[0].detail, detail);
    }
    assert_eq!(run(LIST, b" \n").unwrap_err().code, RefusalCode::NoValues);
    assert_eq!(run(LIST, b"\xff").unwrap_err().code, RefusalCode::DoesNotFit);
    let many = "1,2,3\n".repeat(10_001);
    assert_eq!(run(LIST, many.as_bytes()).unwrap_err().code, RefusalCode::TooManyReadings);
    let broken = "1\n".repeat(10_001);
    assert_eq!(run(LIST, broken.as_bytes()).unwrap_err().code, RefusalCode::TooManyReadings);
}

#[test]
fn a_decoder_is_checked_before_it_is_kept() {
    for (decoder, place) in [
        (r#"{"form": "tea"}"#, "decoder"),
        (r#"{"form": "list", "fields": [], "tea": 1}"#, "decoder"),
        (r#"{"form": "list", "fields": []}"#, "fields"),
        (r#"{"form": "list", "fields": ["-", "@at"]}"#, "fields"),
        (r#"{"form": "list", "fields": ["a", "a"]}"#, "fields"),
        (r#"{"form": "list", "fields": ["a", "@time"]}"#, "fields.1"),
        (r#"{"form": "list", "fields": ["a b"]}"#, "fields.0"),
        (r#"{"form": "list", "fields": [{"name": "a", "unit": "tea"}]}"#, "fields.0"),
        (r#"{"form": "list", "separator": "", "fields": ["a"]}"#, "separator"),
        (r#"{"form": "list", "fields": [{"name": "a", "type": "decimal-comma"}]}"#, "separator"),
        (
            r#"{"form": "pairs", "separator": ", ", "fields": {"a": {"name": "a", "type": "decimal-comma"}}}"#,
            "separator",
        ),
        (r#"{"form": "frames", "start": "", "stop": ">", "inside": {"form": "bare", "field": "a"}}"#, "start"),
        (r#"{"form": "frames", "start": "<", "stop": ">", "inside": {"form": "bare", "field": "-"}}"#, "inside.field"),
        (
            r#"{"form": "frames", "start": "<", "stop": ">", "inside": {"form": "json", "name": "a", "value": "b"}}"#,
            "inside",
        ),
        (r#"{"form": "json", "name": "a"}"#, "fields"),
        (r#"{"form": "packed", "fields": [{"name": "a", "type": "u65"}]}"#, "fields.0"),
        (r#"{"form": "packed", "fields": [{"name": "a", "type": "x8"}]}"#, "fields.0"),
        (r#"{"form": "packed", "every": 0, "fields": [{"name": "a", "type": "u8"}]}"#, "every"),
        (
            r#"{"form": "packed", "fields": [{"repeat": "all", "fields": [{"name": "a", "type": "u8"}]}]}"#,
            "fields.0.repeat",
        ),
    ] {
        let error = Decoder::from_json(decoder).unwrap_err();
        assert_eq!(error.place, place, "{decoder}: {error}");
    }
}

#[test]
fn forms_read_back_as_they_were() {
    for decoder in [LIST, PAIRS, FRAMES] {
        let form = Decoder::from_json(decoder).unwrap().form().clone();
        let written = serde_json::to_string(&form).unwrap();
        assert_eq!(Decoder::from_json(&written).unwrap().form(), &form, "{written}");
    }
}

proptest! {
    #[test]
    fn any_payload_fits_or_is_refused(bytes in prop::collection::vec(any::<u8>(), 0..120)) {
        for decoder in [
            LIST, PAIRS, FRAMES,
            r#"{"form": "bare", "field": {"name": "a", "type": "hex"}}"#,
            r#"{"form": "json", "each": "a.0", "name": "n", "value": "v", "at": "t"}"#,
            r#"{"form": "packed", "fields": [{"name": "@at", "type": "f64"}, {"name": "a", "type": "i13"},
                {"repeat": "rest", "fields": [{"name": "b", "type": "u3"}]}]}"#,
            r#"{"form": "packed", "encoding": "hex", "every": 86400, "fields": [{"repeat": "rest", "fields": [{"name": "b", "type": "f32"}]}]}"#,
            r#"{"form": "packed", "encoding": "base64", "order": "little", "fields": [{"repeat": 9, "fields": [{"name": "b", "type": "i64"}]}]}"#,
        ] {
            let _ = run(decoder, &bytes);
        }
    }

    #[test]
    fn packed_integers_arrive_as_written(values in prop::collection::vec(any::<i16>(), 1..50), little in any::<bool>()) {
        let order = if little { "little" } else { "big" };
        let decoder = format!(r#"{{"form": "packed", "order": "{order}", "every": 1,
            "fields": [{{"repeat": "rest", "fields": [{{"name": "a", "type": "i16"}}]}}]}}"#);
        let bytes: Vec<u8> =
            values.iter().flat_map(|v| if little { v.to_le_bytes() } else { v.to_be_bytes() }).collect();
        let items = run(&decoder, &bytes).unwrap().items;
        let got: Vec<_> = items.into_iter().map(|i| i.value).collect();
        prop_assert_eq!(got, values.iter().map(|v| Raw::Number(f64::from(*v))).collect::<Vec<_>>());
    }
}
