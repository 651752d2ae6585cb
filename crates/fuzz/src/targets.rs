//! What is fuzzed, each with inputs to begin with.

use crate::{meaning, mqtt, series};
use jiff::tz::TimeZone;
use lantern_core::decode::{self, Decoded, Decoder, Item, MAX_READINGS, Raw, Times};
use lantern_core::fix::{Fix, FixPart};
use lantern_core::intake::{Plan, PlannedSignal, understand};
use lantern_core::{Moment, Refusal, SignalId, Value, ValueType, senml};
use std::collections::hash_map::DefaultHasher;
use std::hash::{Hash, Hasher};
use std::sync::LazyLock;

/// Something that reads bytes.
#[derive(Debug, Clone, Copy)]
pub struct Target {
    /// Its name.
    pub name: &'static str,
    /// Inputs to begin with.
    pub seeds: fn() -> Vec<Vec<u8>>,
    /// Reads an input and says by a number what it came to; panics where a rule
    /// is broken.
    pub run: fn(&[u8]) -> u64,
}

static TIMES: LazyLock<Times> = LazyLock::new(|| {
    let zone = TimeZone::get("Europe/London").unwrap_or(TimeZone::UTC);
    Times::new(Moment::from_micros(1_777_636_800_000_000).unwrap_or_else(|| unreachable!()), zone)
});

static PLAN: LazyLock<Plan> = LazyLock::new(|| {
    let mut plan = Plan::default();
    for (id, name, value_type) in [
        (1, "temp", ValueType::Number),
        (2, "door", ValueType::Flag),
        (3, "mode", ValueType::Text),
        (4, "pos", ValueType::Position),
    ] {
        plan.insert(
            name,
            PlannedSignal { unit: Some("Cel".into()), ..PlannedSignal::declared(SignalId(id), value_type) },
        );
    }
    plan.insert_part("north", "pos", FixPart::Latitude);
    plan.insert_part("east", "pos", FixPart::Longitude);
    plan
});

/// Names whose values may be joined with others to one.
fn may_be_joined(item: &Item<'_>) -> bool {
    const WORDS: [&str; 10] = ["lat", "lon", "lng", "alt", "ele", "acc", "type", "coordinates", "value", "unit"];
    let name = item.name.to_ascii_lowercase();
    let word = name.rsplit('.').next().unwrap_or_default();
    let is_by_unit = item.unit.as_deref().is_some_and(|unit| unit.starts_with("deg{l"));
    is_by_unit || ["north", "east"].contains(&word) || WORDS.iter().any(|known| word.starts_with(known))
}

/// Checks what was decoded, and what the intake makes of it.
fn check(decoded: Result<Decoded<'_>, Refusal>) -> u64 {
    let mut hasher = DefaultHasher::new();
    match decoded {
        Err(refusal) => refusal.code.hash(&mut hasher),
        Ok(decoded) => {
            assert!(decoded.items.len() <= MAX_READINGS && decoded.samples <= decoded.items.len());
            for item in &decoded.items {
                assert!(!matches!(item.value, Raw::Number(number) if !number.is_finite()), "{item:?}");
            }
            decoded.items.len().hash(&mut hasher);
            let count = decoded.items.len() + decoded.refused.len();
            let is_joined = decoded.items.iter().any(may_be_joined);
            let understood = understand(&PLAN, decoded.into_owned(), TIMES.now);
            for reading in &understood.readings {
                assert!(!matches!(reading.value, Value::Number(number) if !number.is_finite()));
                assert!(!matches!(&reading.value, Value::Text(text) if text.len() > Value::MAX_TEXT));
                let parts = |fix: &Fix| FixPart::ALL.map(|part| fix.part(part).unwrap_or_default());
                assert!(reading.value.as_fix().is_none_or(|fix| parts(fix).iter().all(|part| part.is_finite())));
            }
            let placed = understood.readings.len() + understood.arrivals.len() + understood.ignored;
            let found = placed + understood.refused.len();
            if is_joined {
                // A position is made of four values at the most.
                assert!((count.div_ceil(4)..=count).contains(&found), "{found} of {count}");
            } else {
                assert_eq!(found, count, "every value is somewhere, and once");
            }
            understood.refused.iter().for_each(|refusal| refusal.code.hash(&mut hasher));
            (understood.readings.len(), understood.arrivals.len()).hash(&mut hasher);
        }
    }
    hasher.finish()
}

fn texts(texts: &[&str]) -> Vec<Vec<u8>> {
    texts.iter().map(|text| text.as_bytes().to_vec()).collect()
}

fn json_seeds() -> Vec<Vec<u8>> {
    texts(&[
        r#"{"temp": 21.4, "door": true, "mode": "eco", "at": "2026-10-25T01:30:00"}"#,
        r#"[{"at": 1777636800, "every": 0.004, "temp": [1, null, 3]}, {"ago": 5, "env": {"in": {"temp": 1e300}}}]"#,
    ])
}

fn cbor_seeds() -> Vec<Vec<u8>> {
    vec![
        b"\xa3\x62at\x1a\x69\xf4\x95\xc0\x64temp\xf9\x4d\x60\x64door\xf5".to_vec(),
        b"\xa2\x65every\xf9\x38\x00\x64temp\xd8\x4d\x44\x01\x00\x02\x00".to_vec(),
        b"\x9f\xbf\x64temp\x18\x37\xff\xff".to_vec(),
    ]
}

fn senml_json_seeds() -> Vec<Vec<u8>> {
    texts(&[
        r#"[{"bn": "dev:", "bt": 1777636800, "bu": "Cel", "bver": 5, "n": "temp", "v": 21.4}, {"n": "door", "vb": true, "t": -5}]"#,
        r#"[{"n": "x", "vd": "aGkgCg"}, {"n": "mode", "vs": "eco", "s": 3, "ut": 60}]"#,
    ])
}

fn senml_cbor_seeds() -> Vec<Vec<u8>> {
    vec![
        b"\x82\xa4\x21\x64dev:\x22\x1a\x69\xf4\x95\xc0\x00\x64temp\x02\xf9\x4d\x60\xa2\x00\x64door\x04\xf5".to_vec(),
        b"\x81\xa3\x00\x61x\x02\xc4\x82\x21\x19\x08\x5c\x06\x20".to_vec(),
    ]
}

fn csv_seeds() -> Vec<Vec<u8>> {
    texts(&["at,temp,mode\n1777636800,21.4,\"a, b\"\n2026-10-25T01:30:00,-3,\n", "\u{feff}ago;temp\r\n5;1\r\n"])
}

fn line_seeds() -> Vec<Vec<u8>> {
    texts(&["21.4;x;55\n22;y;56", "T=21.4 H=55", "zz<a,21.4><b,2<c,3>", "0x1F", "21.4"])
}

fn object_seeds() -> Vec<Vec<u8>> {
    texts(&[
        r#"{"gw": "g", "meta": {"ts": 1777636740}, "items": [{"id": "temp", "v": 21.4, "u": "Cel"}, {"id": "w", "v": [1, 2]}]}"#,
    ])
}

fn packed_seeds() -> Vec<Vec<u8>> {
    let mut seeds = texts(&["01fc18b2c800", "AQIDBAUGBwg="]);
    seeds.push((0..32).collect());
    seeds
}

fn decoder_seeds() -> Vec<Vec<u8>> {
    FORMS.iter().map(|form| form.as_bytes().to_vec()).collect()
}

const FORMS: [&str; 8] = [
    r#"{"form": "bare", "field": {"name": "temp", "type": "hex"}}"#,
    r#"{"form": "list", "separator": ";", "fields": ["temp", "-", {"name": "mode", "type": "text", "unit": "%"}]}"#,
    r#"{"form": "pairs", "fields": {"T": "temp", "B": {"name": "door", "type": "flag"}}}"#,
    r#"{"form": "frames", "start": "<", "stop": ">", "inside": {"form": "list", "fields": ["@device", "temp"]}}"#,
    r#"{"form": "json", "each": "items", "name": "id", "value": "v", "unit": "u", "device": "$.gw", "at": "$.meta.ts"}"#,
    r#"{"form": "packed", "encoding": "hex", "fields": [{"name": "@at", "type": "u32"}, {"name": "temp", "type": "i13", "scale": 0.01},
        {"repeat": "rest", "fields": [{"name": "@device", "type": "u8"}, {"name": "mode", "type": "u3", "missing": 7}]}]}"#,
    r#"{"form": "packed", "order": "little", "every": 0.5, "fields": [{"repeat": "rest", "fields": [{"name": "temp", "type": "f32"}]}]}"#,
    r#"{"form": "packed", "encoding": "base64", "fields": [{"repeat": 3, "fields": [{"name": "temp", "type": "i64"}]}]}"#,
];

static DECODERS: LazyLock<Vec<Decoder>> =
    LazyLock::new(|| FORMS.iter().filter_map(|form| Decoder::from_json(form).ok()).collect());

/// Runs all decoders of some forms on an input.
fn decoders(range: std::ops::Range<usize>, input: &[u8]) -> u64 {
    assert_eq!(DECODERS.len(), FORMS.len());
    DECODERS[range].iter().fold(0, |sum, decoder| sum.rotate_left(7) ^ check(decoder.run(input, &TIMES)))
}

/// Everything that reads bytes: a sender's, those of a file, and what people write.
pub const TARGETS: &[Target] = &[
    Target { name: "mqtt", seeds: mqtt::seeds, run: mqtt::run },
    Target { name: "series", seeds: series::seeds, run: series::run },
    Target { name: "unit", seeds: meaning::unit_seeds, run: meaning::run_unit },
    Target { name: "formula", seeds: meaning::formula_seeds, run: meaning::run_formula },
    Target { name: "meaning", seeds: meaning::meaning_seeds, run: meaning::run_meaning },
    Target { name: "json", seeds: json_seeds, run: |input| check(decode::json(input, &TIMES)) },
    Target { name: "cbor", seeds: cbor_seeds, run: |input| check(decode::cbor(input, &TIMES)) },
    Target { name: "csv", seeds: csv_seeds, run: |input| check(decode::csv(input, &TIMES)) },
    Target {
        name: "senml-json",
        seeds: senml_json_seeds,
        run: |input| check(senml::from_json(input).and_then(|records| senml::decode(records, TIMES.now))),
    },
    Target {
        name: "senml-cbor",
        seeds: senml_cbor_seeds,
        run: |input| check(senml::from_cbor(input).and_then(|records| senml::decode(records, TIMES.now))),
    },
    Target { name: "decoder-lines", seeds: line_seeds, run: |input| decoders(0..4, input) },
    Target { name: "decoder-json", seeds: object_seeds, run: |input| decoders(4..5, input) },
    Target { name: "decoder-packed", seeds: packed_seeds, run: |input| decoders(5..8, input) },
    Target {
        name: "decoder-description",
        seeds: decoder_seeds,
        // A description that is accepted must do for any payload.
        run: |input| match std::str::from_utf8(input).ok().map(Decoder::from_json) {
            Some(Ok(decoder)) => [&b"21.4;x;55"[..], b"<a,1>", b"{\"a\": 1}", b"\x01\x02\x03\x04\x05\x06\x07\x08", b""]
                .iter()
                .fold(1, |sum, payload| sum ^ check(decoder.run(payload, &TIMES))),
            Some(Err(error)) => error.place.len() as u64,
            None => 0,
        },
    },
    Target {
        name: "guess",
        seeds: || [json_seeds(), cbor_seeds(), csv_seeds(), senml_json_seeds(), line_seeds()].concat(),
        run: |input| decode::guess(input).map_or(0, |dialect| dialect as u64 + 1),
    },
];
