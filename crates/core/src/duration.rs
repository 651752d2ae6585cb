//! Lengths of time in words.

/// A length of time, in seconds, in the unit that tells it: `300 ms`, `12.5 s`, `5 min`,
/// `2.5 h`, `3.0 days`.
#[must_use]
pub fn duration(seconds: f64) -> String {
    match seconds {
        s if s < 1.0 => format!("{:.0} ms", s * 1e3),
        s if s < 120.0 => format!("{} s", (s * 10.0).round() / 10.0),
        s if s < 7_200.0 => format!("{:.0} min", s / 60.0),
        s if s < 172_800.0 => format!("{:.1} h", s / 3_600.0),
        s => format!("{:.1} days", s / 86_400.0),
    }
}

#[cfg(test)]
mod tests {
    use super::duration;

    #[test]
    fn a_length_is_told_in_the_unit_that_fits() {
        for (seconds, expected) in [
            (0.0, "0 ms"),
            (0.3, "300 ms"),
            (12.54, "12.5 s"),
            (119.0, "119 s"),
            (300.0, "5 min"),
            (9_000.0, "2.5 h"),
            (259_200.0, "3.0 days"),
        ] {
            assert_eq!(duration(seconds), expected);
        }
    }
}
