//! What is recent: layers in memory over the sealed segments.

use super::Limits;
use lantern_core::SignalId;
use lantern_core::series::{Layer, Run};
use std::collections::{HashMap, HashSet, VecDeque};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use tokio::sync::Notify;

/// The recent changes of all signals.
#[derive(Default)]
pub(crate) struct Tails {
    inner: Mutex<Inner>,
    /// Told when the sealer may have something to do.
    pub(crate) work: Notify,
    /// Told when layers have been sealed.
    pub(crate) settled: Notify,
}

#[derive(Default)]
struct Inner {
    tails: HashMap<SignalId, Tail>,
    /// The last journal entry whose changes are here.
    applied: i64,
    /// Journal entries that are not trimmed yet, with the room their changes took.
    journal: VecDeque<(i64, usize)>,
    /// The sum of those.
    journal_weight: usize,
    /// Whether the sealer is at work.
    is_sealing: bool,
    /// Room taken by all layers, as [`Run::weight`].
    weight: usize,
    /// Signals whose histories are being made again.
    held: HashSet<SignalId>,
    /// Counts up; see [`View::stamp`].
    stamp: u64,
}

#[derive(Default)]
struct Tail {
    active: Arc<Layer>,
    /// The first journal entry that `active` needs.
    since: i64,
    frozen: Option<Frozen>,
    stamp: u64,
    /// Segments that were written past the layers and may be joined.
    bursts: u32,
    /// Its history is being exchanged at this moment.
    is_swapping: bool,
}

struct Frozen {
    layer: Arc<Layer>,
    since: i64,
}

/// A layer the sealer is to seal.
#[derive(Clone)]
pub(crate) struct Due {
    pub(crate) signal: SignalId,
    pub(crate) layer: Arc<Layer>,
    /// The last journal entry that is in it.
    pub(crate) through: i64,
    /// Segments that bursts have become since the last time.
    pub(crate) bursts: u32,
}

/// A signal's layers at one moment.
#[derive(Clone, Default)]
pub(crate) struct View {
    frozen: Option<Arc<Layer>>,
    active: Option<Arc<Layer>>,
    /// Changes with each sealing: layers belong to what was sealed when they were
    /// taken, or up to one sealing later.
    pub(crate) stamp: u64,
    /// Nobody can tell at the moment what it belongs to.
    pub(crate) is_swapping: bool,
}

impl View {
    /// The layers, the upper first.
    pub(crate) fn layers(&self) -> impl DoubleEndedIterator<Item = &Layer> {
        self.active.as_deref().into_iter().chain(self.frozen.as_deref())
    }

    /// What becomes of sealed readings from a time on and before another.
    pub(crate) fn over(&self, sealed: Run, from: i64, to: i64) -> Run {
        self.layers().rev().fold(sealed, |below, layer| layer.over(below, from, to))
    }

    pub(crate) fn touches(&self, from: i64, to: i64) -> bool {
        self.layers().any(|layer| layer.touches(from, to))
    }

    pub(crate) fn cuts_anything(&self) -> bool {
        self.layers().any(|layer| !layer.cuts().is_empty())
    }
}

/// The most layers that are frozen at a time.
const BATCH: usize = 256;

impl Tails {
    fn inner(&self) -> MutexGuard<'_, Inner> {
        self.inner.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Takes in the changes of a journal entry, and tells the sealer if that gives
    /// it something to do.
    pub(crate) fn apply<'a>(&self, entry: i64, layers: impl Iterator<Item = (SignalId, &'a Layer)>, limits: &Limits) {
        let mut inner = self.inner();
        let mut is_due = entry % (limits.entries / 8).max(1) == 0;
        let Inner { tails, applied, weight, stamp, journal, journal_weight, .. } = &mut *inner;
        *applied = entry;
        let mut taken = 0;
        for (signal, layer) in layers {
            let tail = tails.entry(signal).or_insert_with(|| {
                *stamp += 1;
                Tail { stamp: *stamp, ..Tail::default() }
            });
            if tail.active.is_empty() {
                tail.since = entry;
            }
            taken += layer.weight();
            let before = tail.active.weight();
            Arc::make_mut(&mut tail.active).add(layer);
            *weight = *weight + tail.active.weight() - before;
            is_due |= tail.frozen.is_none() && tail.is_due(limits);
        }
        journal.push_back((entry, taken));
        *journal_weight += taken;
        if is_due || *weight > limits.recent || *journal_weight > weight.saturating_mul(2).max(limits.journal) {
            self.work.notify_one();
        }
    }

    /// Notes that a signal got segments past its layers.
    pub(crate) fn note_bursts(&self, signal: SignalId, segments: u32) {
        let mut inner = self.inner();
        inner.stamp += 1;
        let stamp = inner.stamp;
        let tail = inner.tails.entry(signal).or_insert_with(|| Tail { stamp, ..Tail::default() });
        tail.bursts += segments;
        if tail.bursts >= Tail::BURSTS {
            self.work.notify_one();
        }
    }

    pub(crate) fn view(&self, signal: SignalId) -> View {
        self.inner().tails.get(&signal).map_or_else(View::default, |tail| View {
            frozen: tail.frozen.as_ref().map(|frozen| frozen.layer.clone()),
            active: (!tail.active.is_empty()).then(|| tail.active.clone()),
            stamp: tail.stamp,
            is_swapping: tail.is_swapping,
        })
    }

    /// The [`View::stamp`] a view would have now.
    pub(crate) fn stamp(&self, signal: SignalId) -> u64 {
        self.inner().tails.get(&signal).map_or(0, |tail| tail.stamp)
    }

    pub(crate) fn weight(&self) -> usize {
        self.inner().weight
    }

    /// Starts the count of entries where the journal has come to.
    pub(crate) fn resume(&self, entry: i64) {
        let mut inner = self.inner();
        inner.applied = inner.applied.max(entry);
    }

    /// Waits for something that sealing brings about.
    pub(crate) async fn until(&self, holds: impl Fn(&Self) -> bool) {
        loop {
            // Asked for before looking, so that nothing slips through in between.
            let settled = self.settled.notified();
            if holds(self) {
                return;
            }
            settled.await;
        }
    }

    /// Whether nothing of a signal waits to be sealed.
    pub(crate) fn is_settled(&self, signal: SignalId) -> bool {
        self.inner().tails.get(&signal).is_none_or(|tail| tail.active.is_empty() && tail.frozen.is_none())
    }

    /// Whether nothing is being sealed and nothing has grown enough for it.
    pub(crate) fn is_quiet(&self, limits: &Limits) -> bool {
        let inner = self.inner();
        !inner.is_sealing
            && inner.weight <= limits.recent
            && inner.journal_weight <= inner.weight.saturating_mul(2).max(limits.journal)
            && !inner.tails.values().any(|tail| tail.frozen.is_some() || tail.is_due(limits))
    }

    /// Notes that the sealer begins or has ended its work.
    pub(crate) fn note_sealing(&self, is_sealing: bool) {
        self.inner().is_sealing = is_sealing;
        if !is_sealing {
            self.settled.notify_waiters();
        }
    }

    /// The oldest journal entry that is still needed; all before it may go, and
    /// are taken as gone.
    pub(crate) fn release(&self) -> i64 {
        let mut inner = self.inner();
        let open = inner.tails.values().flat_map(|tail| {
            let active = (!tail.active.is_empty()).then_some(tail.since);
            active.into_iter().chain(tail.frozen.as_ref().map(|frozen| frozen.since))
        });
        let needed = open.min().unwrap_or(inner.applied + 1);
        while let Some((entry, weight)) = inner.journal.front().copied()
            && entry < needed
        {
            inner.journal.pop_front();
            inner.journal_weight -= weight;
        }
        needed
    }

    /// Freezes the layers that should be sealed now, at most [`BATCH`]: those that
    /// have grown, those that cut something out, and, to keep within `limits`,
    /// the heaviest and those that need the oldest entries.
    pub(crate) fn freeze(&self, limits: &Limits) -> Vec<Due> {
        let mut inner = self.inner();
        let Inner { tails, applied, weight, journal_weight, .. } = &mut *inner;
        let idle = |tail: &Tail| tail.frozen.is_none() && !tail.active.is_empty();
        let mut due: Vec<SignalId> = tails
            .iter()
            .filter(|(_, tail)| tail.frozen.is_none() && tail.is_due(limits))
            .map(|(id, _)| *id)
            .take(BATCH)
            .collect();
        if due.is_empty() && *weight > limits.recent {
            let mut heavy: Vec<(usize, SignalId)> =
                tails.iter().filter(|(_, tail)| idle(tail)).map(|(id, tail)| (tail.active.weight(), *id)).collect();
            heavy.sort_unstable_by(|a, b| b.cmp(a));
            due.extend(heavy.iter().map(|(_, id)| *id).take(BATCH));
        }
        if due.is_empty() {
            // A journal that is mostly of what is sealed already is held by a few old layers.
            // One that could not be sealed holds it too, and is not helped by sealing others.
            let is_held = tails.values().any(|tail| tail.frozen.is_some());
            let is_stale = !is_held && *journal_weight > weight.saturating_mul(2).max(limits.journal);
            let old = if is_stale { i64::MAX } else { *applied - limits.entries };
            let mut oldest: Vec<(i64, SignalId)> = tails
                .iter()
                .filter(|(_, tail)| idle(tail) && tail.since < old)
                .map(|(id, tail)| (tail.since, *id))
                .collect();
            oldest.sort_unstable();
            let most = if is_stale { oldest.len().div_ceil(4).min(BATCH) } else { BATCH };
            due.extend(oldest.iter().map(|(_, id)| *id).take(most));
        }
        due.iter().filter_map(|id| Some(tails.get_mut(id)?.freeze(*id, *applied))).collect()
    }

    /// Lets go of a layer that has been sealed.
    pub(crate) fn thaw(&self, signal: SignalId) {
        {
            let mut inner = self.inner();
            inner.stamp += 1;
            let stamp = inner.stamp;
            if let Some(tail) = inner.tails.get_mut(&signal) {
                tail.stamp = stamp;
                if let Some(frozen) = tail.frozen.take() {
                    inner.weight -= frozen.layer.weight();
                }
            }
        }
        self.settled.notify_waiters();
    }
}

/// Histories that are made again.
impl Tails {
    /// Notes that a signal's history is to be made again; `false` if it is already.
    pub(crate) fn reserve(&self, signal: SignalId) -> bool {
        self.inner().held.insert(signal)
    }

    /// Whether somebody makes a signal's history again.
    pub(crate) fn is_held(&self, signal: SignalId) -> bool {
        self.inner().held.contains(&signal)
    }

    /// Whether nothing of a signal is being sealed or has to be soon.
    pub(crate) fn is_calm(&self, signal: SignalId) -> bool {
        self.inner().tails.get(&signal).is_none_or(Tail::is_calm)
    }

    /// Freezes what is recent of a signal, so that nobody else seals it; `None` if
    /// it is not calm any more.
    pub(crate) fn hold(&self, signal: SignalId) -> Option<Due> {
        let mut inner = self.inner();
        let Inner { tails, applied, stamp, .. } = &mut *inner;
        let tail = tails.entry(signal).or_insert_with(|| {
            *stamp += 1;
            Tail { stamp: *stamp, ..Tail::default() }
        });
        tail.is_calm().then(|| tail.freeze(signal, *applied))
    }

    /// Lets a signal go whose history was made again, or was not: then what was held
    /// is recent again.
    pub(crate) fn let_go(&self, signal: SignalId) {
        {
            let mut inner = self.inner();
            let Inner { tails, held, weight, stamp, .. } = &mut *inner;
            held.remove(&signal);
            if let Some(tail) = tails.get_mut(&signal)
                && let Some(Frozen { layer, since }) = tail.frozen.take()
            {
                *weight -= layer.weight() + tail.active.weight();
                let mut merged = layer.as_ref().clone();
                merged.add(&tail.active);
                *weight += merged.weight();
                tail.active = Arc::new(merged);
                tail.since = since;
                *stamp += 1;
                tail.stamp = *stamp;
            }
        }
        self.work.notify_one();
        self.settled.notify_waiters();
    }

    /// A signal's history is about to be exchanged: readers wait.
    pub(crate) fn begin_swap(&self, signal: SignalId) {
        self.mark_swap(signal, true);
    }

    /// It was exchanged, or stays as it was.
    pub(crate) fn end_swap(&self, signal: SignalId, is_done: bool) {
        if is_done {
            self.thaw(signal);
        }
        self.mark_swap(signal, false);
        self.settled.notify_waiters();
    }

    fn mark_swap(&self, signal: SignalId, is_swapping: bool) {
        let mut inner = self.inner();
        inner.stamp += 1;
        let stamp = inner.stamp;
        if let Some(tail) = inner.tails.get_mut(&signal) {
            tail.is_swapping = is_swapping;
            tail.stamp = stamp;
        }
    }
}

impl Tail {
    /// Bursts after which their segments are joined.
    const BURSTS: u32 = 4;

    /// Cuts are for the sealer, which knows what they do to summaries.
    fn is_calm(&self) -> bool {
        self.frozen.is_none() && self.active.cuts().is_empty()
    }

    fn is_due(&self, limits: &Limits) -> bool {
        self.active.weight() >= limits.segment || !self.active.cuts().is_empty() || self.bursts >= Self::BURSTS
    }

    fn freeze(&mut self, signal: SignalId, applied: i64) -> Due {
        let layer = std::mem::take(&mut self.active);
        let bursts = std::mem::take(&mut self.bursts);
        let since = if layer.is_empty() { applied + 1 } else { self.since };
        self.frozen = Some(Frozen { layer: layer.clone(), since });
        Due { signal, layer, through: applied, bursts }
    }
}
