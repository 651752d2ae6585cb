//! Summaries of readings in buckets of time.

use crate::error::LoadError;
use crate::order::Order;
use crate::series::rollup::Rollup;
use crate::series::sealer;
use crate::series::segment::{self, Span};
use crate::series::summed::{Part, SummedWalk};
use crate::series::walk::{Stretch, Walk};
use crate::{Store, StoreError};
use lantern_core::series::{Bucket, Buckets, Fold, SealedDigest, largest_triangles};
use lantern_core::{Moment, SignalId};

/// Readings up to which a curve is chosen from all of them.
const MOST_POINTS: u64 = 200_000;

impl Store {
    /// Summaries of a signal's good numbers from `from` to `to` (excluded), by
    /// buckets. Buckets with no reading are left out, so a gap stays a gap.
    ///
    /// # Errors
    /// [`StoreError`].
    pub async fn summaries(
        &self,
        signal: SignalId,
        from: Moment,
        to: Moment,
        buckets: Buckets,
    ) -> Result<Vec<Bucket>, StoreError> {
        let span = Span { signal, from: from.as_micros(), to: to.as_micros() };
        let hold = segment::hold(&mut *self.read.acquire().await?, signal).await?;
        let mut fold = Fold::new(buckets, span.from, span.to);
        if let Some((at, value)) = self.held_before(span, hold).await? {
            fold.start_with(at, value, hold);
        }
        let walk = self.walk(span, Order::Ascending, true).await?;
        let mut walk = SummedWalk::start(walk, span.from, span.to).await?;
        while let Some(part) = walk.next().await? {
            match part {
                Part::Stretch(stretch) => take(walk.segments(), &mut fold, stretch, hold).await?,
                Part::Rollup(rollup) if take_rollup(&mut fold, &rollup) => {}
                Part::Rollup(rollup) => walk.look_closer(&rollup),
            }
        }
        Ok(fold.finish())
    }

    /// Sums up segments of a signal that were written again. Charts are right
    /// without it, so a failure is told and nothing else.
    pub(crate) async fn roll_up(&self, signal: SignalId) {
        let _planning = self.planning.lock().await;
        let Some(recorder) = self.seals.upgrade() else { return };
        if let Err(error) = sealer::roll_up(&recorder, &self.read, &self.limits, signal).await {
            tracing::warn!(signal = signal.0, %error, "segments could not be summed up; they will be later");
        }
    }

    /// The last good number before a span, if it still holds when that begins.
    pub(crate) async fn held_before(&self, span: Span, hold: i64) -> Result<Option<(i64, f64)>, StoreError> {
        let before = Span { from: span.from.saturating_sub(hold), to: span.from, ..span };
        let mut walk = self.walk(before, Order::Descending, false).await?;
        while let Some(stretch) = walk.next().await? {
            if let Some(last) = walk.readings(stretch).await?.good_numbers().last() {
                return Ok(Some(last));
            }
        }
        Ok(None)
    }

    /// At most `count` readings that draw nearly the same curve as all of them
    /// from `from` to `to` (excluded), with their times in microseconds since 1970.
    ///
    /// Chosen by largest triangles from all good numbers, or, where there are more
    /// than 200,000, from the first, smallest, largest and last of as many buckets.
    ///
    /// # Errors
    /// [`StoreError`].
    pub async fn curve(
        &self,
        signal: SignalId,
        from: Moment,
        to: Moment,
        count: usize,
    ) -> Result<Vec<(i64, f64)>, StoreError> {
        let span = Span { signal, from: from.as_micros(), to: to.as_micros() };
        let mut points: Vec<(i64, f64)> = Vec::new();
        let mut walk = self.walk(span, Order::Ascending, false).await?;
        let mut total = 0;
        while let Some(stretch) = walk.next().await? {
            total += match &stretch {
                Stretch::Sealed(sealed) => sealed.count,
                Stretch::Open(run) => run.len() as u64,
            };
            if total > MOST_POINTS {
                break;
            }
            points.extend(walk.readings(stretch).await?.good_numbers());
        }
        if total > MOST_POINTS {
            drop(walk);
            let length = span.to.saturating_sub(span.from);
            let width = (length / count.max(1) as i64).max(1);
            let buckets = self.summaries(signal, from, to, Buckets::Even(width)).await?;
            points = buckets.iter().flat_map(ends).collect();
        }
        let origin = points.first().map_or(0, |(at, _)| *at);
        let plane: Vec<(f64, f64)> = points.iter().map(|(at, value)| ((at - origin) as f64, *value)).collect();
        Ok(largest_triangles(&plane, count).into_iter().map(|index| points[index]).collect())
    }
}

/// What stands for a bucket in a curve: its first and last reading, and its
/// extremes in the middle.
fn ends(bucket: &Bucket) -> Vec<(i64, f64)> {
    let summary = &bucket.summary;
    let third = (summary.last_at - summary.first_at) / 3;
    let mut points = vec![
        (summary.first_at, summary.first),
        (summary.first_at + third, summary.min),
        (summary.last_at - third, summary.max),
        (summary.last_at, summary.last),
    ];
    points.dedup_by_key(|(at, _)| *at);
    points
}

/// Takes a rollup in, unless an edge lies inside its summaries or it is damaged:
/// the segments say the same.
fn take_rollup(fold: &mut Fold, rollup: &Rollup) -> bool {
    SealedDigest::open(&rollup.digest).and_then(|digest| fold.take_digest(&digest)).unwrap_or(false)
}

async fn take(walk: &mut Walk, fold: &mut Fold, stretch: Stretch, hold: i64) -> Result<(), LoadError> {
    let sealed = match stretch {
        Stretch::Open(run) => {
            fold.take_run(&run, hold);
            return Ok(());
        }
        Stretch::Sealed(sealed) => sealed,
    };
    let damaged = |error| LoadError::Digest { first_at: sealed.first_at, error };
    let digest = SealedDigest::open(&sealed.digest).map_err(damaged)?;
    if fold.take_digest(&digest).map_err(damaged)? {
        return Ok(());
    }
    if sealed.data_id.is_none() {
        return fold.take_what_is_left(&digest).map_err(damaged);
    }
    let run = walk.load(&sealed).await?;
    fold.take_run(&run, hold);
    Ok(())
}
