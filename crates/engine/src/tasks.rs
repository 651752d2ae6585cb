//! What goes on beside requests. Whoever runs the service runs these, and ends it when one of
//! them ends.

use crate::clock;
use crate::engine::Engine;
use crate::setting_up;
use futures::future::BoxFuture;
use lantern_store::{StoreError, with_sources};
use std::sync::Arc;
use std::time::Duration;
use tokio::time::interval;

const LIVE_TICK: Duration = Duration::from_millis(100);
const PRESENCE_TICK: Duration = Duration::from_secs(1);
const FLUSH_TICK: Duration = Duration::from_secs(10);
const CONTACT_TICK: Duration = Duration::from_secs(1);
const TRIM_TICK: Duration = Duration::from_secs(60);
const RETAIN_TICK: Duration = Duration::from_secs(1_800);
const CLOCK_TICK: Duration = Duration::from_secs(60);
const SWEEP_TICK: Duration = Duration::from_secs(60);
/// What was removed is swept no sooner, in seconds: longer than a delivery takes.
const SWEEP_AFTER_S: f64 = setting_up::RESTORABLE_S + 3_600.0;

/// Something that goes on for as long as the service runs.
pub struct Task {
    /// What the log calls it.
    pub name: &'static str,
    /// It never ends by itself.
    pub work: BoxFuture<'static, ()>,
}

impl Task {
    /// A task.
    #[must_use]
    pub fn new(name: &'static str, work: impl Future<Output = ()> + Send + 'static) -> Self {
        Self { name, work: Box::pin(work) }
    }
}

impl Engine {
    /// The tasks of an engine. None of them waits for the database of another.
    #[must_use]
    pub fn tasks(self: &Arc<Self>) -> Vec<Task> {
        let engine = || self.clone();
        vec![
            Task::new("the live stream", live(engine())),
            Task::new("presence", presence(engine())),
            Task::new("what was heard", flush(engine())),
            Task::new("the contact log", contacts(engine())),
            Task::new("trimming the contact log", trim(engine())),
            Task::new("commands", commands(engine())),
            Task::new("watches", watches(engine())),
            Task::new("callouts", callouts(engine())),
            Task::new("derived signals", derived(engine())),
            Task::new("jobs", jobs(engine())),
            Task::new("sweeping", sweep(engine())),
            Task::new("retention", retain(engine())),
            Task::new("the clock", watch_clock(engine())),
            Task::new("the store", watch_store(engine())),
        ]
    }

    /// Writes what is not written yet, and closes the store.
    pub async fn close(&self) {
        warn("the last contacts were not noted", self.heard.flush().await);
        self.people.note_used().await;
        self.alarms.close().await;
        warn("the end of the contact log was not written", self.contacts.flush().await);
        warn("the last hours of traffic were not written", self.contacts.flush_traffic(clock::now()).await);
        warn("the last link figures were not written", self.links.flush(clock::now()).await);
        self.store.close().await;
    }
}

fn warn(what: &str, result: Result<(), StoreError>) {
    if let Err(error) = result {
        tracing::warn!(error = %with_sources(&error), "{what}");
    }
}

async fn live(engine: Arc<Engine>) {
    let mut tick = interval(LIVE_TICK);
    loop {
        tick.tick().await;
        engine.live.tick();
    }
}

async fn presence(engine: Arc<Engine>) {
    let mut tick = interval(PRESENCE_TICK);
    loop {
        tick.tick().await;
        engine.heard.judge();
    }
}

async fn flush(engine: Arc<Engine>) {
    let mut tick = interval(FLUSH_TICK);
    loop {
        tick.tick().await;
        warn("what was heard was not noted yet", engine.heard.flush().await);
        engine.people.note_used().await;
        warn("link figures were not written yet", engine.links.flush(clock::now()).await);
        warn("hours of traffic were not written yet", engine.contacts.flush_traffic(clock::now()).await);
    }
}

async fn contacts(engine: Arc<Engine>) {
    let mut tick = interval(CONTACT_TICK);
    loop {
        tick.tick().await;
        warn("the contact log was not written yet", engine.contacts.flush().await);
    }
}

async fn trim(engine: Arc<Engine>) {
    let mut tick = interval(TRIM_TICK);
    loop {
        tick.tick().await;
        let Some(now) = engine.trusted.now().await else { continue };
        warn("the contact log was not trimmed yet", engine.contacts.trim(now).await);
    }
}

async fn commands(engine: Arc<Engine>) {
    loop {
        engine.commands.tend().await;
    }
}

async fn watches(engine: Arc<Engine>) {
    engine.alarms.run().await;
}

async fn callouts(engine: Arc<Engine>) {
    engine.callouts.run().await;
}

async fn derived(engine: Arc<Engine>) {
    engine.deriver.run().await;
}

async fn jobs(engine: Arc<Engine>) {
    engine.jobs.run().await;
}

/// Judges the clock, and notes how fast the disk fills.
async fn watch_clock(engine: Arc<Engine>) {
    let mut tick = interval(CLOCK_TICK);
    loop {
        tick.tick().await;
        engine.trusted.now().await;
        warn("how much room there is could not be read", engine.healths.note_room().await);
    }
}

/// Ends when the store has lost a part it cannot do without, so that the service ends too.
async fn watch_store(engine: Arc<Engine>) {
    let what = engine.store.ended().await;
    tracing::error!(what, "a part of the store has died");
}

async fn sweep(engine: Arc<Engine>) {
    let mut tick = interval(SWEEP_TICK);
    loop {
        tick.tick().await;
        // By a clock that has leapt ahead, what was removed just now would be gone for good.
        let Some(now) = engine.trusted.now().await else { continue };
        warn("what has ended could not be swept away yet", engine.store.sweep_ended(now).await);
        loop {
            match engine.store.sweep(now.plus_seconds(-SWEEP_AFTER_S)).await {
                Ok(true) => {}
                Ok(false) => break,
                Err(error) => {
                    warn("what was removed could not be swept away yet", Err(error));
                    break;
                }
            }
        }
    }
}

async fn retain(engine: Arc<Engine>) {
    let mut tick = interval(RETAIN_TICK);
    loop {
        tick.tick().await;
        let Some(now) = engine.trusted.now().await else { continue };
        match engine.store.retain(now).await {
            Ok(forgotten) if forgotten.readings > 0 => tracing::info!(
                readings = forgotten.readings,
                summarized = forgotten.summarized,
                "readings that were no longer to be kept were deleted"
            ),
            Ok(_) => {}
            Err(error) => warn("what is no longer to be kept could not be deleted yet", Err(error)),
        }
    }
}
