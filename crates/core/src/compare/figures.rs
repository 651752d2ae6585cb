//! Figures of pairs.

use super::Pair;

/// How pairs lie. Differences are other minus reference.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Figures {
    /// The mean difference.
    pub bias: f64,
    /// The standard deviation of the differences (of a sample).
    pub spread: f64,
    /// The root of the mean square of the differences.
    pub rms: f64,
    /// The least and the greatest difference.
    pub range: (f64, f64),
    /// Pearson's correlation; `None` if one of them does not vary.
    pub correlation: Option<f64>,
    /// The line that makes the other the reference, by least squares; `None` if the
    /// other does not vary.
    pub line: Option<Line>,
}

/// `slope × x + intercept`.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Line {
    /// What x is multiplied with.
    pub slope: f64,
    /// What is added then.
    pub intercept: f64,
    /// The standard deviation that is left (two degrees of freedom less).
    pub residual: f64,
}

/// Sums of squares about the means, taken in two passes so that large values with
/// small differences keep their digits.
struct Moments {
    count: f64,
    mean_x: f64,
    mean_y: f64,
    xx: f64,
    yy: f64,
    xy: f64,
}

impl Moments {
    fn of(points: impl Iterator<Item = (f64, f64)> + Clone) -> Option<Self> {
        let (count, sum_x, sum_y) =
            points.clone().fold((0.0, 0.0, 0.0), |(count, xs, ys), (x, y)| (count + 1.0, xs + x, ys + y));
        if count < 2.0 {
            return None;
        }
        let (mean_x, mean_y) = (sum_x / count, sum_y / count);
        let mut moments = Self { count, mean_x, mean_y, xx: 0.0, yy: 0.0, xy: 0.0 };
        for (x, y) in points {
            let (dx, dy) = (x - mean_x, y - mean_y);
            moments.xx += dx * dx;
            moments.yy += dy * dy;
            moments.xy += dx * dy;
        }
        Some(moments)
    }

    /// What rounding alone could make of a value that never varies.
    fn varies(sum: f64, mean: f64, count: f64) -> bool {
        sum > count * (mean * 1e-14).powi(2)
    }

    fn line(&self) -> Option<Line> {
        if !Self::varies(self.xx, self.mean_x, self.count) {
            return None;
        }
        let slope = self.xy / self.xx;
        let left = (self.yy - slope * self.xy).max(0.0);
        let residual = if self.count > 2.0 { (left / (self.count - 2.0)).sqrt() } else { 0.0 };
        let line = Line { slope, intercept: self.mean_y - slope * self.mean_x, residual };
        [line.slope, line.intercept, line.residual].iter().all(|part| part.is_finite()).then_some(line)
    }

    fn correlation(&self) -> Option<f64> {
        let both = Self::varies(self.xx, self.mean_x, self.count) && Self::varies(self.yy, self.mean_y, self.count);
        let correlation = self.xy / (self.xx.sqrt() * self.yy.sqrt());
        (both && correlation.is_finite()).then(|| correlation.clamp(-1.0, 1.0))
    }
}

/// The line of least squares through points; `None` with fewer than two, or if x
/// does not vary.
#[must_use]
pub fn regression(points: &[(f64, f64)]) -> Option<Line> {
    Moments::of(points.iter().copied())?.line()
}

pub(super) fn correlation(points: impl Iterator<Item = (f64, f64)> + Clone) -> Option<f64> {
    Moments::of(points)?.correlation()
}

/// Figures of two pairs or more; `None` too where differences are so large that their squares
/// are no numbers any more.
#[must_use]
pub fn figures(pairs: &[Pair]) -> Option<Figures> {
    let both = Moments::of(pairs.iter().map(|pair| (pair.other, pair.reference)))?;
    let differences = pairs.iter().map(|pair| pair.other - pair.reference);
    let bias = differences.clone().sum::<f64>() / both.count;
    let (squares, about, low, high) =
        differences.fold((0.0, 0.0, f64::INFINITY, f64::NEG_INFINITY), |(squares, about, low, high), d| {
            (squares + d * d, about + (d - bias) * (d - bias), f64::min(low, d), f64::max(high, d))
        });
    let spread = (about / (both.count - 1.0)).sqrt();
    let rms = (squares / both.count).sqrt();
    [bias, spread, rms, low, high].iter().all(|figure| figure.is_finite()).then(|| Figures {
        bias,
        spread,
        rms,
        range: (low, high),
        correlation: both.correlation(),
        line: both.line(),
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn what_is_beyond_numbers_has_no_figures() {
        assert_eq!(figures(&pairs(&[(1e200, -1e200), (-1e200, 1e200), (0.0, 1.0)])), None);
        assert_eq!(regression(&[(0.0, 1e300), (1e-300, -1e300)]), None);
    }

    fn pairs(values: &[(f64, f64)]) -> Vec<Pair> {
        (0..).zip(values).map(|(at, &(reference, other))| Pair { at, reference, other }).collect()
    }

    #[test]
    fn figures_are_those_worked_out_by_hand() {
        // Differences 1, 1, 2, 0.
        let found = figures(&pairs(&[(1.0, 2.0), (2.0, 3.0), (3.0, 5.0), (4.0, 4.0)])).unwrap();
        assert!((found.bias - 1.0).abs() < 1e-12);
        assert!((found.spread - (2.0f64 / 3.0).sqrt()).abs() < 1e-12);
        assert!((found.rms - 1.5f64.sqrt()).abs() < 1e-12);
        assert_eq!(found.range, (0.0, 2.0));
        // Sums about the means: xx 5 (of the other), yy 5, xy 4.
        assert!((found.correlation.unwrap() - 0.8).abs() < 1e-12);
        let line = found.line.unwrap();
        assert!((line.slope - 0.8).abs() < 1e-12 && (line.intercept + 0.3).abs() < 1e-12, "{line:?}");
        assert!((line.residual - 0.9f64.sqrt()).abs() < 1e-12, "{line:?}");
    }

    #[test]
    fn what_does_not_vary_has_no_correlation() {
        let found = figures(&pairs(&[(0.1, 7.3), (0.2, 7.3), (0.3, 7.3)])).unwrap();
        assert_eq!((found.correlation, found.line), (None, None));
        assert_eq!(figures(&pairs(&[(1.0, 1.0)])), None);
    }

    proptest! {
        /// The spread, the bias and the RMS of differences belong together, and a line
        /// is found again whatever its scale.
        #[test]
        fn a_line_is_found_again(
            slope in prop_oneof![0.01..100.0f64, -100.0..-0.01f64], intercept in -1e3..1e3f64,
            xs in prop::collection::vec(-1e3..1e3f64, 3..40),
        ) {
            prop_assume!(xs.iter().any(|x| (x - xs[0]).abs() > 1.0));
            let values: Vec<(f64, f64)> = xs.iter().map(|x| (slope * x + intercept, *x)).collect();
            let found = figures(&pairs(&values)).unwrap();
            let line = found.line.unwrap();
            prop_assert!((line.slope - slope).abs() < 1e-6 * slope.abs().max(1.0));
            prop_assert!((line.intercept - intercept).abs() < 1e-6 * (intercept.abs() + 1e3 * slope.abs() + 1.0));
            prop_assert!((found.correlation.unwrap() - slope.signum()).abs() < 1e-9);
            let n = values.len() as f64;
            let whole = found.bias * found.bias + found.spread * found.spread * (n - 1.0) / n;
            prop_assert!((whole.sqrt() - found.rms).abs() < 1e-6 * found.rms.max(1.0));
        }
    }
}
