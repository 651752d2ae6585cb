//! Taking in a group of deliveries: what is new, what is there, what replaces.

use super::lot::{Encoded, Lot};
use super::segment::{self, Sealed};
use super::tails::{Tails, View};
use super::{Limits, journal, plan};
use crate::error::LoadError;
use crate::value::Storing;
use lantern_core::quality::Quality;
use lantern_core::series::{EncodedLayer, Fate, Layer, Point, Run, merge};
use lantern_core::{Moment, Reading, SignalId, Value};
use sqlx::SqliteConnection;
use std::collections::HashMap;
use std::sync::Arc;

/// What became of a delivery's readings.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Recorded {
    /// Readings that were not there before.
    pub new: usize,
    /// Readings that were there with the same value: nothing changed.
    pub repeated: usize,
    /// Readings that replaced another value of the same time.
    pub corrected: usize,
    /// Readings of a time whose readings are no longer kept: not taken in.
    pub expired: usize,
}

/// Segments whose readings are kept in memory, because late readings come in order.
const DECODED: usize = 8;

/// What the recorder remembers from group to group.
#[derive(Default)]
pub(crate) struct Memory {
    /// The newest time of each signal, so that the usual reading, newer than all
    /// before it, needs no look whether it is there already.
    newest: HashMap<SignalId, Option<i64>>,
    /// The last segments looked into, by their data.
    decoded: Vec<(i64, Arc<Run>)>,
}

impl Memory {
    /// Forgets what may not hold after a failure.
    pub(crate) fn clear(&mut self) {
        *self = Self::default();
    }

    pub(crate) fn forget(&mut self, signal: SignalId) {
        self.newest.remove(&signal);
    }
}

/// The readings of one signal in a group, and which delivery they came with.
pub(crate) struct Incoming<'a> {
    pub(crate) lot: Lot,
    /// All readings of the delivery.
    pub(crate) readings: &'a [Reading],
    pub(crate) delivery: usize,
    /// When it came.
    pub(crate) now: Moment,
}

/// One reading of a group, and which delivery it came with.
struct Coming<'a> {
    reading: &'a Reading,
    delivery: usize,
    now: Moment,
}

/// A reading that comes or is there. Two are the same if the same was sent:
/// what was made of it may have changed since.
#[derive(Clone, Copy)]
struct Seen<'a> {
    value: &'a Value,
    quality: Quality,
    raw: Option<f64>,
}

impl PartialEq for Seen<'_> {
    fn eq(&self, other: &Self) -> bool {
        match (self.raw, other.raw) {
            (None, None) => self.value == other.value,
            _ => self.number_sent() == other.number_sent(),
        }
    }
}

impl Seen<'_> {
    fn number_sent(&self) -> Option<f64> {
        match (self.raw, self.value) {
            (None, Value::Number(number)) => Some(*number),
            (raw, _) => raw,
        }
    }

    fn point(&self, at: Moment) -> Point {
        Point { at, value: self.value.clone(), quality: self.quality, raw: self.raw }
    }
}

impl<'a> From<&'a Point> for Seen<'a> {
    fn from(point: &'a Point) -> Self {
        Self { value: &point.value, quality: point.quality, raw: point.raw }
    }
}

impl<'a> From<&'a Reading> for Seen<'a> {
    fn from(reading: &'a Reading) -> Self {
        Self { value: &reading.value, quality: reading.quality, raw: reading.raw }
    }
}

/// What a group comes to.
#[derive(Default)]
pub(crate) struct Outcome {
    /// For each delivery.
    pub(crate) recorded: Vec<Recorded>,
    /// The changes for the tails, and the journal entry they are.
    pub(crate) layers: Vec<(SignalId, Layer)>,
    /// The same as they are written.
    encoded: Vec<EncodedLayer>,
    pub(crate) entry: Option<i64>,
    /// Signals that got segments at once, and how many.
    pub(crate) bursts: Vec<(SignalId, u32)>,
    newest: Vec<(SignalId, i64)>,
}

impl Outcome {
    fn add(&mut self, signal: SignalId, Encoded { layer, bytes }: Encoded) {
        self.layers.push((signal, layer));
        self.encoded.push(bytes);
    }

    /// Takes it in once it is written for good.
    pub(crate) fn take_in(self, memory: &mut Memory, tails: &Tails, limits: &Limits) -> Vec<Recorded> {
        for (signal, at) in self.newest {
            let known = memory.newest.entry(signal).or_default();
            *known = (*known).max(Some(at));
        }
        if let Some(entry) = self.entry {
            tails.apply(entry, self.layers.iter().map(|(signal, layer)| (*signal, layer)), limits);
        }
        for (signal, segments) in self.bursts {
            tails.note_bursts(signal, segments);
        }
        self.recorded
    }
}

/// Works out and writes what a group's readings change. Of those of one time the last
/// to come holds.
pub(crate) async fn write(
    connection: &mut SqliteConnection,
    tails: &Tails,
    limits: &Limits,
    memory: &mut Memory,
    mut incoming: Vec<Incoming<'_>>,
    deliveries: usize,
) -> Result<Outcome, LoadError> {
    incoming.sort_by_key(|i| i.lot.signal);
    let mut outcome = Outcome { recorded: vec![Recorded::default(); deliveries], ..Outcome::default() };
    for lots in incoming.chunk_by_mut(|a, b| a.lot.signal == b.lot.signal) {
        let newest = newest(connection, tails, memory, lots[0].lot.signal).await?;
        if let Some(encoded) = all_new(lots, newest) {
            let signal = lots[0].lot.signal;
            outcome.recorded[lots[0].delivery].new += encoded.layer.puts().len();
            outcome.newest.extend(encoded.layer.span().map(|(_, last)| (signal, last)));
            outcome.add(signal, encoded);
            continue;
        }
        let mut run: Vec<Coming<'_>> = lots
            .iter()
            .flat_map(|Incoming { lot, readings, delivery, now }| {
                let coming = |reading| Coming { reading, delivery: *delivery, now: *now };
                lot.places.iter().map(move |place| coming(&readings[*place as usize]))
            })
            .collect();
        run.sort_by_key(|coming| coming.reading.at);
        write_signal(connection, tails, limits, memory, newest, &run, &mut outcome).await?;
    }
    if !outcome.layers.is_empty() {
        outcome.entry = Some(journal::append(connection, &outcome.encoded).await?);
    }
    Ok(outcome)
}

/// What one delivery made of a signal beforehand, if that is right: no other delivery
/// of the group has the signal, and all readings are newer than what is there.
fn all_new(lots: &mut [Incoming<'_>], newest: Option<i64>) -> Option<Encoded> {
    let [Incoming { lot, .. }] = lots else { return None };
    let first = lot.if_new.as_ref()?.layer.puts().times().first().copied()?;
    if newest.is_none_or(|newest| newest < first) { lot.if_new.take() } else { None }
}

async fn write_signal(
    connection: &mut SqliteConnection,
    tails: &Tails,
    limits: &Limits,
    memory: &mut Memory,
    newest: Option<i64>,
    run: &[Coming<'_>],
    outcome: &mut Outcome,
) -> Result<(), LoadError> {
    let signal = run[0].reading.signal;
    let late = run.partition_point(|i| Some(i.reading.at.as_micros()) <= newest);
    let there = match late {
        0 => There::default(),
        _ => look_up(connection, tails, memory, signal, &run[..late]).await?,
    };
    let mut coming: Vec<(Moment, Seen<'_>)> = Vec::with_capacity(run.len());
    let mut counted: Vec<usize> = Vec::with_capacity(run.len());
    for i in run {
        if there.expired.contains(&i.reading.at.as_micros()) {
            outcome.recorded[i.delivery].expired += 1;
        } else {
            coming.push((i.reading.at, i.reading.into()));
            counted.push(i.delivery);
        }
    }
    let kept: Vec<(Moment, Seen<'_>)> = there.readings.iter().map(|point| (point.at, point.into())).collect();
    let merged = merge(&kept, &coming);
    for (delivery, fate) in counted.iter().zip(&merged.fates) {
        let count = &mut outcome.recorded[*delivery];
        match fate {
            Fate::New => count.new += 1,
            Fate::Repeated => count.repeated += 1,
            Fate::Corrected => count.corrected += 1,
        }
    }
    note_replaced(connection, signal, run[0].now, &merged.replaced).await?;
    let puts: Run = merged.inserts.iter().map(|(at, seen)| seen.point(*at)).collect();
    let Some((first, last)) = puts.span() else {
        add_layer(outcome, signal, updated(&merged.updates));
        return Ok(());
    };
    outcome.newest.push((signal, last));
    let is_burst = puts.len() >= limits.burst
        && merged.updates.is_empty()
        && newest.is_none_or(|newest| newest < first)
        && !tails.view(signal).cuts_anything();
    if is_burst {
        let segments = write_burst(connection, signal, puts, limits).await?;
        outcome.bursts.push((signal, segments));
        return Ok(());
    }
    let updates = updated(&merged.updates);
    add_layer(outcome, signal, if updates.is_empty() { puts } else { puts.overlaid(&updates) });
    Ok(())
}

fn updated(updates: &[(Moment, Seen<'_>)]) -> Run {
    updates.iter().map(|(at, seen)| seen.point(*at)).collect()
}

fn add_layer(outcome: &mut Outcome, signal: SignalId, puts: Run) {
    if !puts.is_empty() {
        outcome.add(signal, Encoded::of(signal, Layer::of(puts)));
    }
}

async fn newest(
    connection: &mut SqliteConnection,
    tails: &Tails,
    memory: &mut Memory,
    signal: SignalId,
) -> Result<Option<i64>, sqlx::Error> {
    if let Some(known) = memory.newest.get(&signal) {
        return Ok(*known);
    }
    let view = tails.view(signal);
    let recent = view.layers().filter_map(|layer| Some(layer.puts().span()?.1)).max();
    let found = segment::last_at(connection, signal).await?.max(recent);
    memory.newest.insert(signal, found);
    Ok(found)
}

/// What is there already at the times of late readings.
#[derive(Default)]
struct There {
    /// In order of time.
    readings: Vec<Point>,
    /// Times in segments whose readings are no longer kept.
    expired: Vec<i64>,
}

async fn look_up(
    connection: &mut SqliteConnection,
    tails: &Tails,
    memory: &mut Memory,
    signal: SignalId,
    late: &[Coming<'_>],
) -> Result<There, LoadError> {
    let view: View = tails.view(signal);
    let mut there = There::default();
    // Around the time last looked at: a segment or a gap, and until when it goes.
    let mut here: Option<(i64, Option<Sealed>)> = None;
    for at in late.iter().map(|i| i.reading.at.as_micros()) {
        if there.readings.last().is_some_and(|point| point.at.as_micros() == at) {
            continue;
        }
        if let Some(said) = view.layers().find_map(|layer| layer.lookup(at)) {
            there.readings.extend(said);
            continue;
        }
        if here.as_ref().is_none_or(|(until, _)| at >= *until) {
            let (before, next) = segment::around(connection, signal, at).await?;
            here = Some(match before.filter(|sealed| sealed.last_at >= at) {
                Some(sealed) => (sealed.last_at + 1, Some(sealed)),
                None => (next, None),
            });
        }
        match here.as_ref().and_then(|(_, sealed)| sealed.as_ref()).map(|sealed| sealed.data_id) {
            None => {}
            Some(None) => there.expired.push(at),
            Some(Some(id)) => {
                let sealed = decoded(connection, memory, id).await?;
                there.readings.extend(sealed.times().binary_search(&at).ok().map(|index| sealed.point(index)));
            }
        }
    }
    Ok(there)
}

async fn decoded(connection: &mut SqliteConnection, memory: &mut Memory, id: i64) -> Result<Arc<Run>, LoadError> {
    if let Some(place) = memory.decoded.iter().position(|(known, _)| *known == id) {
        memory.decoded[..=place].rotate_right(1);
    } else {
        let run = match segment::load(connection, id).await {
            Ok(run) => run,
            // What it held cannot be known; the sealer puts it aside.
            Err(LoadError::Damaged { .. } | LoadError::Digest { .. }) => Run::default(),
            Err(error) => return Err(error),
        };
        memory.decoded.truncate(DECODED - 1);
        memory.decoded.insert(0, (id, Arc::new(run)));
    }
    Ok(memory.decoded[0].1.clone())
}

async fn note_replaced(
    connection: &mut SqliteConnection,
    signal: SignalId,
    now: Moment,
    replaced: &[(Moment, Seen<'_>)],
) -> Result<(), sqlx::Error> {
    for (at, old) in replaced {
        sqlx::query("INSERT INTO correction (signal_id, at, replaced_at, value) VALUES (?, ?, ?, ?)")
            .bind(signal.0)
            .bind(at.as_micros())
            .bind(now.as_micros())
            .bind(Storing(old.value))
            .execute(&mut *connection)
            .await?;
    }
    Ok(())
}

/// Writes a long run, newer than all before it, as segments at once.
async fn write_burst(
    connection: &mut SqliteConnection,
    signal: SignalId,
    run: Run,
    limits: &Limits,
) -> Result<u32, LoadError> {
    let hold = segment::hold(connection, signal).await?;
    let segments = plan::encode(vec![run], *limits, hold).await?;
    segment::replace(connection, signal, &[], &segments).await?;
    Ok(u32::try_from(segments.len()).unwrap_or(u32::MAX))
}
