//! Meanings that make sense, and what they make of values.

use super::{Meaning, MeaningError, Memory, Others};
use crate::convert::{Conversion, Fault, Traced};
use crate::fix::Fix;
use crate::formula::{Formula, FormulaError, SignalType};
use crate::quality::{Cause, Quality};
use crate::screen::{Beside, Screen};
use crate::units::{UnitChange, UnitCode};
use crate::{Micros, Value, ValueType};

/// Another signal that a meaning needs.
#[derive(Debug, Clone, PartialEq)]
pub struct Need {
    /// `SIGNAL` of the same device or `DEVICE/SIGNAL`.
    pub signal: String,
    /// What is wanted of it.
    pub want: Want,
}

/// What is wanted of another signal.
#[derive(Debug, Clone, PartialEq)]
pub enum Want {
    /// Its last temperature, which becomes °C so.
    Celsius(Option<UnitChange>),
    /// Its last value.
    Last,
}

/// A meaning in which everything fits together.
#[derive(Debug)]
pub struct Checked {
    conversion: Option<Conversion>,
    formula: Option<Formula>,
    screen: Option<Screen>,
    needs: Vec<Need>,
    /// How many of the needs are the conversion's: the first.
    of_conversion: usize,
    places: Places,
    within: i64,
    is_flag: bool,
}

/// Which needs are the screen's.
#[derive(Debug, Default)]
struct Places {
    flag: Option<usize>,
    fix: Option<usize>,
}

impl Checked {
    /// Checks a meaning for a signal of a type and unit. `signals` knows those
    /// it may refer to.
    ///
    /// # Errors
    /// [`MeaningError`] says what does not fit.
    pub fn new(
        meaning: &Meaning,
        value_type: ValueType,
        unit: Option<&UnitCode>,
        signals: &dyn Fn(&str) -> Option<SignalType>,
    ) -> Result<Self, MeaningError> {
        if meaning.others_within_s.is_some_and(|s| !(s > 0.0 && s <= Meaning::MAX_OTHERS_S)) {
            return Err(MeaningError::Within);
        }
        if meaning.conversion.is_some() && meaning.formula.is_some() {
            return Err(MeaningError::Both);
        }
        let conversion = meaning.conversion.as_ref().filter(|written| !written.is_empty());
        if conversion.is_some() && value_type != ValueType::Number {
            return Err(MeaningError::NotANumber("conversion"));
        }
        let from = meaning.conversion.as_ref().and_then(|written| written.from.as_deref());
        let from = from.map(UnitCode::from_entry).transpose().map_err(MeaningError::From)?;
        let conversion =
            conversion.map(|written| Conversion::new(from.as_ref(), written.steps.clone(), unit)).transpose()?;
        let formula = meaning.formula.as_deref().map(|text| Formula::new(text, signals, unit)).transpose()?;
        if let Some(formula) = &formula {
            check_result(formula, value_type)?;
        }
        let screen = meaning.screen.clone().filter(|screen| !screen.is_empty());
        if screen.is_some() && value_type == ValueType::Text {
            return Err(MeaningError::NotANumber("screen"));
        }
        let mut needs = Vec::new();
        for signal in conversion.iter().flat_map(Conversion::needs) {
            needs.push(Need { signal: signal.clone(), want: temperature(signal, signals)? });
        }
        let of_conversion = needs.len();
        let mut places = Places::default();
        if let Some(screen) = &screen {
            screen.check()?;
            screen.check_type(value_type)?;
            places = Places::of(screen, signals, &mut needs)?;
        }
        let is_flag = value_type == ValueType::Flag;
        Ok(Self { conversion, formula, screen, needs, of_conversion, places, within: meaning.others_within(), is_flag })
    }

    /// Other signals that conversion and screen need.
    #[must_use]
    pub fn needs(&self) -> &[Need] {
        &self.needs
    }

    /// How long values of other signals count, in microseconds.
    #[must_use]
    pub const fn within(&self) -> Micros {
        Micros(self.within)
    }

    /// The formula, if the value is worked out and not sent.
    #[must_use]
    pub const fn formula(&self) -> Option<&Formula> {
        self.formula.as_ref()
    }

    /// Whether what is sent is converted.
    #[must_use]
    pub const fn converts(&self) -> bool {
        self.conversion.is_some()
    }

    /// Whether its values are screened.
    #[must_use]
    pub const fn screens(&self) -> bool {
        self.screen.is_some()
    }

    /// Every signal it refers to, each once.
    #[must_use]
    pub fn references(&self) -> Vec<&str> {
        let mut all: Vec<&str> = self.needs.iter().map(|need| need.signal.as_str()).collect();
        all.extend(self.formula.iter().flat_map(Formula::references).map(|reference| reference.signal.as_str()));
        all.sort_unstable();
        all.dedup();
        all
    }

    /// Whether the conversion remembers what came before, so that its memory has to
    /// survive.
    #[must_use]
    pub fn conversion_remembers(&self) -> bool {
        self.conversion.as_ref().is_some_and(Conversion::is_stateful)
    }

    /// Whether anything remembers what came before.
    #[must_use]
    pub fn remembers(&self) -> bool {
        self.conversion_remembers() || self.screen.as_ref().is_some_and(Screen::is_stateful)
    }

    /// What a value that was sent means, before it is screened. One that cannot be
    /// converted, or that says that there is none, is as it was sent, and rejected.
    pub fn convert(&self, at: i64, raw: f64, others: &impl Others, memory: &mut Memory) -> (f64, Quality) {
        let Some(conversion) = &self.conversion else { return (raw, Quality::Good) };
        // Steps that remember must not remember it.
        if self.is_marker(raw) {
            return (raw, Quality::Rejected(Cause::Marker));
        }
        let mut few = [None; 4];
        let needed = &self.needs[..self.of_conversion];
        let converted = if needed.len() <= few.len() {
            self.temperatures(at, others, &mut few);
            conversion.apply(at, raw, &few[..needed.len()], &mut memory.conversion)
        } else {
            let mut many = vec![None; needed.len()];
            self.temperatures(at, others, &mut many);
            conversion.apply(at, raw, &many, &mut memory.conversion)
        };
        match converted {
            Ok(converted) => (converted.value, converted.quality),
            Err(Fault { cause, .. }) => (raw, Quality::Rejected(cause)),
        }
    }

    /// What each step of the conversion makes of a value, up to the first that
    /// cannot.
    #[must_use]
    pub fn trace(&self, at: i64, raw: f64, others: &impl Others, memory: &Memory) -> Vec<Traced> {
        let Some(conversion) = &self.conversion else { return Vec::new() };
        let mut temperatures = vec![None; self.of_conversion];
        self.temperatures(at, others, &mut temperatures);
        conversion.trace(at, raw, &temperatures, &memory.conversion)
    }

    fn temperatures(&self, at: i64, others: &impl Others, into: &mut [Option<f64>]) {
        for (place, (need, slot)) in self.needs[..self.of_conversion].iter().zip(into).enumerate() {
            let last = self.last(at, others, place);
            *slot = match &need.want {
                Want::Celsius(Some(change)) => last.map(|value| change.apply(value)),
                _ => last,
            };
        }
    }

    fn last(&self, at: i64, others: &impl Others, place: usize) -> Option<f64> {
        let (then, value) = others.last(place, at)?;
        (at - then <= self.within).then_some(value)
    }

    /// How far a value can be believed. `quality` is what its conversion said; `late`
    /// is how long after its time it came, if that is known.
    pub fn screen(
        &self,
        at: i64,
        value: f64,
        quality: Quality,
        late: Option<i64>,
        others: &impl Others,
        memory: &mut Memory,
    ) -> Quality {
        let Some(screen) = &self.screen else { return quality };
        if !self.converts() && screen.is_marker(value) {
            return Quality::Rejected(Cause::Marker);
        }
        if matches!(quality, Quality::Rejected(Cause::Conversion | Cause::Marker)) {
            return quality;
        }
        match screen.judge(at, value, &self.beside(at, late, others), &mut memory.screen) {
            Quality::Good => quality,
            found => found,
        }
    }

    /// As [`Checked::screen`], of a value of any type; a text is as it was.
    pub fn judge(
        &self,
        at: i64,
        value: &Value,
        quality: Quality,
        late: Option<i64>,
        others: &impl Others,
        memory: &mut Memory,
    ) -> Quality {
        match (value, value.as_number()) {
            (Value::Position(fix), _) => self.screen_fix(at, fix, quality, late, others, memory),
            (_, Some(number)) => self.screen(at, number, quality, late, others, memory),
            (_, None) => quality,
        }
    }

    fn screen_fix(
        &self,
        at: i64,
        fix: &Fix,
        quality: Quality,
        late: Option<i64>,
        others: &impl Others,
        memory: &mut Memory,
    ) -> Quality {
        let Some(screen) = self.screen.as_ref().filter(|_| !matches!(quality, Quality::Rejected(_))) else {
            return quality;
        };
        match screen.judge_fix(at, fix, &self.beside(at, late, others), &mut memory.screen) {
            Quality::Good => quality,
            found => found,
        }
    }

    fn beside(&self, at: i64, late: Option<i64>, others: &impl Others) -> Beside {
        Beside {
            flag: self.places.flag.and_then(|place| self.last(at, others, place)).map(|flag| flag != 0.0),
            fix: self.places.fix.and_then(|place| self.last(at, others, place)),
            late,
        }
    }

    fn is_marker(&self, sent: f64) -> bool {
        self.screen.as_ref().is_some_and(|screen| screen.is_marker(sent))
    }

    /// A number as a value of the signal's type.
    #[must_use]
    pub fn value(&self, number: f64) -> Value {
        if self.is_flag { Value::Flag(number != 0.0) } else { Value::Number(number) }
    }
}

impl Places {
    fn of(
        screen: &Screen,
        signals: &dyn Fn(&str) -> Option<SignalType>,
        needs: &mut Vec<Need>,
    ) -> Result<Self, MeaningError> {
        let mut need = |signal: &str, want, flag: Option<bool>| {
            let known = signals(signal).ok_or_else(|| MeaningError::NoSignal(signal.to_owned()))?;
            match flag {
                _ if known.value_type == ValueType::Position => {
                    Err(MeaningError::WrongSignal(signal.to_owned(), "a number or a flag"))
                }
                Some(true) if !known.is_flag() => Err(MeaningError::WrongSignal(signal.to_owned(), "a flag")),
                Some(false) if known.is_flag() => Err(MeaningError::WrongSignal(signal.to_owned(), "a number")),
                _ => {
                    needs.push(Need { signal: signal.to_owned(), want });
                    Ok(needs.len() - 1)
                }
            }
        };
        let mut places = Self::default();
        if let Some(dependence) = &screen.dependence {
            places.flag = Some(need(&dependence.signal, Want::Last, Some(true))?);
        }
        if let Some(fix) = screen.position.as_ref().and_then(|position| position.fix.as_ref()) {
            places.fix = Some(need(&fix.signal, Want::Last, None)?);
        }
        Ok(places)
    }
}

fn check_result(formula: &Formula, value_type: ValueType) -> Result<(), MeaningError> {
    let message = match (formula.is_flag(), value_type) {
        (true, ValueType::Flag) | (false, ValueType::Number) => return Ok(()),
        (true, _) => "the result is yes or no; declare the signal as a flag, or say `if … then 1 else 0`",
        (false, _) => "the result is a number; declare the signal as one",
    };
    Err(FormulaError::new(0, message).into())
}

fn temperature(signal: &str, signals: &dyn Fn(&str) -> Option<SignalType>) -> Result<Want, MeaningError> {
    let known = signals(signal).ok_or_else(|| MeaningError::NoSignal(signal.to_owned()))?;
    if known.value_type != ValueType::Number {
        return Err(MeaningError::WrongSignal(signal.to_owned(), "a temperature"));
    }
    let Some(unit) = known.unit else { return Ok(Want::Celsius(None)) };
    let Ok(celsius) = UnitCode::parse("Cel") else { return Ok(Want::Celsius(None)) };
    let change = UnitChange::between(&unit, &celsius)
        .map_err(|error| MeaningError::NoTemperature { signal: signal.to_owned(), error: Box::new(error) })?;
    Ok(Want::Celsius((!change.is_identity()).then_some(change)))
}

/// The device and the signal of a reference from a device of a code.
#[must_use]
pub fn resolve<'a>(reference: &'a str, own_device: &'a str) -> (&'a str, &'a str) {
    reference.split_once('/').unwrap_or((own_device, reference))
}

#[cfg(test)]
mod tests;
