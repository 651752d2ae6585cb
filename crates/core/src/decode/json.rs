//! JSON: an object of `name: value`, or an array of such objects.
//!
//! Each leaf is first taken as raw text, because a number too large for a float
//! must spoil only itself and not the values beside it.

use super::record::Record;
use super::{Decoded, Item, MAX_DEPTH, Raw, TIME_NAMES, Times, short};
use crate::{Refusal, RefusalCode};
use serde::de::{DeserializeSeed, Deserializer, Error, MapAccess, SeqAccess, Visitor};
use serde_json::value::RawValue;
use std::{borrow::Cow, fmt};

/// Reads a JSON payload. Objects inside objects are flattened with dots, `null`
/// is no value. In an outer object `at` or `ago` is the time of all its values,
/// and `every` the seconds between the samples of arrays of numbers.
///
/// # Errors
/// A [`Refusal`] of the whole request: not JSON (with line and column), not an
/// object or array of objects, too deep, too many readings, or no value in it.
pub fn json<'a>(body: &'a [u8], times: &Times) -> Result<Decoded<'a>, Refusal> {
    let text = std::str::from_utf8(body).map_err(|e| {
        let (line, column) = place(body, e.valid_up_to());
        malformed(format!("The body is not UTF-8 text at line {line}, column {column}."))
    })?;
    let mut sink = Sink { decoded: Decoded::default(), fatal: None, times };
    let is_array = match text.trim_start().bytes().next() {
        Some(b'{') => false,
        Some(b'[') => true,
        None => return Err(Refusal::whole(RefusalCode::NoValues, "The body is empty.")),
        Some(_) => {
            // Telling broken JSON from JSON of the wrong shape helps to mend it.
            serde_json::from_str::<&RawValue>(text).map_err(|e| not_json(&e))?;
            return Err(Refusal::whole(
                RefusalCode::NotAnObject,
                "The body is JSON, but neither an object nor an array of objects.",
            ));
        }
    };
    let mut json = serde_json::Deserializer::from_str(text);
    let result = if is_array {
        json.deserialize_seq(Objects(&mut sink))
    } else {
        Object { sink: &mut sink }.deserialize(&mut json)
    };
    if let Some(refusal) = sink.fatal {
        return Err(refusal);
    }
    result.and_then(|()| json.end()).map_err(|e| not_json(&e))?;
    sink.decoded.finish()
}

struct Sink<'de, 't> {
    decoded: Decoded<'de>,
    times: &'t Times,
    /// Set when reading stops for a reason that is ours and not the parser's.
    fatal: Option<Refusal>,
}

impl<'de> Sink<'de, '_> {
    fn stop<E: Error>(&mut self, refusal: Refusal) -> E {
        self.fatal = Some(refusal);
        E::custom("stopped")
    }

    fn refuse<E: Error>(&mut self, refusal: Refusal) -> Result<(), E> {
        self.decoded.refuse(refusal).map_err(|refusal| self.stop(refusal))
    }

    fn leaf<E: Error>(
        &mut self,
        record: &mut Record<'de>,
        name: Cow<'de, str>,
        raw: &'de str,
        depth: usize,
    ) -> Result<(), E> {
        let value = match raw.as_bytes().first() {
            Some(b'n') => return Ok(()),
            Some(b't') => Raw::Flag(true),
            Some(b'f') => Raw::Flag(false),
            Some(b'"') => Raw::Text(string(raw)?),
            Some(b'{') => {
                if depth >= MAX_DEPTH {
                    let detail = format!("`{}` is nested deeper than {MAX_DEPTH} levels.", short(&name));
                    return Err(self.stop(Refusal::whole(RefusalCode::TooDeep, detail)));
                }
                let prefix = format!("{name}.");
                let mut inner = serde_json::Deserializer::from_str(raw);
                let object = Inner { sink: self, record, prefix: &prefix, depth: depth + 1 };
                return inner.deserialize_map(object).map_err(E::custom);
            }
            Some(b'[') => {
                let Ok(samples) = serde_json::from_str(raw) else {
                    let detail = format!("`{}` is an array, but not one of numbers.", short(&name));
                    return self.refuse(Refusal::of(RefusalCode::WrongType, &name, detail));
                };
                record.wave(name, samples);
                return Ok(());
            }
            _ => match raw.parse::<f64>() {
                Ok(number) if number.is_finite() => Raw::Number(number),
                _ => {
                    let detail = format!("`{}` is {}, too large a number.", short(&name), short(raw));
                    return self.refuse(Refusal::of(RefusalCode::NumberTooLarge, &name, detail));
                }
            },
        };
        self.decoded.push(Item::new(name, value)).map_err(|refusal| self.stop(refusal))
    }
}

/// A JSON string, borrowed from the body unless it has escapes.
fn string<E: Error>(raw: &str) -> Result<Cow<'_, str>, E> {
    match serde_json::from_str::<&str>(raw) {
        Ok(text) => Ok(Cow::Borrowed(text)),
        Err(_) => serde_json::from_str::<String>(raw).map(Cow::Owned).map_err(E::custom),
    }
}

struct Objects<'s, 'de, 't>(&'s mut Sink<'de, 't>);

impl<'de> Visitor<'de> for Objects<'_, 'de, '_> {
    type Value = ();

    fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("an array of objects")
    }

    fn visit_seq<A: SeqAccess<'de>>(self, mut seq: A) -> Result<(), A::Error> {
        while seq.next_element_seed(Object { sink: self.0 })?.is_some() {}
        Ok(())
    }
}

/// An outer object, which has a time.
struct Object<'s, 'de, 't> {
    sink: &'s mut Sink<'de, 't>,
}

impl<'de> DeserializeSeed<'de> for Object<'_, 'de, '_> {
    type Value = ();

    fn deserialize<D: Deserializer<'de>>(self, deserializer: D) -> Result<(), D::Error> {
        let mut record = Record::begin(&self.sink.decoded);
        let inner = Inner { sink: &mut *self.sink, record: &mut record, prefix: "", depth: 1 };
        deserializer.deserialize_map(inner)?;
        record.close(self.sink.times, &mut self.sink.decoded).map_err(|refusal| self.sink.stop(refusal))
    }
}

/// The names and values of an object at any depth.
struct Inner<'s, 'r, 'p, 'de, 't> {
    sink: &'s mut Sink<'de, 't>,
    record: &'r mut Record<'de>,
    prefix: &'p str,
    depth: usize,
}

impl<'de> Visitor<'de> for Inner<'_, '_, '_, 'de, '_> {
    type Value = ();

    fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("an object of names and values")
    }

    fn visit_map<A: MapAccess<'de>>(mut self, mut map: A) -> Result<(), A::Error> {
        while let Some(Name(name)) = map.next_key()? {
            let raw = map.next_value::<&'de RawValue>()?.get();
            if self.depth == 1 && TIME_NAMES.contains(&name.as_ref()) {
                self.time(&name, raw)?;
            } else if self.prefix.is_empty() {
                self.sink.leaf(self.record, name, raw, self.depth)?;
            } else {
                let name = Cow::Owned(format!("{}{name}", self.prefix));
                self.sink.leaf(self.record, name, raw, self.depth)?;
            }
        }
        Ok(())
    }
}

impl Inner<'_, '_, '_, '_, '_> {
    fn time<E: Error>(&mut self, name: &str, raw: &str) -> Result<(), E> {
        let text = match raw.as_bytes().first() {
            Some(b'n') => return Ok(()),
            Some(b'"') => string(raw)?,
            _ => Cow::Borrowed(raw),
        };
        self.record.time(name, &text, self.sink.times, &mut self.sink.decoded);
        Ok(())
    }
}

/// An object's key, borrowed from the body unless it has escapes.
struct Name<'de>(Cow<'de, str>);

impl<'de> serde::Deserialize<'de> for Name<'de> {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        struct NameVisitor;
        impl<'de> Visitor<'de> for NameVisitor {
            type Value = Name<'de>;

            fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
                f.write_str("a name")
            }

            fn visit_borrowed_str<E: Error>(self, name: &'de str) -> Result<Name<'de>, E> {
                Ok(Name(Cow::Borrowed(name)))
            }

            fn visit_str<E: Error>(self, name: &str) -> Result<Name<'de>, E> {
                Ok(Name(Cow::Owned(name.to_owned())))
            }
        }
        deserializer.deserialize_str(NameVisitor)
    }
}

fn malformed(detail: String) -> Refusal {
    Refusal::whole(RefusalCode::MalformedJson, detail)
}

fn not_json(error: &serde_json::Error) -> Refusal {
    let (line, column) = (error.line(), error.column());
    // The library ends its messages with the place, which our sentence begins with.
    let message = error.to_string();
    let reason = match message.split(" at line ").next().unwrap_or("unreadable") {
        // What boards print for a missing number comes up most, so it gets a plain answer.
        "expected ident" | "expected value" => "a value expected (NaN and Infinity are not JSON)",
        reason => reason,
    };
    if error.is_data() {
        return Refusal::whole(RefusalCode::NotAnObject, format!("At line {line}, column {column}: {reason}."));
    }
    malformed(format!("The JSON is broken at line {line}, column {column}: {reason}."))
}

fn place(body: &[u8], offset: usize) -> (usize, usize) {
    let before = &body[..offset];
    let line = before.iter().filter(|&&b| b == b'\n').count() + 1;
    let column = offset - before.iter().rposition(|&b| b == b'\n').map_or(0, |p| p + 1) + 1;
    (line, column)
}

#[cfg(test)]
mod tests;
