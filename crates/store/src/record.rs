//! Recording and deleting readings.

use crate::recorder::Pending;
use crate::series::segment::Span;
use crate::{RecordError, Recorded, Store, StoreError};
use lantern_core::state::StateChange;
use lantern_core::{Moment, Reading, SignalId};
use std::sync::Arc;

impl Store {
    /// Records readings durably and says what they meant. `now` is noted with
    /// values that are replaced.
    ///
    /// # Errors
    /// [`RecordError`]; nothing was kept then.
    pub async fn record(&self, readings: Arc<Vec<Reading>>, now: Moment) -> Result<Recorded, RecordError> {
        self.record_with(readings, Vec::new(), now).await
    }

    /// Records readings together with changes of state: all of it or nothing.
    ///
    /// # Errors
    /// [`RecordError`]; nothing was kept then.
    pub async fn record_with(
        &self,
        readings: Arc<Vec<Reading>>,
        changes: Vec<StateChange>,
        now: Moment,
    ) -> Result<Recorded, RecordError> {
        self.queue_up(readings, changes, now)?.recorded().await
    }

    /// Puts readings and changes of state into the queue of what is recorded, which
    /// is worked through in order.
    ///
    /// # Errors
    /// [`RecordError`]; nothing is kept then.
    pub fn queue_up(
        &self,
        readings: Arc<Vec<Reading>>,
        changes: Vec<StateChange>,
        now: Moment,
    ) -> Result<Pending, RecordError> {
        self.recorder.queue_up(readings, changes, now)
    }

    /// Deletes all readings of a signal from a time on and before another, together with
    /// changes of state: all of it or nothing. They are gone for every reader when this
    /// returns; their room is freed later.
    ///
    /// # Errors
    /// [`StoreError::Recorder`]; nothing was deleted then.
    pub async fn delete_readings(
        &self,
        signal: SignalId,
        (from, to): (Moment, Moment),
        changes: Vec<StateChange>,
    ) -> Result<(), StoreError> {
        let span = Span { signal, from: from.as_micros(), to: to.as_micros() };
        Ok(self.recorder.cut(span, changes).await?)
    }
}
