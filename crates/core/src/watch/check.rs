//! Whether a watch makes sense for a signal, and its limits in that signal's unit.

use super::hours::Shift;
use super::test::Test;
use super::written::{Least, Subject, Watch, When};
use crate::alarm::Severity;
use crate::fix::Fix;
use crate::formula::SignalType;
use crate::units::{UnitChange, UnitCode};
use crate::{Micros, Moment, ValueType};
use jiff::tz::TimeZone;
use std::fmt;

/// The longest delays and windows: a week.
const LONGEST_S: f64 = 7.0 * 86_400.0;
const MOST_NAME: usize = 100;
const MOST_ADVICE: usize = 2_000;
const MOST_HOURS: usize = 14;
const MOST_EXCEPT: usize = 500;

/// What is wrong with a watch.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("`{field}` {message}")]
pub struct WatchError {
    /// Which field, such as `when.limit`.
    pub field: &'static str,
    /// What is wrong with it, after its name.
    pub message: String,
}

fn wrong(field: &'static str, message: impl fmt::Display) -> WatchError {
    WatchError { field, message: message.to_string() }
}

/// A watch bound to a signal or device: limits are in the signal's own unit.
#[derive(Debug, Clone, PartialEq)]
pub struct Rule {
    pub(super) test: Test,
    pub(super) least: Least,
    /// Microseconds.
    pub(super) delay_on: i64,
    pub(super) delay_off: i64,
    hours: Vec<Shift>,
    /// How soon somebody has to act.
    pub severity: Severity,
}

impl Rule {
    /// Binds a watch to a signal; none for what looks at devices or the service.
    ///
    /// # Errors
    /// [`WatchError`]: which field, and what is wrong with it.
    pub fn new(watch: &Watch, signal: Option<&SignalType>) -> Result<Self, WatchError> {
        let hours = check_words(watch)?;
        let test = match (watch.when.subject(), signal) {
            (Subject::Signal, Some(signal)) => of_signal(watch, signal)?,
            (Subject::Signal, None) => {
                return Err(wrong("on.signal", "is needed: this is about the readings of a signal"));
            }
            (Subject::Device | Subject::Service, _) => of_the_rest(watch)?,
        };
        Ok(Self {
            test,
            least: watch.least_quality,
            delay_on: span("delay_on_s", watch.delay_on_s, 0.0)?,
            delay_off: span("delay_off_s", watch.delay_off_s, 0.0)?,
            hours,
            severity: watch.severity,
        })
    }

    /// Whether the watch counts at a time.
    pub(super) fn counts_at(&self, at: Moment, zone: &TimeZone) -> bool {
        self.hours.is_empty() || self.hours.iter().any(|shift| shift.holds(at, zone))
    }

    /// Whether time alone changes what holds: the hours in which it counts begin and end.
    #[must_use]
    pub const fn has_hours(&self) -> bool {
        !self.hours.is_empty()
    }

    /// How far back one has to look to judge as if one had always looked.
    #[must_use]
    pub fn looks_back(&self) -> Micros {
        let window = match &self.test {
            Test::Changing { span, .. } | Test::Steady { span, .. } => *span,
            _ => 0,
        };
        Micros(window + self.delay_on + self.delay_off)
    }
}

fn check_words(watch: &Watch) -> Result<Vec<Shift>, WatchError> {
    if watch.name.trim().is_empty() || watch.name.chars().count() > MOST_NAME {
        return Err(wrong("name", format_args!("has 1 to {MOST_NAME} characters")));
    }
    if watch.advice.chars().count() > MOST_ADVICE {
        return Err(wrong("advice", format_args!("has at most {MOST_ADVICE} characters")));
    }
    if watch.on.device.is_some() && watch.on.kind.is_some() {
        return Err(wrong("on", "names a device or a kind, not both"));
    }
    if watch.on.except.len() > MOST_EXCEPT {
        return Err(wrong("on.except", format_args!("names at most {MOST_EXCEPT} devices")));
    }
    if !watch.deadband.is_finite() || watch.deadband < 0.0 {
        return Err(wrong("deadband", "is a number from 0 on"));
    }
    if watch.hours.len() > MOST_HOURS {
        return Err(wrong("hours", format_args!("are at most {MOST_HOURS}")));
    }
    let understood = |hours: &super::hours::Hours| {
        hours.understood().ok_or_else(|| {
            wrong("hours", format_args!("are from `08:00` to `18:00`, not from `{}` to `{}`", hours.from, hours.to))
        })
    };
    watch.hours.iter().map(understood).collect()
}

fn span(field: &'static str, seconds: f64, least_s: f64) -> Result<i64, WatchError> {
    if (least_s..=LONGEST_S).contains(&seconds) {
        return Ok(Micros::from_seconds(seconds).0);
    }
    Err(wrong(field, format_args!("is from {least_s} s to a week, 604800 s")))
}

fn finite(field: &'static str, number: f64) -> Result<f64, WatchError> {
    if number.is_finite() { Ok(number) } else { Err(wrong(field, "is a number")) }
}

/// From the unit of a limit to that of the signal.
struct Scale(Option<UnitChange>);

impl Scale {
    fn new(unit: Option<&str>, signal: &SignalType) -> Result<Self, WatchError> {
        let Some(unit) = unit else { return Ok(Self(None)) };
        let from =
            UnitCode::from_entry(unit).map_err(|error| wrong("when.unit", format_args!("is no unit: {error}")))?;
        let Some(own) = &signal.unit else {
            return Err(wrong("when.unit", "is of no use: the signal has no unit"));
        };
        let change = UnitChange::between(&from, own)
            .map_err(|error| wrong("when.unit", format_args!("does not fit the signal: {error}")))?;
        Ok(Self(Some(change)))
    }

    fn value(&self, number: f64) -> f64 {
        self.0.as_ref().map_or(number, |change| change.apply(number))
    }

    /// A difference near a value: units such as °F begin elsewhere.
    fn difference(&self, near: f64, difference: f64) -> f64 {
        (self.value(near + difference) - self.value(near)).abs()
    }
}

fn of_signal(watch: &Watch, signal: &SignalType) -> Result<Test, WatchError> {
    let wants = |value_type: ValueType| {
        if signal.value_type == value_type {
            return Ok(());
        }
        let (wanted, is) = (value_type.as_str(), signal.value_type.as_str());
        Err(wrong("when", format_args!("is about a {wanted}, and the signal is a {is}")))
    };
    let level = |low: Option<f64>, high: Option<f64>, unit: Option<&str>| {
        wants(ValueType::Number)?;
        let scale = Scale::new(unit, signal)?;
        let near = low.or(high).unwrap_or_default();
        let deadband = scale.difference(near, watch.deadband);
        Ok(Test::Level { low: low.map(|low| scale.value(low)), high: high.map(|high| scale.value(high)), deadband })
    };
    match &watch.when {
        When::Above { limit, unit } => level(None, Some(finite("when.limit", *limit)?), unit.as_deref()),
        When::Below { limit, unit } => level(Some(finite("when.limit", *limit)?), None, unit.as_deref()),
        When::Outside { low, high, unit } => {
            let (low, high) = (finite("when.low", *low)?, finite("when.high", *high)?);
            if low >= high {
                return Err(wrong("when.low", "is below `when.high`"));
            }
            if watch.deadband * 2.0 >= high - low {
                return Err(wrong("deadband", "is less than half the band, or nothing is ever back in it"));
            }
            level(Some(low), Some(high), unit.as_deref())
        }
        When::Changing { by, within_s, direction, unit } => {
            wants(ValueType::Number)?;
            if !by.is_finite() || *by <= 0.0 {
                return Err(wrong("when.by", "is a number above 0"));
            }
            if watch.deadband >= *by {
                return Err(wrong("deadband", "is less than `when.by`, or nothing is ever back"));
            }
            let scale = Scale::new(unit.as_deref(), signal)?;
            let (by, deadband) = (scale.difference(0.0, *by), scale.difference(0.0, watch.deadband));
            Ok(Test::Changing { by, span: span("when.within_s", *within_s, 1.0)?, direction: *direction, deadband })
        }
        When::Steady { for_s, within, unit } => {
            if !within.is_finite() || *within < 0.0 {
                return Err(wrong("when.within", "is a number from 0 on"));
            }
            if *within > 0.0 || unit.is_some() {
                wants(ValueType::Number)?;
            }
            let within = Scale::new(unit.as_deref(), signal)?.difference(0.0, *within);
            Ok(Test::Steady { within, span: span("when.for_s", *for_s, 1.0)? })
        }
        When::Flag { value } => wants(ValueType::Flag).map(|()| Test::Flag(*value)),
        When::Text { equals } => wants(ValueType::Text).map(|()| Test::Text(equals.clone())),
        When::Inside { area } | When::OutsideOf { area } => {
            wants(ValueType::Position)?;
            if let Some(fault) = area.fault() {
                return Err(wrong("when.area", fault));
            }
            let is_inside_wrong = matches!(watch.when, When::Inside { .. });
            Ok(Test::Place { area: area.clone(), is_inside_wrong })
        }
        When::Farther { latitude, longitude, than_m } => {
            wants(ValueType::Position)?;
            let from = Fix::new(*latitude, *longitude);
            if !from.is_real() {
                return Err(wrong("when.latitude", "and `when.longitude` are a place on the Earth, in degrees"));
            }
            if !than_m.is_finite() || *than_m <= 0.0 {
                return Err(wrong("when.than_m", "is a number of metres above 0"));
            }
            Ok(Test::Farther { from, than_m: *than_m, deadband_m: watch.deadband })
        }
        When::Doubtful {} => Ok(Test::Doubtful),
        _ => of_the_rest(watch),
    }
}

/// What looks at devices or the service is told a number or a flag.
fn of_the_rest(watch: &Watch) -> Result<Test, WatchError> {
    match &watch.when {
        When::Losses { above } if (0.0..1.0).contains(above) => {
            Ok(Test::Level { low: None, high: Some(*above), deadband: 0.0 })
        }
        When::Losses { .. } => Err(wrong("when.above", "is a share from 0 to 1, such as 0.2")),
        When::Disk { days } if (0.0..=3_650.0).contains(days) => {
            // What is nearly so does not come and go.
            Ok(Test::Level { low: Some(*days), high: None, deadband: days * 0.1 })
        }
        When::Pressed {} if watch.delay_on_s > 0.0 => {
            Err(wrong("delay_on_s", "does not go with a button, which is let go of at once"))
        }
        When::Disk { .. } => Err(wrong("when.days", "is a number of days from 0 to 3650")),
        _ => Ok(Test::Flag(true)),
    }
}

#[cfg(test)]
mod tests;
