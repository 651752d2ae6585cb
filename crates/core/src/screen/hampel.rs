//! Values far from those around them.

use crate::median::median;

/// What the median of distances from the median is, of a normal distribution, in
/// standard deviations.
const OF_A_NORMAL: f64 = 1.4826;

/// Whether a value is an outlier among others, which may include itself: further
/// from their median than `threshold` times 1.4826 times the median of their
/// distances from it (F. R. Hampel, Journal of the American Statistical Association
/// 69, 1974). Where more than half are the same, any other is.
#[must_use]
pub fn is_outlier(value: f64, among: &[f64], threshold: f64) -> bool {
    let Some(middle) = median(among.iter().copied()) else { return false };
    let Some(spread) = median(among.iter().map(|other| (other - middle).abs())) else { return false };
    (value - middle).abs() > threshold * OF_A_NORMAL * spread
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::physics::tables::rows;

    #[test]
    fn outliers_are_those_of_the_table() {
        let rows = rows("hampel", 295);
        let values: Vec<f64> = rows.iter().map(|row| row.number("value")).collect();
        let (mut seen, mut found) = (0, 0);
        for (i, row) in rows.iter().enumerate() {
            for (column, window) in [
                ("outlier_trailing_full", i.checked_sub(6).map(|first| first..i + 1)),
                ("outlier_centered_full", i.checked_sub(3).map(|first| first..i + 4)),
            ] {
                let window = window.filter(|window| window.end <= values.len());
                let expected = row.has(column).then(|| row.text(column) == "true");
                let flag = window.map(|window| is_outlier(values[i], &values[window], 3.0));
                assert_eq!(flag, expected, "{column} at {i}");
                seen += usize::from(flag.is_some());
                found += usize::from(flag == Some(true));
            }
        }
        assert!(seen > 550 && found > 10, "{found} of {seen}");
    }
}
