//! Making the history of a signal again while it is read and goes on.
//!
//! The readings that take the place of others become segments of a shadow, a
//! signal of the negative number, piece by piece. What was recent when it began
//! stays frozen meanwhile, so that nobody else seals or changes it. In the end one
//! transaction puts the shadow's segments in the place of the signal's: whoever
//! reads sees all of the old or all of the new. What is delivered while it goes on
//! lies over both. A shadow that is left behind by a crash is swept up when the
//! file is opened.

use crate::reading::Scan;
use crate::series::plan::{self, Rewrite};
use crate::series::sealer;
use crate::series::sealing::Sealing;
use crate::series::segment::{self, Span, Swap, shadow};
use crate::types::moment;
use crate::{Order, Store, StoreError};
use lantern_core::series::Run;
use lantern_core::state::StateChange;
use lantern_core::{Moment, SignalId};

/// Readings that are gathered before they become segments.
const PIECE: usize = 131_072;

/// A history that is being made again. Dropping it leaves everything as it was.
pub struct Rework<'a> {
    store: &'a Store,
    signal: SignalId,
    /// The last journal entry whose changes are part of what is made again.
    through: i64,
    /// Whole segments: what has to be made again or passed on.
    outer: (i64, i64),
    /// What is to be made again.
    inner: (i64, i64),
    hold: i64,
    pending: Run,
}

impl Store {
    /// Begins to make a signal's readings again from a time on and before another.
    /// One at a time for each signal.
    ///
    /// # Errors
    /// [`StoreError`]; [`StoreError::Taken`] if it is being done already.
    pub async fn rework(&self, signal: SignalId, from: Moment, to: Moment) -> Result<Rework<'_>, StoreError> {
        if !self.tails.reserve(signal) {
            return Err(StoreError::Taken);
        }
        let inner = (from.as_micros(), to.as_micros());
        let mut rework =
            Rework { store: self, signal, through: 0, outer: inner, inner, hold: 0, pending: Run::default() };
        let due = loop {
            // What the sealer has begun with has to be done first.
            self.tails.until(|tails| tails.is_calm(signal)).await;
            let _planning = self.planning.lock().await;
            if let Some(due) = self.tails.hold(signal) {
                break due;
            }
        };
        rework.through = due.through;
        rework.clear().await?;
        let mut connection = self.read.acquire().await?;
        rework.hold = segment::hold(&mut connection, signal).await?;
        if let Some((first, last)) = due.layer.span() {
            rework.outer = (rework.outer.0.min(first), rework.outer.1.max(last.saturating_add(1)));
        }
        let (mut from, mut to) = rework.outer;
        for order in [Order::Ascending, Order::Descending] {
            let span = Span { signal, from, to };
            if let Some(row) = segment::find(&mut connection, span, order, 1, false).await?.first() {
                (from, to) = (from.min(row.first_at), to.max(row.last_at.saturating_add(1)));
            }
        }
        rework.outer = (from, to);
        Ok(rework)
    }
}

impl Rework<'_> {
    /// The readings that are to be made again, as they are.
    #[must_use]
    pub fn scan(&self) -> Scan<'_> {
        self.store.scan(self.signal, moment(self.inner.0), moment(self.inner.1))
    }

    /// Passes on what is before the readings to be made again. To be called first.
    ///
    /// # Errors
    /// [`StoreError`].
    pub async fn begin(&mut self) -> Result<(), StoreError> {
        self.pass(self.outer.0, self.inner.0).await
    }

    async fn pass(&mut self, from: i64, to: i64) -> Result<(), StoreError> {
        if from >= to {
            return Ok(());
        }
        let mut scan = self.store.scan(self.signal, moment(from), moment(to));
        while let Some(run) = scan.next().await? {
            self.push(&run).await?;
        }
        Ok(())
    }

    /// Takes in the next readings, in order of time.
    ///
    /// # Errors
    /// [`StoreError`].
    pub async fn push(&mut self, run: &Run) -> Result<(), StoreError> {
        self.pending.overlay(run);
        if self.pending.len() >= PIECE { self.write().await } else { Ok(()) }
    }

    async fn write(&mut self) -> Result<(), StoreError> {
        let run = std::mem::take(&mut self.pending);
        if run.is_empty() {
            return Ok(());
        }
        let new = plan::encode(vec![run], self.store.limits, self.hold).await?;
        self.send(Sealing {
            rewrites: vec![(shadow(self.signal), Rewrite { new, ..Rewrite::default() })],
            ..Sealing::default()
        })
        .await
    }

    async fn send(&self, sealing: Sealing) -> Result<(), StoreError> {
        let recorder = self.store.seals.upgrade().ok_or(StoreError::Stopping)?;
        sealer::send(&recorder, sealing).await.map(drop).map_err(|error| StoreError::Unsealed(error.into()))
    }

    /// Puts what was made in the place of what was there, with `changes` in the same
    /// transaction.
    ///
    /// # Errors
    /// [`StoreError`]; everything is as it was then.
    pub async fn finish(mut self, changes: Vec<StateChange>) -> Result<(), StoreError> {
        let outer = self.outer;
        self.pass(self.inner.1, outer.1).await?;
        self.write().await?;
        let swap = Swap { signal: self.signal, from: outer.0, to: outer.1, through: self.through, changes };
        self.send(Sealing { swap: Some(swap), ..Sealing::default() }).await?;
        self.store.roll_up(self.signal).await;
        // What was swapped out lies in the shadow's place now.
        if let Err(error) = self.clear().await {
            tracing::warn!(%error, "a replaced history could not be deleted; it will be when the service starts again");
        }
        Ok(())
    }

    /// Leaves everything as it was.
    pub async fn discard(self) {
        if let Err(error) = self.clear().await {
            tracing::warn!(%error, "an unfinished history could not be deleted; it will be when the service starts again");
        }
    }

    /// Deletes what lies in the shadow's place, a little at a time.
    async fn clear(&self) -> Result<(), StoreError> {
        loop {
            let all = Span::all(shadow(self.signal));
            let rows = segment::find(&mut *self.store.read.acquire().await?, all, Order::Ascending, 8, false).await?;
            if rows.is_empty() {
                return Ok(());
            }
            let gone = rows.iter().map(|row| row.first_at).collect();
            let rewrites = vec![(shadow(self.signal), Rewrite { gone, ..Rewrite::default() })];
            self.send(Sealing { rewrites, ..Sealing::default() }).await?;
        }
    }
}

impl Drop for Rework<'_> {
    fn drop(&mut self) {
        self.store.tails.let_go(self.signal);
    }
}
