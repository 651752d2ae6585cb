//! Readings made again from what was sent, with another meaning than they had.

use super::alongside::Alongside;
use lantern_core::meaning::{Memory, SignalMeaning};
use lantern_core::quality::{Cause, Quality};
use lantern_core::screen::unscreened;
use lantern_core::series::{Point, Run};
use lantern_core::{Micros, Moment, SignalId, Value};
use lantern_store::{Store, StoreError};
use std::collections::HashSet;

/// Readings entered by hand that are known to be such.
const HANDS: u32 = 100_000;

/// Readings with another meaning than they had.
pub(super) struct Remake<'a> {
    meaning: Option<&'a SignalMeaning>,
    alongside: Alongside<'a>,
    /// Times of readings that people entered: they are what they are.
    hands: HashSet<i64>,
}

impl<'a> Remake<'a> {
    pub(super) async fn new(
        store: &'a Store,
        signal: SignalId,
        meaning: Option<&'a SignalMeaning>,
        (from, to): (Moment, Moment),
    ) -> Result<Self, StoreError> {
        let (needs, within) = meaning.map_or((&[][..], Micros::ZERO), |m| (&m.needs[..], m.checked.within()));
        let alongside = Alongside::new(store, needs, within, from - within, to).await?;
        let hands = store.hand_readings(signal, from, to, HANDS).await?;
        Ok(Self { meaning, alongside, hands: hands.into_iter().map(|hand| hand.at.as_micros()).collect() })
    }

    /// What becomes of the next readings, in order of time.
    pub(super) async fn run(&mut self, old: &Run, memory: &mut Memory) -> Result<Run, StoreError> {
        let mut new = Run::default();
        for point in old.points() {
            new.push(self.point(point, memory).await?);
        }
        Ok(new)
    }

    async fn point(&mut self, old: Point, memory: &mut Memory) -> Result<Point, StoreError> {
        let at = old.at.as_micros();
        if self.hands.contains(&at) {
            return self.by_hand(old).await;
        }
        // How late it came is not known any more; that it was too late is.
        let was_late = old.quality == Quality::Suspect(Cause::Time);
        let sent = old.sent();
        // No meaning makes a number of a text.
        let is_text = old.quality == Quality::Rejected(Cause::Type);
        let quality = if is_text { old.quality } else { unscreened(&sent) };
        let mut new = Point { at: old.at, value: sent, quality, raw: None };
        if let Some(meaning) = self.meaning {
            self.alongside.reach(at).await?;
            if meaning.checked.converts()
                && let Value::Number(raw) = new.value
            {
                let (value, quality) = meaning.checked.convert(at, raw, &self.alongside, memory);
                new = Point { value: Value::Number(value), quality, raw: Some(raw), ..new };
            }
            new.quality = meaning.checked.judge(at, &new.value, new.quality, None, &self.alongside, memory);
        }
        if new.quality.is_good() && was_late {
            new.quality = old.quality;
        }
        Ok(new)
    }

    /// What people entered is no raw value: it is judged by itself, and stays as it is.
    async fn by_hand(&mut self, old: Point) -> Result<Point, StoreError> {
        let at = old.at.as_micros();
        let mut quality = unscreened(&old.value);
        if let Some(meaning) = self.meaning {
            self.alongside.reach(at).await?;
            quality = meaning.checked.judge(at, &old.value, quality, None, &self.alongside, &mut Memory::default());
        }
        Ok(Point { quality, ..old })
    }
}
