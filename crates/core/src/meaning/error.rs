//! Why meanings make no sense.

use crate::convert::ConversionError;
use crate::formula::FormulaError;
use crate::screen::ScreenError;
use crate::units::{NoConversion, UnitError};

/// Why a meaning makes no sense.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
#[non_exhaustive]
pub enum MeaningError {
    /// A value is either sent or worked out.
    #[error("a signal has a conversion of what is sent or a formula, not both")]
    Both,
    /// Conversions and screens are for numbers.
    #[error("a text has no {0}; declare the signal as a number")]
    NotANumber(&'static str),
    /// The unit of what is sent is none.
    #[error("the unit of what is sent: {0}")]
    From(UnitError),
    /// The conversion makes no sense.
    #[error("the conversion: {0}")]
    Conversion(#[from] ConversionError),
    /// The formula makes no sense.
    #[error("the formula: {0}")]
    Formula(#[from] FormulaError),
    /// The screen makes no sense.
    #[error("the screen: {0}")]
    Screen(#[from] ScreenError),
    /// A signal that is needed is not there.
    #[error("there is no signal `{0}`; name one of the same device, or DEVICE/SIGNAL of another")]
    NoSignal(String),
    /// A signal that is needed is of the wrong type.
    #[error("`{0}` must be {1}")]
    WrongSignal(String, &'static str),
    /// A temperature that is needed cannot be had in °C.
    #[error("`{signal}`: {error}")]
    NoTemperature {
        /// The signal.
        signal: String,
        /// Why.
        error: Box<NoConversion>,
    },
    /// The time others count is nonsense.
    #[error("values of other signals count for up to a week, and longer than no time")]
    Within,
}
