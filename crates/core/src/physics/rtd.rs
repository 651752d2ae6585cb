//! Platinum resistance thermometers (IEC 60751).

const A: f64 = 3.9083e-3;
const B: f64 = -5.775e-7;
const C: f64 = -4.183e-12;
/// The temperatures the standard is given for, in degrees Celsius.
pub const RANGE: (f64, f64) = (-200.0, 850.0);

/// Resistance over that at 0 °C, and its slope.
fn ratio(celsius: f64) -> (f64, f64) {
    let t = celsius;
    if t >= 0.0 {
        (1.0 + A * t + B * t * t, A + 2.0 * B * t)
    } else {
        let cubic = C * (t - 100.0) * t * t * t;
        (1.0 + A * t + B * t * t + cubic, A + 2.0 * B * t + C * (4.0 * t * t * t - 300.0 * t * t))
    }
}

/// Resistance in ohms at a temperature in degrees Celsius, of a thermometer with
/// `r0_ohm` at 0 °C. `None` outside [`RANGE`].
#[must_use]
pub fn ohms(celsius: f64, r0_ohm: f64) -> Option<f64> {
    (RANGE.0..=RANGE.1).contains(&celsius).then(|| r0_ohm * ratio(celsius).0)
}

/// Temperature in degrees Celsius at a resistance in ohms, of a thermometer with
/// `r0_ohm` at 0 °C. `None` outside [`RANGE`].
#[must_use]
pub fn celsius(ohms: f64, r0_ohm: f64) -> Option<f64> {
    let wanted = ohms / r0_ohm;
    let (low, high) = (ratio(RANGE.0).0, ratio(RANGE.1).0);
    let slack = 1e-12;
    if !(low - slack..=high + slack).contains(&wanted) {
        return None;
    }
    // The quadratic is exact above 0 °C and a good guess below.
    let mut celsius = (-A + (A * A - 4.0 * B * (1.0 - wanted)).sqrt()) / (2.0 * B);
    if wanted < 1.0 {
        for _ in 0..8 {
            let (value, slope) = ratio(celsius);
            celsius -= (value - wanted) / slope;
        }
    }
    Some(celsius)
}

#[cfg(test)]
mod tests {
    use super::super::tables::{Row, rows};
    use super::*;

    fn r0(row: &Row) -> f64 {
        row.text("sensor").trim_start_matches("Pt").parse().unwrap()
    }

    #[test]
    fn resistances_are_those_of_the_table() {
        for row in rows("rtd_forward", 120) {
            match (row.text("status"), ohms(row.number("temperature_C"), r0(&row))) {
                ("ok", Some(ohms)) => assert!((ohms / row.number("resistance_ohm") - 1.0).abs() < 1e-9),
                (status, found) => assert!(status != "ok" && found.is_none(), "{status} {found:?}"),
            }
        }
    }

    #[test]
    fn temperatures_are_those_of_the_table() {
        for row in rows("rtd_inverse", 160) {
            let ohms = row.number("resistance_ohm");
            match (row.text("status"), celsius(ohms, r0(&row))) {
                ("ok", Some(celsius)) => {
                    assert!((celsius - row.number("temperature_C")).abs() < 1e-6, "{ohms}: {celsius}");
                }
                (status, found) => assert!(status != "ok" && found.is_none(), "{ohms}: {status} {found:?}"),
            }
        }
    }
}
