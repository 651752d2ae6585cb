//! Checking a conversion when it is made.

use super::step::{Outside, Source, Step};
use crate::units::{NoConversion, UnitChange, UnitCode, UnitError};

/// The most steps of a conversion.
pub(super) const MAX_STEPS: usize = 16;
const MAX_COEFFICIENTS: usize = 16;
const MAX_POINTS: usize = 1_000;

/// Why a conversion makes no sense.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
#[non_exhaustive]
pub enum ConversionError {
    /// Over 16 steps.
    #[error("a conversion has at most {MAX_STEPS} steps")]
    TooManySteps,
    /// A step is wrong by itself.
    #[error("step {}: {why}", .step + 1)]
    Step {
        /// Which, from 0.
        step: usize,
        /// What is wrong, and what would be right.
        why: String,
    },
    /// A step's unit is none.
    #[error("step {}: {error}", .step + 1)]
    Unit {
        /// Which, from 0.
        step: usize,
        /// What is wrong with it.
        error: UnitError,
    },
    /// A step cannot take what the one before gives.
    #[error("step {}: {error}", .step + 1)]
    Mismatch {
        /// Which, from 0.
        step: usize,
        /// Both units with what they measure.
        error: NoConversion,
    },
    /// The result is not what the signal measures.
    #[error("the result: {0}")]
    Result(NoConversion),
}

/// What a step takes and gives.
pub(super) struct Units {
    /// The unit it wants, if it matters to it.
    pub(super) takes: Option<UnitCode>,
    /// The unit it gives; `None` for the same as it got.
    pub(super) gives: Option<UnitCode>,
}

/// Checks a step by itself, and says what it takes and gives.
pub(super) fn check(step: &Step, place: usize) -> Result<Units, ConversionError> {
    if let Err(why) = sense(step) {
        return Err(ConversionError::Step { step: place, why: why.to_owned() });
    }
    let unit = |code: &str| UnitCode::from_entry(code).map_err(|error| ConversionError::Unit { step: place, error });
    let (takes, gives) = match step {
        Step::Counts { .. } => (Some("1"), Some("V")),
        Step::Divider { .. } => (Some("V"), Some("Ohm")),
        Step::ThermistorBeta { .. } | Step::SteinhartHart { .. } | Step::Rtd { .. } => (Some("Ohm"), Some("Cel")),
        Step::Thermocouple { .. } => (Some("V"), Some("Cel")),
        Step::Echo { .. } => (Some("s"), Some("m")),
        Step::Percent { .. } => (None, Some("%")),
        Step::Volume { .. } => (Some("m"), Some("m3")),
        Step::RatioCurve { unit, .. } => (Some("Ohm"), Some(unit.as_str())),
        Step::CurrentLoop { unit, .. } => (Some("A"), Some(unit.as_str())),
        Step::Unit { to } => (Some(to.as_str()), Some(to.as_str())),
        Step::Scale { unit, .. }
        | Step::TwoPoint { unit, .. }
        | Step::Polynomial { unit, .. }
        | Step::Table { unit, .. }
        | Step::Rate { unit, .. }
        | Step::Total { unit, .. } => (None, unit.as_deref()),
        Step::Median { .. } | Step::Smooth { .. } => (None, None),
    };
    Ok(Units { takes: takes.map(&unit).transpose()?, gives: gives.map(&unit).transpose()? })
}

/// Changes values from one unit to another, where there is anything to change.
pub(super) fn change(from: Option<&UnitCode>, to: Option<&UnitCode>) -> Result<Option<UnitChange>, NoConversion> {
    match (from, to) {
        (Some(from), Some(to)) if from != to => {
            let change = UnitChange::between(from, to)?;
            Ok((!change.is_identity()).then_some(change))
        }
        _ => Ok(None),
    }
}

/// Whether the numbers of a step can mean anything.
fn sense(step: &Step) -> Result<(), &'static str> {
    match step {
        Step::Counts { .. }
        | Step::Divider { .. }
        | Step::ThermistorBeta { .. }
        | Step::SteinhartHart { .. }
        | Step::Rtd { .. }
        | Step::Thermocouple { .. }
        | Step::Echo { .. }
        | Step::CurrentLoop { .. } => sense_of_sensor(step),
        Step::Scale { factor, offset, .. } => {
            need(factor.is_finite() && *factor != 0.0, "a factor of zero makes everything the same")?;
            need(offset.is_finite(), "the offset must be a number")
        }
        Step::TwoPoint { points: [(x1, y1), (x2, y2)], .. } => {
            need([x1, y1, x2, y2].iter().all(|n| n.is_finite()), "the points must be numbers")?;
            need(x1 != x2, "the two points must differ before the conversion")?;
            need(y1 != y2, "the two points must differ after the conversion")
        }
        Step::Polynomial { coefficients, .. } => {
            need((1..=MAX_COEFFICIENTS).contains(&coefficients.len()), "a polynomial has 1 to 16 coefficients")?;
            need(coefficients.iter().all(|c| c.is_finite()), "the coefficients must be numbers")
        }
        Step::Table { points, .. } => {
            need((2..=MAX_POINTS).contains(&points.len()), "a table has 2 to 1000 points")?;
            need(points.iter().all(|(x, y)| x.is_finite() && y.is_finite()), "the points must be numbers")?;
            need(points.windows(2).all(|pair| pair[0].0 < pair[1].0), "the points must ascend before the conversion")
        }
        Step::Percent { empty, full, .. } => {
            need(empty.is_finite() && full.is_finite() && empty != full, "empty and full must be two different numbers")
        }
        Step::Volume { tank, outside } => {
            need(tank.is_real(), "all lengths of the tank must be over zero")?;
            need(*outside != Outside::Keep, "a tank holds nothing below empty and above full: `reject` or `clamp`")
        }
        Step::RatioCurve { r0_ohm, factor, exponent, .. } => {
            need(positive(*r0_ohm) && positive(*factor), "resistance and factor must be over zero")?;
            need(exponent.is_finite() && *exponent != 0.0, "an exponent of zero makes everything the same")
        }
        Step::Unit { .. } => Ok(()),
        Step::Rate { modulus, most, .. } | Step::Total { modulus, most, .. } => {
            need(modulus.is_none_or(positive), "the counter must begin anew at a number over zero")?;
            need(most.is_none_or(positive), "the most it can count must be over zero")
        }
        Step::Median { window } => {
            need((3..=99).contains(window) && window % 2 == 1, "a median is of 3 to 99 values, an odd number of them")
        }
        Step::Smooth { time_constant_s } => need(positive(*time_constant_s), "the time constant must be over zero"),
    }
}

/// The same for a step that knows what sensor is read, and how.
fn sense_of_sensor(step: &Step) -> Result<(), &'static str> {
    match step {
        Step::Counts { bits, reference_v } => {
            need((1..=32).contains(bits), "a converter has 1 to 32 bits")?;
            need(positive(*reference_v), "the reference voltage must be over zero")
        }
        Step::Divider { fixed_ohm, supply_v, .. } => {
            need(positive(*fixed_ohm), "the fixed resistor must be over zero")?;
            need(positive(*supply_v), "the supply voltage must be over zero")
        }
        Step::ThermistorBeta { r0_ohm, t0_celsius, beta_k } => {
            need(positive(*r0_ohm) && positive(*beta_k), "resistance and beta must be over zero")?;
            need(*t0_celsius > -273.15 && t0_celsius.is_finite(), "the temperature must be over absolute zero")
        }
        Step::SteinhartHart { a, b, c } => {
            need([a, b, c].iter().all(|n| n.is_finite()), "the coefficients must be numbers")?;
            need(*b != 0.0, "the second coefficient must not be zero")
        }
        Step::Rtd { r0_ohm } => need(positive(*r0_ohm), "the resistance at 0 °C must be over zero"),
        Step::Thermocouple { kind, cold_junction } => match cold_junction {
            Source::Fixed(celsius) => need(
                kind.millivolts(*celsius).is_some(),
                "the cold junction is outside of what this type of thermocouple is given for",
            ),
            Source::Signal(signal) => need(!signal.is_empty(), "the cold junction needs a temperature or a signal"),
        },
        Step::Echo { air } => match air {
            Source::Fixed(celsius) => {
                need((-100.0..=100.0).contains(celsius), "the temperature of the air must be from -100 to 100 °C")
            }
            Source::Signal(signal) => need(!signal.is_empty(), "the echo needs a temperature of the air or a signal"),
        },
        Step::CurrentLoop { low, high, .. } => {
            need(low.is_finite() && high.is_finite() && low != high, "the values at 4 and 20 mA must differ")
        }
        _ => Ok(()),
    }
}

fn positive(number: f64) -> bool {
    number.is_finite() && number > 0.0
}

const fn need(holds: bool, why: &'static str) -> Result<(), &'static str> {
    if holds { Ok(()) } else { Err(why) }
}
