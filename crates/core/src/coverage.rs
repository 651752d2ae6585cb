//! Coverage: how much of what was expected came.

use crate::Moment;

/// What came of a device in a time.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Coverage {
    /// Reports expected: whole intervals in the time.
    pub expected: u64,
    /// Reports expected that came.
    pub received: u64,
    /// The longest time without anything, in seconds; the ends of the time count.
    pub longest_gap_s: f64,
    /// When that began.
    pub gap_from: Moment,
    /// The median of the times between reports, in seconds; `None` with fewer
    /// than two.
    pub median_interval_s: Option<f64>,
}

impl Coverage {
    /// Received of expected, 0 to 1; 1 if nothing was expected yet.
    #[must_use]
    pub fn share(&self) -> f64 {
        if self.expected == 0 { 1.0 } else { self.received as f64 / self.expected as f64 }
    }
}

/// Works out coverage from the times something came, in order, between `from`
/// and `to`. A report is missed where the time between two is nearer to two or
/// more intervals than to one, so that a sender may wander by half an interval.
#[must_use]
pub fn coverage(times: &[Moment], from: Moment, to: Moment, interval_s: f64) -> Coverage {
    let expected = (to.seconds_since(from) / interval_s).floor().max(0.0) as u64;
    let inside: Vec<Moment> = times.iter().copied().filter(|at| (from..=to).contains(at)).collect();
    let mut longest = (0.0, from);
    let mut missed = 0u64;
    let mut last = from;
    for (index, at) in inside.iter().copied().chain([to]).enumerate() {
        let gap = at.seconds_since(last);
        if gap > longest.0 {
            longest = (gap, last);
        }
        let intervals = gap / interval_s;
        // At the ends of the time it is not known when a report was due.
        let is_end = index == 0 || index == inside.len();
        missed += if is_end { intervals.floor() as u64 } else { (intervals.round() as u64).saturating_sub(1) };
        last = at;
    }
    Coverage {
        expected,
        received: expected.saturating_sub(missed).min(inside.len() as u64),
        longest_gap_s: longest.0,
        gap_from: longest.1,
        median_interval_s: median_interval(&inside),
    }
}

/// Reports expected in a part of time and how many came: `counts` are the readings of each signal and the seconds after
/// which each is expected. The signal of which most came stands for the device, since a device
/// need not send each of its signals with each report. Of a part that is not over, `is_cut`, only whole
/// intervals count.
#[must_use]
pub fn reports(length_s: f64, is_cut: bool, interval_s: f64, counts: &[(u64, f64)]) -> (u64, u64) {
    let intervals = length_s / interval_s;
    let expected = if is_cut { intervals.floor() } else { intervals.round() }.max(0.0);
    let share = |(count, interval_s): &(u64, f64)| (*count as f64 * interval_s / length_s).min(1.0);
    let best = counts.iter().map(share).fold(0.0, f64::max);
    // One report too few in a part may be one that came just before or after it.
    let received = (best * expected).round().min(expected);
    (expected as u64, received as u64)
}

fn median_interval(times: &[Moment]) -> Option<f64> {
    let mut between: Vec<f64> =
        times.windows(2).map(|pair| pair[1].seconds_since(pair[0])).filter(|s| *s > 0.0).collect();
    let middle = between.len() / 2;
    (!between.is_empty()).then(|| *between.select_nth_unstable_by(middle, f64::total_cmp).1)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn at(seconds: f64) -> Moment {
        Moment::from_epoch(1.7e9 + seconds).unwrap()
    }

    fn of(times: &[f64], to: f64) -> Coverage {
        coverage(&times.iter().map(|s| at(*s)).collect::<Vec<_>>(), at(0.0), at(to), 30.0)
    }

    #[test]
    fn the_signal_of_which_most_came_stands_for_the_device() {
        for (length, interval, counts, expected) in [
            (3_600.0, 60.0, &[(60, 60.0)][..], (60, 60)),
            (3_600.0, 60.0, &[(30, 60.0), (45, 60.0)], (60, 45)),
            (3_600.0, 60.0, &[(900_000, 60.0)], (60, 60)),
            (3_600.0, 60.0, &[(6, 600.0), (10, 60.0)], (60, 60)),
            (3_600.0, 900.0, &[(1, 900.0)], (4, 1)),
            (1_800.0, 3_600.0, &[(1, 3_600.0)], (1, 1)),
            (600.0, 3_600.0, &[], (0, 0)),
            (3_600.0, 60.0, &[], (60, 0)),
        ] {
            assert_eq!(reports(length, false, interval, counts), expected, "{length} {interval} {counts:?}");
        }
    }

    #[test]
    fn of_a_part_that_is_not_over_only_whole_intervals_count() {
        assert_eq!(reports(90.0, true, 60.0, &[(1, 60.0)]), (1, 1));
        assert_eq!(reports(90.0, false, 60.0, &[(1, 60.0)]), (2, 1));
    }

    #[test]
    fn counts_intervals_and_finds_the_longest_gap() {
        for (times, to, expected, received, gap, gap_from) in [
            (vec![1.0, 31.0, 61.0, 91.0], 120.0, 4, 4, 30.0, 1.0),
            (vec![1.0, 31.0, 91.0], 120.0, 4, 3, 60.0, 31.0),
            (vec![1.0, 2.0, 3.0, 4.0], 120.0, 4, 1, 116.0, 4.0), // many at once cover one interval
            (vec![29.0, 60.5, 89.0, 121.0], 150.0, 5, 4, 32.0, 89.0), // wandering by a little
            (vec![], 120.0, 4, 0, 120.0, 0.0),
            (vec![5.0], 20.0, 0, 0, 15.0, 5.0),
        ] {
            let got = of(&times, to);
            assert_eq!((got.expected, got.received), (expected, received), "{times:?}");
            assert!((got.longest_gap_s - gap).abs() < 1e-6, "{times:?}: {got:?}");
            assert_eq!(got.gap_from, at(gap_from), "{times:?}");
        }
        assert_eq!(of(&[1.0, 31.0, 61.0, 100.0], 120.0).median_interval_s, Some(30.0));
        assert_eq!(of(&[], 20.0).share(), 1.0);
    }

    proptest! {
        #[test]
        fn a_punctual_sender_is_covered_whatever_its_phase(phase in 0.0..29.9f64, jitter in prop::collection::vec(-7.0..7.0f64, 20)) {
            let times: Vec<f64> = jitter.iter().enumerate()
                .map(|(i, j)| (phase + 30.0 * i as f64 + j).max(0.0)).collect();
            let got = of(&times, 30.0 * 20.0);
            prop_assert!(got.received >= 18, "{got:?}");
        }

        #[test]
        fn no_more_is_received_than_expected_or_came(mut times in prop::collection::vec(0.0..1000.0f64, 0..60)) {
            times.sort_by(f64::total_cmp);
            let got = of(&times, 900.0);
            prop_assert!(got.received <= got.expected && got.received <= times.len() as u64);
        }
    }
}
