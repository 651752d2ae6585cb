//! Fields: what one part of a payload is.

use super::super::record::Record;
use super::super::{Decoded, Item, Raw, Times, short};
use crate::{Refusal, RefusalCode};
use serde::{Deserialize, Serialize};
use std::borrow::Cow;

/// How the text of a field is read.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = DecoderFieldType))]
#[serde(rename_all = "lowercase")]
pub enum FieldType {
    /// A number where it reads as one, else a text.
    #[default]
    Auto,
    /// A decimal number; anything else is refused.
    Number,
    /// A decimal number with a comma, such as `24,5`.
    #[serde(rename = "decimal-comma")]
    DecimalComma,
    /// A hexadecimal number.
    Hex,
    /// 1 or 0, true or false, on or off, yes or no.
    Flag,
    /// A text, also if it looks like a number.
    Text,
}

/// A name, or a name with more. `@at`, `@ago` and `@device` are the time and the
/// device of the record; a field called `-` is passed over.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = DecoderField))]
#[serde(untagged)]
pub enum Field {
    /// Just the name.
    Name(String),
    /// The name with a type or unit.
    Full(FullField),
}

/// A field with all it can say.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = DecoderFullField))]
#[serde(deny_unknown_fields)]
pub struct FullField {
    /// See [`Field`].
    pub name: String,
    /// How its text is read.
    #[serde(rename = "type", default, skip_serializing_if = "is_auto")]
    pub field_type: FieldType,
    /// UCUM code of the unit it is in.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub unit: Option<String>,
}

#[allow(clippy::trivially_copy_pass_by_ref, reason = "that is how serde asks")]
fn is_auto(field_type: &FieldType) -> bool {
    *field_type == FieldType::Auto
}

/// What a name stands for.
pub(super) enum Role {
    Skip,
    Time(&'static str),
    Device,
    Value,
}

pub(super) fn role(name: &str) -> Role {
    match name {
        "" | "-" => Role::Skip,
        "@at" => Role::Time("at"),
        "@ago" => Role::Time("ago"),
        "@device" => Role::Device,
        _ => Role::Value,
    }
}

impl Field {
    pub(super) fn name(&self) -> &str {
        match self {
            Self::Name(name) => name,
            Self::Full(field) => &field.name,
        }
    }

    pub(super) fn unit(&self) -> Option<&str> {
        match self {
            Self::Name(_) => None,
            Self::Full(field) => field.unit.as_deref(),
        }
    }

    pub(super) const fn field_type(&self) -> FieldType {
        match self {
            Self::Name(_) => FieldType::Auto,
            Self::Full(field) => field.field_type,
        }
    }

    /// Takes the text of this field into a record.
    pub(super) fn take(
        &self,
        text: &str,
        record: &mut Record<'static>,
        times: &Times,
        decoded: &mut Decoded<'static>,
    ) -> Result<(), Refusal> {
        let text = text.trim();
        match role(self.name()) {
            Role::Skip => Ok(()),
            _ if text.is_empty() => Ok(()),
            Role::Time(name) => {
                record.time(name, text, times, decoded);
                Ok(())
            }
            Role::Device => {
                record.device = Some(Cow::Owned(text.to_owned()));
                Ok(())
            }
            Role::Value => match self.read(text) {
                Ok(value) => decoded.push(Item {
                    unit: self.unit().map(|unit| Cow::Owned(unit.to_owned())),
                    ..Item::new(self.name().to_owned(), value)
                }),
                Err(refusal) => decoded.refuse(refusal),
            },
        }
    }

    fn read(&self, text: &str) -> Result<Raw<'static>, Refusal> {
        let wrong = |what: &str| {
            let detail = format!("`{}` should be {what}, but `{}` was sent.", self.name(), short(text));
            Err(Refusal::of(RefusalCode::DoesNotFit, self.name(), detail))
        };
        match self.field_type() {
            FieldType::Text => Ok(Raw::Text(Cow::Owned(text.to_owned()))),
            FieldType::Auto => Ok(super::super::pairs::raw(Cow::Owned(text.to_owned()))),
            FieldType::Number => match text.parse::<f64>() {
                Ok(number) if number.is_finite() => Ok(Raw::Number(number)),
                _ => wrong("a number"),
            },
            FieldType::DecimalComma => match text.replacen(',', ".", 1).parse::<f64>() {
                Ok(number) if number.is_finite() => Ok(Raw::Number(number)),
                _ => wrong("a number with a decimal comma"),
            },
            FieldType::Hex => {
                let digits = text.trim_start_matches("0x").trim_start_matches("0X");
                u64::from_str_radix(digits, 16)
                    .map_or_else(|_| wrong("a hexadecimal number"), |n| Ok(Raw::Number(n as f64)))
            }
            FieldType::Flag => match text.to_ascii_lowercase().as_str() {
                "1" | "true" | "on" | "yes" => Ok(Raw::Flag(true)),
                "0" | "false" | "off" | "no" => Ok(Raw::Flag(false)),
                _ => wrong("a flag (1 or 0, on or off)"),
            },
        }
    }
}
