//! Planning a sealing: which segments a layer changes, and what takes their place.

use super::Limits;
use super::segment::{self, NewSegment, Sealed, Span};
use super::tails::Due;
use crate::error::LoadError;
use crate::order::Order;
use lantern_core::SignalId;
use lantern_core::series::{Digest, Layer, Run};
use sqlx::{SqliteConnection, SqlitePool};

/// Segments looked at for one transaction.
const PAGE: u32 = 16;
/// Small segments before a layer that may be joined with it.
const PREDECESSORS: u32 = 8;

/// What one transaction does to a signal's segments.
#[derive(Default)]
pub(crate) struct Rewrite {
    /// Segments that cannot be read, by the times they begin at: put aside first.
    pub(crate) damaged: Vec<i64>,
    /// Segments to take away, by the times they begin at.
    pub(crate) gone: Vec<i64>,
    /// Segments to put in place.
    pub(crate) new: Vec<NewSegment>,
}

impl Rewrite {
    pub(crate) fn size(&self) -> usize {
        self.new.iter().map(NewSegment::size).sum()
    }
}

/// A part of the series while a rewrite is planned.
enum Part {
    /// A segment that stays.
    Kept(Sealed),
    /// Readings to be written, from segments that go.
    Fresh { run: Run, gone: Vec<i64> },
    /// A segment whose readings are gone and whose digest changes.
    Digest { sealed: Sealed, digest: Digest },
}

/// Plans the sealing of one layer, a transaction at a time.
pub(crate) struct Plan<'a> {
    pool: &'a SqlitePool,
    limits: &'a Limits,
    pub(crate) due: Due,
    hold: i64,
    /// From where on it is not planned yet; `None` when it is.
    rest: Option<(i64, i64)>,
    damaged: Vec<i64>,
}

impl<'a> Plan<'a> {
    pub(crate) async fn new(pool: &'a SqlitePool, limits: &'a Limits, due: Due) -> Result<Self, sqlx::Error> {
        let mut connection = pool.acquire().await?;
        let hold = segment::hold(&mut connection, due.signal).await?;
        let rest = match due.layer.span() {
            Some((first, last)) => Some((first, last.saturating_add(1))),
            // Nothing but bursts to be joined: at the end of the series.
            None => segment::last_at(&mut connection, due.signal).await?.map(|last| (last + 1, last + 1)),
        };
        Ok(Self { pool, limits, due, hold, rest, damaged: Vec::new() })
    }

    /// Whether all is planned.
    pub(crate) const fn is_done(&self) -> bool {
        self.rest.is_none()
    }

    fn signal(&self) -> SignalId {
        self.due.signal
    }

    /// The next transaction. What was planned before has to be in place.
    pub(crate) async fn next(&mut self) -> Result<Rewrite, LoadError> {
        let Some((from, to)) = self.rest else { return Ok(Rewrite::default()) };
        let mut connection = self.pool.acquire().await?;
        let span = Span { signal: self.signal(), from, to };
        let rows = segment::find(&mut connection, span, Order::Ascending, PAGE, true).await?;
        let until = match rows.last() {
            Some(last) if rows.len() == PAGE as usize => (last.last_at + 1).min(to),
            _ => to,
        };
        let mut parts = self.predecessors(&mut connection, from).await?;
        self.overlay(&mut connection, rows, (from, until), &mut parts).await?;
        if until == to {
            let after = Span { from: to, to: i64::MAX, ..span };
            let next = segment::find(&mut connection, after, Order::Ascending, 1, true).await?;
            parts.extend(next.into_iter().filter(|row| row.first_at >= to).map(Part::Kept));
        }
        let parts = self.join(&mut connection, parts).await?;
        drop(connection);
        self.rest = (until < to).then_some((until, to));
        self.rewrite(parts).await
    }

    async fn predecessors(&self, connection: &mut SqliteConnection, from: i64) -> Result<Vec<Part>, LoadError> {
        let before = Span { signal: self.signal(), from: i64::MIN, to: from };
        let mut rows = segment::find(connection, before, Order::Descending, PREDECESSORS, true).await?;
        rows.retain(|row| row.last_at < from);
        Ok(rows.into_iter().rev().map(Part::Kept).collect())
    }

    /// Lays the layer over the segments of a span and the gaps between them.
    async fn overlay(
        &mut self,
        connection: &mut SqliteConnection,
        rows: Vec<Sealed>,
        (from, until): (i64, i64),
        parts: &mut Vec<Part>,
    ) -> Result<(), LoadError> {
        let layer: &Layer = &self.due.layer.clone();
        let mut reached = from;
        let gap = |reached: i64, end: i64| Part::Fresh { run: layer.over(Run::default(), reached, end), gone: vec![] };
        for row in rows {
            if reached < row.first_at {
                parts.push(gap(reached, row.first_at));
            }
            reached = row.last_at + 1;
            parts.push(self.overlaid(connection, layer, row).await?);
        }
        if reached < until {
            parts.push(gap(reached, until));
        }
        Ok(())
    }

    async fn overlaid(
        &mut self,
        connection: &mut SqliteConnection,
        layer: &Layer,
        row: Sealed,
    ) -> Result<Part, LoadError> {
        let (first, end) = (row.first_at, row.last_at + 1);
        if !layer.touches(first, end) {
            return Ok(Part::Kept(row));
        }
        let gone = vec![first];
        if layer.cuts_all(first, row.last_at) {
            return Ok(Part::Fresh { run: layer.over(Run::default(), first, end), gone });
        }
        let Some(id) = row.data_id else {
            let mut digest =
                Digest::decode(&row.digest).map_err(|error| LoadError::Digest { first_at: first, error })?;
            layer.cuts().iter().for_each(|&(from, to)| digest.cut(from, to));
            return Ok(Part::Digest { sealed: row, digest });
        };
        let sealed = match segment::load(connection, id).await {
            Ok(run) => run,
            Err(LoadError::Damaged { id, error }) => {
                // Nothing recent may be lost because of it, nor the bytes themselves.
                tracing::error!(signal = self.signal().0, segment = id, %error, "a segment cannot be read; it is put aside");
                self.damaged.push(first);
                Run::default()
            }
            Err(error) => return Err(error),
        };
        Ok(Part::Fresh { run: layer.over(sealed, first, end), gone })
    }

    /// Joins what is written again with what is beside it, as long as that is small.
    async fn join(&self, connection: &mut SqliteConnection, parts: Vec<Part>) -> Result<Vec<Part>, LoadError> {
        let mut joined: Vec<Part> = Vec::with_capacity(parts.len());
        for part in parts {
            match (joined.last_mut(), part) {
                (Some(Part::Fresh { run, gone }), Part::Fresh { run: more, gone: more_gone }) => {
                    run.overlay(&more);
                    gone.extend(more_gone);
                }
                (Some(Part::Fresh { run, gone }), Part::Kept(row)) if self.is_small(&row, run.len()) => {
                    run.overlay(&segment::load(connection, row.data_id.unwrap_or_default()).await?);
                    gone.push(row.first_at);
                }
                (_, Part::Fresh { mut run, mut gone }) => {
                    while let Some(Part::Kept(row)) = joined.last() {
                        if !self.is_small(row, run.len()) {
                            break;
                        }
                        let mut longer = segment::load(connection, row.data_id.unwrap_or_default()).await?;
                        longer.overlay(&run);
                        run = longer;
                        gone.push(row.first_at);
                        joined.pop();
                    }
                    // What came before may have been fresh as well.
                    if let Some(Part::Fresh { run: before, gone: gone_before }) = joined.last_mut() {
                        before.overlay(&run);
                        gone_before.extend(gone);
                    } else {
                        joined.push(Part::Fresh { run, gone });
                    }
                }
                (_, part) => joined.push(part),
            }
        }
        Ok(joined)
    }

    /// Whether a segment is worth joining with so many fresh readings. Each
    /// reading is written again a number of times that grows with the logarithm of
    /// the segment's size, because only those up to four times larger are.
    fn is_small(&self, row: &Sealed, fresh: usize) -> bool {
        let is_burst = self.due.layer.is_empty();
        let worth = if is_burst { row.count } else { 4 * fresh as u64 };
        row.data_id.is_some()
            && !self.limits.is_full(row.count, row.last_at - row.first_at)
            && row.count <= worth
            && (is_burst || fresh > 0)
    }

    async fn rewrite(&mut self, parts: Vec<Part>) -> Result<Rewrite, LoadError> {
        let mut rewrite = Rewrite { damaged: std::mem::take(&mut self.damaged), ..Rewrite::default() };
        let mut runs = Vec::new();
        for part in parts {
            match part {
                Part::Kept(_) => {}
                Part::Fresh { run, gone } => {
                    rewrite.gone.extend(gone);
                    if !run.is_empty() {
                        runs.push(run);
                    }
                }
                Part::Digest { sealed, digest } => {
                    rewrite.gone.push(sealed.first_at);
                    if let Some(whole) = digest.whole {
                        rewrite.new.push(NewSegment {
                            first_at: whole.first_at,
                            last_at: whole.last_at,
                            count: usize::try_from(whole.count).unwrap_or(usize::MAX),
                            digest: digest.encode(),
                            ..NewSegment::without_data(&sealed)
                        });
                    }
                }
            }
        }
        let encoded = encode(runs, *self.limits, self.hold).await?;
        rewrite.new.extend(encoded);
        Ok(rewrite)
    }
}

/// Makes segments of runs, on a thread that nothing else waits for.
pub(crate) async fn encode(runs: Vec<Run>, limits: Limits, hold: i64) -> Result<Vec<NewSegment>, sqlx::Error> {
    let encoded = tokio::task::spawn_blocking(move || {
        runs.iter().flat_map(|run| pieces(run, &limits)).filter_map(|piece| NewSegment::of(&piece, hold)).collect()
    });
    encoded.await.map_err(|error| sqlx::Error::Io(std::io::Error::other(error)))
}

/// A run cut to the size of segments.
fn pieces<'a>(run: &'a Run, limits: &Limits) -> impl Iterator<Item = Run> + 'a {
    let span = run.span().map_or(0, |(first, last)| last - first);
    let wanted = limits.wanted(run.len(), span, run.weight());
    (0..run.len()).step_by(wanted).map(move |start| run.slice(start..(start + wanted).min(run.len())))
}
