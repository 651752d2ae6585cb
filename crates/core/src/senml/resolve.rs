//! Resolved records (RFC 8428, section 4.6).

use super::{Record, VERSION, Value, bad_pack};
use crate::{Moment, Refusal, RefusalCode};

/// Times below this are relative to the time of arrival (RFC 8428, section 4.5.3).
const RELATIVE_BELOW_S: f64 = 268_435_456.0;

/// A record that stands for itself.
#[derive(Debug, Clone, PartialEq)]
pub struct Resolved {
    /// Base name and name together.
    pub name: String,
    /// When it was measured.
    pub at: Moment,
    /// The unit as the pack has it.
    pub unit: Option<String>,
    /// The value with the base value added; `None` if only a sum was sent.
    pub value: Option<Value>,
    /// The integrated sum with the base sum added.
    pub sum: Option<f64>,
    /// Within how many seconds the next value is to be expected.
    pub update_s: Option<f64>,
}

#[derive(Default)]
struct Base {
    name: String,
    time: f64,
    unit: Option<String>,
    value: Option<f64>,
    sum: Option<f64>,
}

/// Resolves the records of a pack, in order of time.
///
/// # Errors
/// A [`Refusal`] that names the record and the rule it breaks.
pub fn resolve(records: Vec<Record>, now: Moment) -> Result<Vec<Resolved>, Refusal> {
    if records.is_empty() {
        return Err(Refusal::whole(RefusalCode::NoValues, "The SenML pack has no record."));
    }
    let mut base = Base::default();
    let mut version = None;
    let mut resolved = Vec::with_capacity(records.len());
    for (index, record) in records.into_iter().enumerate() {
        let is_base_only = record.n.is_none() && has_base(&record);
        check_version(&record, &mut version).map_err(|detail| bad_pack(index, detail))?;
        take_base(&mut base, &record);
        match one(record, &base, now, is_base_only).map_err(|detail| bad_pack(index, detail))? {
            Some(record) => resolved.push(record),
            None => continue,
        }
    }
    if resolved.is_empty() {
        return Err(Refusal::whole(RefusalCode::NoValues, "The SenML pack has base fields only."));
    }
    resolved.sort_by_key(|record| record.at);
    Ok(resolved)
}

fn has_base(record: &Record) -> bool {
    record.bn.is_some() || record.bt.is_some() || record.bu.is_some() || record.bver.is_some()
}

fn take_base(base: &mut Base, record: &Record) {
    if let Some(name) = &record.bn {
        base.name.clone_from(name);
    }
    if let Some(time) = record.bt {
        base.time = time;
    }
    if let Some(unit) = &record.bu {
        base.unit = Some(unit.clone());
    }
    base.value = record.bv.or(base.value);
    base.sum = record.bs.or(base.sum);
}

fn check_version(record: &Record, version: &mut Option<u64>) -> Result<(), String> {
    let Some(given) = record.bver else { return Ok(()) };
    // RFC 8428, 4.4: a version is a positive integer.
    if given == 0 {
        return Err("version 0 is none: leave `bver` out, or send 10".to_owned());
    }
    if given > VERSION {
        return Err(format!("version {given} is not understood, only {VERSION} and below"));
    }
    match version.replace(given) {
        Some(before) if before != given => Err("records have different versions".to_owned()),
        _ => Ok(()),
    }
}

fn one(record: Record, base: &Base, now: Moment, is_base_only: bool) -> Result<Option<Resolved>, String> {
    let sum = match (record.s, base.sum) {
        (None, None) => None,
        (s, bs) => Some(s.unwrap_or(0.0) + bs.unwrap_or(0.0)),
    };
    let value = match record.value {
        Some(Value::Number(v)) => Some(Value::Number(v + base.value.unwrap_or(0.0))),
        None if record.bv.is_some() => base.value.map(Value::Number),
        other => other,
    };
    if value.is_none() && sum.is_none() {
        return if is_base_only { Ok(None) } else { Err("neither a value nor a sum".to_owned()) };
    }
    let numbers = [sum, value.as_ref().and_then(number)];
    if numbers.into_iter().flatten().any(|n| !n.is_finite()) {
        return Err("a number is not finite".to_owned());
    }
    let name = format!("{}{}", base.name, record.n.unwrap_or_default());
    check_name(&name)?;
    let seconds = base.time + record.t.unwrap_or(0.0);
    let at = if seconds < RELATIVE_BELOW_S {
        now.plus_seconds(seconds)
    } else {
        let micros = (seconds * 1e6).round();
        (micros < 9e18).then(|| Moment::from_micros(micros as i64)).flatten().ok_or("its time is out of range")?
    };
    let unit = record.u.or_else(|| base.unit.clone()).filter(|unit| !unit.is_empty());
    Ok(Some(Resolved { name, at, unit, value, sum, update_s: record.ut }))
}

fn number(value: &Value) -> Option<f64> {
    match value {
        Value::Number(number) => Some(*number),
        _ => None,
    }
}

/// The characters of a resolved name (RFC 8428, section 4.5.1).
fn check_name(name: &str) -> Result<(), String> {
    let Some(first) = name.chars().next() else { return Err("it has no name".to_owned()) };
    if !first.is_ascii_alphanumeric() {
        return Err(format!("its name begins with `{first}`, not with a letter or digit"));
    }
    match name.chars().find(|c| !c.is_ascii_alphanumeric() && !matches!(c, '-' | ':' | '.' | '/' | '_')) {
        Some(c) => Err(format!("`{c}` cannot be in its name")),
        None => Ok(()),
    }
}
