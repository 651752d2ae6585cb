//! Walking along a series: segments and layers in order of time, as one.

use super::rollup::{self, Rollup};
use super::segment::{self, Sealed, Span};
use super::tails::{Tails, View};
use crate::error::LoadError;
use crate::order::Order;
use lantern_core::series::Run;
use sqlx::{Sqlite, SqlitePool, Transaction};
use std::collections::{HashMap, VecDeque};

/// Rows of segments read at a time.
const PAGE: u32 = 256;
/// The first page is small: who looks at one end needs no more.
const FIRST_PAGE: u32 = 2;

/// Segments whose readings are loaded in one go by those who want them all.
const AHEAD: usize = 8;

/// A stretch of a series.
pub(crate) enum Stretch {
    /// A segment that nothing recent changes. It may reach out of the span.
    Sealed(Sealed),
    /// Readings, put together from a segment and what is recent.
    Open(Run),
}

/// Goes along a signal's series from one end of a span to the other, in one
/// snapshot of the database.
pub(crate) struct Walk {
    snapshot: Transaction<'static, Sqlite>,
    span: Span,
    /// What has not been walked yet.
    from: i64,
    to: i64,
    order: Order,
    view: View,
    with_digests: bool,
    rows: VecDeque<Sealed>,
    has_more: bool,
    /// Readings of segments that come next, as they are kept.
    ahead: HashMap<i64, Vec<u8>>,
}

impl Walk {
    pub(crate) async fn start(
        pool: &SqlitePool,
        tails: &Tails,
        span: Span,
        order: Order,
        with_digests: bool,
    ) -> Result<Self, sqlx::Error> {
        loop {
            // Layers first: what is sealed after that is in both, and nothing in neither.
            let view = tails.view(span.signal);
            if view.is_swapping {
                tails.until(|tails| !tails.view(span.signal).is_swapping).await;
                continue;
            }
            let mut snapshot = pool.begin().await?;
            let rows = segment::find(&mut snapshot, span, order, FIRST_PAGE, with_digests).await?;
            // More than one sealing in between could have taken in what is newer
            // than the layers.
            if tails.stamp(span.signal) == view.stamp {
                return Ok(Self {
                    snapshot,
                    span,
                    from: span.from,
                    to: span.to,
                    order,
                    view,
                    with_digests,
                    has_more: rows.len() == FIRST_PAGE as usize,
                    rows: rows.into(),
                    ahead: HashMap::new(),
                });
            }
        }
    }

    /// Rollups in a part of the span over which nothing recent lies, at most `limit`,
    /// and whether there may be more after the last time looked at.
    pub(crate) async fn rollups(&mut self, from: i64, limit: u32) -> Result<(Vec<Rollup>, Option<i64>), sqlx::Error> {
        let Span { signal, to, .. } = self.span;
        let mut rollups = rollup::find(&mut self.snapshot, signal, (from, to), limit).await?;
        let next = rollups.last().filter(|_| rollups.len() == limit as usize).map(|last| last.last_at + 1);
        rollups.retain(|rollup| !self.view.touches(rollup.first_at, rollup.last_at + 1));
        Ok((rollups, next))
    }

    /// Goes on with another part of the span.
    pub(crate) fn go(&mut self, from: i64, to: i64) {
        (self.from, self.to) = (from.max(self.span.from), to.min(self.span.to));
        self.rows.clear();
        self.has_more = true;
    }

    /// The next stretch with anything in it.
    pub(crate) async fn next(&mut self) -> Result<Option<Stretch>, LoadError> {
        while self.from < self.to {
            if self.rows.is_empty() && self.has_more {
                self.turn_page().await?;
            }
            let row = self.rows.front();
            let gap = match (self.order, row) {
                (_, None) => (self.from, self.to),
                (Order::Ascending, Some(row)) => (self.from, row.first_at),
                (Order::Descending, Some(row)) => (row.last_at + 1, self.to),
            };
            if gap.0 < gap.1 {
                self.walked(gap);
                let run = self.view.over(Run::default(), gap.0, gap.1);
                if !run.is_empty() {
                    return Ok(Some(Stretch::Open(run)));
                }
                continue;
            }
            let Some(row) = self.rows.pop_front() else { break };
            let stretch = (row.first_at.max(self.from), (row.last_at + 1).min(self.to));
            self.walked(stretch);
            if !self.view.touches(stretch.0, stretch.1) {
                return Ok(Some(Stretch::Sealed(row)));
            }
            if let Some(run) = self.touched(row, stretch).await? {
                return Ok(Some(run));
            }
        }
        Ok(None)
    }

    async fn touched(&mut self, row: Sealed, (from, to): (i64, i64)) -> Result<Option<Stretch>, LoadError> {
        match row.data_id {
            Some(id) => {
                let sealed = segment::load(&mut self.snapshot, id).await?;
                let part = sealed.slice(sealed.between(from, to));
                let run = self.view.over(part, from, to);
                Ok((!run.is_empty()).then_some(Stretch::Open(run)))
            }
            // Summaries alone; nothing is put into them, and the sealer cuts them.
            None if self.view.layers().any(|layer| layer.cuts_all(row.first_at, row.last_at)) => Ok(None),
            None => Ok(Some(Stretch::Sealed(row))),
        }
    }

    fn walked(&mut self, (from, to): (i64, i64)) {
        match self.order {
            Order::Ascending => self.from = to,
            Order::Descending => self.to = from,
        }
    }

    async fn turn_page(&mut self) -> Result<(), sqlx::Error> {
        let rest = Span { from: self.from, to: self.to, ..self.span };
        let rows = segment::find(&mut self.snapshot, rest, self.order, PAGE, self.with_digests).await?;
        self.has_more = rows.len() == PAGE as usize;
        self.rows = rows.into();
        Ok(())
    }

    /// All readings of a segment, none if only its digest is left.
    pub(crate) async fn load(&mut self, sealed: &Sealed) -> Result<Run, LoadError> {
        match sealed.data_id {
            Some(id) => segment::load(&mut self.snapshot, id).await,
            None => Ok(Run::default()),
        }
    }

    /// All readings of a segment. Those of the next ones are loaded with them: whoever goes through all of
    /// them asks the database less often.
    pub(crate) async fn load_all(&mut self, sealed: &Sealed) -> Result<Run, LoadError> {
        let Some(id) = sealed.data_id else { return Ok(Run::default()) };
        if let Some(data) = self.ahead.remove(&id) {
            return segment::read(id, &data);
        }
        let next = self.rows.iter().filter_map(|row| row.data_id);
        let ids: Vec<i64> = std::iter::once(id).chain(next).take(AHEAD).collect();
        self.ahead = segment::load_many(&mut self.snapshot, &ids).await?;
        match self.ahead.remove(&id) {
            Some(data) => segment::read(id, &data),
            None => segment::load(&mut self.snapshot, id).await,
        }
    }

    /// The readings of a stretch that lie in the span.
    pub(crate) async fn readings(&mut self, stretch: Stretch) -> Result<Run, LoadError> {
        match stretch {
            Stretch::Open(run) => Ok(run),
            Stretch::Sealed(sealed) => {
                let run = self.load(&sealed).await?;
                let part = run.between(self.span.from, self.span.to);
                Ok(if part.len() == run.len() { run } else { run.slice(part) })
            }
        }
    }
}
