//! Units: UCUM codes (The Unified Code for Units of Measure, version 2.2,
//! case-sensitive), and how people spell them.

mod atom;
mod atoms;
mod dimension;
mod parse;
mod quantity;
mod rare;
mod spelling;

pub use dimension::Dimension;
pub use quantity::{NoConversion, NoQuantity, Quantity, Scale, UnitChange};
pub use spelling::{from_spelling, guess, symbol};

use std::fmt;

/// A valid UCUM code, such as `Cel`, `km/h` or `%`.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub struct UnitCode(String);

/// Why a text is not a UCUM code.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum UnitError {
    /// No characters.
    #[error("a unit code needs at least one character")]
    Empty,
    /// Over 64 bytes.
    #[error("a unit code has at most 64 characters")]
    TooLong,
    /// Only ASCII is permitted in codes.
    #[error("`{0}` cannot be in a unit code")]
    BadCharacter(char),
    /// No unit of that name.
    #[error("`{0}` is not a unit of UCUM")]
    Unknown(String),
    /// A prefix before a unit that takes none.
    #[error("`{0}` takes no prefix")]
    NotMetric(String),
    /// A unit such as `Cel` in a product, quotient or power.
    #[error("`{0}` has an offset or a logarithm in it and can only stand alone; use K for differences of temperature")]
    Special(String),
    /// Something else is wrong at a byte offset.
    #[error("unit code wrong at character {}: {expected} expected", .at + 1)]
    Syntax {
        /// Byte offset in the code.
        at: usize,
        /// What would have been right there.
        expected: &'static str,
    },
}

impl UnitCode {
    /// Checks a UCUM code.
    ///
    /// # Errors
    /// [`UnitError`] says which rule is broken and where.
    pub fn parse(code: &str) -> Result<Self, UnitError> {
        parse::check(code)?;
        Ok(Self(code.to_owned()))
    }

    /// Reads a UCUM code, or a spelling in common use such as `°C`.
    ///
    /// # Errors
    /// As [`UnitCode::parse`], for the text as entered.
    pub fn from_entry(text: &str) -> Result<Self, UnitError> {
        let text = text.trim();
        match from_spelling(text) {
            Some(code) => Ok(Self(code.to_owned())),
            None => Self::parse(text),
        }
    }

    /// The code itself.
    #[must_use]
    pub fn as_str(&self) -> &str {
        &self.0
    }
}

impl fmt::Display for UnitCode {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.0)
    }
}
