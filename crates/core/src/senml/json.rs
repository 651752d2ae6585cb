//! SenML packs in JSON (`application/senml+json`).

use super::{Record, Value, bad_pack};
use crate::decode::MAX_READINGS;
use crate::{Refusal, RefusalCode};
use serde::de::{DeserializeSeed, Deserializer, Error, IgnoredAny, MapAccess, SeqAccess, Visitor};
use std::fmt;

/// Reads the records of a pack in JSON.
///
/// # Errors
/// A [`Refusal`] of the whole pack: not JSON, not an array of objects, or a
/// label with a value of the wrong type.
pub fn from_json(body: &[u8]) -> Result<Vec<Record>, Refusal> {
    let mut records = Vec::new();
    let mut json = serde_json::Deserializer::from_slice(body);
    let read = json.deserialize_seq(Pack(&mut records)).and_then(|()| json.end());
    match read {
        Ok(()) => Ok(records),
        Err(e) if e.is_data() => Err(bad_pack(records.len(), message(&e))),
        Err(e) => {
            let detail = format!("The JSON is broken at line {}, column {}: {}.", e.line(), e.column(), message(&e));
            Err(Refusal::whole(RefusalCode::MalformedJson, detail))
        }
    }
}

/// The library's message without the place it ends with.
fn message(error: &serde_json::Error) -> String {
    let text = error.to_string();
    text.split(" at line ").next().unwrap_or_default().to_owned()
}

struct Pack<'r>(&'r mut Vec<Record>);

impl<'de> Visitor<'de> for Pack<'_> {
    type Value = ();

    fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("an array of records")
    }

    fn visit_seq<A: SeqAccess<'de>>(self, mut seq: A) -> Result<(), A::Error> {
        while let Some(record) = seq.next_element_seed(RecordSeed)? {
            if self.0.len() == MAX_READINGS {
                return Err(A::Error::custom(format!("there are more than {MAX_READINGS} records")));
            }
            self.0.push(record);
        }
        Ok(())
    }
}

struct RecordSeed;

impl<'de> DeserializeSeed<'de> for RecordSeed {
    type Value = Record;

    fn deserialize<D: Deserializer<'de>>(self, deserializer: D) -> Result<Record, D::Error> {
        deserializer.deserialize_map(self)
    }
}

impl<'de> Visitor<'de> for RecordSeed {
    type Value = Record;

    fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("a record")
    }

    fn visit_map<A: MapAccess<'de>>(self, mut map: A) -> Result<Record, A::Error> {
        let mut record = Record::default();
        while let Some(label) = map.next_key::<String>()? {
            let set = match label.as_str() {
                "bn" => map.next_value().map(|v| record.bn = Some(v)),
                "bt" => map.next_value().map(|v| record.bt = Some(v)),
                "bu" => map.next_value().map(|v| record.bu = Some(v)),
                "bv" => map.next_value().map(|v| record.bv = Some(v)),
                "bs" => map.next_value().map(|v| record.bs = Some(v)),
                "bver" => map.next_value().map(|v| record.bver = Some(v)),
                "n" => map.next_value().map(|v| record.n = Some(v)),
                "u" => map.next_value().map(|v| record.u = Some(v)),
                "s" => map.next_value().map(|v| record.s = Some(v)),
                "t" => map.next_value().map(|v| record.t = Some(v)),
                "ut" => map.next_value().map(|v| record.ut = Some(v)),
                "v" => map.next_value().and_then(|v| set(&mut record, Value::Number(v))),
                "vs" => map.next_value().and_then(|v| set(&mut record, Value::Text(v))),
                "vb" => map.next_value().and_then(|v| set(&mut record, Value::Flag(v))),
                "vd" => map.next_value().and_then(|v| data(v).and_then(|v| set(&mut record, v))),
                must if must.ends_with('_') => {
                    Err(A::Error::custom(format!("`{must}` must be understood, but is not")))
                }
                _ => map.next_value::<IgnoredAny>().map(drop),
            };
            set.map_err(|e| A::Error::custom(format!("`{label}`: {e}")))?;
        }
        Ok(record)
    }
}

fn set<E: Error>(record: &mut Record, value: Value) -> Result<(), E> {
    record.set_value(value).map_err(E::custom)
}

/// Bytes as base64url without padding (RFC 4648, section 5).
fn data<E: Error>(text: String) -> Result<Value, E> {
    match data_encoding::BASE64URL_NOPAD.decode(text.as_bytes()) {
        Ok(_) => Ok(Value::Data(text)),
        Err(e) => Err(E::custom(format!("not base64url without padding ({e})"))),
    }
}
