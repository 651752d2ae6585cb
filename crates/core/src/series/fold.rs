//! Summing up by buckets, from summaries and readings in order of time.

use super::{Buckets, Run, SealedDigest, SegmentError, Summary};

/// What the readings of a bucket come to.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Bucket {
    /// Its start, microseconds since 1970.
    pub start: i64,
    /// Its end, itself outside.
    pub end: i64,
    /// What is in it.
    pub summary: Summary,
}

/// Takes readings, or summaries of readings, of one signal in order of time and
/// gives the summary of each bucket. Buckets with no reading are left out, so a
/// gap stays a gap.
#[derive(Debug)]
pub struct Fold {
    buckets: Buckets,
    from: i64,
    to: i64,
    done: Vec<Bucket>,
    current: Option<Bucket>,
    /// The last value taken: until when it holds, at most, and what it is.
    held: Option<(i64, i64, f64)>,
}

impl Fold {
    /// Sums up what lies from `from` on and before `to`, microseconds since 1970.
    #[must_use]
    pub const fn new(buckets: Buckets, from: i64, to: i64) -> Self {
        Self { buckets, from, to, done: Vec::new(), current: None, held: None }
    }

    /// The value that holds when the time begins, with when it was measured and
    /// how long it holds.
    pub fn start_with(&mut self, at: i64, value: f64, hold: i64) {
        self.held = Some((self.from.max(at), at.saturating_add(hold), value));
    }

    /// Takes in a segment by its digest, if no bucket's edge lies inside the
    /// summaries of one of its tiers. Says whether it did; if not, its readings
    /// have to be taken in.
    ///
    /// # Errors
    /// [`SegmentError`] if the digest is damaged.
    pub fn take_digest(&mut self, digest: &SealedDigest<'_>) -> Result<bool, SegmentError> {
        let Some(whole) = digest.whole else { return Ok(true) };
        if self.is_outside(&whole) {
            return Ok(true);
        }
        if self.holds_whole(&whole) {
            self.take(&whole, digest.hold);
            return Ok(true);
        }
        for tier in &digest.tiers {
            let mut summaries = tier.decode()?.summaries;
            summaries.retain(|summary| !self.is_outside(summary));
            if summaries.iter().all(|summary| self.holds_whole(summary)) {
                summaries.iter().for_each(|summary| self.take(summary, digest.hold));
                return Ok(true);
            }
        }
        Ok(false)
    }

    /// Takes in a segment whose readings are gone: each of its finest summaries
    /// goes to the bucket in which it begins.
    ///
    /// # Errors
    /// [`SegmentError`] if the digest is damaged.
    pub fn take_what_is_left(&mut self, digest: &SealedDigest<'_>) -> Result<(), SegmentError> {
        let finest = match digest.tiers.last() {
            Some(tier) => tier.decode()?.summaries,
            None => digest.whole.into_iter().collect(),
        };
        for summary in &finest {
            if (self.from..self.to).contains(&summary.first_at) {
                self.take(summary, digest.hold);
            }
        }
        Ok(())
    }

    /// Takes in the good numbers of a run that lie in the time.
    pub fn take_run(&mut self, run: &Run, hold: i64) {
        for (at, value) in run.good_numbers_in(run.between(self.from, self.to)) {
            self.take(&Summary::of(at, value), hold);
        }
    }

    const fn is_outside(&self, summary: &Summary) -> bool {
        summary.last_at < self.from || summary.first_at >= self.to
    }

    fn holds_whole(&self, summary: &Summary) -> bool {
        summary.first_at >= self.from
            && summary.last_at < self.to
            && self.buckets.around(summary.first_at).is_some_and(|(_, end)| summary.last_at < end)
    }

    /// Takes in the summary of later readings that lie in one bucket, whose last
    /// value holds for `hold` microseconds at most.
    pub fn take(&mut self, part: &Summary, hold: i64) {
        match &mut self.current {
            Some(current) if part.first_at < current.end => {
                if let Some((since, until, value)) = self.held {
                    add_held(&mut current.summary, since, until.min(part.first_at), value);
                }
                current.summary.join(part);
            }
            _ => {
                let Some((start, end)) = self.buckets.around(part.first_at) else { return };
                let mut summary = *part;
                if let Some((since, until, value)) = self.held {
                    add_held(&mut summary, since.max(start), until.min(part.first_at), value);
                }
                self.finish_current();
                self.current = Some(Bucket { start, end, summary });
            }
        }
        self.held = Some((part.last_at, part.last_at.saturating_add(hold), part.last));
    }

    fn finish_current(&mut self) {
        if let Some(mut current) = self.current.take() {
            if let Some((since, until, value)) = self.held {
                add_held(&mut current.summary, since, until.min(current.end).min(self.to), value);
            }
            self.done.push(current);
        }
    }

    /// All buckets that have readings, in order.
    #[must_use]
    pub fn finish(mut self) -> Vec<Bucket> {
        self.finish_current();
        self.done
    }
}

fn add_held(summary: &mut Summary, since: i64, until: i64, value: f64) {
    let held = until.saturating_sub(since).max(0);
    summary.area += value * held as f64;
    summary.held += held;
}

#[cfg(test)]
mod tests {
    use super::super::run::tests::any_run;
    use super::super::{CalendarUnit, Digest, Point};
    use super::*;
    use crate::{Moment, Value};
    use jiff::tz::TimeZone;
    use proptest::prelude::*;

    /// Each bucket by itself, straight from the definition: the value at any time
    /// is that of the reading before, if that is not longer ago than `hold`.
    fn by_definition(readings: &[(i64, f64)], buckets: &Buckets, from: i64, to: i64, hold: i64) -> Vec<Bucket> {
        let mut result: Vec<Bucket> = Vec::new();
        let inside: Vec<(i64, f64)> = readings.iter().copied().filter(|(at, _)| (from..to).contains(at)).collect();
        for &(at, _) in &inside {
            let (start, end) = buckets.around(at).unwrap();
            if result.last().is_some_and(|bucket| bucket.start == start) {
                continue;
            }
            let own: Vec<(i64, f64)> = inside.iter().copied().filter(|(at, _)| (start..end).contains(at)).collect();
            let values = own.iter().map(|(_, value)| *value);
            let (mut area, mut held) = (0.0, 0);
            for (i, &(at, value)) in inside.iter().enumerate() {
                let until =
                    inside.get(i + 1).map_or(to, |(next, _)| *next).min(at.saturating_add(hold)).min(end).min(to);
                let time = (until - at.max(start)).max(0);
                area += value * time as f64;
                held += time;
            }
            let summary = Summary {
                count: own.len() as u64,
                min: values.clone().fold(f64::MAX, f64::min),
                max: values.clone().fold(f64::MIN, f64::max),
                sum: values.sum(),
                carry: 0.0,
                first_at: own[0].0,
                first: own[0].1,
                last_at: own[own.len() - 1].0,
                last: own[own.len() - 1].1,
                area,
                held,
            };
            result.push(Bucket { start, end, summary });
        }
        result
    }

    fn assert_same(got: &[Bucket], expected: &[Bucket]) {
        assert_eq!(got.len(), expected.len());
        for (got, expected) in got.iter().zip(expected) {
            let close = |a: f64, b: f64, scale: f64| (a - b).abs() <= 1e-9 * scale.max(1.0);
            let (g, e) = (&got.summary, &expected.summary);
            assert_eq!((got.start, got.end, g.count, g.held), (expected.start, expected.end, e.count, e.held));
            assert_eq!(
                (g.min, g.max, g.first_at, g.first, g.last_at, g.last),
                (e.min, e.max, e.first_at, e.first, e.last_at, e.last)
            );
            assert!(close(g.sum, e.sum, e.sum.abs()), "{got:?} {expected:?}");
            assert!(close(g.area, e.area, e.area.abs()), "{got:?} {expected:?}");
        }
    }

    fn small(run: &Run) -> Run {
        run.points().filter(|p| p.value.as_number().is_none_or(|n| n.abs() < 1e6)).collect()
    }

    proptest! {
        /// Whatever the cuts between segments and whatever the buckets, digests
        /// and readings come to the same as the definition.
        #[test]
        fn digests_come_to_what_the_readings_come_to(
            run in any_run(0..10_000_000, 400), cuts in prop::collection::vec(0usize..400, 0..5),
            width in prop_oneof![Just(1_000_000i64), Just(3_000_000), Just(700_000), 1i64..20_000_000],
            span in (0i64..10_000_000, 0i64..10_000_000), hold in prop_oneof![Just(i64::MAX), 0i64..1_000_000],
        ) {
            let run = small(&run);
            let (from, to) = (span.0.min(span.1), span.0.max(span.1) + 1);
            let buckets = Buckets::Even(width);
            let mut fold = Fold::new(buckets.clone(), from, to);
            let mut cuts: Vec<usize> = cuts.into_iter().map(|cut| cut.min(run.len())).chain([0, run.len()]).collect();
            cuts.sort_unstable();
            for pair in cuts.windows(2) {
                let part = run.slice(pair[0]..pair[1]);
                let bytes = Digest::of(&part, hold).encode();
                if !fold.take_digest(&SealedDigest::open(&bytes).unwrap()).unwrap() {
                    fold.take_run(&part, hold);
                }
            }
            let readings: Vec<(i64, f64)> = run.good_numbers().collect();
            // A segment wholly before the time says nothing about it.
            assert_same(&fold.finish(), &by_definition(&readings, &buckets, from, to, hold));
        }
    }

    /// Times and values, and one row for each bucket with readings.
    fn reference(name: &str) -> Vec<Vec<String>> {
        let path = format!("{}/tests/data/{name}.csv", env!("CARGO_MANIFEST_DIR"));
        let mut reader = csv::Reader::from_path(path).unwrap();
        reader.records().map(|record| record.unwrap().iter().map(str::to_owned).collect()).collect()
    }

    fn reference_run(name: &str) -> Run {
        reference(name)
            .iter()
            .map(|row| Point::good(Moment::parse(&row[0]).unwrap(), Value::Number(row[1].parse().unwrap())))
            .collect()
    }

    /// `columns` says where in a row start, count and time-weighted mean are.
    fn assert_row(bucket: &Bucket, row: &[String], start: usize, count: usize) {
        let number = |column: usize| row[column].parse::<f64>().unwrap();
        let s = &bucket.summary;
        assert_eq!(Moment::from_micros(bucket.start), Moment::parse(&row[start]).ok());
        assert_eq!(s.count, row[count].parse::<u64>().unwrap(), "{row:?}");
        for (got, column) in [
            (s.min, 1),
            (s.max, 2),
            (s.sum, 3),
            (s.mean(), 4),
            (s.first, 12),
            (s.last, 13),
            (s.time_weighted_mean(), 14),
        ] {
            assert!(
                (got - number(count + column)).abs() < 1e-8 * number(count + column).abs().max(1.0),
                "{got} in {row:?}"
            );
        }
    }

    #[test]
    fn buckets_agree_with_the_reference_table() {
        let run = reference_run("series_dense");
        for (name, width) in [("series_dense_minute_buckets", 60_000_000), ("series_dense_hour_buckets", 3_600_000_000)]
        {
            let rows = reference(name);
            let to = Moment::parse(&rows[rows.len() - 1][1]).unwrap().as_micros();
            let mut fold = Fold::new(Buckets::Even(width), run.times()[0], to);
            fold.take_run(&run, i64::MAX);
            let buckets = fold.finish();
            let rows: Vec<_> = rows.into_iter().filter(|row| row[2] != "0").collect();
            assert_eq!(buckets.len(), rows.len());
            for (bucket, row) in buckets.iter().zip(&rows) {
                assert_row(bucket, row, 0, 2);
            }
        }
    }

    #[test]
    fn local_days_agree_with_the_reference_table() {
        let all = reference_run("series_dst");
        let mut checked = 0;
        for row in reference("series_dst_local_day_buckets").iter().filter(|row| row[5] != "0") {
            // Stretches of the table are series of their own: a value is carried
            // from the stretch's own day before, which is why whole ones are folded.
            let (day, end) = (Moment::parse(&row[3]).unwrap(), Moment::parse(&row[4]).unwrap());
            let start = all.times().partition_point(|at| *at < day.as_micros());
            let mut begin = start;
            while begin > 0 && all.times()[begin] - all.times()[begin - 1] < 86_400_000_000 {
                begin -= 1;
            }
            let stretch = all.slice(begin..all.len());
            let zone = TimeZone::get(&row[0]).unwrap();
            let from = Moment::from_micros(stretch.times()[0]).unwrap();
            let buckets = Buckets::calendar(CalendarUnit::Day, &zone, from, end).unwrap();
            let mut fold = Fold::new(buckets, from.as_micros(), end.as_micros());
            fold.take_run(&stretch, i64::MAX);
            let bucket = fold.finish().into_iter().find(|bucket| bucket.start == day.as_micros()).unwrap();
            assert_eq!(bucket.end, end.as_micros(), "{row:?}");
            assert_row(&bucket, row, 3, 5);
            checked += 1;
        }
        assert!(checked > 30, "{checked}");
    }
}
