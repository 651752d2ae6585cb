//! What late readings would have raised: found in the history, recorded, and told to nobody.

use super::Alarms;
use super::points::Point;
use crate::clock;
use lantern_core::watch::{Edge, Judge, Memory, Seen};
use lantern_core::{Moment, SignalId};
use lantern_store::{AlarmDeed, PointId, StoreError};
use std::sync::PoisonError;

/// Points that are looked at each minute: late readings of a backlog come for hours.
const MOST: usize = 200;
/// How far back is looked at most, in seconds: 31 days.
const FURTHEST_S: f64 = 31.0 * 86_400.0;

impl Alarms {
    /// Looks for what late readings would have raised.
    pub(super) async fn find(&self) -> Result<(), StoreError> {
        let late: Vec<(PointId, (Moment, Moment))> = {
            let mut all = self.late.lock().unwrap_or_else(PoisonError::into_inner);
            let some: Vec<PointId> = all.keys().copied().take(MOST).collect();
            some.into_iter().filter_map(|id| all.remove_entry(&id)).collect()
        };
        for (id, span) in late {
            if let Err(error) = self.find_at(id, span).await {
                self.note_late(id, span);
                return Err(error);
            }
        }
        Ok(())
    }

    async fn find_at(&self, id: PointId, span: (Moment, Moment)) -> Result<(), StoreError> {
        let Some((signal, judged)) =
            self.points().get(id).and_then(|point| Some((point.signal?, point.memory.judged()?)))
        else {
            return Ok(());
        };
        let from = span.0.max(clock::now().plus_seconds(-FURTHEST_S));
        let found = self.occurrences(id, signal, (from, judged)).await?;
        let known = self.store.alarm_spans(id, from).await?;
        let is_known = |(begin, end): &(Edge, Moment)| {
            known.iter().any(|(raised, cleared)| *raised <= *end && cleared.is_none_or(|cleared| cleared >= begin.at))
        };
        let mut points = self.points();
        let Some(point) = points.get_mut(id) else { return Ok(()) };
        // What began after the last late reading was judged in its time.
        for (begin, end) in found.iter().filter(|one| one.0.at <= span.1 && !is_known(one)) {
            let new = point.raise(begin, true, Some(*end));
            point.deeds.push(AlarmDeed::Raise(Box::new(new)));
        }
        Ok(())
    }

    /// When a point's condition began to hold and ended in a span, by the history as it is.
    async fn occurrences(
        &self,
        id: PointId,
        signal: SignalId,
        (from, to): (Moment, Moment),
    ) -> Result<Vec<(Edge, Moment)>, StoreError> {
        let Some((rule, bound)) = self.points().get(id).map(|point: &Point| (point.rule.clone(), point.bound.clone()))
        else {
            return Ok(Vec::new());
        };
        let judge = Judge { rule: &rule, zone: &bound.zone };
        let (mut memory, mut edges) = (Memory::default(), Vec::new());
        let mut scan = self.store.scan(signal, from - rule.looks_back(), to.next());
        while let Some(run) = scan.next().await? {
            for point in run.points() {
                judge.take(&mut memory, Seen { at: point.at, value: &point.value, quality: point.quality }, &mut edges);
            }
        }
        let mut found = Vec::new();
        let mut open: Option<Edge> = None;
        for edge in edges {
            match (edge.holds, open.take()) {
                (true, _) => open = Some(edge),
                (false, Some(begin)) => found.push((begin, edge.at)),
                (false, None) => {}
            }
        }
        found.extend(open.map(|begin| (begin, to)));
        found.retain(|(begin, _)| begin.at >= from);
        Ok(found)
    }
}
