//! From named raw values to readings of a device's signals.

mod changes;
mod joining;
mod plan;
mod types;

pub use crate::decode::MAX_AHEAD_SECONDS;
pub use joining::join;
pub use plan::{Plan, PlannedSignal};
pub use types::adapt;

use crate::decode::{Decoded, Item, Raw, Remark, note};
use crate::quality::{Cause, Quality};
use crate::screen::unscreened;
use crate::units::UnitCode;
use crate::{Moment, Reading, Refusal, RefusalCode, Value, code};
use changes::{Changes, in_unit, with_unit_apart};
use joining::is_loose;
use types::{convert, no_number};

/// How long ago a time may be, in seconds (twenty years): before that lie the
/// years at which the clocks of boards begin to count.
pub const MAX_BEHIND_SECONDS: f64 = 20.0 * 365.25 * 86_400.0;

/// A value under a name the device does not have yet.
#[derive(Debug, Clone, PartialEq)]
pub struct Arrival {
    /// The sender's name for it.
    pub name: String,
    /// When it was measured.
    pub at: Moment,
    /// What was sent.
    pub value: Value,
    /// The unit the sender names, if it is one.
    pub unit: Option<String>,
}

/// What one value comes to.
#[derive(Debug, Clone, PartialEq)]
pub enum Placed {
    /// A reading of a signal, or of an arrival that waits already.
    Reading(Reading),
    /// A text where a number belongs: a reading that is kept and rejected, and what its sender
    /// is told.
    Rejected(Reading, Remark),
    /// A value of a name not seen before on this device.
    Arrival(Arrival),
    /// A value of a name that is passed over.
    Ignored,
}

/// What a delivery came to.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Understood {
    /// Readings of known names, declared ones and arrivals alike.
    pub readings: Vec<Reading>,
    /// Values of names not seen before on this device.
    pub arrivals: Vec<Arrival>,
    /// What was not taken.
    pub refused: Vec<Refusal>,
    /// What was taken, but is worth knowing.
    pub remarks: Vec<Remark>,
    /// Values of names that are passed over.
    pub ignored: usize,
}

/// Matches the values of a delivery with the signals of its device. Values
/// without a time get `now`; good values are kept beside bad ones.
#[must_use]
pub fn understand(plan: &Plan, decoded: Decoded<'_>, now: Moment) -> Understood {
    let mut understood = Understood { refused: decoded.refused, remarks: decoded.remarks, ..Understood::default() };
    understood.readings.reserve(decoded.items.len());
    let mut changes = Changes::default();
    // Few deliveries have names that are no signals, and those may be parts of a position.
    let mut loose = Vec::new();
    for item in decoded.items {
        match plan.get(&item.name) {
            Some(signal) if !is_loose(Some(signal), &item) => {
                understood.take(place_with(Some(signal), item, now, &mut changes));
            }
            _ => loose.push(item),
        }
    }
    for item in join(plan, loose, &mut understood.refused) {
        understood.take(place_with(plan.get(&item.name), item, now, &mut changes));
    }
    understood
}

impl Understood {
    fn take(&mut self, placed: Result<Placed, Refusal>) {
        match placed {
            Ok(Placed::Reading(reading)) => self.readings.push(reading),
            Ok(Placed::Rejected(reading, remark)) => {
                self.readings.push(reading);
                note(&mut self.remarks, remark);
            }
            Ok(Placed::Arrival(arrival)) => self.arrivals.push(arrival),
            Ok(Placed::Ignored) => self.ignored += 1,
            Err(refusal) => self.refused.push(refusal),
        }
    }
}

/// Says what one value comes to, after [`join`] has put together what is one.
///
/// # Errors
/// A [`Refusal`] of this value.
pub fn place(plan: &Plan, item: Item<'_>, now: Moment) -> Result<Placed, Refusal> {
    place_with(plan.get(&item.name), item, now, &mut Changes::default())
}

fn place_with(
    signal: Option<&PlannedSignal>,
    item: Item<'_>,
    now: Moment,
    changes: &mut Changes,
) -> Result<Placed, Refusal> {
    let at = item.at.unwrap_or(now);
    check_time(&item, at, now)?;
    match signal {
        Some(signal) if signal.is_ignored => Ok(Placed::Ignored),
        Some(signal) if signal.is_derived => {
            let detail = format!("`{}` is worked out by a formula from other signals.", shown(&item.name));
            Err(Refusal::of(RefusalCode::Derived, &item.name, detail))
        }
        Some(signal) => {
            let item = if matches!(item.value, Raw::Text(_)) { with_unit_apart(item, signal) } else { item };
            if let Some((value, remark)) = no_number(&item, signal)? {
                let quality = Quality::Rejected(Cause::Type);
                return Ok(Placed::Rejected(Reading { quality, ..Reading::good(signal.id, at, value) }, remark));
            }
            let change = changes.of(&item, signal)?;
            let value = convert(&item.name, item.value, signal.value_type)?;
            let quality = unscreened(&value);
            let reading = Reading { quality, ..Reading::good(signal.id, at, value) };
            Ok(Placed::Reading(match change {
                Some(change) => in_unit(change, reading),
                None => reading,
            }))
        }
        None => arrival(item, at).map(Placed::Arrival),
    }
}

fn check_time(item: &Item<'_>, at: Moment, now: Moment) -> Result<(), Refusal> {
    let ahead = at.seconds_since(now);
    let (code, detail) = if ahead > MAX_AHEAD_SECONDS {
        let detail = format!(
            "The time {at} of `{}` is {} ahead of the service's clock ({now}).",
            shown(&item.name),
            rough_duration(ahead)
        );
        (RefusalCode::TimeInFuture, detail)
    } else if -ahead > MAX_BEHIND_SECONDS {
        (RefusalCode::TimeTooOld, format!("The time {at} of `{}` is over twenty years ago.", shown(&item.name)))
    } else {
        return Ok(());
    };
    Err(Refusal::of(code, &item.name, detail))
}

fn arrival(item: Item<'_>, at: Moment) -> Result<Arrival, Refusal> {
    code::check_signal(&item.name).map_err(|e| {
        Refusal::of(RefusalCode::BadName, &item.name, format!("`{}` cannot name a signal: {e}.", shown(&item.name)))
    })?;
    let value = convert(&item.name, item.value, None)?;
    let unit = item.unit.and_then(|unit| UnitCode::from_entry(&unit).ok()).map(|unit| unit.as_str().to_owned());
    Ok(Arrival { name: item.name.into_owned(), at, value, unit })
}

fn shown(text: &str) -> String {
    text.chars().take(40).collect()
}

fn rough_duration(seconds: f64) -> String {
    match seconds {
        s if s < 7200.0 => format!("{:.0} minutes", s / 60.0),
        s if s < 172_800.0 => format!("{:.0} hours", s / 3600.0),
        s => format!("{:.0} days", s / 86_400.0),
    }
}

#[cfg(test)]
mod tests;
