//! Figures of a signal in buckets of time.

use crate::error::LoadError;
use crate::order::Order;
use crate::series::segment::{self, Span};
use crate::series::walk::{Stretch, Walk};
use crate::{Store, StoreError};
use lantern_core::figures::{Extreme, FigureFold, Figures, WantedFigures};
use lantern_core::series::{Bucket, Buckets, SealedDigest};
use lantern_core::{Moment, SignalId};

/// Readings up to which figures are worked out from each of them.
const MOST_READINGS: u64 = 5_000_000;

impl Store {
    /// Figures of a signal's good numbers from `from` to `to` (excluded), by buckets. Of more than
    /// five million readings they come from summaries, and are not [whole](Figures::is_whole).
    ///
    /// # Errors
    /// [`StoreError`].
    pub async fn figures(
        &self,
        signal: SignalId,
        (from, to): (Moment, Moment),
        buckets: Buckets,
        wanted: &WantedFigures,
    ) -> Result<Vec<Figures>, StoreError> {
        let span = Span { signal, from: from.as_micros(), to: to.as_micros() };
        if self.is_long(span).await? {
            let summaries = self.summaries(signal, from, to, buckets).await?;
            return Ok(summaries.iter().map(from_summary).collect());
        }
        let hold = segment::hold(&mut *self.read.acquire().await?, signal).await?;
        let mut fold = FigureFold::new(wanted, buckets, span.from, span.to);
        if let Some((at, value)) = self.held_before(span, hold).await? {
            fold.start_with(at, value, hold);
        }
        let mut walk = self.walk(span, Order::Ascending, false).await?;
        while let Some(stretch) = walk.next().await? {
            take(&mut walk, &mut fold, stretch, hold).await?;
        }
        Ok(fold.finish())
    }

    /// Whether a span holds more readings than are looked at one by one.
    async fn is_long(&self, span: Span) -> Result<bool, StoreError> {
        let counted = segment::count_readings(&mut *self.read.acquire().await?, span).await?;
        Ok(counted > MOST_READINGS)
    }
}

async fn take(walk: &mut Walk, fold: &mut FigureFold<'_>, stretch: Stretch, hold: i64) -> Result<(), LoadError> {
    let sealed = match stretch {
        Stretch::Open(run) => {
            fold.take_run(&run, hold);
            return Ok(());
        }
        Stretch::Sealed(sealed) => sealed,
    };
    if sealed.data_id.is_none() {
        let damaged = |error| LoadError::Digest { first_at: sealed.first_at, error };
        let digest = SealedDigest::open(&sealed.digest).map_err(damaged)?;
        return fold.take_what_is_left(&digest).map_err(damaged);
    }
    let run = walk.load_all(&sealed).await?;
    fold.take_run(&run, hold);
    Ok(())
}

fn from_summary(bucket: &Bucket) -> Figures {
    let Bucket { start, end, summary } = bucket;
    Figures {
        start: *start,
        end: *end,
        count: summary.count,
        min: Extreme { value: summary.min, at: None },
        max: Extreme { value: summary.max, at: None },
        mean: summary.mean(),
        time_mean: summary.time_weighted_mean(),
        total: summary.sum + summary.carry,
        area: summary.area,
        held: summary.held,
        deviation: None,
        quantiles: Vec::new(),
        inside: Vec::new(),
        degrees: Vec::new(),
        is_whole: false,
    }
}
