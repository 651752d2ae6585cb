//! Chains of steps, checked and applied.

use super::check::{self, ConversionError, MAX_STEPS};
use super::memory::Memory;
use super::step::{Source, Step};
use crate::physics::sound;
use crate::quality::{Cause, Quality};
use crate::units::{UnitChange, UnitCode};

/// A chain of steps that fit together.
#[derive(Debug, Clone)]
pub struct Conversion {
    links: Vec<Link>,
    /// From the last step's unit to the signal's.
    last: Option<UnitChange>,
    /// The other signals it needs, each once.
    needs: Vec<String>,
    output: Option<UnitCode>,
}

#[derive(Debug, Clone)]
struct Link {
    /// From the unit before to the one the step wants.
    change: Option<UnitChange>,
    step: Step,
    /// Which of the other signals it needs.
    other: Option<usize>,
    /// The unit it gives, as far as is known.
    unit: Option<UnitCode>,
}

/// A value that was converted.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Converted {
    /// The value, in the signal's unit.
    pub value: f64,
    /// Good, or suspect where a step has its doubts.
    pub quality: Quality,
}

/// Why a value could not be converted.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Fault {
    /// Which step, from 0; one past the last for the result.
    pub step: usize,
    /// What it is marked with.
    pub cause: Cause,
    /// What happened.
    pub why: Why,
}

/// What happened to a value that could not be converted.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Why {
    /// It is outside of what the step knows.
    Outside,
    /// The sensor says that it has failed.
    Failed,
    /// The other signal has no value that is new enough.
    OtherMissing,
    /// There is nothing before it to tell a difference from.
    First,
    /// It is older than what the step remembers.
    Late,
    /// The result is no number, or one too large.
    NotANumber,
}

impl Why {
    /// In a sentence.
    #[must_use]
    pub const fn sentence(self) -> &'static str {
        match self {
            Self::Outside => "the value is outside of what this step can convert",
            Self::Failed => "the current says that the sensor has failed",
            Self::OtherMissing => "the other signal has no value that is new enough",
            Self::First => "it is the first value, and there is none before it",
            Self::Late => "the value is older than the one before",
            Self::NotANumber => "the result is no number",
        }
    }
}

/// What one step made of a value.
#[derive(Debug, Clone, PartialEq)]
pub struct Traced {
    /// The value it got, in the unit it wants.
    pub input: f64,
    /// What came out.
    pub output: Result<f64, Why>,
    /// The unit of that, as far as is known.
    pub unit: Option<UnitCode>,
}

impl Conversion {
    /// Puts steps together: from the unit that is sent (if it is known) to the
    /// signal's (if it has one). A raw value without a unit is taken to be in the
    /// one the first step wants.
    ///
    /// # Errors
    /// [`ConversionError`], which names the step.
    pub fn new(input: Option<&UnitCode>, steps: Vec<Step>, output: Option<&UnitCode>) -> Result<Self, ConversionError> {
        if steps.len() > MAX_STEPS {
            return Err(ConversionError::TooManySteps);
        }
        let mut needs: Vec<String> = Vec::new();
        let mut unit = input.cloned();
        let mut links = Vec::with_capacity(steps.len());
        for (place, step) in steps.into_iter().enumerate() {
            let units = check::check(&step, place)?;
            let change = check::change(unit.as_ref(), units.takes.as_ref())
                .map_err(|error| ConversionError::Mismatch { step: place, error })?;
            let other = step.needs().map(|signal| {
                needs.iter().position(|known| known == signal).unwrap_or_else(|| {
                    needs.push(signal.to_owned());
                    needs.len() - 1
                })
            });
            unit = units.gives.or(unit);
            links.push(Link { change, step, other, unit: unit.clone() });
        }
        let last = check::change(unit.as_ref(), output).map_err(ConversionError::Result)?;
        Ok(Self { links, last, needs, output: output.cloned().or(unit) })
    }

    /// The other signals it needs, `SIGNAL` of the same device or `DEVICE/SIGNAL`.
    #[must_use]
    pub fn needs(&self) -> &[String] {
        &self.needs
    }

    /// Whether any step remembers what came before.
    #[must_use]
    pub fn is_stateful(&self) -> bool {
        self.links.iter().any(|link| link.step.is_stateful())
    }

    /// The unit of the result, if it is known.
    #[must_use]
    pub const fn output(&self) -> Option<&UnitCode> {
        self.output.as_ref()
    }

    /// Converts a raw value of a time (microseconds since 1970). `others` are the
    /// last values of [`Conversion::needs`], in °C, `None` where there is none that
    /// is new enough.
    ///
    /// # Errors
    /// [`Fault`]: it cannot be converted.
    pub fn apply(&self, at: i64, raw: f64, others: &[Option<f64>], memory: &mut Memory) -> Result<Converted, Fault> {
        let mut value = raw;
        let mut quality = Quality::Good;
        for (place, link) in self.links.iter().enumerate() {
            let fault = |why| Fault { step: place, cause: Cause::Conversion, why };
            value = link.change.as_ref().map_or(value, |change| change.apply(value));
            if let Step::CurrentLoop { .. } = link.step {
                quality = current_quality(value).ok_or(Fault { cause: Cause::Marker, ..fault(Why::Failed) })?;
            }
            value = link.take(at, value, others, memory, place).map_err(fault)?;
            if !value.is_finite() {
                return Err(fault(Why::NotANumber));
            }
        }
        value = self.last.as_ref().map_or(value, |change| change.apply(value));
        if value.is_finite() {
            Ok(Converted { value, quality })
        } else {
            Err(Fault { step: self.links.len(), cause: Cause::Conversion, why: Why::NotANumber })
        }
    }

    /// What each step makes of a value, up to the first that cannot. The memory is
    /// left as it is.
    #[must_use]
    pub fn trace(&self, at: i64, raw: f64, others: &[Option<f64>], memory: &Memory) -> Vec<Traced> {
        let mut memory = memory.clone();
        let mut value = raw;
        let mut traced = Vec::with_capacity(self.links.len());
        for (place, link) in self.links.iter().enumerate() {
            let input = link.change.as_ref().map_or(value, |change| change.apply(value));
            let has_failed = matches!(link.step, Step::CurrentLoop { .. }) && current_quality(input).is_none();
            let output = if has_failed { Err(Why::Failed) } else { link.take(at, input, others, &mut memory, place) };
            let output = output.and_then(|value| if value.is_finite() { Ok(value) } else { Err(Why::NotANumber) });
            traced.push(Traced { input, output, unit: link.unit.clone() });
            match output {
                Ok(output) => value = output,
                Err(_) => break,
            }
        }
        traced
    }
}

/// What a current in amperes says of its sensor (NAMUR NE 43); `None` if it has
/// failed.
fn current_quality(amperes: f64) -> Option<Quality> {
    match amperes * 1e3 {
        ma if !(3.6..=21.0).contains(&ma) => None,
        ma if (3.8..=20.5).contains(&ma) => Some(Quality::Good),
        _ => Some(Quality::Suspect(Cause::Range)),
    }
}

impl Link {
    fn take(&self, at: i64, x: f64, others: &[Option<f64>], memory: &mut Memory, place: usize) -> Result<f64, Why> {
        if self.step.is_stateful() {
            return self.step.remember(at, x, memory.of(place));
        }
        let other = |source: &Source| match source {
            Source::Fixed(value) => Ok(*value),
            Source::Signal(_) => {
                self.other.and_then(|place| others.get(place).copied().flatten()).ok_or(Why::OtherMissing)
            }
        };
        match &self.step {
            Step::Thermocouple { kind, cold_junction } => {
                kind.hot_celsius(x * 1e3, other(cold_junction)?).ok_or(Why::Outside)
            }
            Step::Echo { air } => sound::echo_distance(x, other(air)?).ok_or(Why::Outside),
            step => step.plain(x),
        }
    }
}

#[cfg(test)]
mod tests;
