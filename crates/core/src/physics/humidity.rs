//! Water in air.

use super::ZERO_CELSIUS;

/// Coefficients of the Magnus formula over water, also below 0 °C: D. Sonntag,
/// Zeitschrift für Meteorologie 70, 1990.
const MAGNUS_HPA: f64 = 6.112;
const MAGNUS: f64 = 17.62;
const MAGNUS_CELSIUS: f64 = 243.12;
/// The temperatures the formula is given for, in degrees Celsius.
pub const RANGE: (f64, f64) = (-45.0, 60.0);
/// Specific gas constant of water vapour, J/(kg K).
const VAPOUR: f64 = 461.5;

fn in_range(celsius: f64, percent: f64) -> bool {
    (RANGE.0..=RANGE.1).contains(&celsius) && (0.0..=100.0).contains(&percent)
}

/// Saturation vapour pressure over water in hPa at a temperature in degrees
/// Celsius. `None` outside [`RANGE`].
#[must_use]
pub fn saturation_hpa(celsius: f64) -> Option<f64> {
    in_range(celsius, 0.0).then(|| MAGNUS_HPA * (MAGNUS * celsius / (MAGNUS_CELSIUS + celsius)).exp())
}

/// Dew point in degrees Celsius, from degrees Celsius and per cent of relative
/// humidity. `None` outside the ranges, and in perfectly dry air.
#[must_use]
pub fn dew_point(celsius: f64, percent: f64) -> Option<f64> {
    if !in_range(celsius, percent) || percent == 0.0 {
        return None;
    }
    let ln = (percent / 100.0).ln() + MAGNUS * celsius / (MAGNUS_CELSIUS + celsius);
    Some(MAGNUS_CELSIUS * ln / (MAGNUS - ln))
}

/// Absolute humidity in g/m³, from degrees Celsius and per cent of relative
/// humidity. `None` outside the ranges.
#[must_use]
pub fn absolute_g_m3(celsius: f64, percent: f64) -> Option<f64> {
    if !in_range(celsius, percent) {
        return None;
    }
    let pascals = saturation_hpa(celsius)? * percent;
    Some(pascals / (VAPOUR * (celsius + ZERO_CELSIUS)) * 1e3)
}

/// Vapour pressure deficit in kPa, from degrees Celsius and per cent of relative
/// humidity. `None` outside the ranges.
#[must_use]
pub fn deficit_kpa(celsius: f64, percent: f64) -> Option<f64> {
    if !in_range(celsius, percent) {
        return None;
    }
    Some(saturation_hpa(celsius)? * (1.0 - percent / 100.0) / 10.0)
}

/// Heat index in degrees Celsius, from degrees Celsius and per cent of relative
/// humidity: L. P. Rothfusz, NWS Technical Attachment SR 90-23, 1990, with the
/// adjustments of the National Weather Service. `None` outside 0 to 100 %.
#[must_use]
pub fn heat_index(celsius: f64, percent: f64) -> Option<f64> {
    if !(0.0..=100.0).contains(&percent) || !celsius.is_finite() {
        return None;
    }
    let fahrenheit = heat_index_fahrenheit(celsius * 1.8 + 32.0, percent);
    Some((fahrenheit - 32.0) / 1.8)
}

fn heat_index_fahrenheit(t: f64, rh: f64) -> f64 {
    let simple = 0.5 * (t + 61.0 + (t - 68.0) * 1.2 + rh * 0.094);
    if simple < 80.0 {
        return simple;
    }
    let full =
        -42.379 + 2.04901523 * t + 10.14333127 * rh - 0.22475541 * t * rh - 6.83783e-3 * t * t - 5.481717e-2 * rh * rh
            + 1.22874e-3 * t * t * rh
            + 8.5282e-4 * t * rh * rh
            - 1.99e-6 * t * t * rh * rh;
    if rh < 13.0 && (80.0..=112.0).contains(&t) {
        full - (13.0 - rh) / 4.0 * ((17.0 - (t - 95.0).abs()) / 17.0).max(0.0).sqrt()
    } else if rh > 85.0 && (80.0..=87.0).contains(&t) {
        full + (rh - 85.0) / 10.0 * (87.0 - t) / 5.0
    } else {
        full
    }
}

#[cfg(test)]
mod tests {
    use super::super::tables::rows;
    use super::*;

    #[test]
    fn psychrometrics_are_those_of_the_table() {
        for row in rows("psychrometrics", 115) {
            let (t, rh) = (row.number("temperature_C"), row.number("relative_humidity_percent"));
            let found = [dew_point(t, rh), absolute_g_m3(t, rh), deficit_kpa(t, rh)];
            let columns = ["dew_point_C", "absolute_humidity_g_m3", "vapour_pressure_deficit_kPa"];
            for (found, column) in found.into_iter().zip(columns) {
                match found {
                    Some(found) => {
                        let expected = row.number(column);
                        assert!(
                            (found - expected).abs() <= 1e-6 * expected.abs().max(1e-3),
                            "{t} {rh} {column}: {found}"
                        );
                    }
                    None => assert!(row.text("status") != "ok", "{t} {rh} {column}"),
                }
            }
            if let (Some(found), true) = (saturation_hpa(t), row.has("saturation_vapour_pressure_hPa")) {
                assert!((found / row.number("saturation_vapour_pressure_hPa") - 1.0).abs() < 1e-6);
            }
        }
    }

    #[test]
    fn heat_indices_are_those_of_the_table() {
        for row in rows("heat_index", 95) {
            let (t, rh) = (row.number("temperature_degF"), row.number("relative_humidity_percent"));
            let found = heat_index_fahrenheit(t, rh);
            // In a narrow band where implementations switch differently, either will do.
            let columns = ["heat_index_degF", "metpy_heat_index_degF"];
            let close = |column: &&str| row.has(column) && (found - row.number(column)).abs() < 1e-3;
            let allowed = if row.text("branch") == "simple_threshold_band" { &columns[..] } else { &columns[..1] };
            assert!(allowed.iter().any(close), "{t} °F {rh} %: {found}");
            let celsius = heat_index((t - 32.0) / 1.8, rh).unwrap();
            assert!((celsius * 1.8 + 32.0 - found).abs() < 1e-9 || (79.9..80.1).contains(&found));
        }
    }
}
