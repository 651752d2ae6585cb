//! What people write of what values mean: units, formulas, whole documents.

use lantern_core::ValueType;
use lantern_core::formula::{Formula, SignalType};
use lantern_core::meaning::{Checked, Meaning, Memory, NoOthers};
use lantern_core::quality::Quality;
use lantern_core::units::{UnitChange, UnitCode};
use std::hash::{DefaultHasher, Hash, Hasher};

fn texts(texts: &[&str]) -> Vec<Vec<u8>> {
    texts.iter().map(|text| text.as_bytes().to_vec()).collect()
}

fn told(of: impl Hash) -> u64 {
    let mut hasher = DefaultHasher::new();
    of.hash(&mut hasher);
    hasher.finish()
}

fn unit(code: &str) -> Option<UnitCode> {
    UnitCode::parse(code).ok()
}

fn signals(name: &str) -> Option<SignalType> {
    let code = match name {
        "temp" | "air" => "Cel",
        "level" | "other/level" => "m",
        "hum" => "%",
        "count" => return Some(SignalType { unit: None, value_type: ValueType::Number }),
        "door" => return Some(SignalType { unit: None, value_type: ValueType::Flag }),
        _ => return None,
    };
    Some(SignalType { unit: unit(code), value_type: ValueType::Number })
}

pub(crate) fn unit_seeds() -> Vec<Vec<u8>> {
    texts(&["kg.m2/s3", "°C", "[degF]", "10*-3.mol/L{dry}", "dB[V]", "(m/s2)/[g]", "um/m", "m-2.s+3", "µg/m³"])
}

/// A code that is taken is written as it is read, and changed into itself it changes
/// nothing.
pub(crate) fn run_unit(input: &[u8]) -> u64 {
    let Some(code) = std::str::from_utf8(input).ok().and_then(|text| UnitCode::from_entry(text).ok()) else { return 0 };
    assert_eq!(UnitCode::parse(code.as_str()).as_ref(), Ok(&code));
    let same = UnitChange::between(&code, &code).unwrap_or_else(|error| panic!("{code}: {error}"));
    assert!((same.apply(21.5) - 21.5).abs() < 1e-9, "{code}");
    code.quantity().map_or(1, |quantity| told(quantity.dimension.symbols()))
}

pub(crate) fn formula_seeds() -> Vec<Vec<u8>> {
    texts(&[
        "dew_point(temp, hum) + 1.5e0 \"K\"",
        "if level > 2 \"m\" and not door or {other/level} <> 1 \"cm\" then level else -level * 2",
        "(count - previous(count)) ^ 2 / average(count, 10 \"min\")",
        "min(temp, air, 0 \"Cel\")",
    ])
}

/// A formula that is taken gives numbers or nothing; one that is not names a character
/// of it.
pub(crate) fn run_formula(input: &[u8]) -> u64 {
    let Ok(text) = std::str::from_utf8(input) else { return 0 };
    let mut sum = 0;
    for output in [None, unit("m"), unit("Cel")] {
        match Formula::new(text, &signals, output.as_ref()) {
            Ok(formula) => {
                for value in [0.0, -1.0, 21.5, 1e300, f64::NAN] {
                    let found = formula.value(&vec![value; formula.references().len()]);
                    assert!(found.is_none_or(f64::is_finite), "{text}: {found:?}");
                }
                sum ^= told((formula.references().len(), formula.is_flag()));
            }
            Err(error) => {
                assert!(error.at <= text.chars().count(), "{text}: {error}");
                sum ^= told(error.message.split('`').next());
            }
        }
    }
    sum
}

pub(crate) fn meaning_seeds() -> Vec<Vec<u8>> {
    texts(&[
        r#"{"conversion": {"from": "mV", "steps": [{"step": "thermocouple", "kind": "K", "cold_junction": 20}]}}"#,
        r#"{"conversion": {"steps": [{"step": "counts", "bits": 10, "reference_v": 5}, {"step": "divider", "fixed_ohm": 1e4,
            "supply_v": 5, "sensor": "to-ground"}, {"step": "steinhart-hart", "a": 1e-3, "b": 2e-4, "c": 1e-7}]}}"#,
        r#"{"conversion": {"steps": [{"step": "table", "points": [[0, 1], [2, 9]], "outside": "keep"}, {"step": "volume",
            "tank": {"shape": "sphere", "diameter_m": 3}}]}, "screen": {"markers": [-1], "possible": {"low": 0}}}"#,
        r#"{"conversion": {"steps": [{"step": "total", "modulus": 256, "most": 9}, {"step": "median", "window": 3},
            {"step": "smooth", "time_constant_s": 1}, {"step": "rate", "per": "h"}]},
            "screen": {"fastest_per_s": 1, "frozen_after_s": 3, "outlier": {"window": 5, "threshold": 3}}}"#,
        r#"{"formula": "level * 2", "screen": {"while": {"signal": "door", "is": true}}, "others_within_s": 9}"#,
    ])
}

/// A meaning that is taken makes a number of whatever is sent, good or not, and says so
/// again when its memory was written down and read.
pub(crate) fn run_meaning(input: &[u8]) -> u64 {
    let Ok(meaning) = serde_json::from_slice::<Meaning>(input) else { return 0 };
    let mut sum = 1;
    for code in ["m", "Cel", "m3", "1"] {
        let checked = match Checked::new(&meaning, ValueType::Number, unit(code).as_ref(), &signals) {
            Ok(checked) => checked,
            Err(error) => {
                sum ^= told(error.to_string().split('`').next());
                continue;
            }
        };
        let mut memory = Memory::default();
        for (at, sent) in (0..).zip([0.0, 3.0, -1.0, 250.0, 3.0, 1e300, 0.01]) {
            let at = at * 1_000_000;
            let (value, quality) = checked.convert(at, sent, &NoOthers, &mut memory);
            assert!(value.is_finite(), "{code}: {sent} became {value}");
            let written = serde_json::to_vec(&memory).unwrap_or_default();
            let mut again: Memory = serde_json::from_slice(&written).unwrap_or_else(|error| panic!("{error}"));
            let judged = checked.screen(at, value, quality, None, &NoOthers, &mut memory);
            assert_eq!(checked.screen(at, value, quality, None, &NoOthers, &mut again), judged, "{code}: {sent}");
            sum = sum.rotate_left(3) ^ told(matches!(judged, Quality::Good));
        }
    }
    sum
}
