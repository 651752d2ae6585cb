//! Sound in dry air.

use super::ZERO_CELSIUS;

/// Ratio of the specific heats of dry air.
const GAMMA: f64 = 1.4;
/// Specific gas constant of dry air, J/(kg K) (ISO 2533).
const R: f64 = 287.05287;

/// Speed of sound in m/s at a temperature in degrees Celsius, of an ideal gas:
/// `√(γ R T)`. `None` at absolute zero and below.
#[must_use]
pub fn speed(celsius: f64) -> Option<f64> {
    let kelvins = celsius + ZERO_CELSIUS;
    (kelvins > 0.0).then(|| (GAMMA * R * kelvins).sqrt())
}

/// Distance in metres to what sends an echo back after so many seconds, there and
/// back. `None` for times before the sound was sent.
#[must_use]
pub fn echo_distance(seconds: f64, celsius: f64) -> Option<f64> {
    if seconds < 0.0 {
        return None;
    }
    Some(speed(celsius)? * seconds / 2.0)
}

#[cfg(test)]
mod tests {
    use super::super::tables::rows;
    use super::*;

    #[test]
    fn speeds_and_distances_are_those_of_the_tables() {
        for row in rows("speed_of_sound", 25) {
            match speed(row.number("temperature_C")) {
                Some(speed) => assert!((speed / row.number("speed_ideal_gas_m_s") - 1.0).abs() < 1e-9),
                None => assert_eq!(row.text("status"), "out_of_range"),
            }
        }
        for row in rows("ultrasonic_echo", 45) {
            match echo_distance(row.number("echo_time_us") * 1e-6, row.number("temperature_C")) {
                Some(metres) => assert!((metres - row.number("distance_m")).abs() <= 1e-9 * metres, "{metres}"),
                None => assert_eq!(row.text("status"), "invalid_input"),
            }
        }
    }
}
