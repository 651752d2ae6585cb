//! Thermistors with a negative coefficient.

use super::ZERO_CELSIUS;

/// Temperature in degrees Celsius at a resistance in ohms, from the resistance
/// `r0_ohm` at `t0_celsius` and the constant `beta_k` in kelvins:
/// `1/T = 1/T0 + ln(R/R0)/β`. `None` where there is no such temperature.
#[must_use]
pub fn beta_celsius(ohms: f64, r0_ohm: f64, t0_celsius: f64, beta_k: f64) -> Option<f64> {
    from_inverse(1.0 / (t0_celsius + ZERO_CELSIUS) + (ohms / r0_ohm).ln() / beta_k, ohms)
}

/// Temperature in degrees Celsius at a resistance in ohms:
/// `1/T = A + B ln R + C (ln R)³` (J. S. Steinhart and S. R. Hart, Deep-Sea Research
/// 15, 1968). `None` where there is no such temperature.
#[must_use]
pub fn steinhart_hart_celsius(ohms: f64, [a, b, c]: [f64; 3]) -> Option<f64> {
    let ln = ohms.ln();
    from_inverse(a + b * ln + c * ln * ln * ln, ohms)
}

fn from_inverse(inverse: f64, ohms: f64) -> Option<f64> {
    let is_temperature = ohms > 0.0 && inverse > 0.0 && inverse.is_finite();
    is_temperature.then(|| 1.0 / inverse - ZERO_CELSIUS)
}

/// The coefficients A, B and C of Steinhart and Hart through three points of
/// temperature in degrees Celsius and resistance in ohms. `None` if they do not
/// determine them.
#[must_use]
pub fn steinhart_hart_fit(points: [(f64, f64); 3]) -> Option<[f64; 3]> {
    let [l1, l2, l3] = points.map(|(_, ohms)| ohms.ln());
    let [y1, y2, y3] = points.map(|(celsius, _)| 1.0 / (celsius + ZERO_CELSIUS));
    let (g2, g3) = ((y2 - y1) / (l2 - l1), (y3 - y1) / (l3 - l1));
    let c = (g3 - g2) / (l3 - l2) / (l1 + l2 + l3);
    let b = g2 - c * (l1 * l1 + l1 * l2 + l2 * l2);
    let a = y1 - l1 * (b + c * l1 * l1);
    let fit = [a, b, c];
    fit.iter().all(|coefficient| coefficient.is_finite()).then_some(fit)
}

#[cfg(test)]
mod tests {
    use super::super::tables::rows;
    use super::*;

    fn check(found: Option<f64>, status: &str, expected: impl Fn() -> f64) {
        match (status, found) {
            ("ok", Some(celsius)) => assert!((celsius - expected()).abs() < 1e-6, "{celsius} {}", expected()),
            (status, found) => assert!(status != "ok" && found.is_none(), "{status} {found:?}"),
        }
    }

    #[test]
    fn temperatures_are_those_of_the_tables() {
        for row in rows("thermistor_beta", 130) {
            let found = beta_celsius(
                row.number("resistance_ohm"),
                row.number("r0_ohm"),
                row.number("t0_C"),
                row.number("beta_K"),
            );
            check(found, row.text("status"), || row.number("temperature_C"));
        }
        for row in rows("thermistor_steinhart_hart", 110) {
            let abc = ["A_per_K", "B_per_K", "C_per_K"].map(|column| row.number(column));
            let found = steinhart_hart_celsius(row.number("resistance_ohm"), abc);
            check(found, row.text("status"), || row.number("temperature_C"));
        }
    }

    #[test]
    fn three_points_give_the_coefficients_of_the_table() {
        for row in rows("thermistor_sh_fit", 3) {
            let point = |n: u8| (row.number(&format!("t{n}_C")), row.number(&format!("r{n}_ohm")));
            let fit = steinhart_hart_fit([point(1), point(2), point(3)]).unwrap();
            for ((found, column), tolerance) in
                fit.iter().zip(["A_per_K", "B_per_K", "C_per_K"]).zip([1e-7, 1e-7, 1e-6])
            {
                assert!((found / row.number(column) - 1.0).abs() < tolerance, "{column}: {found}");
            }
        }
        assert_eq!(steinhart_hart_fit([(1.0, 100.0), (1.0, 100.0), (2.0, 90.0)]), None);
    }
}
