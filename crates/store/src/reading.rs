//! Reading back.

use crate::series::segment::{self, Sealed, Span};
use crate::series::tails::View;
use crate::series::walk::{Stretch, Walk};
use crate::types::moment;
use crate::{Order, Store, StoreError};
use lantern_core::series::{Point, Run};
use lantern_core::{DeviceId, Moment, SignalId, Value};
use std::collections::BTreeSet;

/// A bounded stretch of one signal's readings.
#[derive(Debug, Clone, Copy)]
pub struct Page {
    /// The signal.
    pub signal: SignalId,
    /// From this time on.
    pub from: Moment,
    /// To this time, itself excluded.
    pub to: Moment,
    /// At most so many.
    pub limit: u32,
    /// From which end.
    pub order: Order,
}

impl Page {
    pub(crate) const fn span(&self) -> Span {
        Span { signal: self.signal, from: self.from.as_micros(), to: self.to.as_micros() }
    }
}

/// How much there is of something, counted up to a limit.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Extent {
    /// How many readings, at most the limit.
    pub count: u64,
    /// Whether the limit was reached, so that there may be more.
    pub at_least: bool,
}

/// A time without readings.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Gap {
    /// The last reading before it.
    pub from: Moment,
    /// The first reading after it.
    pub to: Moment,
}

/// Readings of a scan held at a time.
const SCAN: usize = 8_192;

/// Reads a signal's readings in order of time, however many, in bounded memory.
/// What is changed while it goes on is seen if it lies ahead.
pub struct Scan<'a> {
    store: &'a Store,
    rest: Span,
}

impl Scan<'_> {
    /// The next readings; `None` at the end.
    ///
    /// # Errors
    /// [`StoreError`].
    pub async fn next(&mut self) -> Result<Option<Run>, StoreError> {
        if self.rest.from >= self.rest.to {
            return Ok(None);
        }
        let mut walk = self.store.walk(self.rest, Order::Ascending, false).await?;
        while let Some(stretch) = walk.next().await? {
            let run = walk.readings(stretch).await?;
            let part = if run.len() > SCAN { run.slice(0..SCAN) } else { run };
            if let Some((_, last)) = part.span() {
                self.rest.from = last + 1;
                return Ok(Some(part));
            }
        }
        self.rest.from = self.rest.to;
        Ok(None)
    }
}

impl Store {
    pub(crate) async fn walk(&self, span: Span, order: Order, with_digests: bool) -> Result<Walk, sqlx::Error> {
        Walk::start(&self.read, &self.tails, span, order, with_digests).await
    }

    /// Readings of a page, in its order, whatever their quality.
    ///
    /// # Errors
    /// [`StoreError`].
    pub async fn points(&self, page: Page) -> Result<Vec<Point>, StoreError> {
        self.points_where(page, |_| true).await
    }

    /// The good readings of a page, in its order.
    ///
    /// # Errors
    /// [`StoreError`].
    pub async fn good_points(&self, page: Page) -> Result<Vec<Point>, StoreError> {
        self.points_where(page, |point| point.quality.is_good()).await
    }

    /// The readings of a page that are suspect or rejected, in its order.
    ///
    /// # Errors
    /// [`StoreError`].
    pub async fn doubtful_points(&self, page: Page) -> Result<Vec<Point>, StoreError> {
        self.points_where(page, |point| !point.quality.is_good()).await
    }

    async fn points_where(&self, page: Page, is_wanted: impl Fn(&Point) -> bool) -> Result<Vec<Point>, StoreError> {
        let limit = page.limit as usize;
        let mut points: Vec<Point> = Vec::new();
        let mut walk = self.walk(page.span(), page.order, false).await?;
        while points.len() < limit
            && let Some(stretch) = walk.next().await?
        {
            let run = walk.readings(stretch).await?;
            let left = limit - points.len();
            match page.order {
                Order::Ascending => points.extend(run.points().filter(&is_wanted).take(left)),
                Order::Descending => points.extend(run.points().rev().filter(&is_wanted).take(left)),
            }
        }
        Ok(points)
    }

    /// Times and values of the good readings of a page, in its order.
    ///
    /// # Errors
    /// [`StoreError`].
    pub async fn readings(&self, page: Page) -> Result<Vec<(Moment, Value)>, StoreError> {
        Ok(self.good_points(page).await?.into_iter().map(|point| (point.at, point.value)).collect())
    }

    /// All readings of a signal from a time on and before another, piece by piece.
    #[must_use]
    pub const fn scan(&self, signal: SignalId, from: Moment, to: Moment) -> Scan<'_> {
        Scan { store: self, rest: Span { signal, from: from.as_micros(), to: to.as_micros() } }
    }

    /// The last good readings of a signal, oldest of them first.
    ///
    /// # Errors
    /// [`StoreError`].
    pub async fn last_readings(&self, signal: SignalId, count: u32) -> Result<Vec<(Moment, Value)>, StoreError> {
        let page = Page { signal, from: Moment::MIN, to: Moment::MAX, limit: count, order: Order::Descending };
        let mut readings = self.readings(page).await?;
        readings.reverse();
        Ok(readings)
    }

    /// The good reading at a time, or else the last before it.
    ///
    /// # Errors
    /// [`StoreError`].
    pub async fn reading_at(&self, signal: SignalId, at: Moment) -> Result<Option<Point>, StoreError> {
        let page = Page { signal, from: Moment::MIN, to: at.next(), limit: 1, order: Order::Descending };
        Ok(self.good_points(page).await?.pop())
    }

    /// First and last time of a signal's readings, those of which only summaries
    /// are left among them.
    ///
    /// # Errors
    /// [`StoreError`].
    pub async fn time_span(&self, signal: SignalId) -> Result<Option<(Moment, Moment)>, StoreError> {
        let all = Span::all(signal);
        let first = match self.walk(all, Order::Ascending, false).await?.next().await? {
            Some(Stretch::Sealed(sealed)) => Some(sealed.first_at),
            Some(Stretch::Open(run)) => run.span().map(|(first, _)| first),
            None => None,
        };
        let last = match self.walk(all, Order::Descending, false).await?.next().await? {
            Some(Stretch::Sealed(sealed)) => Some(sealed.last_at),
            Some(Stretch::Open(run)) => run.span().map(|(_, last)| last),
            None => None,
        };
        Ok(first.zip(last).map(|(first, last)| (moment(first), moment(last))))
    }

    /// First and last times of several signals, in their order.
    ///
    /// # Errors
    /// [`StoreError`].
    pub async fn time_spans(&self, signals: &[SignalId]) -> Result<Vec<Option<(Moment, Moment)>>, StoreError> {
        let views: Vec<View> = signals.iter().map(|signal| self.tails.view(*signal)).collect();
        let sealed = segment::ends(&mut *self.read.acquire().await?, signals).await?;
        let mut spans = Vec::with_capacity(signals.len());
        for ((signal, view), sealed) in signals.iter().zip(views).zip(sealed) {
            // What was cut out, or sealed since the layers were taken, needs a closer look.
            let is_plain = !view.is_swapping && !view.cuts_anything() && self.tails.stamp(*signal) == view.stamp;
            spans.push(if is_plain {
                let recent = view.layers().filter_map(|layer| layer.puts().span());
                let span = sealed.into_iter().chain(recent).reduce(|a, b| (a.0.min(b.0), a.1.max(b.1)));
                span.map(|(first, last)| (moment(first), moment(last)))
            } else {
                self.time_span(*signal).await?
            });
        }
        Ok(spans)
    }

    /// Counts the readings of a signal, arrivals too, up to `limit`.
    ///
    /// # Errors
    /// [`StoreError`].
    pub async fn count_readings(&self, signal: SignalId, limit: u32) -> Result<Extent, StoreError> {
        self.count(&[signal], limit).await
    }

    /// Counts the readings of all signals of a device up to `limit`.
    ///
    /// # Errors
    /// [`StoreError`].
    pub async fn count_device_readings(&self, device: DeviceId, limit: u32) -> Result<Extent, StoreError> {
        let signals = sqlx::query_scalar("SELECT id FROM signal WHERE device_id = ? AND removed_at IS NULL")
            .bind(device.0)
            .fetch_all(&self.read)
            .await?;
        self.count(&signals.into_iter().map(SignalId).collect::<Vec<_>>(), limit).await
    }

    /// Counts the readings of all devices of a site up to `limit`.
    ///
    /// # Errors
    /// [`StoreError`].
    pub async fn count_site_readings(&self, site: lantern_core::SiteId, limit: u32) -> Result<Extent, StoreError> {
        let signals = sqlx::query_scalar(
            "SELECT signal.id FROM signal JOIN device ON device.id = device_id
             WHERE site_id = ? AND signal.removed_at IS NULL",
        )
        .bind(site.0)
        .fetch_all(&self.read)
        .await?;
        self.count(&signals.into_iter().map(SignalId).collect::<Vec<_>>(), limit).await
    }

    /// Counts the readings of a signal from a time on and before another.
    ///
    /// # Errors
    /// [`StoreError`].
    pub async fn count_between(&self, signal: SignalId, from: Moment, to: Moment) -> Result<u64, StoreError> {
        self.count_span(Span { signal, from: from.as_micros(), to: to.as_micros() }, u64::MAX).await
    }

    async fn count(&self, signals: &[SignalId], limit: u32) -> Result<Extent, StoreError> {
        let limit = u64::from(limit);
        let mut count = 0;
        for &signal in signals {
            if count < limit {
                count += self.count_span(Span::all(signal), limit - count).await?;
            }
        }
        Ok(Extent { count: count.min(limit), at_least: count >= limit })
    }

    async fn count_span(&self, span: Span, limit: u64) -> Result<u64, StoreError> {
        let mut count = 0;
        let mut walk = self.walk(span, Order::Ascending, false).await?;
        while count < limit
            && let Some(stretch) = walk.next().await?
        {
            count += match stretch {
                Stretch::Sealed(Sealed { data_id: None, .. }) => 0,
                Stretch::Sealed(sealed) if sealed.first_at >= span.from && sealed.last_at < span.to => sealed.count,
                stretch => walk.readings(stretch).await?.len() as u64,
            };
        }
        Ok(count)
    }

    /// Times without readings that are longer than so many microseconds, in order
    /// from a time on and before another, at most `limit`. What is before the
    /// first reading and after the last is no gap.
    ///
    /// # Errors
    /// [`StoreError`].
    pub async fn gaps(
        &self,
        signal: SignalId,
        (from, to): (Moment, Moment),
        longer_than: i64,
        limit: usize,
    ) -> Result<Vec<Gap>, StoreError> {
        let span = Span { signal, from: from.as_micros(), to: to.as_micros() };
        let mut walk = self.walk(span, Order::Ascending, false).await?;
        let mut gaps = Gaps { longer_than, before: None, found: Vec::new() };
        while gaps.found.len() < limit
            && let Some(stretch) = walk.next().await?
        {
            match stretch {
                // Nothing in it is as long, so its ends are enough.
                Stretch::Sealed(sealed)
                    if sealed.data_id.is_none()
                        || (sealed.longest <= longer_than
                            && sealed.first_at >= span.from
                            && sealed.last_at < span.to) =>
                {
                    gaps.take(sealed.first_at);
                    gaps.before = Some(sealed.last_at);
                }
                stretch => walk.readings(stretch).await?.times().iter().for_each(|at| gaps.take(*at)),
            }
        }
        gaps.found.truncate(limit);
        Ok(gaps.found)
    }

    /// The times at which anything was measured by a device's declared signals,
    /// in order, at most `limit` of them from the newest back.
    ///
    /// # Errors
    /// [`StoreError`].
    pub async fn reading_times(
        &self,
        device: DeviceId,
        from: Moment,
        to: Moment,
        limit: u32,
    ) -> Result<Vec<Moment>, StoreError> {
        let mut times = BTreeSet::new();
        for signal in self.signals(device).await?.into_iter().filter(|signal| signal.value_type.is_some()) {
            let page = Page { signal: signal.id, from, to: to.next(), limit, order: Order::Descending };
            times.extend(self.points(page).await?.into_iter().map(|point| point.at));
            while times.len() > limit as usize {
                times.pop_first();
            }
        }
        Ok(times.into_iter().collect())
    }
}

struct Gaps {
    longer_than: i64,
    before: Option<i64>,
    found: Vec<Gap>,
}

impl Gaps {
    fn take(&mut self, at: i64) {
        if let Some(before) = self.before
            && at - before > self.longer_than
        {
            self.found.push(Gap { from: moment(before), to: moment(at) });
        }
        self.before = Some(at);
    }
}
