//! SenML: Sensor Measurement Lists (RFC 8428), in JSON and in CBOR.
//!
//! A pack is read into [`Record`]s as written, then resolved (RFC 8428, section
//! 4.6): base fields are added, relative times made absolute, records put in
//! order of time.

mod cbor;
mod json;
mod resolve;
mod write;

pub use cbor::from_cbor;
pub use json::from_json;
pub use resolve::{Resolved, resolve};
pub use write::{to_cbor, to_json};

use crate::decode::{Decoded, Item, MAX_READINGS, Raw};
use crate::{Moment, Refusal, RefusalCode};
use std::borrow::Cow;

/// The newest version of the format that is understood.
pub const VERSION: u64 = 10;

/// A record as it stands in a pack. Absent labels are `None`.
#[derive(Debug, Clone, PartialEq, Default)]
#[allow(missing_docs, reason = "the labels of RFC 8428, table 1")]
pub struct Record {
    pub bn: Option<String>,
    pub bt: Option<f64>,
    pub bu: Option<String>,
    pub bv: Option<f64>,
    pub bs: Option<f64>,
    pub bver: Option<u64>,
    pub n: Option<String>,
    pub u: Option<String>,
    pub value: Option<Value>,
    pub s: Option<f64>,
    pub t: Option<f64>,
    pub ut: Option<f64>,
}

/// The one value a record may have.
#[derive(Debug, Clone, PartialEq)]
pub enum Value {
    /// `v`
    Number(f64),
    /// `vs`
    Text(String),
    /// `vb`
    Flag(bool),
    /// `vd`, as base64url without padding.
    Data(String),
}

impl Record {
    /// Sets the value, of which there may be only one.
    fn set_value(&mut self, value: Value) -> Result<(), String> {
        if self.value.replace(value).is_some() {
            return Err("a record has more than one value".to_owned());
        }
        Ok(())
    }
}

/// Turns a pack into named raw values. What stands before the last `:` or `/`
/// of a name tells the device: if it is the same in all records, the pack is
/// of one sender, else each record is of the device it names. A sum becomes a
/// value of its own, called after its record with `.sum` behind.
///
/// # Errors
/// A [`Refusal`] of the whole pack, as it is valid or not as a whole.
pub fn decode(records: Vec<Record>, now: Moment) -> Result<Decoded<'static>, Refusal> {
    let resolved = resolve(records, now)?;
    let mut decoded = Decoded::default();
    let first_device = resolved.first().map(|record| split(&record.name).0.to_owned());
    let is_one = resolved.iter().all(|record| Some(split(&record.name).0) == first_device.as_deref());
    for record in resolved {
        let (device, name) = split(&record.name);
        let item = |name: String, value: Raw<'static>| Item {
            name: Cow::Owned(name),
            at: Some(record.at),
            value,
            unit: record.unit.clone().map(|unit| Cow::Owned(from_registry(unit))),
            device: (!is_one && !device.is_empty()).then(|| Cow::Owned(device.to_owned())),
        };
        if let Some(sum) = record.sum {
            decoded.items.push(item(format!("{name}.sum"), Raw::Number(sum)));
        }
        match record.value.clone() {
            Some(Value::Number(number)) => decoded.items.push(item(name.to_owned(), Raw::Number(number))),
            Some(Value::Flag(flag)) => decoded.items.push(item(name.to_owned(), Raw::Flag(flag))),
            Some(Value::Text(text) | Value::Data(text)) => {
                decoded.items.push(item(name.to_owned(), Raw::Text(Cow::Owned(text))));
            }
            None => {}
        }
    }
    if decoded.items.len() > MAX_READINGS {
        let detail = format!("The request holds more than {MAX_READINGS} readings; none was kept.");
        return Err(Refusal::whole(RefusalCode::TooManyReadings, detail));
    }
    decoded.sender = first_device.filter(|device| is_one && !device.is_empty());
    Ok(decoded)
}

/// The device and the signal in a name.
fn split(name: &str) -> (&str, &str) {
    match name.rfind([':', '/']) {
        Some(place) if place + 1 < name.len() => (&name[..place], &name[place + 1..]),
        _ => ("", name),
    }
}

/// Units of the SenML registry (RFC 8428, section 12.1) that UCUM writes
/// otherwise.
const UNITS: [(&str, &str); 8] = [
    ("%RH", "%{RH}"),
    ("/", "1"),
    ("lon", "deg{lon}"),
    ("lat", "deg{lat}"),
    ("count", "{count}"),
    ("beat/min", "{beat}/min"),
    ("pH", "[pH]"),
    ("dBW", "dB[W]"),
];

/// The UCUM code of a unit of the SenML registry; others are passed on.
fn from_registry(unit: String) -> String {
    UNITS.iter().find(|(senml, _)| *senml == unit).map_or(unit, |(_, ucum)| (*ucum).to_owned())
}

/// The unit of the SenML registry for a UCUM code; others are passed on.
fn to_registry(code: &str) -> &str {
    UNITS.iter().find(|(_, ucum)| *ucum == code).map_or(code, |(senml, _)| senml)
}

fn bad_pack(index: usize, detail: impl std::fmt::Display) -> Refusal {
    Refusal::whole(RefusalCode::BadSenml, format!("Record {} of the SenML pack: {detail}.", index + 1))
}

#[cfg(test)]
mod tests;
