//! Bursts: samples that lie close together, with silence around them.

use super::Extreme;
use crate::series::Run;

/// Samples that follow each other closely. Times are in microseconds since 1970.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Burst {
    /// The time of the first sample.
    pub first: i64,
    /// The time of the last one.
    pub last: i64,
    /// How many samples there are, whatever their quality.
    pub count: u64,
    /// How many of them are suspect or rejected.
    pub doubtful: u64,
    /// The least of the good numbers, and when it was first; `None` if there is none.
    pub min: Option<Extreme>,
    /// The greatest.
    pub max: Option<Extreme>,
    /// The sum of the good numbers.
    sum: f64,
    /// How many good numbers there are.
    numbers: u64,
}

impl Burst {
    const fn new(at: i64) -> Self {
        Self { first: at, last: at, count: 0, doubtful: 0, min: None, max: None, sum: 0.0, numbers: 0 }
    }

    fn take(&mut self, at: i64, is_good: bool, number: Option<f64>) {
        self.first = self.first.min(at);
        self.last = self.last.max(at);
        self.count += 1;
        if !is_good {
            self.doubtful += 1;
            return;
        }
        let Some(value) = number else { return };
        self.sum += value;
        self.numbers += 1;
        let this = Extreme { value, at: Some(at) };
        // Of equal values the earliest counts, in whichever order they come.
        let is_earlier = |known: &Extreme| known.value == value && known.at > Some(at);
        if self.min.as_ref().is_none_or(|min| value < min.value || is_earlier(min)) {
            self.min = Some(this);
        }
        if self.max.as_ref().is_none_or(|max| value > max.value || is_earlier(max)) {
            self.max = Some(this);
        }
    }

    /// The mean of the good numbers; `None` if there is none.
    #[must_use]
    pub fn mean(&self) -> Option<f64> {
        (self.numbers > 0).then(|| self.sum / self.numbers as f64)
    }
}

/// Takes the readings of one signal in order of time, upwards or downwards, and gives its bursts in the
/// same order: a burst ends where the next reading is further away than the gap.
#[derive(Debug)]
pub struct BurstFold {
    gap: i64,
    current: Option<Burst>,
    done: Vec<Burst>,
}

impl BurstFold {
    /// Bursts are apart if there is more than `gap` (microseconds) between their readings.
    #[must_use]
    pub const fn new(gap: i64) -> Self {
        Self { gap, current: None, done: Vec::new() }
    }

    /// Takes readings in, the last of them first if they come downwards.
    pub fn take_run(&mut self, run: &Run, is_downwards: bool) {
        let places = 0..run.len();
        if is_downwards {
            places.rev().for_each(|place| self.take(run, place));
        } else {
            places.for_each(|place| self.take(run, place));
        }
    }

    fn take(&mut self, run: &Run, place: usize) {
        let at = run.times()[place];
        let is_near = |burst: &Burst| at - burst.last <= self.gap && burst.first - at <= self.gap;
        if self.current.as_ref().is_some_and(|burst| !is_near(burst)) {
            self.done.extend(self.current.take());
        }
        self.current.get_or_insert(Burst::new(at)).take(at, run.is_good(place), run.number(place));
    }

    /// How many bursts have surely ended.
    #[must_use]
    pub const fn ended(&self) -> usize {
        self.done.len()
    }

    /// All bursts, that which goes on at the end of the readings among them.
    #[must_use]
    pub fn finish(mut self) -> Vec<Burst> {
        self.done.extend(self.current);
        self.done
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::quality::{Cause, Quality};
    use crate::series::Point;
    use crate::{Moment, Value};
    use proptest::prelude::*;

    fn run_of(readings: &[(i64, f64, bool)]) -> Run {
        let mut run = Run::default();
        for (at, number, is_good) in readings {
            let quality = if *is_good { Quality::Good } else { Quality::Suspect(Cause::Jump) };
            let at = Moment::from_micros(*at).unwrap();
            run.push(Point { at, value: Value::Number(*number), quality, raw: None });
        }
        run
    }

    fn bursts(runs: &[Run], gap: i64, is_downwards: bool) -> Vec<Burst> {
        let mut fold = BurstFold::new(gap);
        if is_downwards {
            runs.iter().rev().for_each(|run| fold.take_run(run, true));
        } else {
            runs.iter().for_each(|run| fold.take_run(run, false));
        }
        fold.finish()
    }

    #[test]
    fn a_burst_ends_where_the_next_sample_is_far() {
        let run = run_of(&[(0, 1.0, true), (10, -3.0, true), (20, 9.0, false), (120, 5.0, false), (221, 2.0, true)]);
        let found = bursts(&[run], 100, false);
        let told: Vec<_> = found.iter().map(|b| (b.first, b.last, b.count, b.doubtful, b.mean())).collect();
        assert_eq!(told, [(0, 120, 4, 2, Some(-1.0)), (221, 221, 1, 0, Some(2.0))]);
        assert_eq!(found[0].min, Some(Extreme { value: -3.0, at: Some(10) }));
        assert_eq!(found[0].max, Some(Extreme { value: 1.0, at: Some(0) }));
    }

    #[test]
    fn without_a_good_number_there_is_no_extreme() {
        let found = bursts(&[run_of(&[(5, 1.0, false)])], 1, false);
        assert_eq!((found[0].min, found[0].max, found[0].mean()), (None, None, None));
    }

    proptest! {
        /// However the readings are cut into runs, and from whichever end they come.
        #[test]
        fn the_same_from_both_ends_and_in_pieces(
            steps in prop::collection::vec((1i64..30, -9i8..9, any::<bool>()), 1..80),
            cut in 0usize..80,
            gap in 1i64..30,
        ) {
            let mut at = 0;
            let readings: Vec<_> = steps
                .iter()
                .map(|(step, number, is_good)| {
                    at += step;
                    (at, f64::from(*number), *is_good)
                })
                .collect();
            let cut = cut.min(readings.len());
            let pieces = [run_of(&readings[..cut]), run_of(&readings[cut..])];
            let whole = bursts(&[run_of(&readings)], gap, false);
            prop_assert_eq!(&bursts(&pieces, gap, false), &whole);
            let mut back = bursts(&pieces, gap, true);
            back.reverse();
            prop_assert_eq!(&back, &whole);
            // By the definition, one by one.
            let starts = readings.iter().enumerate().filter(|(i, (at, ..))| *i == 0 || at - readings[i - 1].0 > gap);
            prop_assert_eq!(starts.map(|(_, (at, ..))| *at).collect::<Vec<_>>(), whole.iter().map(|b| b.first).collect::<Vec<_>>());
            prop_assert_eq!(whole.iter().map(|b| b.count).sum::<u64>(), readings.len() as u64);
        }
    }
}
