//! Altitude from the pressure of the air (ISO 2533, the standard atmosphere).

use super::ZERO_CELSIUS;

const GRAVITY: f64 = 9.80665;
const R: f64 = 287.05287;
const LAPSE: f64 = 0.0065;
const T0: f64 = 288.15;
const P0_HPA: f64 = 1_013.25;

/// Layers of the standard atmosphere: height of the base in geopotential metres,
/// kelvins there, kelvins a metre upwards.
const LAYERS: [(f64, f64, f64); 5] = [
    (0.0, 288.15, -0.0065),
    (11_000.0, 216.65, 0.0),
    (20_000.0, 216.65, 0.001),
    (32_000.0, 228.65, 0.0028),
    (47_000.0, 270.65, 0.0),
];

/// Pressure at the top of a layer over that at its base.
fn across((base, kelvins, lapse): (f64, f64, f64), top: f64) -> f64 {
    let height = top - base;
    if lapse == 0.0 {
        (-GRAVITY * height / (R * kelvins)).exp()
    } else {
        (1.0 + lapse * height / kelvins).powf(-GRAVITY / (R * lapse))
    }
}

/// Pressure altitude in geopotential metres in the standard atmosphere, from hPa.
/// `None` outside -2 to 47 km.
#[must_use]
pub fn standard(hpa: f64) -> Option<f64> {
    let mut base_hpa = P0_HPA;
    for pair in LAYERS.windows(2) {
        let layer = pair[0];
        let top_hpa = base_hpa * across(layer, pair[1].0);
        if hpa >= top_hpa {
            let (base, kelvins, lapse) = layer;
            let ratio = hpa / base_hpa;
            let height = if lapse == 0.0 {
                -R * kelvins / GRAVITY * ratio.ln()
            } else {
                kelvins / lapse * (ratio.powf(-R * lapse / GRAVITY) - 1.0)
            };
            return Some(base + height).filter(|altitude| *altitude >= -2_000.5);
        }
        base_hpa = top_hpa;
    }
    None
}

/// Altitude in metres above where the pressure is `sea_level_hpa`, with the lapse
/// of the standard atmosphere: what an altimeter set to QNH shows. `None` for
/// pressures that are not positive.
#[must_use]
pub fn above(hpa: f64, sea_level_hpa: f64) -> Option<f64> {
    (hpa > 0.0 && sea_level_hpa > 0.0).then(|| T0 / LAPSE * (1.0 - (hpa / sea_level_hpa).powf(LAPSE * R / GRAVITY)))
}

/// Height in metres between two pressures in hPa, from the mean temperature of the
/// air between them in degrees Celsius (hypsometric equation). `None` for pressures
/// that are not positive.
#[must_use]
pub fn height(hpa: f64, sea_level_hpa: f64, mean_celsius: f64) -> Option<f64> {
    let kelvins = mean_celsius + ZERO_CELSIUS;
    (hpa > 0.0 && sea_level_hpa > 0.0 && kelvins > 0.0).then(|| R * kelvins / GRAVITY * (sea_level_hpa / hpa).ln())
}

#[cfg(test)]
mod tests {
    use super::super::tables::rows;
    use super::*;

    #[test]
    fn altitudes_are_those_of_the_tables() {
        for row in rows("baro_altitude_isa", 80) {
            let hpa = row.number("pressure_hPa");
            match (row.text("status"), standard(hpa)) {
                ("ok", Some(found)) => {
                    assert!((found - row.number("altitude_geopotential_m")).abs() < 1e-4, "{hpa} hPa: {found}");
                }
                (status, found) => assert!(status != "ok" && found.is_none(), "{hpa} hPa: {status} {found:?}"),
            }
        }
        for row in rows("baro_altitude_qnh_temperature", 55) {
            let (p, q, t) =
                (row.number("pressure_hPa"), row.number("sea_level_pressure_hPa"), row.number("temperature_C"));
            assert!((above(p, q).unwrap() - row.number("altitude_isa_lapse_qnh_m")).abs() < 0.01);
            assert!((height(p, q, t).unwrap() - row.number("altitude_hypsometric_isothermal_m")).abs() < 0.01);
        }
        assert_eq!((above(0.0, 1_000.0), height(900.0, -1.0, 10.0)), (None, None));
    }
}
