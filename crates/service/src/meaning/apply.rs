//! The part of the intake that gives values their meaning: what was sent is
//! converted and screened, and derived signals are noted as due.

use super::context::Context;
use super::{SignalMeaning, SiteMeanings};
use crate::app::App;
use crate::problem::Problem;
use lantern_core::meaning::{Memory, Want};
use lantern_core::quality::{Cause, Quality};
use lantern_core::state::StateChange;
use lantern_core::{Moment, Reading, SignalId, Value};
use lantern_store::Recorded;
use std::collections::{BTreeMap, HashMap};
use std::sync::Arc;

/// What became of a delivery.
pub(crate) struct Meant {
    pub(crate) readings: Arc<Vec<Reading>>,
    pub(crate) recorded: Recorded,
    /// Readings that are suspect or rejected.
    pub(crate) not_good: usize,
}

/// Converts, screens and records what was sent, together with `changes`. Whoever calls
/// it holds [`Memories::gate`](super::Memories::gate).
///
/// # Errors
/// A [`Problem`]; nothing was kept then.
pub(crate) async fn apply(
    app: &App,
    meanings: &SiteMeanings,
    mut readings: Vec<Reading>,
    mut changes: Vec<StateChange>,
    now: Moment,
) -> Result<Meant, Problem> {
    if meanings.is_empty() {
        let readings = Arc::new(readings);
        let recorded = app.store.record_with(readings.clone(), changes, now).await?;
        let not_good = not_good(&readings);
        return Ok(Meant { readings, recorded, not_good });
    }
    let work = Work::of(meanings, &mut readings);
    let mut context = Context::default();
    for part in &work.parts {
        context.learn(app, &part.meaning, part.span(&readings)).await?;
    }
    let remembering: Vec<&Part> = work.parts.iter().filter(|part| part.meaning.checked.remembers()).collect();
    for part in &remembering {
        app.memories.load(&app.store, &part.meaning).await?;
    }
    let (pending, readings, has_due) = {
        let mut known = if remembering.is_empty() { None } else { Some(app.memories.lock()) };
        let mut memories: HashMap<SignalId, Memory> = HashMap::new();
        for part in &remembering {
            let memory = known.as_ref().and_then(|known| known.get(&part.meaning.signal)).cloned();
            memories.insert(part.meaning.signal, memory.unwrap_or_default());
        }
        work.run(&mut readings, &mut context, &mut memories, now);
        for part in remembering.iter().filter(|part| part.meaning.checked.conversion_remembers()) {
            let signal = part.meaning.signal;
            let memory = serde_json::to_vec(&memories[&signal]).unwrap_or_default();
            changes.push(StateChange::Remember { signal, memory });
        }
        let due = due_by(meanings, &readings);
        let has_due = !due.is_empty();
        changes.extend(due);
        let readings = Arc::new(readings);
        // In the queue before anybody else can take the memories on from here.
        let pending = app.store.queue_up(readings.clone(), changes, now)?;
        if let Some(known) = &mut known {
            known.extend(memories);
        }
        (pending, readings, has_due)
    };
    let recorded = match pending.recorded().await {
        Ok(recorded) => recorded,
        Err(error) => {
            app.memories.forget(work.parts.iter().map(|part| part.meaning.signal));
            return Err(error.into());
        }
    };
    if has_due {
        app.deriver.wake();
    }
    let not_good = not_good(&readings);
    Ok(Meant { readings, recorded, not_good })
}

fn not_good(readings: &[Reading]) -> usize {
    readings.iter().filter(|reading| !reading.quality.is_good()).count()
}

/// Derived signals that have to be worked out because of a change of one signal.
pub(crate) fn due(meanings: &SiteMeanings, signal: SignalId, (from, to): (Moment, Moment)) -> Vec<StateChange> {
    meanings.fed_by(signal).iter().map(|derived| StateChange::Due { signal: *derived, from, to }).collect()
}

/// Derived signals that have to be worked out because of readings.
pub(super) fn due_by(meanings: &SiteMeanings, readings: &[Reading]) -> Vec<StateChange> {
    let mut spans: BTreeMap<SignalId, (Moment, Moment)> = BTreeMap::new();
    for reading in readings {
        for derived in meanings.fed_by(reading.signal) {
            let span = spans.entry(*derived).or_insert((reading.at, reading.at));
            *span = (span.0.min(reading.at), span.1.max(reading.at));
        }
    }
    spans.into_iter().map(|(signal, (from, to))| StateChange::Due { signal, from, to }).collect()
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

    fn run(
        &self,
        readings: &mut [Reading],
        context: &mut Context,
        memories: &mut HashMap<SignalId, Memory>,
        now: Moment,
    ) {
        let touched: Vec<SignalId> = self.parts.iter().map(|part| part.meaning.signal).collect();
        // What has no meaning of its own is what it is.
        if !context.is_empty() {
            readings.iter().filter(|one| !touched.contains(&one.signal)).for_each(|one| context.note(one));
        }
        let mut is_converted = vec![false; self.parts.len()];
        let mut none = Memory::default();
        for (index, part) in self.parts.iter().enumerate() {
            // The other half of a position has to be converted, but not screened.
            let beside = part.meaning.checked.needs().iter().zip(&part.meaning.needs);
            let beside = beside.filter(|(need, _)| need.want == Want::Beside).map(|(_, signal)| *signal);
            let partners = beside.filter_map(|signal| touched.iter().position(|known| *known == signal));
            for convert in partners.chain([index]).collect::<Vec<_>>() {
                if !std::mem::replace(&mut is_converted[convert], true) {
                    let part = &self.parts[convert];
                    let memory = memories.get_mut(&part.meaning.signal).unwrap_or(&mut none);
                    part.convert(readings, context, memory);
                }
            }
            let memory = memories.get_mut(&part.meaning.signal).unwrap_or(&mut none);
            part.judge(readings, context, memory, now);
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

    fn judge(&self, readings: &mut [Reading], context: &mut Context, memory: &mut Memory, now: Moment) {
        let checked = &self.meaning.checked;
        if !checked.screens() {
            return;
        }
        for place in &self.places {
            let reading = &mut readings[*place];
            let Some(value) = super::memories::number(&reading.value) else { continue };
            let others = context.seen_by(&self.meaning.needs);
            let (at, late) = (reading.at.as_micros(), now.as_micros() - reading.at.as_micros());
            reading.quality = checked.judge(at, value, reading.quality, Some(late), &others, memory);
            context.note(reading);
        }
    }
}
