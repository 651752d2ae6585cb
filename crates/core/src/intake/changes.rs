//! Values in other units than their signals have.

use super::{PlannedSignal, shown};
use crate::decode::{Item, Raw};
use crate::quality::{Cause, Quality};
use crate::units::{UnitChange, UnitCode};
use crate::{Reading, Refusal, RefusalCode, Value, ValueType};

/// Changes of unit that have come up in a delivery: its values mostly have the
/// same few units, and reading a unit takes as long as placing a hundred values.
#[derive(Default)]
pub(super) struct Changes(Vec<KnownChange>);

struct KnownChange {
    sent: String,
    declared: String,
    change: Option<UnitChange>,
}

impl Changes {
    /// Changes that are remembered: looking through more would take as long again.
    const MOST: usize = 16;

    /// How a value in another unit than the signal's becomes one in it; `None` if
    /// it is in that already.
    pub(super) fn of(&mut self, item: &Item<'_>, signal: &PlannedSignal) -> Result<Option<&UnitChange>, Refusal> {
        let (Some(sent), Some(declared)) = (&item.unit, &signal.unit) else { return Ok(None) };
        if sent == declared {
            return Ok(None);
        }
        let known = self.0.iter().position(|known| known.sent == *sent && known.declared == *declared);
        let place = match known {
            Some(place) => place,
            None => {
                let change = change_of_unit(item, sent, declared)?;
                // Who names a new unit with each value has to wait for it.
                if self.0.len() >= Self::MOST {
                    self.0.clear();
                }
                self.0.push(KnownChange { sent: sent.to_string(), declared: declared.clone(), change });
                self.0.len() - 1
            }
        };
        Ok(self.0[place].change.as_ref())
    }
}

/// From the unit that was sent to the signal's; what measures something else is not
/// taken.
fn change_of_unit(item: &Item<'_>, sent: &str, declared: &str) -> Result<Option<UnitChange>, Refusal> {
    let mismatch = |detail| Refusal::of(RefusalCode::UnitMismatch, &item.name, detail);
    let name = shown(&item.name);
    let Ok(from) = UnitCode::from_entry(sent) else {
        return Err(mismatch(format!("`{name}` is in {declared}, but was sent in {}, which is no unit.", shown(sent))));
    };
    let Ok(to) = UnitCode::parse(declared) else { return Ok(None) };
    let change = UnitChange::between(&from, &to)
        .map_err(|error| mismatch(format!("`{name}` is in {declared}, but was sent in {}: {error}.", shown(sent))))?;
    Ok((!change.is_identity()).then_some(change))
}

/// A reading in the unit that is expected. What cannot be had in it is kept as it
/// was sent, and rejected.
pub(super) fn in_unit(change: &UnitChange, sent: Reading) -> Reading {
    let Value::Number(number) = sent.value else { return sent };
    match change.apply(number) {
        changed if changed.is_finite() => Reading { value: Value::Number(changed), ..sent },
        _ => Reading { quality: Quality::Rejected(Cause::Conversion), raw: Some(number), ..sent },
    }
}

/// A text such as `71.6 °F`, sent where a number with a unit belongs, as that number with its
/// unit; others stay as they are.
pub(super) fn with_unit_apart<'a>(item: Item<'a>, signal: &PlannedSignal) -> Item<'a> {
    let is_wanted = signal.value_type == Some(ValueType::Number) && signal.unit.is_some() && item.unit.is_none();
    match &item.value {
        Raw::Text(text) if is_wanted => match number_and_unit(text) {
            Some((number, unit)) => Item { value: Raw::Number(number), unit: Some(unit.to_owned().into()), ..item },
            None => item,
        },
        _ => item,
    }
}

fn number_and_unit(text: &str) -> Option<(f64, &str)> {
    let text = text.trim();
    let end = text.find(char::is_whitespace).or_else(|| text.find(|c| !matches!(c, '0'..='9' | '+' | '-' | '.')))?;
    let (number, unit) = (text[..end].parse().ok().filter(|number: &f64| number.is_finite())?, text[end..].trim());
    UnitCode::from_entry(unit).is_ok().then_some((number, unit))
}
