//! Raw values as values of a type.

use super::{PlannedSignal, shown};
use crate::decode::{Item, Raw, Remark, RemarkCode, no_interval};
use crate::fix::Fix;
use crate::{Refusal, RefusalCode, Value, ValueType};

pub(super) fn convert(name: &str, raw: Raw<'_>, wanted: Option<ValueType>) -> Result<Value, Refusal> {
    match (wanted, raw) {
        (Some(ValueType::Number) | None, Raw::Number(n)) => Ok(Value::Number(n)),
        (Some(ValueType::Flag) | None, Raw::Flag(f)) => Ok(Value::Flag(f)),
        (Some(ValueType::Text) | None, Raw::Text(t)) => text(name, &t),
        (Some(ValueType::Flag), Raw::Number(n)) if n == 0.0 || n == 1.0 => Ok(Value::Flag(n == 1.0)),
        (Some(ValueType::Text), Raw::Number(n)) => Ok(Value::Text(n.to_string())),
        (Some(ValueType::Text), Raw::Flag(f)) => Ok(Value::Text(f.to_string())),
        (Some(wanted @ ValueType::Number), Raw::Text(t)) => number(&t)
            .map(Value::Number)
            .ok_or_else(|| wrong_type(name, wanted, &format!("the text \"{}\"", shown(&t)))),
        (Some(ValueType::Flag), Raw::Text(t)) => match t.trim().to_ascii_lowercase().as_str() {
            "true" | "on" | "yes" | "1" => Ok(Value::Flag(true)),
            "false" | "off" | "no" | "0" => Ok(Value::Flag(false)),
            _ => Err(wrong_type(name, ValueType::Flag, &format!("the text \"{}\"", shown(&t)))),
        },
        (Some(ValueType::Position) | None, Raw::Position(fix)) => Ok(fix.into()),
        (Some(ValueType::Position), Raw::List(list)) => Fix::from_list(&list).map(Value::from).ok_or_else(|| {
            let got = format!("a list of {} numbers", list.len());
            let mut refusal = wrong_type(name, ValueType::Position, &got);
            refusal
                .detail
                .push_str(" A list has degrees north, degrees east, and perhaps metres of altitude and accuracy.");
            refusal
        }),
        (Some(ValueType::Position), Raw::Text(t)) => t.parse::<Fix>().map(Value::from).map_err(|no_fix| {
            let mut refusal = wrong_type(name, ValueType::Position, &format!("the text \"{}\"", shown(&t)));
            refusal.detail.push_str(&format!(" As a text, {no_fix}."));
            refusal
        }),
        (Some(ValueType::Text), Raw::Position(fix)) => Ok(Value::Text(fix.to_string())),
        (_, Raw::List(_)) => Err(no_interval(name)),
        (Some(wanted @ (ValueType::Number | ValueType::Flag)), Raw::Position(_)) => {
            Err(wrong_type(name, wanted, "a position"))
        }
        (Some(wanted @ ValueType::Position), Raw::Number(n)) => {
            Err(wrong_type(name, wanted, &format!("the number {n}")))
        }
        (Some(wanted @ ValueType::Position), Raw::Flag(f)) => Err(wrong_type(name, wanted, &format!("the flag {f}"))),
        (Some(wanted @ ValueType::Number), Raw::Flag(f)) => Err(wrong_type(name, wanted, &format!("the flag {f}"))),
        (Some(wanted @ ValueType::Flag), Raw::Number(n)) => Err(wrong_type(name, wanted, &format!("the number {n}"))),
    }
}

/// A kept value as another type would have it, where that is possible.
#[must_use]
pub fn adapt(value: Value, wanted: ValueType) -> Option<Value> {
    let raw = match value {
        Value::Number(number) => Raw::Number(number),
        Value::Flag(flag) => Raw::Flag(flag),
        Value::Text(text) => Raw::Text(text.into()),
        Value::Position(fix) => Raw::Position(*fix),
    };
    convert("", raw, Some(wanted)).ok()
}

fn text(name: &str, text: &str) -> Result<Value, Refusal> {
    if text.len() <= Value::MAX_TEXT {
        return Ok(Value::Text(text.to_owned()));
    }
    let detail = format!("`{}` is a text of {} bytes.", shown(name), text.len());
    Err(Refusal::of(RefusalCode::TextTooLong, name, detail))
}

/// What is kept of a text that is no number where one belongs, and what its sender is told; one
/// with a decimal comma nearly is a number.
///
/// # Errors
/// A [`Refusal`] of a text that is too long to be kept.
pub(super) fn no_number(item: &Item<'_>, signal: &PlannedSignal) -> Result<Option<(Value, Remark)>, Refusal> {
    let Raw::Text(sent) = &item.value else { return Ok(None) };
    if signal.value_type != Some(ValueType::Number) || number(sent).is_some() {
        return Ok(None);
    }
    let name = shown(&item.name);
    let mut detail =
        format!("`{name}` is a number signal, but the text \"{}\" was sent: kept, and rejected.", shown(sent));
    let with_point = sent.trim().replacen(',', ".", 1);
    if sent.contains(',') && number(&with_point).is_some() {
        detail.push_str(&format!(
            " It looks like {with_point} with a decimal comma: send a point, or give the field the type \
             `decimal-comma` in the device's decoder."
        ));
    }
    Ok(Some((text(&item.name, sent)?, Remark::new(RemarkCode::NotANumber, detail))))
}

/// The number a text reads as.
fn number(text: &str) -> Option<f64> {
    text.trim().parse().ok().filter(|number: &f64| number.is_finite())
}

fn wrong_type(name: &str, wanted: ValueType, got: &str) -> Refusal {
    let detail = format!("`{}` is a {} signal, but {got} was sent.", shown(name), wanted.as_str());
    Refusal::of(RefusalCode::WrongType, name, detail)
}
