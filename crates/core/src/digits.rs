//! How many decimals values are worth: what a sensor can resolve, and no more.

use crate::median;

/// How many decimals the values were given with, at most 6: what a display needs
/// to show them as sent and no finer.
#[must_use]
pub fn decimals(values: impl IntoIterator<Item = f64>) -> u8 {
    values.into_iter().map(decimals_of).max().unwrap_or(0)
}

/// The decimals of the shortest text that reads back as the same number: what the sender wrote.
/// Found by trying, which is much less work than to write it.
fn decimals_of(value: f64) -> u8 {
    const MOST: u8 = 6;
    let mut power = 1.0;
    for decimals in 0..MOST {
        if (value * power).round() / power == value {
            return decimals;
        }
        power *= 10.0;
    }
    MOST
}

/// How many decimals to show values with that were worked out, and so have all the
/// digits there are: four significant ones of the largest, at most 6 decimals.
#[must_use]
pub fn decimals_worth_showing(values: impl IntoIterator<Item = f64>) -> u8 {
    let largest = values.into_iter().map(f64::abs).fold(0.0, f64::max);
    if largest == 0.0 { 0 } else { (3.0 - largest.log10().floor()).clamp(0.0, 6.0) as u8 }
}

/// How many decimals to show values with that were made of what was sent, from pairs of what
/// was sent and what it became: the last digit is the step of what was sent times the slope
/// there. `None` if what was sent does not tell a slope.
#[must_use]
pub fn decimals_of_converted(pairs: &[(f64, f64)]) -> Option<u8> {
    let step = step_of_decimals(decimals(pairs.iter().map(|(raw, _)| *raw)));
    let slope = |(a, b): (&(f64, f64), &(f64, f64))| (b.1 - a.1).abs() / (b.0 - a.0).abs();
    let slopes = pairs.iter().zip(pairs.iter().skip(1)).map(slope).filter(|slope| slope.is_finite() && *slope > 0.0);
    Some(decimals_of_step(step * median(slopes)?))
}

/// How many decimals to show values with that differ by `step` or more. Neighbouring steps have
/// to look different, so the last digit is not much coarser.
#[must_use]
pub fn decimals_of_step(step: f64) -> u8 {
    (-(1.5 * step).log10()).ceil().clamp(0.0, 6.0) as u8
}

/// How many decimals show two significant digits of a spread: what is finer says nothing of a
/// mean difference, however exactly it is worked out.
#[must_use]
pub fn decimals_of_spread(spread: f64) -> u8 {
    if spread.is_normal() { (1.0 - spread.abs().log10().floor()).clamp(0.0, 9.0) as u8 } else { 6 }
}

/// The step of numbers that are given with so many decimals.
#[must_use]
pub fn step_of_decimals(decimals: u8) -> f64 {
    0.1_f64.powi(i32::from(decimals))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn figures_are_as_fine_as_their_spread() {
        for (spread, expected) in [(0.04494, 3), (0.5, 2), (9.9, 1), (12.0, 0), (1234.0, 0), (0.0, 6), (1e-12, 9)] {
            assert_eq!(decimals_of_spread(spread), expected, "{spread}");
        }
    }
    use proptest::prelude::*;

    #[test]
    fn decimals_follow_what_was_sent() {
        for (values, expected) in
            [(vec![21.4, 21.0], 1), (vec![21.0], 0), (vec![0.001, 5.0], 3), (vec![1.0 / 3.0], 6), (vec![], 0)]
        {
            assert_eq!(decimals(values.clone()), expected, "{values:?}");
        }
    }

    #[test]
    fn what_was_worked_out_has_four_significant_digits() {
        for (values, expected) in [
            (vec![2.0 / 3.0, 9.400_663], 3),
            (vec![-0.021_73], 5),
            (vec![1e-9], 6),
            (vec![123_456.7], 0),
            (vec![0.0], 0),
        ] {
            assert_eq!(decimals_worth_showing(values.clone()), expected, "{values:?}");
        }
    }

    #[test]
    fn what_was_converted_is_as_fine_as_what_was_sent() {
        type Case = (fn(f64) -> f64, &'static [f64], Option<u8>);
        let cases: [Case; 7] = [
            // Counts of 0.08 °C each.
            (|raw| raw * 0.0806 - 50.0, &[900.0, 901.0, 904.0, 902.0], Some(1)),
            (|raw| raw * 0.5, &[3.0, 4.0, 5.0], Some(1)),
            (|raw| raw * 25.4, &[3.0, 4.0, 5.0], Some(0)),
            // Tenths that are divided by a thousand.
            (|raw| raw / 1_000.0, &[12.1, 12.3, 14.0], Some(4)),
            (|raw| raw / 3e9, &[1.0, 2.0], Some(6)),
            (|raw| raw, &[7.0, 7.0], None),
            (|raw| raw, &[], None),
        ];
        for (convert, raws, expected) in cases {
            let pairs: Vec<(f64, f64)> = raws.iter().map(|raw| (*raw, convert(*raw))).collect();
            assert_eq!(decimals_of_converted(&pairs), expected, "{pairs:?}");
        }
    }

    proptest! {
        #[test]
        fn decimals_are_those_of_the_text(whole in -1_000_000_000_i64..1_000_000_000, places in 0_i32..9) {
            let value = whole as f64 / 10_f64.powi(places);
            let text = value.to_string();
            let written = text.split_once('.').map_or(0, |(_, fraction)| fraction.len().min(6));
            prop_assert_eq!(usize::from(decimals([value])), written, "{}", text);
        }

        #[test]
        fn neighbouring_steps_look_different(factor in 1e-4..1e3_f64, start in 0_u16..4_000) {
            let pairs: Vec<(f64, f64)> = (0..8).map(|i| f64::from(start + i)).map(|raw| (raw, raw * factor)).collect();
            let shown = usize::from(decimals_of_converted(&pairs).unwrap());
            for pair in pairs.windows(3) {
                let text = |(_, value): (f64, f64)| format!("{value:.shown$}");
                prop_assert_ne!(text(pair[0]), text(pair[2]));
            }
        }
    }
}
