//! Writing packs.

use super::to_registry;
use crate::{Moment, Value};
use minicbor::Encoder;
use serde_json::{Map, json};

fn seconds(at: Moment) -> f64 {
    at.as_micros() as f64 / 1e6
}

/// One record of a pack in JSON, ready to stand between commas.
#[must_use]
pub fn to_json(name: &str, unit: Option<&str>, at: Moment, value: &Value) -> String {
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
    };
    record.insert(label.to_owned(), value);
    serde_json::Value::Object(record).to_string()
}

/// One record of a pack in CBOR; a pack is an array of indefinite length.
#[must_use]
pub fn to_cbor(name: &str, unit: Option<&str>, at: Moment, value: &Value) -> Vec<u8> {
    let mut cbor = Encoder::new(Vec::with_capacity(48));
    // Writing into memory does not fail.
    let _ = write(&mut cbor, name, unit, at, value);
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
    };
    Ok(())
}
