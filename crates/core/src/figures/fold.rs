//! Working figures out bucket by bucket.

use super::spread::Spread;
use super::steps::Steps;
use super::{Band, Degrees, Extreme, Figures, LANES, WantedFigures};
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
    /// The values of the bucket that is open.
    spread: Spread,
    /// Room for readings of one bucket that are taken in at once, used again for the next.
    part: Steps,
    stretches: Stretches,
}

/// Values and how long each holds, in microseconds, as whole numbers and for multiplying.
#[derive(Debug, Default)]
struct Stretches {
    values: Vec<f64>,
    spans: Vec<i64>,
    factors: Vec<f64>,
}

impl Stretches {
    fn fill(&mut self, stretches: impl Iterator<Item = (f64, i64)>) {
        self.values.clear();
        self.spans.clear();
        for (value, span) in stretches {
            self.values.push(value);
            self.spans.push(span);
        }
        self.factors.clear();
        self.factors.extend(self.spans.iter().map(|span| *span as f64));
    }
}

/// A value that goes on.
#[derive(Debug, Clone, Copy)]
struct Held {
    since: i64,
    until: i64,
    value: f64,
}

/// What has come together in a bucket. Its values lie in [`FigureFold::spread`].
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
    pub fn new(wanted: &'a WantedFigures, buckets: Buckets, from: i64, to: i64) -> Self {
        Self {
            wanted,
            buckets,
            from,
            to,
            done: Vec::new(),
            current: None,
            held: None,
            spread: Spread::default(),
            part: Steps::default(),
            stretches: Stretches::default(),
        }
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
            match run.plain_numbers(part.clone()) {
                Some((times, numbers)) => self.take(start, end, times, numbers, hold),
                None => {
                    let (times, numbers): (Vec<i64>, Vec<f64>) = run.good_numbers_in(part).unzip();
                    self.take(start, end, &times, &numbers, hold);
                }
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
            tally.join(summary, (None, None));
            let until = summary.last_at.saturating_add(digest.hold);
            self.held = Some(Held { since: summary.last_at, until, value: summary.last });
        }
        Ok(())
    }

    /// Takes in readings of one bucket, all at once: loops over columns are what a processor does best.
    fn take(&mut self, start: i64, end: i64, times: &[i64], numbers: &[f64], hold: i64) {
        let (Some(first), Some(last), Some(value)) = (times.first(), times.last(), numbers.last()) else { return };
        self.enter(start, end);
        self.hold_until(*first);
        let counted = self.part.count(numbers);
        let is_counted = counted.is_some();
        let extremes = counted.unwrap_or_else(|| extremes(numbers));
        match even_span(times).filter(|_| is_counted) {
            // Each but the last holds for as long: how many there are of each value is all that counts.
            Some(span) => {
                let left_out = |at: f64| u32::from(at == *value);
                let holding = self.part.each().map(|(at, count)| (at, count - left_out(at)));
                self.stretches.fill(holding.map(|(at, count)| (at, i64::from(count) * span.min(hold))));
            }
            None => {
                let spans = times.windows(2).map(|pair| (pair[1] - pair[0]).min(hold));
                self.stretches.fill(numbers.iter().copied().zip(spans));
            }
        }
        if let Some(tally) = &mut self.current {
            tally.take(times, numbers, extremes, is_counted.then_some(&self.part));
            tally.hold(self.wanted, &self.stretches);
        }
        if is_counted {
            self.spread.add_counted(&self.part);
        } else {
            self.spread.add(numbers);
        }
        self.held = Some(Held { since: *last, until: last.saturating_add(hold), value: *value });
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
        self.stretches.fill(std::iter::once((held.value, time)));
        tally.hold(self.wanted, &self.stretches);
    }

    fn finish_current(&mut self) {
        let Some(end) = self.current.as_ref().map(|tally| tally.end) else { return };
        self.hold_until(end.min(self.to));
        if let Some(figures) = self.current.take().and_then(|tally| tally.figures(self.wanted, &mut self.spread)) {
            self.done.push(figures);
        }
        self.spread.clear();
    }

    /// The figures of all buckets that have readings, in order.
    #[must_use]
    pub fn finish(mut self) -> Vec<Figures> {
        self.finish_current();
        self.done
    }
}

impl Tally {
    /// Takes in values that follow those it has; there is one at least. They may have been counted.
    fn take(&mut self, times: &[i64], numbers: &[f64], (min, max): (f64, f64), counted: Option<&Steps>) {
        let place =
            |wanted: f64| numbers.iter().position(|value| *value == wanted).and_then(|at| times.get(at)).copied();
        let before = self.summary.as_ref();
        // Where it was is looked for only if it is told.
        let min_at = before.is_none_or(|before| min < before.min).then(|| place(min)).flatten();
        let max_at = before.is_none_or(|before| max > before.max).then(|| place(max)).flatten();
        let (sum, carry) = counted.map_or_else(|| compensated_sum(numbers), |steps| (steps.sum(), 0.0));
        let part = Summary { count: numbers.len() as u64, min, max, sum, carry, ..Summary::of(times[0], numbers[0]) };
        self.join(&part, (min_at, max_at));
    }

    /// Counts values for as long as each holds.
    fn hold(&mut self, wanted: &WantedFigures, Stretches { values: numbers, spans: times, factors }: &Stretches) {
        self.area += weighted(numbers, factors, |value| value);
        self.held += times.iter().sum::<i64>();
        for (inside, band) in self.inside.iter_mut().zip(&wanted.bands) {
            // The choice stands outside of the loop over the values.
            *inside += match *band {
                Band::Above(limit) => time_where(numbers, times, |value| value > limit),
                Band::Below(limit) => time_where(numbers, times, |value| value < limit),
                Band::Within(low, high) => time_where(numbers, times, |value| value >= low && value <= high),
            };
        }
        for (degrees, side) in self.degrees.iter_mut().zip(&wanted.degrees) {
            *degrees += match *side {
                Degrees::Above(base) => weighted(numbers, factors, |value| (value - base).max(0.0)),
                Degrees::Below(base) => weighted(numbers, factors, |value| (base - value).max(0.0)),
            };
        }
    }

    fn join(&mut self, part: &Summary, (min_at, max_at): (Option<i64>, Option<i64>)) {
        match &mut self.summary {
            None => {
                self.summary = Some(*part);
                (self.min_at, self.max_at) = (min_at, max_at);
            }
            Some(summary) => {
                if part.min < summary.min {
                    self.min_at = min_at;
                }
                if part.max > summary.max {
                    self.max_at = max_at;
                }
                summary.append(part, 0);
            }
        }
    }

    fn figures(self, wanted: &WantedFigures, spread: &mut Spread) -> Option<Figures> {
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
            deviation: is_whole.then(|| spread.deviation(mean)),
            quantiles: if is_whole { spread.quantiles(&wanted.quantiles) } else { Vec::new() },
            inside: if is_whole { inside } else { Vec::new() },
            degrees: if is_whole { degrees } else { Vec::new() },
            is_whole,
        })
    }
}

/// The least and the greatest value.
fn extremes(values: &[f64]) -> (f64, f64) {
    let (mut least, mut most) = ([f64::INFINITY; LANES], [f64::NEG_INFINITY; LANES]);
    let chunks = values.chunks_exact(LANES);
    let rest = chunks.remainder();
    for chunk in chunks {
        for ((least, most), value) in least.iter_mut().zip(&mut most).zip(chunk) {
            *least = if *value < *least { *value } else { *least };
            *most = if *value > *most { *value } else { *most };
        }
    }
    let least = least.iter().chain(rest).copied().fold(f64::INFINITY, f64::min);
    (least, most.iter().chain(rest).copied().fold(f64::NEG_INFINITY, f64::max))
}

/// The time between one reading and the next, if it is always the same.
fn even_span(times: &[i64]) -> Option<i64> {
    let span = times.get(1)? - times.first()?;
    let others = times.windows(2).map(|pair| u32::from(pair[1] - pair[0] != span)).sum::<u32>();
    (others == 0).then_some(span)
}

/// The sum of what becomes of values, each times how long it holds.
fn weighted(numbers: &[f64], times: &[f64], of: impl Fn(f64) -> f64) -> f64 {
    let mut lanes = [0.0; LANES];
    let (values, spans) = (numbers[..times.len()].chunks_exact(LANES), times.chunks_exact(LANES));
    let rest = values.remainder().iter().zip(spans.remainder());
    let rest: f64 = rest.map(|(value, time)| of(*value) * *time).sum();
    for (values, spans) in values.zip(spans) {
        for ((lane, value), time) in lanes.iter_mut().zip(values).zip(spans) {
            *lane += of(*value) * *time;
        }
    }
    rest + lanes.iter().sum::<f64>()
}

/// For how long values are so.
fn time_where(numbers: &[f64], times: &[i64], is: impl Fn(f64) -> bool) -> i64 {
    numbers.iter().zip(times).map(|(value, time)| i64::from(is(*value)) * time).sum()
}

/// A sum, and what rounding took from it (D. E. Knuth, The Art of Computer Programming 2, 4.2.2, theorem B).
fn compensated_sum(values: &[f64]) -> (f64, f64) {
    let (mut sums, mut carries) = ([0.0; LANES], [0.0; LANES]);
    let add = |sum: &mut f64, carry: &mut f64, value: f64| {
        let next = *sum + value;
        let part = next - *sum;
        *carry += (*sum - (next - part)) + (value - part);
        *sum = next;
    };
    let chunks = values.chunks_exact(LANES);
    let rest = chunks.remainder();
    for chunk in chunks {
        for ((sum, carry), value) in sums.iter_mut().zip(&mut carries).zip(chunk) {
            add(sum, carry, *value);
        }
    }
    let (mut sum, mut carry) = (0.0, carries.iter().sum::<f64>());
    for value in sums.iter().chain(rest) {
        add(&mut sum, &mut carry, *value);
    }
    // Numbers near the largest there are can overflow; what is told of them then is no carry.
    if carry.is_finite() { (sum, carry) } else { (sum, 0.0) }
}
