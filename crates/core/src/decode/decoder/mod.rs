//! Decoders: descriptions of payloads that carry no names of their own, or
//! other names than ours.
//!
//! A decoder is data ([`Form`]), written in JSON or TOML and kept with a device
//! or kind. The format is ours and described in `docs/reference/decoders.md`.

mod check;
mod field;
mod frames;
mod objects;
mod packed;
mod text;

pub use check::DecoderError;
pub use field::{Field, FieldType, FullField};
pub use objects::ObjectField;
pub use packed::{Encoding, Order, PackedField, PackedGroup, PackedNumber, Repeat};

use super::{Decoded, Dialect, Times};
use crate::{Refusal, RefusalCode};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

/// How a payload is written.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = Decoder))]
#[serde(tag = "form", rename_all = "lowercase", deny_unknown_fields)]
pub enum Form {
    /// One value on a line and nothing else.
    Bare {
        /// What it is.
        field: Field,
    },
    /// Values on a line, told apart by their place.
    List {
        /// What stands between them; by default a comma, semicolon, tab or
        /// spaces.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        separator: Option<String>,
        /// What they are, in order.
        fields: Vec<Field>,
    },
    /// `name=value` pairs on a line.
    Pairs {
        /// What stands between pairs; by default a comma, semicolon, `&`, tab or
        /// spaces.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        separator: Option<String>,
        /// What stands between name and value; by default `=` or `:`.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        equals: Option<String>,
        /// What the names mean; names that are not here are taken as they are.
        #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
        fields: BTreeMap<String, Field>,
    },
    /// Messages between a start and a stop mark, with anything between them.
    Frames {
        /// The mark before a message.
        start: String,
        /// The mark after it.
        stop: String,
        /// How a message is written: `bare`, `list` or `pairs`.
        #[cfg_attr(feature = "schema", schema(no_recursion))]
        inside: Box<Form>,
    },
    /// JSON of another shape than ours.
    Json {
        /// Path of the array whose items are records; by default the whole is one.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        each: Option<String>,
        /// Which parts of a record are values, by path.
        #[serde(default, skip_serializing_if = "Vec::is_empty")]
        fields: Vec<ObjectField>,
        /// Path of the name, for records that are one value each.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        name: Option<String>,
        /// Path of the value, for records that are one value each.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        value: Option<String>,
        /// Path of the unit, for records that are one value each.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        unit: Option<String>,
        /// Path of a record's time.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        at: Option<String>,
        /// Path of the device a record is of.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        device: Option<String>,
    },
    /// Bits and bytes.
    Packed {
        /// How the bytes are written.
        #[serde(default, skip_serializing_if = "Encoding::is_raw")]
        encoding: Encoding,
        /// Which end of a number comes first.
        #[serde(default, skip_serializing_if = "Order::is_big")]
        order: Order,
        /// The numbers in order.
        fields: Vec<PackedField>,
        /// Seconds between repetitions, where they are samples of a waveform.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        every: Option<f64>,
    },
}

/// A [`Form`] that has been checked.
#[derive(Debug, Clone, PartialEq)]
pub struct Decoder(Form);

impl Decoder {
    /// Checks a form.
    ///
    /// # Errors
    /// [`DecoderError`] says where it is wrong and what belongs there.
    pub fn new(form: Form) -> Result<Self, DecoderError> {
        check::check(&form)?;
        Ok(Self(form))
    }

    /// Reads and checks a form from JSON.
    ///
    /// # Errors
    /// [`DecoderError`] says where it is wrong and what belongs there.
    pub fn from_json(text: &str) -> Result<Self, DecoderError> {
        Self::new(serde_json::from_str(text).map_err(|e| DecoderError::new("decoder", e.to_string()))?)
    }

    /// What it was made from.
    #[must_use]
    pub const fn form(&self) -> &Form {
        &self.0
    }

    /// Whether payloads that say they are of a dialect are for this decoder all
    /// the same: other JSON than ours says it is JSON too.
    #[must_use]
    pub const fn takes(&self, dialect: Dialect) -> bool {
        match dialect {
            Dialect::Json => matches!(self.0, Form::Json { .. }),
            Dialect::Form | Dialect::Bare => !matches!(self.0, Form::Json { .. }),
            Dialect::Cbor | Dialect::SenmlJson | Dialect::SenmlCbor | Dialect::Csv => false,
        }
    }

    /// Turns a payload into named raw values.
    ///
    /// # Errors
    /// A [`Refusal`] of the whole payload where it does not fit at all; what
    /// fits is taken beside what does not.
    pub fn run(&self, body: &[u8], times: &Times) -> Result<Decoded<'static>, Refusal> {
        if body.iter().all(u8::is_ascii_whitespace) && !matches!(self.0, Form::Packed { encoding: Encoding::Raw, .. }) {
            return Err(Refusal::whole(RefusalCode::NoValues, "The body is empty."));
        }
        let mut decoded = Decoded::default();
        match &self.0 {
            Form::Frames { start, stop, inside } => frames::run(start, stop, inside, body, times, &mut decoded)?,
            Form::Json { .. } => objects::run(&self.0, body, times, &mut decoded)?,
            Form::Packed { encoding, order, fields, every } => {
                packed::run(*encoding, *order, fields, *every, body, times, &mut decoded)?;
            }
            lines => text::run(lines, as_text(body)?, times, &mut decoded)?,
        }
        decoded.finish()
    }
}

fn as_text(body: &[u8]) -> Result<&str, Refusal> {
    std::str::from_utf8(body).map_err(|e| {
        let detail = format!("The body is not UTF-8 text at byte {}.", e.valid_up_to() + 1);
        Refusal::whole(RefusalCode::DoesNotFit, detail)
    })
}

#[cfg(test)]
mod tests;
