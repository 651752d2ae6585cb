//! What a decoder must fulfil before it is kept.

use super::field::{Role, role};
use super::{Field, FieldType, Form, PackedField, Repeat};
use crate::code;
use crate::units::UnitCode;

/// The most fields a decoder may list.
const MAX_FIELDS: usize = 200;

/// Why a decoder cannot be: where, and what is wrong there.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("{place}: {detail}")]
pub struct DecoderError {
    /// The part of the description, such as `fields.2`.
    pub place: String,
    /// What is wrong there.
    pub detail: String,
}

impl DecoderError {
    pub(super) fn new(place: impl Into<String>, detail: impl Into<String>) -> Self {
        Self { place: place.into(), detail: detail.into() }
    }
}

pub(super) fn check(form: &Form) -> Result<(), DecoderError> {
    match form {
        Form::Bare { field } => {
            check_field("field", field)?;
            value_among("field", [field.name()])
        }
        Form::List { separator, fields } => {
            check_mark("separator", separator.as_deref())?;
            check_commas(separator.as_deref(), fields.iter())?;
            check_count("fields", fields.len())?;
            for (index, field) in fields.iter().enumerate() {
                check_field(&format!("fields.{index}"), field)?;
            }
            value_among("fields", fields.iter().map(Field::name))?;
            unique("fields", fields.iter().map(Field::name))
        }
        Form::Pairs { separator, equals, fields } => {
            check_mark("separator", separator.as_deref())?;
            check_mark("equals", equals.as_deref())?;
            check_commas(separator.as_deref(), fields.values())?;
            if fields.len() > MAX_FIELDS {
                return Err(DecoderError::new("fields", format!("at most {MAX_FIELDS} are possible")));
            }
            fields.iter().try_for_each(|(name, field)| check_field(&format!("fields.{name}"), field))
        }
        Form::Frames { start, stop, inside } => {
            check_mark("start", Some(start))?;
            check_mark("stop", Some(stop))?;
            match inside.as_ref() {
                Form::Bare { .. } | Form::List { .. } | Form::Pairs { .. } => {
                    check(inside).map_err(|e| DecoderError::new(format!("inside.{}", e.place), e.detail))
                }
                _ => Err(DecoderError::new("inside", "`bare`, `list` or `pairs` belongs here")),
            }
        }
        Form::Json { fields, name, value, .. } => {
            if fields.is_empty() && (name.is_none() || value.is_none()) {
                return Err(DecoderError::new("fields", "list fields, or give the paths `name` and `value`"));
            }
            if fields.len() > MAX_FIELDS {
                return Err(DecoderError::new("fields", format!("at most {MAX_FIELDS} are possible")));
            }
            for (index, field) in fields.iter().enumerate() {
                check_field(&format!("fields.{index}"), &field.field)?;
            }
            unique("fields", fields.iter().map(|field| field.field.name()))
        }
        Form::Packed { fields, every, .. } => check_packed(fields, *every),
    }
}

fn check_packed(fields: &[PackedField], every: Option<f64>) -> Result<(), DecoderError> {
    check_count("fields", fields.len())?;
    if every.is_some_and(|s| !(1e-6..=86_400.0).contains(&s)) {
        return Err(DecoderError::new("every", "seconds from 0.000001 to 86,400 belong here"));
    }
    let mut names = Vec::new();
    for (index, field) in fields.iter().enumerate() {
        let place = format!("fields.{index}");
        let numbers = match field {
            PackedField::Number(number) => std::slice::from_ref(number),
            PackedField::Group(group) => {
                match &group.repeat {
                    Repeat::Rest(word) if word != "rest" => {
                        return Err(DecoderError::new(format!("{place}.repeat"), "a number or `rest` belongs here"));
                    }
                    Repeat::Rest(_) if index + 1 < fields.len() => {
                        return Err(DecoderError::new(format!("{place}.repeat"), "nothing can follow the `rest`"));
                    }
                    _ => {}
                }
                check_count(&format!("{place}.fields"), group.fields.len())?;
                &group.fields
            }
        };
        for number in numbers {
            check_name(&place, &number.name)?;
            check_unit(&place, number.unit.as_deref())?;
            if let Some(fault) = number.fault() {
                return Err(DecoderError::new(place, fault));
            }
            names.push(number.name.as_str());
        }
    }
    value_among("fields", names.iter().copied())?;
    unique("fields", names.into_iter())
}

/// A comma is either between values or in them.
fn check_commas<'a>(separator: Option<&str>, mut fields: impl Iterator<Item = &'a Field>) -> Result<(), DecoderError> {
    let is_between = separator.is_none_or(|separator| separator.contains(','));
    if is_between && fields.any(|field| field.field_type() == FieldType::DecimalComma) {
        let detail = "with fields of the type `decimal-comma` it has to be said, and cannot be a comma";
        return Err(DecoderError::new("separator", detail));
    }
    Ok(())
}

fn check_count(place: &str, count: usize) -> Result<(), DecoderError> {
    if (1..=MAX_FIELDS).contains(&count) {
        Ok(())
    } else {
        Err(DecoderError::new(place, format!("1 to {MAX_FIELDS} fields belong here")))
    }
}

fn check_field(place: &str, field: &Field) -> Result<(), DecoderError> {
    check_name(place, field.name())?;
    check_unit(place, field.unit())
}

fn check_name(place: &str, name: &str) -> Result<(), DecoderError> {
    if !matches!(role(name), Role::Value) {
        return Ok(());
    }
    if name.starts_with('@') {
        return Err(DecoderError::new(place, format!("`{name}` is not known; there are @at, @ago and @device")));
    }
    code::check_signal(name).map_err(|e| DecoderError::new(place, e.to_string()))
}

fn check_unit(place: &str, unit: Option<&str>) -> Result<(), DecoderError> {
    unit.map_or(Ok(()), |unit| {
        UnitCode::from_entry(unit).map(drop).map_err(|e| DecoderError::new(place, e.to_string()))
    })
}

fn check_mark(place: &str, mark: Option<&str>) -> Result<(), DecoderError> {
    match mark {
        Some(mark) if mark.is_empty() || mark.len() > 16 => {
            Err(DecoderError::new(place, "1 to 16 characters belong here"))
        }
        _ => Ok(()),
    }
}

fn value_among<'a>(place: &str, names: impl IntoIterator<Item = &'a str>) -> Result<(), DecoderError> {
    if names.into_iter().any(|name| matches!(role(name), Role::Value)) {
        Ok(())
    } else {
        Err(DecoderError::new(place, "at least one field must be a value"))
    }
}

fn unique<'a>(place: &str, names: impl Iterator<Item = &'a str>) -> Result<(), DecoderError> {
    let mut seen = std::collections::HashSet::new();
    let mut values = names.filter(|name| matches!(role(name), Role::Value));
    match values.find(|name| !seen.insert(*name)) {
        Some(twice) => Err(DecoderError::new(place, format!("`{twice}` is listed twice"))),
        None => Ok(()),
    }
}
