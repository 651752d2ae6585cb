//! Working figures out bucket by bucket.

use super::{Extreme, Figures, WantedFigures};
use crate::series::{Buckets, Run, SealedDigest, SegmentError, Summary};

/// Takes the readings of one signal in order of time and gives the figures of each bucket.
/// Buckets with no reading are left out.
#[derive(Debug)]
pub struct FigureFold<'a> {
    wanted: &'a WantedFigures,
    buckets: Buckets,
    from: i64,
    to: i64,
    done: Vec<Figures>,
    current: Option<Tally>,
    held: Option<Held>,
    /// Room for the values of a bucket, used again for the next.
    values: Vec<f64>,
}

/// A value that goes on.
#[derive(Debug, Clone, Copy)]
struct Held {
    since: i64,
    until: i64,
    value: f64,
}

/// What has come together in a bucket. Its values lie in [`FigureFold::values`].
#[derive(Debug)]
struct Tally {
    start: i64,
    end: i64,
    summary: Option<Summary>,
    min_at: Option<i64>,
    max_at: Option<i64>,
    area: f64,
    held: i64,
    inside: Vec<i64>,
    degrees: Vec<f64>,
    is_whole: bool,
}

impl<'a> FigureFold<'a> {
    /// Works out what lies from `from` on and before `to`, microseconds since 1970.
    #[must_use]
    pub const fn new(wanted: &'a WantedFigures, buckets: Buckets, from: i64, to: i64) -> Self {
        Self { wanted, buckets, from, to, done: Vec::new(), current: None, held: None, values: Vec::new() }
    }

    /// The value that holds when the time begins, with when it was measured and how long it holds.
    pub fn start_with(&mut self, at: i64, value: f64, hold: i64) {
        self.held = Some(Held { since: self.from.max(at), until: at.saturating_add(hold), value });
    }

    /// Takes in the good numbers of a run that lie in the time; a value holds for `hold`
    /// microseconds at most.
    pub fn take_run(&mut self, run: &Run, hold: i64) {
        let mut rest = run.between(self.from, self.to);
        while let Some(first) = run.times().get(rest.start).filter(|_| !rest.is_empty()) {
            let Some((start, end)) = self.buckets.around(*first) else { return };
            let part = rest.start..run.between(self.from, end.min(self.to)).end;
            rest.start = part.end;
            let mut readings = run.good_numbers_in(part).peekable();
            if readings.peek().is_some() {
                self.enter(start, end);
            }
            for (at, value) in readings {
                self.take(at, value, hold);
            }
        }
    }

    /// Takes in a segment whose readings are gone: each of its finest summaries goes to the bucket in
    /// which it begins.
    ///
    /// # Errors
    /// [`SegmentError`] if the digest is damaged.
    pub fn take_what_is_left(&mut self, digest: &SealedDigest<'_>) -> Result<(), SegmentError> {
        let finest = match digest.tiers.last() {
            Some(tier) => tier.decode()?.summaries,
            None => digest.whole.into_iter().collect(),
        };
        let time = self.from..self.to;
        for summary in finest.iter().filter(|summary| time.contains(&summary.first_at)) {
            let Some((start, end)) = self.buckets.around(summary.first_at) else { continue };
            self.enter(start, end);
            self.hold_until(summary.first_at);
            let Some(tally) = &mut self.current else { continue };
            tally.is_whole = false;
            tally.area += summary.area;
            tally.held += summary.held;
            tally.join(summary, None);
            let until = summary.last_at.saturating_add(digest.hold);
            self.held = Some(Held { since: summary.last_at, until, value: summary.last });
        }
        Ok(())
    }

    fn take(&mut self, at: i64, value: f64, hold: i64) {
        self.hold_until(at);
        self.values.push(value);
        if let Some(tally) = &mut self.current {
            tally.join(&Summary::of(at, value), Some(at));
        }
        self.held = Some(Held { since: at, until: at.saturating_add(hold), value });
    }

    /// Goes to a bucket; the one before is finished.
    fn enter(&mut self, start: i64, end: i64) {
        if self.current.as_ref().is_some_and(|tally| tally.start == start) {
            return;
        }
        self.finish_current();
        self.current = Some(Tally {
            start,
            end,
            summary: None,
            min_at: None,
            max_at: None,
            area: 0.0,
            held: 0,
            inside: vec![0; self.wanted.bands.len()],
            degrees: vec![0.0; self.wanted.degrees.len()],
            is_whole: true,
        });
    }

    /// Counts the value that goes on for the bucket that is open, up to a time.
    fn hold_until(&mut self, at: i64) {
        let (Some(held), Some(tally)) = (self.held, &mut self.current) else { return };
        let time = held.until.min(at).saturating_sub(held.since.max(tally.start)).max(0);
        tally.area += held.value * time as f64;
        tally.held += time;
        for (inside, band) in tally.inside.iter_mut().zip(&self.wanted.bands) {
            *inside += if band.contains(held.value) { time } else { 0 };
        }
        for (degrees, side) in tally.degrees.iter_mut().zip(&self.wanted.degrees) {
            *degrees += side.of(held.value) * time as f64;
        }
    }

    fn finish_current(&mut self) {
        let Some(end) = self.current.as_ref().map(|tally| tally.end) else { return };
        self.hold_until(end.min(self.to));
        if let Some(figures) = self.current.take().and_then(|tally| tally.figures(self.wanted, &mut self.values)) {
            self.done.push(figures);
        }
        self.values.clear();
    }

    /// The figures of all buckets that have readings, in order.
    #[must_use]
    pub fn finish(mut self) -> Vec<Figures> {
        self.finish_current();
        self.done
    }
}

impl Tally {
    fn join(&mut self, part: &Summary, at: Option<i64>) {
        match &mut self.summary {
            None => {
                self.summary = Some(*part);
                (self.min_at, self.max_at) = (at, at);
            }
            Some(summary) => {
                if part.min < summary.min {
                    self.min_at = at;
                }
                if part.max > summary.max {
                    self.max_at = at;
                }
                summary.append(part, 0);
            }
        }
    }

    fn figures(self, wanted: &WantedFigures, values: &mut [f64]) -> Option<Figures> {
        let Self { start, end, summary, min_at, max_at, area, held, inside, degrees, is_whole } = self;
        let summary = Summary { area, held, ..summary? };
        let mean = summary.mean();
        Some(Figures {
            start,
            end,
            count: summary.count,
            min: Extreme { value: summary.min, at: min_at },
            max: Extreme { value: summary.max, at: max_at },
            mean,
            time_mean: summary.time_weighted_mean(),
            total: summary.sum + summary.carry,
            area,
            held,
            deviation: is_whole.then(|| deviation(values, mean)),
            quantiles: if is_whole { quantiles(values, &wanted.quantiles) } else { Vec::new() },
            inside: if is_whole { inside } else { Vec::new() },
            degrees: if is_whole { degrees } else { Vec::new() },
            is_whole,
        })
    }
}

/// The standard deviation of a sample about its mean.
fn deviation(values: &[f64], mean: f64) -> f64 {
    if values.len() < 2 {
        return 0.0;
    }
    let squares: f64 = values.iter().map(|value| (value - mean) * (value - mean)).sum();
    (squares / (values.len() - 1) as f64).sqrt()
}

/// Quantiles of values, which are put into another order.
fn quantiles(values: &mut [f64], shares: &[f64]) -> Vec<f64> {
    let mut order: Vec<usize> = (0..shares.len()).collect();
    order.sort_by(|a, b| shares[*a].total_cmp(&shares[*b]));
    let mut found = vec![0.0; shares.len()];
    // Each quantile is looked for among the values behind the one before.
    let mut from = 0;
    for which in order {
        let rank = shares[which].clamp(0.0, 1.0) * (values.len().saturating_sub(1)) as f64;
        let place = (rank.floor() as usize).max(from);
        let Some(rest) = values.get_mut(from..).filter(|rest| !rest.is_empty()) else { break };
        let (_, low, above) = rest.select_nth_unstable_by(place - from, f64::total_cmp);
        let next = above.iter().copied().min_by(f64::total_cmp).unwrap_or(*low);
        let part = rank - rank.floor();
        found[which] = if part > 0.0 { *low + (next - *low) * part } else { *low };
        from = place;
    }
    found
}
