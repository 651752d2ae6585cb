//! Columns of values of any type.

use super::bits::{Input, put_varint};
use super::error::SegmentError;
use super::run::Values;
use super::{floats, ints};
use crate::fix::Fix;
use crate::{Value, ValueType};
use std::collections::HashMap;

const NUMBERS: u8 = 0;
const FLAGS: u8 = 1;
const TEXTS: u8 = 2;
/// A column of types, then the numbers, flags, texts and positions among the values.
const MIXED: u8 = 3;
const POSITIONS: u8 = 4;

const fn tag(value: &Value) -> u8 {
    match value.value_type() {
        ValueType::Number => NUMBERS,
        ValueType::Flag => FLAGS,
        ValueType::Text => TEXTS,
        ValueType::Position => POSITIONS,
    }
}

pub(super) fn encode(values: &Values, out: &mut Vec<u8>) {
    match values {
        Values::Numbers(numbers) => encode_numbers(numbers, out),
        Values::Any(values) => encode_any(values, out),
    }
}

pub(super) fn encode_numbers(numbers: &[f64], out: &mut Vec<u8>) {
    out.push(NUMBERS);
    floats::encode(numbers, out);
}

fn encode_any(values: &[Value], out: &mut Vec<u8>) {
    let first = values.first().map_or(NUMBERS, tag);
    if values.iter().all(|value| tag(value) == first) {
        out.push(first);
        return encode_one_type(first, values.iter(), out);
    }
    out.push(MIXED);
    ints::encode(&values.iter().map(|value| i64::from(tag(value))).collect::<Vec<_>>(), out);
    for wanted in [NUMBERS, FLAGS, TEXTS] {
        encode_one_type(wanted, values.iter().filter(|value| tag(value) == wanted), out);
    }
    // Left out where there are none, as it was before there were any.
    if values.iter().any(|value| tag(value) == POSITIONS) {
        encode_positions(values.iter(), out);
    }
}

fn encode_one_type<'a>(wanted: u8, values: impl Iterator<Item = &'a Value>, out: &mut Vec<u8>) {
    match wanted {
        NUMBERS => floats::encode(&values.filter_map(Value::as_number).collect::<Vec<_>>(), out),
        FLAGS => ints::encode(&values.map(|value| i64::from(*value == Value::Flag(true))).collect::<Vec<_>>(), out),
        TEXTS => encode_texts(values, out),
        _ => encode_positions(values, out),
    }
}

/// Degrees north, degrees east, then altitudes and accuracies.
fn encode_positions<'a>(values: impl Iterator<Item = &'a Value>, out: &mut Vec<u8>) {
    let fixes: Vec<&Fix> = values.filter_map(Value::as_fix).collect();
    floats::encode(&fixes.iter().map(|fix| fix.latitude).collect::<Vec<_>>(), out);
    floats::encode(&fixes.iter().map(|fix| fix.longitude).collect::<Vec<_>>(), out);
    encode_sparse(fixes.iter().map(|fix| fix.altitude_m), out);
    encode_sparse(fixes.iter().map(|fix| fix.accuracy_m), out);
}

/// Which are there, then those.
fn encode_sparse(numbers: impl Iterator<Item = Option<f64>> + Clone, out: &mut Vec<u8>) {
    ints::encode(&numbers.clone().map(|number| i64::from(number.is_some())).collect::<Vec<_>>(), out);
    floats::encode(&numbers.flatten().collect::<Vec<_>>(), out);
}

/// The different texts once, in the order they first come, then which is where.
fn encode_texts<'a>(values: impl Iterator<Item = &'a Value>, out: &mut Vec<u8>) {
    let mut places = HashMap::new();
    let mut different: Vec<&str> = Vec::new();
    let mut which = Vec::new();
    for value in values {
        let Value::Text(text) = value else { continue };
        which.push(*places.entry(text.as_str()).or_insert_with(|| {
            different.push(text);
            different.len() as i64 - 1
        }));
    }
    put_varint(out, different.len() as u64);
    for text in different {
        put_varint(out, text.len() as u64);
        out.extend_from_slice(text.as_bytes());
    }
    ints::encode(&which, out);
}

pub(super) fn decode(input: &mut Input<'_>, count: usize) -> Result<Values, SegmentError> {
    match input.byte()? {
        NUMBERS => Ok(Values::Numbers(floats::decode(input, count)?)),
        FLAGS => Ok(Values::Any(decode_flags(input, count)?)),
        TEXTS => Ok(Values::Any(decode_texts(input, count)?)),
        MIXED => decode_mixed(input, count),
        POSITIONS => Ok(Values::Any(decode_positions(input, count)?)),
        _ => Err(SegmentError::Wrong("an unknown type of values")),
    }
}

fn decode_flags(input: &mut Input<'_>, count: usize) -> Result<Vec<Value>, SegmentError> {
    let flag = |number| match number {
        0 => Ok(Value::Flag(false)),
        1 => Ok(Value::Flag(true)),
        _ => Err(SegmentError::Wrong("a flag that is neither 0 nor 1")),
    };
    ints::decode(input, count)?.into_iter().map(flag).collect()
}

fn decode_texts(input: &mut Input<'_>, count: usize) -> Result<Vec<Value>, SegmentError> {
    let different = input.length(count)?;
    let mut texts = Vec::new();
    for _ in 0..different {
        let length = input.length(Value::MAX_TEXT)?;
        let text =
            std::str::from_utf8(input.bytes(length)?).map_err(|_| SegmentError::Wrong("a text that is not UTF-8"))?;
        texts.push(text);
    }
    let text = |which: i64| {
        let text = usize::try_from(which).ok().and_then(|which| texts.get(which));
        text.map(|text| Value::Text((*text).to_owned())).ok_or(SegmentError::Wrong("a text that is not there"))
    };
    ints::decode(input, count)?.into_iter().map(text).collect()
}

fn decode_positions(input: &mut Input<'_>, count: usize) -> Result<Vec<Value>, SegmentError> {
    let latitudes = floats::decode(input, count)?;
    let longitudes = floats::decode(input, count)?;
    let altitudes = decode_sparse(input, count)?;
    let accuracies = decode_sparse(input, count)?;
    let places = latitudes.into_iter().zip(longitudes);
    let fixes = places.zip(altitudes.into_iter().zip(accuracies));
    let fix = |((latitude, longitude), (altitude_m, accuracy_m))| Fix { latitude, longitude, altitude_m, accuracy_m };
    Ok(fixes.map(|parts| fix(parts).into()).collect())
}

fn decode_sparse(input: &mut Input<'_>, count: usize) -> Result<Vec<Option<f64>>, SegmentError> {
    let present = ints::decode(input, count)?;
    if present.iter().any(|is_there| !(0..=1).contains(is_there)) {
        return Err(SegmentError::Wrong("a part of a position that is neither there nor not"));
    }
    let there = present.iter().filter(|is_there| **is_there == 1).count();
    let mut numbers = floats::decode(input, there)?.into_iter();
    Ok(present.into_iter().map(|is_there| if is_there == 1 { numbers.next() } else { None }).collect())
}

fn decode_mixed(input: &mut Input<'_>, count: usize) -> Result<Values, SegmentError> {
    let tags = ints::decode(input, count)?;
    let among = |wanted: u8| tags.iter().filter(|tag| **tag == i64::from(wanted)).count();
    let mut numbers = floats::decode(input, among(NUMBERS))?.into_iter().map(Value::Number);
    let mut flags = decode_flags(input, among(FLAGS))?.into_iter();
    let mut texts = decode_texts(input, among(TEXTS))?.into_iter();
    let mut positions = match among(POSITIONS) {
        0 => Vec::new(),
        count => decode_positions(input, count)?,
    }
    .into_iter();
    let value = |tag: &i64| match u8::try_from(*tag) {
        Ok(NUMBERS) => numbers.next(),
        Ok(FLAGS) => flags.next(),
        Ok(TEXTS) => texts.next(),
        Ok(POSITIONS) => positions.next(),
        _ => None,
    };
    let values: Option<Vec<Value>> = tags.iter().map(value).collect();
    values.map(Values::Any).ok_or(SegmentError::Wrong("an unknown type of value"))
}
