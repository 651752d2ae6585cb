//! What one reading says.

use super::area::Area;
use super::window::Window;
use super::written::{Direction, Least};
use crate::fix::Fix;
use crate::quality::Quality;
use crate::{Moment, Value};
use serde::{Deserialize, Serialize};

/// A reading that is looked at.
#[derive(Debug, Clone, Copy)]
pub struct Seen<'v> {
    /// When it was taken.
    pub at: Moment,
    /// Its value.
    pub value: &'v Value,
    /// How far it can be trusted.
    pub quality: Quality,
}

/// What is looked for, in the signal's own unit; spans in microseconds.
#[derive(Debug, Clone, PartialEq)]
pub(super) enum Test {
    Level { low: Option<f64>, high: Option<f64>, deadband: f64 },
    Changing { by: f64, span: i64, direction: Direction, deadband: f64 },
    Steady { within: f64, span: i64 },
    Flag(bool),
    Text(String),
    Place { area: Area, is_inside_wrong: bool },
    Farther { from: Fix, than_m: f64, deadband_m: f64 },
    Doubtful,
}

/// What a test remembers between readings.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
pub(super) struct Remembered {
    /// What it said last.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(super) said: Option<bool>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    window: Option<Window>,
    /// A value that is no number, and since when it has been so.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    held: Option<(Value, i64)>,
}

impl Test {
    /// Whether something is wrong by a reading; none if it says nothing.
    pub(super) fn says(&self, seen: Seen<'_>, least: Least, memory: &mut Remembered) -> Option<bool> {
        let counts = match seen.quality {
            Quality::Good => true,
            Quality::Suspect(_) => least == Least::Suspect,
            Quality::Rejected(_) => false,
        };
        if *self == Self::Doubtful {
            memory.said = Some(!seen.quality.is_good());
        } else if counts {
            // A value of another type than is looked for says nothing.
            memory.said = self.of_value(seen, memory).or(memory.said);
        } else {
            return None;
        }
        memory.said
    }

    fn of_value(&self, seen: Seen<'_>, memory: &mut Remembered) -> Option<bool> {
        let was_wrong = memory.said.unwrap_or(false);
        match self {
            Self::Level { low, high, deadband } => {
                let value = seen.value.as_number()?;
                // What is wrong has to come back by the deadband.
                let back = if was_wrong { *deadband } else { 0.0 };
                let is_low = low.is_some_and(|low| if was_wrong { value < low + back } else { value < low });
                let is_high = high.is_some_and(|high| if was_wrong { value > high - back } else { value > high });
                Some(is_low || is_high)
            }
            Self::Changing { by, span, direction, deadband } => {
                let value = seen.value.as_number()?;
                let window = memory.window.get_or_insert_default();
                window.take(seen.at.as_micros(), value, *span);
                let (low, high) = window.extremes()?;
                let (rise, fall) = (value - low, high - value);
                let by = if was_wrong { by - deadband } else { *by };
                Some(match direction {
                    Direction::Rises => rise > by,
                    Direction::Falls => fall > by,
                    Direction::Either => rise.max(fall) > by,
                })
            }
            Self::Steady { within, span } => Some(is_steady(seen, *within, *span, memory)),
            Self::Flag(wrong) => match seen.value {
                Value::Flag(value) => Some(value == wrong),
                _ => None,
            },
            Self::Text(wrong) => match seen.value {
                Value::Text(text) => Some(text == wrong),
                _ => None,
            },
            Self::Place { area, is_inside_wrong } => Some(area.holds(seen.value.as_fix()?) == *is_inside_wrong),
            Self::Farther { from, than_m, deadband_m } => {
                let back = if was_wrong { *deadband_m } else { 0.0 };
                Some(seen.value.as_fix()?.distance_m(from)? > than_m - back)
            }
            Self::Doubtful => None,
        }
    }
}

fn is_steady(seen: Seen<'_>, within: f64, span: i64, memory: &mut Remembered) -> bool {
    let at = seen.at.as_micros();
    if let Some(number) = seen.value.as_number() {
        let window = memory.window.get_or_insert_default();
        window.take(at, number, span);
        let is_within = window.extremes().is_some_and(|(low, high)| high - low <= within);
        return is_within && window.is_full(at, span);
    }
    match &memory.held {
        Some((value, since)) if value == seen.value => at - since >= span,
        _ => {
            memory.held = Some((seen.value.clone(), at));
            false
        }
    }
}
