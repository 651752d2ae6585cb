//! Columns of values of any type.

use super::bits::{Input, put_varint};
use super::error::SegmentError;
use super::run::Values;
use super::{floats, ints};
use crate::{Value, ValueType};
use std::collections::HashMap;

const NUMBERS: u8 = 0;
const FLAGS: u8 = 1;
const TEXTS: u8 = 2;
/// A column of types, then the numbers, flags and texts among the values.
const MIXED: u8 = 3;

const fn tag(value: &Value) -> u8 {
    match value.value_type() {
        ValueType::Number => NUMBERS,
        ValueType::Flag => FLAGS,
        ValueType::Text => TEXTS,
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
}

fn encode_one_type<'a>(wanted: u8, values: impl Iterator<Item = &'a Value>, out: &mut Vec<u8>) {
    match wanted {
        NUMBERS => floats::encode(&values.filter_map(Value::as_number).collect::<Vec<_>>(), out),
        FLAGS => ints::encode(&values.map(|value| i64::from(*value == Value::Flag(true))).collect::<Vec<_>>(), out),
        _ => encode_texts(values, out),
    }
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

fn decode_mixed(input: &mut Input<'_>, count: usize) -> Result<Values, SegmentError> {
    let tags = ints::decode(input, count)?;
    let among = |wanted: u8| tags.iter().filter(|tag| **tag == i64::from(wanted)).count();
    let mut numbers = floats::decode(input, among(NUMBERS))?.into_iter().map(Value::Number);
    let mut flags = decode_flags(input, among(FLAGS))?.into_iter();
    let mut texts = decode_texts(input, among(TEXTS))?.into_iter();
    let value = |tag: &i64| match u8::try_from(*tag) {
        Ok(NUMBERS) => numbers.next(),
        Ok(FLAGS) => flags.next(),
        Ok(TEXTS) => texts.next(),
        _ => None,
    };
    let values: Option<Vec<Value>> = tags.iter().map(value).collect();
    values.map(Values::Any).ok_or(SegmentError::Wrong("an unknown type of value"))
}
