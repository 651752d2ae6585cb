//! JSON of another shape than ours.

use super::super::record::Record;
use super::super::{Decoded, Item, Raw, Times, short};
use super::{Field, Form};
use crate::{Refusal, RefusalCode};
use serde::{Deserialize, Serialize};
use serde_json::Value;
use std::borrow::Cow;

/// A part of a record that is a value.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = DecoderObjectField))]
#[serde(deny_unknown_fields)]
pub struct ObjectField {
    /// Where it stands: names and numbers joined with dots, such as
    /// `data.probes.0.t`; from the outermost object if it begins with `$.`.
    pub path: String,
    /// What it is.
    pub field: Field,
}

pub(super) fn run(form: &Form, body: &[u8], times: &Times, decoded: &mut Decoded<'static>) -> Result<(), Refusal> {
    let Form::Json { each, .. } = form else { return Ok(()) };
    let root: Value = serde_json::from_slice(body)
        .map_err(|e| Refusal::whole(RefusalCode::MalformedJson, format!("The JSON is broken: {e}.")))?;
    let Some(path) = each else { return one(form, &root, &root, times, decoded) };
    match lookup(&root, &root, path) {
        Some(Value::Array(items)) => items.iter().try_for_each(|item| one(form, &root, item, times, decoded)),
        Some(_) => Err(missing(path, "is not an array")),
        None => Err(missing(path, "is not in the payload")),
    }
}

fn missing(path: &str, what: &str) -> Refusal {
    Refusal::whole(RefusalCode::DoesNotFit, format!("`{}` {what}.", short(path)))
}

fn one(form: &Form, root: &Value, item: &Value, times: &Times, decoded: &mut Decoded<'static>) -> Result<(), Refusal> {
    let Form::Json { fields, name, value, unit, at, device, .. } = form else { return Ok(()) };
    let mut record = Record::begin(decoded);
    let part = |path: &Option<String>| path.as_deref().and_then(|path| lookup(root, item, path));
    if let Some(found) = part(at) {
        record.time("at", &plain(found), times, decoded);
    }
    record.device = part(device).map(|found| Cow::Owned(plain(found)));
    for ObjectField { path, field } in fields {
        match lookup(root, item, path) {
            None | Some(Value::Null) => {}
            Some(Value::Bool(flag)) => decoded.push(with_unit(field.name(), Raw::Flag(*flag), field.unit()))?,
            Some(Value::Array(samples)) => wave(field.name(), samples, &mut record, decoded)?,
            Some(Value::Object(_)) => {
                let detail = format!("`{}` is an object, where one value belongs.", short(path));
                decoded.refuse(Refusal::of(RefusalCode::DoesNotFit, field.name(), detail))?;
            }
            Some(scalar) => field.take(&plain(scalar), &mut record, times, decoded)?,
        }
    }
    if let (Some(name), Some(value)) = (part(name), part(value)) {
        let (name, unit) = (plain(name), part(unit).map(plain));
        let raw = match value {
            Value::Bool(flag) => Some(Raw::Flag(*flag)),
            Value::Number(number) => number.as_f64().filter(|n| n.is_finite()).map(Raw::Number),
            Value::String(text) => Some(super::super::pairs::raw(Cow::Owned(text.clone()))),
            Value::Null | Value::Array(_) | Value::Object(_) => None,
        };
        match raw {
            Some(raw) => decoded.push(with_unit(&name, raw, unit.as_deref()))?,
            None if value.is_null() => {}
            None => {
                let detail = format!("`{}` is neither number, flag nor text.", short(&name));
                decoded.refuse(Refusal::of(RefusalCode::WrongType, &name, detail))?;
            }
        }
    }
    record.close(times, decoded)
}

fn with_unit(name: &str, value: Raw<'static>, unit: Option<&str>) -> Item<'static> {
    Item { unit: unit.map(|unit| Cow::Owned(unit.to_owned())), ..Item::new(name.to_owned(), value) }
}

fn wave(
    name: &str,
    samples: &[Value],
    record: &mut Record<'static>,
    decoded: &mut Decoded<'static>,
) -> Result<(), Refusal> {
    let numbers: Option<Vec<Option<f64>>> =
        samples.iter().map(|s| if s.is_null() { Some(None) } else { s.as_f64().map(Some) }).collect();
    match numbers {
        Some(numbers) => {
            record.wave(Cow::Owned(name.to_owned()), numbers);
            Ok(())
        }
        None => {
            let detail = format!("`{}` is an array, but not one of numbers.", short(name));
            decoded.refuse(Refusal::of(RefusalCode::WrongType, name, detail))
        }
    }
}

/// A scalar as the text it is written with, without quotes.
fn plain(value: &Value) -> String {
    value.as_str().map_or_else(|| value.to_string(), str::to_owned)
}

fn lookup<'v>(root: &'v Value, item: &'v Value, path: &str) -> Option<&'v Value> {
    let (start, path) = path.strip_prefix("$.").map_or((item, path), |rest| (root, rest));
    path.split('.').filter(|part| !part.is_empty()).try_fold(start, |value, part| match value {
        Value::Object(object) => object.get(part),
        Value::Array(array) => array.get(part.parse::<usize>().ok()?),
        _ => None,
    })
}
