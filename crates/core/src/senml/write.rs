//! Writing packs.

use super::to_registry;
use crate::fix::{Fix, FixPart};
use crate::{Moment, Value};
use minicbor::Encoder;
use serde_json::{Map, json};

fn seconds(at: Moment) -> f64 {
    at.as_micros() as f64 / 1e6
}

/// One value in JSON, ready to stand between commas: one record, or of a position one for
/// each of its numbers.
#[must_use]
pub fn to_json(name: &str, unit: Option<&str>, at: Moment, value: &Value) -> String {
    if let Value::Position(fix) = value {
        let records = parts(name, fix).map(|(name, unit, value)| to_json(&name, Some(unit), at, &value));
        return records.collect::<Vec<_>>().join(",");
    }
    let mut record = Map::new();
    record.insert("n".to_owned(), json!(name));
    if let Some(unit) = unit {
        record.insert("u".to_owned(), json!(to_registry(unit)));
    }
    record.insert("t".to_owned(), json!(seconds(at)));
    let (label, value) = match value {
        Value::Number(number) => ("v", json!(number)),
        Value::Flag(flag) => ("vb", json!(flag)),
        Value::Text(text) => ("vs", json!(text)),
        Value::Position(fix) => ("vs", json!(fix.to_string())),
    };
    record.insert(label.to_owned(), value);
    serde_json::Value::Object(record).to_string()
}

/// The numbers of a position under names and units that are read as one again.
fn parts<'a>(name: &'a str, fix: &'a Fix) -> impl Iterator<Item = (String, &'static str, Value)> + 'a {
    let numbers = FixPart::ALL.into_iter().filter_map(|part| Some((part, fix.part(part)?)));
    numbers.map(move |(part, number)| {
        let unit = match part {
            FixPart::Latitude => "deg{lat}",
            FixPart::Longitude => "deg{lon}",
            FixPart::Altitude | FixPart::Accuracy => "m",
        };
        (format!("{name}.{}", part.as_str()), unit, Value::Number(number))
    })
}

/// One value in CBOR, as [`to_json`]; a pack is an array of indefinite length.
#[must_use]
pub fn to_cbor(name: &str, unit: Option<&str>, at: Moment, value: &Value) -> Vec<u8> {
    let mut cbor = Encoder::new(Vec::with_capacity(48));
    // Writing into memory does not fail.
    let _ = match value {
        Value::Position(fix) => {
            parts(name, fix).try_for_each(|(name, unit, value)| write(&mut cbor, &name, Some(unit), at, &value))
        }
        value => write(&mut cbor, name, unit, at, value),
    };
    cbor.into_writer()
}

fn write(
    cbor: &mut Encoder<Vec<u8>>,
    name: &str,
    unit: Option<&str>,
    at: Moment,
    value: &Value,
) -> Result<(), minicbor::encode::Error<std::convert::Infallible>> {
    cbor.map(3 + u64::from(unit.is_some()))?.u8(0)?.str(name)?;
    if let Some(unit) = unit {
        cbor.u8(1)?.str(to_registry(unit))?;
    }
    cbor.u8(6)?.f64(seconds(at))?;
    match value {
        Value::Number(number) => cbor.u8(2)?.f64(*number)?,
        Value::Flag(flag) => cbor.u8(4)?.bool(*flag)?,
        Value::Text(text) => cbor.u8(3)?.str(text)?,
        Value::Position(fix) => cbor.u8(3)?.str(&fix.to_string())?,
    };
    Ok(())
}
