//! What other signals said, as far as somebody needs it.

use crate::latest::Latest;
use lantern_core::meaning::{History, Others, SignalMeaning};
use lantern_core::{Moment, Reading, SignalId};
use lantern_store::{Order, Page, Store, StoreError};
use std::collections::HashMap;

/// The most readings of one other signal that are looked at for a delivery.
const MOST: u32 = 20_000;

/// Histories of signals that others need.
#[derive(Default)]
pub(crate) struct Context {
    histories: HashMap<SignalId, History>,
}

impl Context {
    /// Reads what a meaning needs to know for times from one to another.
    pub(crate) async fn learn(
        &mut self,
        store: &Store,
        latest: &Latest,
        meaning: &SignalMeaning,
        (first, last): (Moment, Moment),
    ) -> Result<(), StoreError> {
        let within = meaning.checked.within();
        for signal in &meaning.needs {
            if self.histories.contains_key(signal) {
                continue;
            }
            let mut history = History::keeping(last - first + within);
            let from = first - within;
            let known = latest.readings(*signal).await?;
            // What is remembered of late is enough for what is measured now.
            if known.first().is_some_and(|(at, _)| *at <= from) || known.len() < lantern_core::trend::WINDOW {
                for (at, value) in &known {
                    history.take(at.as_micros(), value.as_number().unwrap_or(f64::NAN), true);
                }
            } else {
                let page = Page { signal: *signal, from, to: last.next(), limit: MOST, order: Order::Descending };
                for point in Box::pin(store.points(page)).await?.iter().rev() {
                    let value = point.value.as_number().unwrap_or(f64::NAN);
                    history.take(point.at.as_micros(), value, point.quality.is_good());
                }
            }
            self.histories.insert(*signal, history);
        }
        Ok(())
    }

    /// Whether nobody needs anything.
    pub(crate) fn is_empty(&self) -> bool {
        self.histories.is_empty()
    }

    /// Takes in what is known now of a reading, if anybody needs it.
    pub(crate) fn note(&mut self, reading: &Reading) {
        if self.histories.is_empty() {
            return;
        }
        if let Some(history) = self.histories.get_mut(&reading.signal)
            && let Some(value) = reading.value.as_number()
        {
            history.take(reading.at.as_micros(), value, reading.quality.is_good());
        }
    }

    /// What a meaning sees of it.
    pub(crate) const fn seen_by<'a>(&'a self, needs: &'a [SignalId]) -> Seen<'a> {
        Seen { context: self, needs }
    }
}

/// Other signals as a meaning sees them.
#[derive(Clone, Copy)]
pub(crate) struct Seen<'a> {
    context: &'a Context,
    needs: &'a [SignalId],
}

impl Seen<'_> {
    fn history(&self, need: usize) -> Option<&History> {
        self.context.histories.get(self.needs.get(need)?)
    }
}

impl Others for Seen<'_> {
    fn last(&self, need: usize, at: i64) -> Option<(i64, f64)> {
        self.history(need)?.last(at)
    }
}
