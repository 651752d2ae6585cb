//! By how much one series follows another.

use super::figures::correlation;

/// Where two series correlate best.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Lag {
    /// By so many microseconds the other follows the reference; negative if it is
    /// ahead.
    pub lag: i64,
    /// The correlation there.
    pub correlation: f64,
}

/// The most points of the even grid that is looked at.
const POINTS: i64 = 4_096;
/// How many of its steps one may be shifted against the other.
const SHIFTS: i64 = 200;
/// Fewer pairs tell nothing of a shift.
const FEWEST: usize = 8;

/// The shift at which two series, in order of time, correlate best: both are laid on
/// an even grid, holding each value until the next, and shifted up to 200 of its steps
/// either way. `None` where they have too little in common or do not vary.
#[must_use]
pub fn best_lag(reference: &[(i64, f64)], other: &[(i64, f64)]) -> Option<Lag> {
    let first = reference.first()?.0.max(other.first()?.0);
    let last = reference.last()?.0.min(other.last()?.0);
    let spacing = typical_spacing(reference)?.max(typical_spacing(other)?);
    let step = spacing.max((last - first) / POINTS).max(1);
    let count = usize::try_from((last - first) / step + 1).ok()?;
    let (a, b) = (grid(reference, first, step, count), grid(other, first, step, count));
    let most = SHIFTS.min(count as i64 / 4);
    let at = |shift: i64| -> Option<f64> {
        let forward = usize::try_from(shift.max(0)).ok()?;
        let back = usize::try_from((-shift).max(0)).ok()?;
        let (a, b) = (a.get(back..count - forward)?, b.get(forward..count - back)?);
        if a.len() < FEWEST { None } else { correlation(a.iter().copied().zip(b.iter().copied())) }
    };
    // The least shift comes first, so that a tie means none.
    let shifts = (0..=most).flat_map(|shift| if shift == 0 { vec![0] } else { vec![shift, -shift] });
    let mut best: Option<Lag> = None;
    for shift in shifts {
        if let Some(correlation) = at(shift)
            && best.is_none_or(|best| correlation > best.correlation + 1e-9)
        {
            best = Some(Lag { lag: shift * step, correlation });
        }
    }
    best
}

/// The middle of the times between readings in order of time, in microseconds; `None`
/// with fewer than two.
#[must_use]
pub fn typical_spacing(series: &[(i64, f64)]) -> Option<i64> {
    let mut gaps: Vec<i64> = series.windows(2).map(|pair| pair[1].0 - pair[0].0).collect();
    if gaps.is_empty() {
        return None;
    }
    let middle = gaps.len() / 2;
    Some(*gaps.select_nth_unstable(middle).1)
}

fn grid(series: &[(i64, f64)], first: i64, step: i64, count: usize) -> Vec<f64> {
    let mut next = 0;
    let mut held = series.first().map_or(0.0, |first| first.1);
    let value = |index: usize| {
        let at = first + index as i64 * step;
        while let Some((then, value)) = series.get(next)
            && *then <= at
        {
            held = *value;
            next += 1;
        }
        held
    };
    (0..count).map(value).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_shift_is_found_again() {
        let wave = |second: i64| (second as f64 * 0.05).sin() + 0.3 * (second as f64 * 0.013).cos();
        let reference: Vec<_> = (0..600).map(|s| (s * 1_000_000, wave(s))).collect();
        for shift in [-40, -1, 0, 7, 60] {
            let other: Vec<_> = (0..600).map(|s| (s * 1_000_000, 2.0 * wave(s - shift) + 5.0)).collect();
            let found = best_lag(&reference, &other).unwrap();
            assert_eq!(found.lag, shift * 1_000_000, "shifted by {shift} s: {found:?}");
            assert!(found.correlation > 0.999, "{found:?}");
        }
    }

    #[test]
    fn nothing_in_common_has_no_lag() {
        let still: Vec<_> = (0..50).map(|s| (s * 1_000_000, 1.0)).collect();
        let wave: Vec<_> = (0..50).map(|s| (s * 1_000_000, (s as f64).sin())).collect();
        assert_eq!(best_lag(&still, &wave), None, "it does not vary");
        assert_eq!(best_lag(&wave, &[]), None);
        let later: Vec<_> = wave.iter().map(|(at, value)| (at + 1_000_000_000, *value)).collect();
        assert_eq!(best_lag(&wave, &later), None, "never at the same time");
    }
}
