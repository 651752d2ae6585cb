//! The wall clock, as far as it can be believed: before something is deleted for its age.

use crate::clock;
use crate::problem::Problem;
use lantern_core::trusted_time::{Judged, TrustedTime};
use lantern_core::{Moment, Steady};
use lantern_store::{Store, StoreError};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};

/// Seconds between two times that are kept.
const KEEP_EVERY_S: f64 = 300.0;

struct State {
    time: TrustedTime,
    /// When it was judged last, by a clock that cannot leap; none at the start.
    judged: Option<Steady>,
    kept: Moment,
    leap: Option<(Moment, Moment)>,
}

/// Judges the wall clock, and remembers what it believed.
pub struct TrustedClock {
    store: Arc<Store>,
    state: Mutex<State>,
}

impl TrustedClock {
    /// Goes on from what was kept; a fresh service believes its clock, and keeps that at once: were
    /// it killed soon and its clock behind at the next start, the right time would look like a leap.
    pub(crate) async fn load(store: Arc<Store>) -> Result<Self, StoreError> {
        let latest = match store.trusted_time().await? {
            Some(latest) => latest,
            None => {
                let now = clock::now();
                store.keep_trusted_time(now).await?;
                now
            }
        };
        let state = State { time: TrustedTime::new(latest), judged: None, kept: latest, leap: None };
        Ok(Self { store, state: Mutex::new(state) })
    }

    fn state(&self) -> MutexGuard<'_, State> {
        self.state.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// The time now, if it can be believed.
    pub async fn now(&self) -> Option<Moment> {
        self.judge(clock::now(), clock::steady()).await
    }

    /// The same for a time that a test chooses.
    pub async fn judge(&self, wall: Moment, at: Steady) -> Option<Moment> {
        let keep = {
            let mut state = self.state();
            let passed_s = state.judged.map(|judged| at.seconds_since(judged));
            match state.time.judge(wall, passed_s) {
                Judged::Believed => {
                    if state.leap.take().is_some() {
                        tracing::info!("the clock is right again");
                    }
                    // What is held back must not grow by the time a leap lasts.
                    state.judged = Some(at);
                    let is_due = wall.seconds_since(state.kept) >= KEEP_EVERY_S;
                    is_due.then(|| state.time.latest())
                }
                Judged::Leapt { from, to } => {
                    if state.leap.is_none() {
                        tracing::warn!(
                            %from, %to,
                            "the clock has leapt ahead: nothing is deleted for its age until an administrator confirms it, or it is right again"
                        );
                    }
                    state.leap = Some((from, to));
                    return None;
                }
            }
        };
        if let Some(latest) = keep {
            self.keep(latest).await;
        }
        Some(wall)
    }

    async fn keep(&self, latest: Moment) {
        match self.store.keep_trusted_time(latest).await {
            Ok(()) => self.state().kept = latest,
            Err(error) => tracing::warn!(%error, "the time could not be kept"),
        }
    }

    /// What the clock has leapt from and to, if it has.
    pub fn leap(&self) -> Option<(Moment, Moment)> {
        self.state().leap
    }

    /// Believes the clock because an administrator says so.
    ///
    /// # Errors
    /// A [`Problem`] if the database fails.
    pub async fn confirm(&self) -> Result<(), Problem> {
        let wall = clock::now();
        {
            let mut state = self.state();
            state.time.confirm(wall);
            state.leap = None;
            state.judged = Some(clock::steady());
            state.kept = wall;
        }
        Ok(self.store.keep_trusted_time(wall).await?)
    }
}
