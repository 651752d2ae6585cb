//! Direction of change: what the arrow beside a value says.

use crate::Moment;
use serde::{Deserialize, Serialize};

/// Which way a value is going.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
pub enum Direction {
    /// Going up.
    Rising,
    /// Going down.
    Falling,
    /// No change that stands out from the scatter.
    Steady,
}

impl Direction {
    /// The word for it.
    #[must_use]
    pub const fn as_str(self) -> &'static str {
        match self {
            Self::Rising => "rising",
            Self::Falling => "falling",
            Self::Steady => "steady",
        }
    }
}

/// Direction and rate of change over the last few readings.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Trend {
    /// Which way.
    pub direction: Direction,
    /// Slope, in the signal's unit per hour.
    pub per_hour: f64,
}

/// The number of last readings a trend is judged by.
pub const WINDOW: usize = 16;

/// Judges the trend of readings in order of time by the slope of the
/// least-squares line through them.
///
/// Rising or falling when the slope is over twice its own standard error
/// (about a 95% confidence), so that noise does not make the arrow flicker;
/// with two readings, by their difference. Only readings after the last gap of
/// more than `gap_seconds` count: what was before a long silence says nothing of
/// now. `None` with fewer than two readings or when all have the same time.
#[must_use]
pub fn trend(readings: &[(Moment, f64)], gap_seconds: f64) -> Option<Trend> {
    let gap = readings.windows(2).rposition(|pair| pair[1].0.seconds_since(pair[0].0) > gap_seconds);
    let readings = &readings[gap.map_or(0, |before| before + 1)..];
    let (origin, _) = *readings.first()?;
    let n = readings.len() as f64;
    let points = || readings.iter().map(|&(at, value)| (at.seconds_since(origin) / 3600.0, value));
    let mean_x = points().map(|(x, _)| x).sum::<f64>() / n;
    let mean_y = points().map(|(_, y)| y).sum::<f64>() / n;
    let sxx: f64 = points().map(|(x, _)| (x - mean_x).powi(2)).sum();
    if sxx <= 0.0 {
        return None;
    }
    let slope = points().map(|(x, y)| (x - mean_x) * (y - mean_y)).sum::<f64>() / sxx;
    if !slope.is_finite() {
        return None;
    }
    let residual: f64 = points().map(|(x, y)| (y - mean_y - slope * (x - mean_x)).powi(2)).sum();
    let standard_error = if n > 2.0 { (residual / (n - 2.0) / sxx).sqrt() } else { 0.0 };
    let direction = if slope.abs() <= 2.0 * standard_error || slope == 0.0 {
        Direction::Steady
    } else if slope > 0.0 {
        Direction::Rising
    } else {
        Direction::Falling
    };
    Some(Trend { direction, per_hour: slope })
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn every_minute(values: &[f64]) -> Vec<(Moment, f64)> {
        let start = Moment::parse("2026-05-01T12:00:00Z").unwrap();
        values.iter().enumerate().map(|(i, &v)| (start.plus_seconds(60.0 * i as f64), v)).collect()
    }

    #[test]
    fn tells_change_from_scatter() {
        for (values, expected) in [
            (vec![1.0, 2.0, 3.0, 4.0], Some(Direction::Rising)),
            (vec![4.0, 3.5, 3.1, 2.4], Some(Direction::Falling)),
            (vec![5.0, 5.0, 5.0], Some(Direction::Steady)),
            (vec![20.1, 20.0, 20.2, 20.1, 20.0, 20.1, 20.2, 20.0], Some(Direction::Steady)),
            (vec![1.0, 2.0], Some(Direction::Rising)),
            (vec![1.0], None),
            (vec![], None),
        ] {
            assert_eq!(trend(&every_minute(&values), 300.0).map(|t| t.direction), expected, "{values:?}");
        }
    }

    #[test]
    fn rate_is_per_hour() {
        let rate = trend(&every_minute(&[1.0, 2.0, 3.0]), 300.0).unwrap().per_hour;
        assert!((rate - 60.0).abs() < 1e-9, "{rate}");
    }

    #[test]
    fn what_was_before_a_long_silence_does_not_count() {
        let mut readings = every_minute(&[9.0, 8.0, 7.0]);
        let later = readings[2].0.plus_seconds(86_400.0);
        readings.push((later, 1.0));
        assert_eq!(trend(&readings, 300.0), None);
        readings.push((later.plus_seconds(60.0), 2.0));
        assert_eq!(trend(&readings, 300.0).map(|t| t.direction), Some(Direction::Rising));
    }

    proptest! {
        #[test]
        fn mirrored_values_have_the_mirrored_trend(values in prop::collection::vec(-1e6..1e6f64, 2..16)) {
            let up = trend(&every_minute(&values), 300.0).unwrap();
            let down = trend(&every_minute(&values.iter().map(|v| -v).collect::<Vec<_>>()), 300.0).unwrap();
            prop_assert!((up.per_hour + down.per_hour).abs() <= 1e-6 * up.per_hour.abs().max(1.0));
        }

        #[test]
        fn never_answers_with_nan(values in prop::collection::vec(prop::num::f64::NORMAL, 0..16)) {
            if let Some(t) = trend(&every_minute(&values), 300.0) {
                prop_assert!(t.per_hour.is_finite());
            }
        }
    }
}
