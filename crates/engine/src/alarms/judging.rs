//! The task that judges: readings, presence and time become edges.

use super::points::{Point, Points};
use super::{Alarms, Queue};
use crate::clock;
use lantern_core::presence::Presence;
use lantern_core::quality::Quality;
use lantern_core::watch::{Edge, Judge, Seen, When};
use lantern_core::{Moment, Reading, Value};
use lantern_store::{PointId, StoreError, with_sources};
use std::collections::HashSet;
use std::sync::PoisonError;
use std::time::Duration;

/// How often time alone is looked at.
const TICK: Duration = Duration::from_millis(500);
/// Readings are gathered for so long before they are judged together.
const GATHER: Duration = Duration::from_millis(20);
/// How often what is remembered is kept, and what is measured is looked at.
const MINUTE_S: f64 = 60.0;
/// What was judged further ahead of the clock than this was judged before the clock was put back.
const AHEAD_S: f64 = 900.0;
/// Points written in one transaction, so that the way in does not wait for long.
const CHUNK: usize = 500;

impl Alarms {
    /// Judges whatever comes, for ever.
    pub(crate) async fn run(&self) {
        while let Err(error) = self.begin().await {
            tracing::error!(error = %with_sources(&error), "the watches could not be read; trying again");
            tokio::time::sleep(Duration::from_secs(5)).await;
        }
        let mut minute = clock::steady();
        loop {
            let _ = tokio::time::timeout(TICK, self.work.notified()).await;
            tokio::time::sleep(GATHER).await;
            self.look().await;
            if clock::steady().seconds_since(minute) >= MINUTE_S {
                minute = clock::steady();
                self.look_each_minute().await;
            }
        }
    }

    /// Judges what has come since the last time, and what time has brought.
    pub async fn look(&self) {
        let Queue { readings, is_behind, changed, .. } = std::mem::take(&mut *self.queue());
        let _writing = self.writing.lock().await;
        for site in changed {
            warn("what watches are on could not be read yet", self.bind(site).await);
        }
        if is_behind {
            warn("readings were not judged yet", self.catch_up().await);
        }
        let late = {
            let mut points = self.points();
            let mut late = Vec::new();
            for (batch, range) in readings {
                batch.get(range).into_iter().flatten().for_each(|reading| judge(&mut points, reading, &mut late));
            }
            late
        };
        late.into_iter().for_each(|(point, at)| self.note_late(point, (at, at)));
        if self.is_time() {
            self.look_at_presence();
            self.pass();
        }
        warn("alarms could not be written yet", self.write().await);
    }

    /// Keeps what is remembered, looks for what came late, and measures.
    pub async fn look_each_minute(&self) {
        warn("devices could not be measured yet", self.measure().await);
        warn("what came late was not looked at yet", self.find().await);
        let _writing = self.writing.lock().await;
        warn("alarms could not be written yet", self.write().await);
        warn("what watches remember could not be kept yet", self.keep().await);
    }

    /// Whether time is to be looked at again.
    fn is_time(&self) -> bool {
        let now = clock::steady();
        let mut looked = self.looked.lock().unwrap_or_else(PoisonError::into_inner);
        let is_due = looked.is_none_or(|at| now.seconds_since(at) >= TICK.as_secs_f64());
        if is_due {
            *looked = Some(now);
        }
        is_due
    }

    /// Judges what is left, and keeps what is remembered.
    pub(crate) async fn close(&self) {
        self.look().await;
        let _writing = self.writing.lock().await;
        warn("what watches remember could not be kept", self.keep().await);
    }

    /// Lets time pass at the points where that alone may change something.
    fn pass(&self) {
        let (now, steady) = (clock::now(), clock::steady());
        let mut points = self.points();
        for point in points.iter_mut() {
            if point.shelf_ends.is_some_and(|end| end <= steady) {
                unshelve(point);
            }
            if point.memory.judged().is_some_and(|judged| judged.seconds_since(now) > AHEAD_S) {
                point.memory.begin_order_anew();
            }
            if point.memory.is_waiting() || point.rule.has_hours() {
                judge_with(point, |judge, memory, edges| judge.pass(memory, now, edges));
            }
        }
    }

    /// Devices that are late or silent, or are heard again.
    fn look_at_presence(&self) {
        let now = clock::now();
        let mut points = self.points();
        for point in points.iter_mut() {
            let Some(device) = point.device else { continue };
            let is_wrong = match (&point.bound.watch.when, self.heard.presence(device)) {
                (When::Silent {}, Some(presence)) => presence == Presence::Silent,
                (When::Late {}, Some(presence)) => matches!(presence, Presence::Late | Presence::Silent),
                _ => continue,
            };
            if is_wrong != point.memory.holds() || point.memory.is_waiting() {
                tell(point, now, &Value::Flag(is_wrong));
            }
        }
        drop(points);
        self.cover();
    }

    /// Writes what has happened, and tells of it.
    pub(super) async fn write(&self) -> Result<(), StoreError> {
        let happened = self.points().happened();
        for chunk in happened.chunks(CHUNK) {
            let changes = self.points().changes(chunk);
            let open = self.store.change_points(&changes, clock::now()).await?;
            let before: HashSet<i64> = chunk.iter().filter_map(|id| self.points().get(*id)?.alarm).collect();
            self.points().written(&changes, &open);
            let told = before.into_iter().chain(open.into_iter().flatten()).collect();
            self.tell_of(chunk, told).await?;
        }
        Ok(())
    }

    /// Keeps what is remembered of points where nothing happened.
    pub(super) async fn keep(&self) -> Result<(), StoreError> {
        let dirty = self.points().dirty();
        self.keep_these(&dirty).await
    }

    /// Keeps what is remembered of some points.
    pub(super) async fn keep_these(&self, points: &[PointId]) -> Result<(), StoreError> {
        for chunk in points.chunks(CHUNK) {
            // Where something happened it is written with that, and told.
            let mut changes = self.points().changes(chunk);
            changes.retain(|change| change.deeds.is_empty());
            let open = self.store.change_points(&changes, clock::now()).await?;
            self.points().written(&changes, &open);
        }
        Ok(())
    }

    /// Tells the live stream how alarms are now.
    async fn tell_of(&self, points: &[PointId], alarms: HashSet<i64>) -> Result<(), StoreError> {
        let sites: HashSet<_> = points.iter().filter_map(|id| Some(self.points().get(*id)?.bound.site)).collect();
        for site in sites {
            for alarm in &alarms {
                match self.store.alarm(site, *alarm).await {
                    Ok((row, _)) => self.live.alarm(site, &super::shown::alarm(row)),
                    Err(StoreError::NotFound) => {}
                    Err(error) => return Err(error),
                }
            }
        }
        Ok(())
    }
}

/// Judges a reading by all that watch its signal; those of a time that was judged already are late.
fn judge(points: &mut Points, reading: &Reading, late: &mut Vec<(PointId, Moment)>) {
    points.each_of_signal(reading.signal, |point| {
        let seen = Seen { at: reading.at, value: &reading.value, quality: reading.quality };
        let mut is_judged = true;
        judge_with(point, |judge, memory, edges| is_judged = judge.take(memory, seen, edges));
        if !is_judged {
            late.push((point.id, reading.at));
        }
    });
}

/// Tells a point what was found out of its device or the service.
pub(super) fn tell(point: &mut Point, at: Moment, value: &Value) {
    let seen = Seen { at, value, quality: Quality::Good };
    judge_with(point, |judge, memory, edges| {
        // Nothing of this comes late: a clock was put back.
        if !judge.take(memory, seen, edges) {
            memory.begin_order_anew();
            judge.take(memory, seen, edges);
        }
    });
}

/// Lets the judge of a point do something, and takes the edges that come of it.
pub(super) fn judge_with(
    point: &mut Point,
    does: impl FnOnce(&Judge<'_>, &mut lantern_core::watch::Memory, &mut Vec<Edge>),
) {
    let mut edges = Vec::new();
    let (rule, bound) = (point.rule.clone(), point.bound.clone());
    does(&Judge { rule: &rule, zone: &bound.zone }, &mut point.memory, &mut edges);
    point.is_dirty = true;
    edges.iter().for_each(|edge| point.turn(edge));
}

/// A point is shelved no longer.
pub(super) fn unshelve(point: &mut Point) {
    (point.shelved_until, point.shelf_ends) = (None, None);
    point.note("unshelved", None, "");
    point.set(lantern_core::alarm::life::Reason::Shelved, false);
}

pub(super) fn warn(what: &str, result: Result<(), StoreError>) {
    if let Err(error) = result {
        tracing::warn!(error = %with_sources(&error), "{what}");
    }
}
