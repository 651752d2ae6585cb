//! The part of the intake that gives values their meaning: what was sent is
//! converted and screened, and derived signals are noted to be worked out.

use super::context::Context;
use super::recompute::{self, Recompute};
use crate::documents;
use crate::latest::Latest;
use crate::memories::SiteMemories;
use crate::problem::Problem;
use lantern_core::meaning::{Memory, SignalMeaning, SiteMeanings};
use lantern_core::quality::{Cause, Quality};
use lantern_core::state::StateChange;
use lantern_core::{Moment, Reading, SignalId, Value};
use lantern_store::{Pending, Recorded, Store};
use std::collections::HashMap;
use std::sync::Arc;

/// What became of the readings of a delivery.
pub(crate) struct IntakeOutcome {
    pub(crate) readings: Arc<Vec<Reading>>,
    pub(crate) recorded: Recorded,
    /// Readings that are suspect or rejected.
    pub(crate) not_good: usize,
}

/// Converts, screens and records.
pub(crate) struct Converter {
    pub(crate) store: Arc<Store>,
    pub(crate) latest: Arc<Latest>,
    pub(crate) recompute: Arc<Recompute>,
}

impl Converter {
    /// Converts, screens and records what was sent, together with `changes`. Whoever calls
    /// it holds a [`Pass`](crate::memories::Pass) of the site.
    ///
    /// # Errors
    /// A [`Problem`]; nothing was kept then.
    pub(crate) async fn apply(
        &self,
        memories: &SiteMemories,
        meanings: &SiteMeanings,
        mut readings: Vec<Reading>,
        changes: Vec<StateChange>,
        now: Moment,
    ) -> Result<IntakeOutcome, Problem> {
        if meanings.is_empty() {
            let readings = Arc::new(readings);
            let recorded = self.store.record_with(readings.clone(), changes, now).await?;
            return Ok(IntakeOutcome { not_good: not_good(&readings), readings, recorded });
        }
        let work = Work::of(meanings, &mut readings);
        let mut context = Context::default();
        for part in &work.parts {
            context.learn(&self.store, &self.latest, &part.meaning, part.span(&readings)).await?;
        }
        for part in work.remembering() {
            memories.load(&self.store, &part.meaning).await?;
        }
        let Queued { pending, readings, has_derived } =
            self.queue_up(memories, meanings, &work, &mut context, readings, changes, now)?;
        let recorded = match pending.recorded().await {
            Ok(recorded) => recorded,
            Err(error) => {
                memories.forget(work.parts.iter().map(|part| part.meaning.signal));
                return Err(error.into());
            }
        };
        if has_derived {
            self.recompute.wake();
        }
        Ok(IntakeOutcome { not_good: not_good(&readings), readings, recorded })
    }

    /// Converts, screens and puts into the recorder's queue, before anybody else can go on
    /// from what the meanings remember.
    #[allow(clippy::too_many_arguments, reason = "the parts of one delivery")]
    fn queue_up(
        &self,
        memories: &SiteMemories,
        meanings: &SiteMeanings,
        work: &Work,
        context: &mut Context,
        mut readings: Vec<Reading>,
        mut changes: Vec<StateChange>,
        now: Moment,
    ) -> Result<Queued, Problem> {
        let mut known = work.remembering().next().is_some().then(|| memories.lock());
        let mut own: HashMap<SignalId, Memory> = HashMap::new();
        for part in work.remembering() {
            let memory = known.as_ref().and_then(|known| known.get(&part.meaning.signal)).cloned();
            own.insert(part.meaning.signal, memory.unwrap_or_default());
        }
        work.run(&mut readings, context, &mut own, now);
        for part in work.remembering().filter(|part| part.meaning.checked.conversion_remembers()) {
            let signal = part.meaning.signal;
            let memory = documents::write(&own[&signal])?.into_bytes();
            changes.push(StateChange::Remember { signal, memory });
        }
        let derived = recompute::because_of_readings(meanings, &readings);
        let has_derived = !derived.is_empty();
        changes.extend(derived);
        let readings = Arc::new(readings);
        let pending = self.store.queue_up(readings.clone(), changes, now)?;
        if let Some(known) = &mut known {
            known.extend(own);
        }
        Ok(Queued { pending, readings, has_derived })
    }
}

/// A delivery in the recorder's queue.
struct Queued {
    pending: Pending,
    readings: Arc<Vec<Reading>>,
    /// Whether derived signals have to be worked out because of it.
    has_derived: bool,
}

fn not_good(readings: &[Reading]) -> usize {
    readings.iter().filter(|reading| !reading.quality.is_good()).count()
}

/// The readings of a delivery that are of one signal with a meaning.
struct Part {
    meaning: Arc<SignalMeaning>,
    /// Their places, in order of time.
    places: Vec<usize>,
}

impl Part {
    fn span(&self, readings: &[Reading]) -> (Moment, Moment) {
        let at = |place: Option<&usize>| place.map_or(Moment::EPOCH, |place| readings[*place].at);
        (at(self.places.first()), at(self.places.last()))
    }
}

/// What there is to do with a delivery.
struct Work {
    /// In the order in which they need each other.
    parts: Vec<Part>,
}

impl Work {
    /// Sorts a delivery out. What no longer has a meaning that holds is kept as it
    /// was sent, and rejected.
    fn of(meanings: &SiteMeanings, readings: &mut [Reading]) -> Self {
        let mut parts: Vec<Part> = Vec::new();
        let mut known: HashMap<SignalId, Option<usize>> = HashMap::new();
        // Deliveries mostly have the same signals again and again, in the same order.
        let mut guess = 0;
        for (place, reading) in readings.iter_mut().enumerate() {
            let is_guessed = parts.get(guess).is_some_and(|part| part.meaning.signal == reading.signal);
            let found = if is_guessed {
                Some(guess)
            } else {
                *known.entry(reading.signal).or_insert_with(|| {
                    let meaning = meanings.get(reading.signal).filter(|m| m.checked.formula().is_none())?;
                    parts.push(Part { meaning: meaning.clone(), places: Vec::new() });
                    Some(parts.len() - 1)
                })
            };
            if let Some(found) = found {
                parts[found].places.push(place);
                guess = if found + 1 < parts.len() { found + 1 } else { 0 };
            } else if meanings.is_broken(reading.signal) {
                if let Value::Number(sent) = reading.value {
                    reading.raw = Some(sent);
                }
                reading.quality = Quality::Rejected(Cause::Conversion);
            }
        }
        parts.sort_by_key(|part| (meanings.rank(part.meaning.signal), part.meaning.signal));
        for part in &mut parts {
            part.places.sort_by_key(|place| readings[*place].at);
        }
        Self { parts }
    }

    /// The parts whose meanings remember something.
    fn remembering(&self) -> impl Iterator<Item = &Part> {
        self.parts.iter().filter(|part| part.meaning.checked.remembers())
    }

    fn run(
        &self,
        readings: &mut [Reading],
        context: &mut Context,
        memories: &mut HashMap<SignalId, Memory>,
        now: Moment,
    ) {
        let touched: Vec<SignalId> = self.parts.iter().map(|part| part.meaning.signal).collect();
        // A signal without a meaning is seen by others as it was sent.
        if !context.is_empty() {
            readings.iter().filter(|one| !touched.contains(&one.signal)).for_each(|one| context.note(one));
        }
        let mut none = Memory::default();
        for part in &self.parts {
            let memory = memories.get_mut(&part.meaning.signal).unwrap_or(&mut none);
            part.convert(readings, context, memory);
            part.screen(readings, context, memory, now);
        }
    }
}

impl Part {
    fn convert(&self, readings: &mut [Reading], context: &mut Context, memory: &mut Memory) {
        let checked = &self.meaning.checked;
        for place in &self.places {
            let reading = &mut readings[*place];
            if checked.converts()
                && let Value::Number(raw) = reading.value
                && reading.quality.is_good()
            {
                let others = context.seen_by(&self.meaning.needs);
                let (value, quality) = checked.convert(reading.at.as_micros(), raw, &others, memory);
                reading.raw = Some(raw);
                reading.value = Value::Number(value);
                reading.quality = quality;
            }
            context.note(reading);
        }
    }

    fn screen(&self, readings: &mut [Reading], context: &mut Context, memory: &mut Memory, now: Moment) {
        let checked = &self.meaning.checked;
        if !checked.screens() {
            return;
        }
        for place in &self.places {
            let reading = &mut readings[*place];
            let others = context.seen_by(&self.meaning.needs);
            let (at, late) = (reading.at.as_micros(), Some(now.as_micros() - reading.at.as_micros()));
            reading.quality = checked.judge(at, &reading.value, reading.quality, late, &others, memory);
            context.note(reading);
        }
    }
}
