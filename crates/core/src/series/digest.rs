//! Digests: the summaries that lie beside a segment.
//!
//! A digest is made from the segment's readings alone and written together with
//! it, so that summaries cannot differ from the readings.

use super::bits::{Input, put_varint};
use super::error::SegmentError;
use super::segment::{ended, first_format, open, seal};
use super::{Run, Summary, floats, ints, summarize};

const SECOND: i64 = 1_000_000;
pub(super) const MINUTE: i64 = 60 * SECOND;
const HOUR: i64 = 60 * MINUTE;
const DAY: i64 = 24 * HOUR;

/// Widths of summaries and how many readings, on average, make them worth
/// keeping. Each width divides the next.
///
/// A summary takes the room of 10 to 20 readings and the time of as many to
/// read. With 200 readings a summary, a chart of 1,000 buckets that are just too
/// narrow for it decodes 200,000 readings, which takes a few milliseconds. Hours
/// and days are what people ask for most, so they are kept for slower signals too.
pub(super) const WIDTHS: [(i64, i64); 6] =
    [(SECOND, 200), (10 * SECOND, 200), (MINUTE, 200), (15 * MINUTE, 200), (HOUR, 32), (DAY, 32)];

/// Summaries of one width, in order of time.
#[derive(Debug, Clone, PartialEq)]
pub struct Tier {
    /// Width of the buckets in microseconds; they start at whole multiples of it.
    pub width: i64,
    /// One for each bucket with readings.
    pub summaries: Vec<Summary>,
}

/// What is known of a run without reading it.
#[derive(Debug, Clone, PartialEq)]
pub struct Digest {
    /// For how long values were held in the time-weighted means, in microseconds.
    pub hold: i64,
    /// All of it; `None` if there is no good number among the readings.
    pub whole: Option<Summary>,
    /// Summaries by the widths that are worth it, the widest first.
    pub tiers: Vec<Tier>,
}

impl Digest {
    /// The digest of a run, with values held for at most `hold` microseconds.
    #[must_use]
    pub fn of(run: &Run, hold: i64) -> Self {
        let mut tiers: Vec<Tier> = Vec::new();
        let span = run.span().map_or(0, |(first, last)| last - first);
        for (width, wanted) in WIDTHS {
            // Readings a bucket, as if they were evenly spread.
            let density = i128::from(run.len() as i64) * i128::from(width) / i128::from(span.max(1));
            if density < i128::from(wanted) || width > span {
                continue;
            }
            let summaries = match tiers.last() {
                None => in_buckets(run.good_numbers().map(|(at, value)| Summary::of(at, value)), width, hold),
                Some(finer) => in_buckets(finer.summaries.iter().copied(), width, hold),
            };
            if tiers.last().is_none_or(|finer| summaries.len() * 2 <= finer.summaries.len()) {
                tiers.push(Tier { width, summaries });
            }
        }
        let whole = match tiers.last() {
            None => summarize(run.good_numbers(), hold),
            Some(tier) => joined(&tier.summaries, hold),
        };
        tiers.reverse();
        Self { hold, whole, tiers }.settled()
    }

    pub(super) fn settled(mut self) -> Self {
        self.whole = self.whole.map(Summary::settled);
        for summary in self.tiers.iter_mut().flat_map(|tier| &mut tier.summaries) {
            *summary = summary.settled();
        }
        self
    }

    /// The digest that outlives a run: summaries of `finest` microseconds and of
    /// each wider width, whether they are worth it beside the readings or not.
    #[must_use]
    pub fn outliving(run: &Run, hold: i64, finest: i64) -> Self {
        let mut digest = Self::of(run, hold);
        let mut tiers: Vec<Tier> = Vec::new();
        for (width, _) in WIDTHS.into_iter().filter(|(width, _)| *width >= finest) {
            let summaries = match tiers.last() {
                None => in_buckets(run.good_numbers().map(|(at, value)| Summary::of(at, value)), width, hold),
                Some(finer) => in_buckets(finer.summaries.iter().copied(), width, hold),
            };
            tiers.push(Tier { width, summaries });
        }
        tiers.reverse();
        digest.tiers = tiers;
        digest.settled()
    }

    /// Forgets summaries narrower than `finest` microseconds; the widest stay.
    pub fn forget_finer(&mut self, finest: i64) {
        let kept = self.tiers.iter().filter(|tier| tier.width >= finest).count();
        self.tiers.truncate(kept.max(1));
    }

    /// Takes out all summaries that anything from a time on and before another
    /// went into: for a digest that has outlived its readings.
    pub fn cut(&mut self, from: i64, to: i64) {
        let Some(mut finest) = self.tiers.pop() else {
            if self.whole.is_some_and(|whole| whole.first_at < to && whole.last_at >= from) {
                self.whole = None;
            }
            return;
        };
        finest.summaries.retain(|summary| summary.first_at >= to || summary.last_at < from);
        let mut tiers = vec![finest];
        for wider in self.tiers.iter().rev() {
            let finer: &Tier = &tiers[tiers.len() - 1];
            let summaries = in_buckets(finer.summaries.iter().copied(), wider.width, self.hold);
            tiers.push(Tier { width: wider.width, summaries });
        }
        tiers.reverse();
        self.whole = joined(&tiers[0].summaries, self.hold).map(Summary::settled);
        self.tiers = tiers;
        for summary in self.tiers.iter_mut().flat_map(|tier| &mut tier.summaries) {
            *summary = summary.settled();
        }
    }

    /// As bytes, with format number and checksum.
    #[must_use]
    pub fn encode(&self) -> Vec<u8> {
        let mut out = first_format();
        put_varint(&mut out, self.hold.unsigned_abs());
        encode_summaries(self.whole.as_slice(), &mut out);
        put_varint(&mut out, self.tiers.len() as u64);
        for tier in &self.tiers {
            put_varint(&mut out, tier.width.unsigned_abs());
            let mut body = Vec::new();
            encode_summaries(&tier.summaries, &mut body);
            put_varint(&mut out, body.len() as u64);
            out.extend_from_slice(&body);
        }
        seal(out)
    }

    /// Reads what [`Digest::encode`] wrote.
    ///
    /// # Errors
    /// [`SegmentError`].
    pub fn decode(bytes: &[u8]) -> Result<Self, SegmentError> {
        let sealed = SealedDigest::open(bytes)?;
        let tiers = sealed.tiers.iter().map(SealedTier::decode).collect::<Result<_, _>>()?;
        Ok(Self { hold: sealed.hold, whole: sealed.whole, tiers })
    }
}

/// A digest of which only those tiers are read that are needed.
#[derive(Debug, Clone)]
pub struct SealedDigest<'a> {
    /// As [`Digest::hold`].
    pub hold: i64,
    /// As [`Digest::whole`].
    pub whole: Option<Summary>,
    /// The tiers, the widest first.
    pub tiers: Vec<SealedTier<'a>>,
}

/// A tier that has not been read yet.
#[derive(Debug, Clone, Copy)]
pub struct SealedTier<'a> {
    /// As [`Tier::width`].
    pub width: i64,
    body: &'a [u8],
}

impl<'a> SealedDigest<'a> {
    /// Reads all but the tiers.
    ///
    /// # Errors
    /// [`SegmentError`].
    pub fn open(bytes: &'a [u8]) -> Result<Self, SegmentError> {
        let mut input = open(bytes)?;
        let hold = positive(&mut input)?;
        let whole = decode_summaries(&mut input)?;
        if whole.len() > 1 {
            return Err(SegmentError::Wrong("more than one summary of the whole"));
        }
        let count = input.length(WIDTHS.len())?;
        let mut tiers = Vec::with_capacity(count);
        for _ in 0..count {
            let width = positive(&mut input)?;
            let length = input.length(input.0.len())?;
            tiers.push(SealedTier { width, body: input.bytes(length)? });
        }
        ended(input)?;
        Ok(Self { hold, whole: whole.first().copied(), tiers })
    }
}

impl SealedTier<'_> {
    /// Reads the tier.
    ///
    /// # Errors
    /// [`SegmentError`].
    pub fn decode(&self) -> Result<Tier, SegmentError> {
        let mut input = Input(self.body);
        let summaries = decode_summaries(&mut input)?;
        ended(input)?;
        Ok(Tier { width: self.width, summaries })
    }
}

fn positive(input: &mut Input<'_>) -> Result<i64, SegmentError> {
    i64::try_from(input.varint()?).map_err(|_| SegmentError::Wrong("a time longer than there is"))
}

pub(super) fn in_buckets(parts: impl Iterator<Item = Summary>, width: i64, hold: i64) -> Vec<Summary> {
    let mut gathering = Gathering::new(width, hold);
    parts.for_each(|part| gathering.take(part));
    gathering.summaries
}

/// Puts summaries together by buckets of a width, in order of time.
#[derive(Debug)]
pub(super) struct Gathering {
    /// The width of the buckets in microseconds.
    pub(super) width: i64,
    /// For how long values are held, in microseconds.
    pub(super) hold: i64,
    /// One for each bucket so far.
    pub(super) summaries: Vec<Summary>,
    /// Where the bucket of the last one ends.
    end: i64,
}

impl Gathering {
    pub(super) const fn new(width: i64, hold: i64) -> Self {
        Self { width, hold, summaries: Vec::new(), end: i64::MIN }
    }

    pub(super) fn take(&mut self, part: Summary) {
        match self.summaries.last_mut() {
            Some(last) if part.first_at < self.end => last.append(&part, self.hold),
            _ => {
                self.end = (part.first_at.div_euclid(self.width) + 1) * self.width;
                self.summaries.push(part);
            }
        }
    }
}

pub(super) fn joined(parts: &[Summary], hold: i64) -> Option<Summary> {
    let (first, rest) = parts.split_first()?;
    let mut whole = *first;
    rest.iter().for_each(|part| whole.append(part, hold));
    Some(whole)
}

/// By columns, as the readings are.
fn encode_summaries(summaries: &[Summary], out: &mut Vec<u8>) {
    put_varint(out, summaries.len() as u64);
    if summaries.is_empty() {
        return;
    }
    let mut whole = |field: fn(&Summary) -> i64| ints::encode(&summaries.iter().map(field).collect::<Vec<_>>(), out);
    whole(|s| s.count as i64);
    whole(|s| s.first_at);
    whole(|s| s.last_at - s.first_at);
    whole(|s| s.held);
    let mut number = |field: fn(&Summary) -> f64| floats::encode(&summaries.iter().map(field).collect::<Vec<_>>(), out);
    number(|s| s.min);
    number(|s| s.max);
    number(|s| finite(s.sum));
    number(|s| s.first);
    number(|s| s.last);
    number(|s| finite(s.area));
}

/// A sum that overflowed is kept as the largest number there is.
fn finite(sum: f64) -> f64 {
    if sum.is_nan() { 0.0 } else { sum.clamp(f64::MIN, f64::MAX) }
}

fn decode_summaries(input: &mut Input<'_>) -> Result<Vec<Summary>, SegmentError> {
    let count = input.length(super::segment::MAX_RUN)?;
    if count == 0 {
        return Ok(Vec::new());
    }
    let counts = ints::decode(input, count)?;
    let first_at = ints::decode(input, count)?;
    let lengths = ints::decode(input, count)?;
    let held = ints::decode(input, count)?;
    let min = floats::decode(input, count)?;
    let max = floats::decode(input, count)?;
    let sum = floats::decode(input, count)?;
    let first = floats::decode(input, count)?;
    let last = floats::decode(input, count)?;
    let area = floats::decode(input, count)?;
    Ok((0..count)
        .map(|i| Summary {
            count: counts[i].unsigned_abs(),
            min: min[i],
            max: max[i],
            sum: sum[i],
            carry: 0.0,
            first_at: first_at[i],
            first: first[i],
            last_at: first_at[i].saturating_add(lengths[i]),
            last: last[i],
            area: area[i],
            held: held[i],
        })
        .collect())
}

#[cfg(test)]
mod tests {
    use super::super::run::tests::any_run;
    use super::super::{Point, encode_segment};
    use super::*;
    use crate::{Moment, Value};
    use proptest::prelude::*;

    fn every(step: i64, count: i64) -> Run {
        let value = |i: i64| Value::Number((i * 7 % 50) as f64);
        (0..count).map(|i| Point::good(Moment::from_micros(i * step).unwrap(), value(i))).collect()
    }

    #[test]
    fn widths_follow_the_density() {
        for (step, expected) in [
            (4_000, vec![MINUTE, 10 * SECOND, SECOND]),
            (SECOND, vec![HOUR, 15 * MINUTE]),
            (10 * SECOND, vec![DAY, HOUR]),
            (30 * SECOND, vec![DAY, HOUR]),
            (5 * MINUTE, vec![DAY]),
            (HOUR, vec![]),
        ] {
            let run = every(step, 16_384);
            let digest = Digest::of(&run, HOUR);
            assert_eq!(digest.tiers.iter().map(|tier| tier.width).collect::<Vec<_>>(), expected, "every {step} us");
            let share = digest.encode().len() as f64 / encode_segment(&run).len() as f64;
            assert!(share < 0.35, "every {step} us: {share} of the readings' room");
        }
    }

    proptest! {
        #[test]
        fn what_outlives_the_readings_can_still_be_cut(run in any_run(0..40 * HOUR, 300), hold in 0..DAY,
                                                       from in 0..40 * HOUR, length in 0..9 * HOUR) {
            let mut digest = Digest::outliving(&run, hold, HOUR);
            prop_assert_eq!(digest.whole, Digest::of(&run, hold).whole);
            prop_assert_eq!(digest.tiers.iter().map(|tier| tier.width).collect::<Vec<_>>(), [DAY, HOUR]);
            let to = from + length;
            digest.cut(from, to);
            // Whole hours go: what is left is what lies in hours that were not touched.
            let touched: Vec<i64> = run.good_numbers().filter(|(at, _)| (from..to).contains(at)).map(|(at, _)| at / HOUR).collect();
            let spans = Digest::outliving(&run, hold, HOUR).tiers.remove(1).summaries;
            let left: u64 = spans.iter().filter(|s| s.first_at >= to || s.last_at < from).map(|s| s.count).sum();
            prop_assert_eq!(digest.whole.map_or(0, |whole| whole.count), left);
            for tier in &digest.tiers {
                prop_assert!(tier.summaries.iter().all(|s| !touched.contains(&(s.first_at / HOUR)) || tier.width == DAY));
                prop_assert_eq!(tier.summaries.iter().map(|s| s.count).sum::<u64>(), left);
            }
            digest.forget_finer(DAY);
            prop_assert_eq!(digest.tiers.len(), 1);
        }

        #[test]
        fn any_digest_reads_back(run in any_run(0..40 * HOUR, 300), hold in 0..DAY) {
            let digest = Digest::of(&run, hold);
            let whole = summarize(run.good_numbers(), hold);
            prop_assert_eq!(digest.whole.map(|w| (w.count, w.min, w.max, w.held)), whole.map(|w| (w.count, w.min, w.max, w.held)));
            for tier in &digest.tiers {
                prop_assert_eq!(tier.summaries.iter().map(|s| s.count).sum::<u64>(), whole.map_or(0, |w| w.count));
            }
            let sums_are_finite = digest.tiers.iter().flat_map(|t| &t.summaries).chain(&digest.whole).all(|s| s.sum.is_finite() && s.area.is_finite());
            let back = Digest::decode(&digest.encode()).unwrap();
            if sums_are_finite {
                prop_assert_eq!(back, digest);
            }
        }
    }
}
