//! A derived signal, worked out over a time from what its inputs said.

use super::alongside::{Alongside, Cursor, before};
use lantern_core::Moment;
use lantern_core::meaning::{Derivation, Memory, SignalMeaning};
use lantern_core::quality::Quality;
use lantern_core::series::{Point, Run};
use lantern_store::{Store, StoreError};

/// A derived signal as it is worked out over a time.
pub(super) struct Evaluation<'a> {
    meaning: &'a SignalMeaning,
    derivation: Derivation<'a>,
    cursors: Vec<Cursor<'a>>,
    alongside: Alongside<'a>,
    from: i64,
}

impl<'a> Evaluation<'a> {
    /// From a time on and before another.
    pub(super) async fn new(
        store: &'a Store,
        meaning: &'a SignalMeaning,
        from: Moment,
        to: Moment,
    ) -> Result<Self, StoreError> {
        let mut derivation =
            Derivation::new(&meaning.checked).ok_or_else(|| StoreError::Damaged("a formula is not there".into()))?;
        let start = from - derivation.looks_back();
        let mut cursors = Vec::new();
        for (place, signal) in meaning.inputs.iter().enumerate() {
            for point in before(store, *signal, start, 2).await? {
                take(&mut derivation, place, &point);
            }
            cursors.push(Cursor::new(store.scan(*signal, start, to)));
        }
        let within = meaning.checked.within();
        let alongside = Alongside::new(store, &meaning.needs, within, start, to).await?;
        Ok(Self { meaning, derivation, cursors, alongside, from: from.as_micros() })
    }

    /// The next readings, at most so many; `None` at the end.
    pub(super) async fn next(&mut self, memory: &mut Memory, most: usize) -> Result<Option<Run>, StoreError> {
        let mut run = Run::default();
        while run.len() < most {
            for cursor in &mut self.cursors {
                cursor.fill().await?;
            }
            let Some(at) = self.cursors.iter().filter_map(Cursor::peek).min() else { break };
            let mut has_come = false;
            for (place, cursor) in self.cursors.iter_mut().enumerate() {
                if cursor.peek() == Some(at)
                    && let Some(point) = cursor.take()
                {
                    has_come |= take(&mut self.derivation, place, &point);
                }
            }
            if !has_come || at < self.from {
                continue;
            }
            let Some(value) = self.derivation.value(at) else { continue };
            self.alongside.reach(at).await?;
            let checked = &self.meaning.checked;
            let quality = checked.screen(at, value, Quality::Good, None, &self.alongside, memory);
            let Some(at) = Moment::from_micros(at) else { continue };
            run.push(Point { at, value: checked.value(value), quality, raw: None });
        }
        Ok((!run.is_empty()).then_some(run))
    }
}

/// Takes in a value of an input if it is good, and says whether it is of use.
fn take(derivation: &mut Derivation<'_>, place: usize, point: &Point) -> bool {
    point.quality.is_good() && derivation.take(place, point.at.as_micros(), &point.value)
}
