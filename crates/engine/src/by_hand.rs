//! Readings that people enter and delete.

use crate::changes::{Change, Changes, Concerned};
use crate::checks::check_note;
use crate::clock;
use crate::latest::Latest;
use crate::meaning::{Context, Recompute, recompute};
use crate::plans::Plans;
use crate::problem::{Class, Problem};
use crate::publish::Publisher;
use lantern_api::NewHandReading;
use lantern_core::fix::Fix;
use lantern_core::intake::{MAX_AHEAD_SECONDS, MAX_BEHIND_SECONDS};
use lantern_core::meaning::{Memory, SignalMeaning};
use lantern_core::quality::Quality;
use lantern_core::screen::unscreened;
use lantern_core::series::Point;
use lantern_core::{Moment, Reading, Value, ValueType};
use lantern_store::{Device, HandReading, Signal, Store};
use std::sync::Arc;

/// Enters and deletes readings.
pub struct ByHand {
    pub(crate) store: Arc<Store>,
    pub(crate) plans: Arc<Plans>,
    pub(crate) latest: Arc<Latest>,
    pub(crate) changes: Arc<Changes>,
    pub(crate) publisher: Arc<Publisher>,
    pub(crate) recompute: Arc<Recompute>,
}

impl ByHand {
    /// Enters a reading. A signal that is reserved for its device refuses it.
    ///
    /// # Errors
    /// A [`Problem`] that says what cannot be so; nothing was kept then.
    pub async fn enter(
        &self,
        device: &Device,
        signal: &Signal,
        new: NewHandReading,
        person: &str,
    ) -> Result<Point, Problem> {
        if signal.is_reserved {
            return Err(Problem::new(
                Class::NotAllowed,
                "reserved",
                "Reserved for its device",
                format!("`{}` takes readings from its device only.", signal.code),
                "Enter it into another signal, or let an owner take the reservation away.",
            ));
        }
        let now = clock::now();
        let at = new.at.as_deref().map(Moment::parse).transpose().map_err(|e| Problem::invalid("at", e))?;
        let at = at.unwrap_or(now);
        if at.seconds_since(now) > MAX_AHEAD_SECONDS || now.seconds_since(at) > MAX_BEHIND_SECONDS {
            return Err(Problem::invalid("at", "not in the future, and within twenty years"));
        }
        let value = check_value(signal, new.value)?;
        let note = check_note(&new.note)?.to_owned();
        let hand = HandReading { at, person: person.to_owned(), note, entered_at: now };
        let meanings = self.plans.meanings(device.site).await?;
        if meanings.get(signal.id).is_some_and(|meaning| meaning.checked.formula().is_some()) {
            return Err(Problem::invalid("signal", format_args!("`{}` is worked out by a formula", signal.code)));
        }
        let quality = match meanings.get(signal.id) {
            Some(meaning) => self.quality(meaning, at, &value).await?,
            None => Quality::Good,
        };
        let readings = Arc::new(vec![Reading { quality, ..Reading::good(signal.id, at, value.clone()) }]);
        let derived = recompute::because_of(&meanings, signal.id, (at, at));
        self.store.record_with(readings.clone(), derived, now).await?;
        self.recompute.wake();
        self.store.note_hand_reading(signal.id, &hand).await?;
        self.latest.note(&readings);
        let plan = self.plans.device(device.id).await?;
        self.publisher.readings(&plan, &readings, 0..1);
        self.changes.carry(Change::HandReading(Concerned::from(device))).await;
        Ok(Point { quality, ..Point::good(at, value) })
    }

    /// What can be believed of it by itself: what people enter comes out of turn, so what
    /// was before tells nothing of it.
    async fn quality(&self, meaning: &SignalMeaning, at: Moment, value: &Value) -> Result<Quality, Problem> {
        let mut context = Context::default();
        context.learn(&self.store, &self.latest, meaning, (at, at)).await?;
        let others = context.seen_by(&meaning.needs);
        let at = at.as_micros();
        Ok(meaning.checked.judge(at, value, unscreened(value), None, &others, &mut Memory::default()))
    }

    /// Deletes the readings of a signal from a time on and before another.
    ///
    /// # Errors
    /// A [`Problem`]; nothing was deleted then.
    pub async fn delete(&self, device: &Device, signal: &Signal, (from, to): (Moment, Moment)) -> Result<(), Problem> {
        let meanings = self.plans.meanings(device.site).await?;
        let derived = recompute::because_of(&meanings, signal.id, (from, to));
        self.store.delete_readings(signal.id, (from, to), derived).await?;
        self.recompute.wake();
        self.changes.carry(Change::Readings(Concerned::from(device), vec![signal.id])).await;
        Ok(())
    }
}

fn check_value(signal: &Signal, value: Value) -> Result<Value, Problem> {
    let wanted = signal.value_type.unwrap_or(value.value_type());
    let value = match &value {
        Value::Text(text) if wanted == ValueType::Position => {
            text.parse::<Fix>().map_err(|no_fix| Problem::invalid("value", no_fix))?.into()
        }
        _ => value,
    };
    if value.value_type() != wanted {
        return Err(Problem::invalid("value", format_args!("`{}` is a {} signal", signal.code, wanted.as_str())));
    }
    match &value {
        Value::Text(text) if text.len() > Value::MAX_TEXT => {
            Err(Problem::invalid("value", format_args!("a text has at most {} bytes", Value::MAX_TEXT)))
        }
        Value::Position(fix) if !fix.is_real() => Err(Problem::invalid("value", "it is no place on the Earth")),
        _ => Ok(value),
    }
}
