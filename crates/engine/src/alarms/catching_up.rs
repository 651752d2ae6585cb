//! What was missed while the service was off, or the queue full: it is read from the store.

use super::Alarms;
use super::judging::judge_with;
use super::points::Point;
use lantern_core::Moment;
use lantern_core::watch::Seen;
use lantern_store::{PointId, StoreError};
use std::sync::atomic::Ordering;

/// Sites read at a time.
const PAGE: u32 = 500;

impl Alarms {
    /// Reads all watches, and judges what came since they last did.
    ///
    /// # Errors
    /// [`StoreError`] if something cannot be read.
    pub async fn begin(&self) -> Result<(), StoreError> {
        let _writing = self.writing.lock().await;
        let mut after = String::new();
        loop {
            let sites = self.store.sites_of(None, None, &after, PAGE).await?;
            let Some((last, _)) = sites.last() else { break };
            after.clone_from(&last.code);
            for (site, _) in &sites {
                self.bind(site.id).await?;
            }
        }
        self.catch_up().await?;
        self.write().await
    }

    /// Judges what the store has had since each point last judged.
    pub(super) async fn catch_up(&self) -> Result<(), StoreError> {
        let all: Vec<PointId> =
            self.points().iter().filter(|point| point.signal.is_some()).map(|point| point.id).collect();
        for id in all {
            self.read_on(id).await?;
        }
        Ok(())
    }

    /// Judges what the store has of a point's signal since it last judged; a new point begins with the
    /// last reading there is.
    pub(super) async fn read_on(&self, id: PointId) -> Result<(), StoreError> {
        let Some((signal, judged)) =
            self.points().get(id).and_then(|point| Some((point.signal?, point.memory.judged())))
        else {
            return Ok(());
        };
        let from = match judged {
            Some(judged) => judged.next(),
            None => match self.store.reading_at(signal, Moment::MAX).await? {
                Some(last) => last.at,
                None => {
                    self.points().get_mut(id).into_iter().for_each(|point| point.memory.begin_with_the_first());
                    return Ok(());
                }
            },
        };
        let mut scan = self.store.scan(signal, from, Moment::MAX);
        while let Some(run) = scan.next().await? {
            let mut points = self.points();
            let Some(point) = points.get_mut(id) else { return Ok(()) };
            for seen in run.points() {
                take(point, seen.at, &seen.value, seen.quality);
            }
        }
        Ok(())
    }

    /// Whether anything is watched at all.
    pub(super) fn note_whether_there_are_any(&self) {
        let any = self.points().iter().next().is_some();
        self.has_watches.store(any, Ordering::Relaxed);
    }
}

fn take(point: &mut Point, at: Moment, value: &lantern_core::Value, quality: lantern_core::quality::Quality) {
    judge_with(point, |judge, memory, edges| {
        judge.take(memory, Seen { at, value, quality }, edges);
    });
}
