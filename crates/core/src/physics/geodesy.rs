//! Distances on the Earth.

/// Mean radius of the Earth in metres (IUGG).
const RADIUS: f64 = 6_371_008.8;

/// Distance in metres along the great circle between two positions in degrees
/// north and east, on a sphere of the mean radius: up to 0.56 % off the ellipsoid.
/// `None` for latitudes beyond the poles.
#[must_use]
pub fn great_circle((lat1, lon1): (f64, f64), (lat2, lon2): (f64, f64)) -> Option<f64> {
    let is_place = |lat: f64, lon: f64| lat.abs() <= 90.0 && lon.is_finite();
    if !is_place(lat1, lon1) || !is_place(lat2, lon2) {
        return None;
    }
    let (a, b) = (lat1.to_radians(), lat2.to_radians());
    let d = (lon2 - lon1).to_radians();
    // The form with atan2 is exact for near, far and opposite places alike.
    let across = (b.cos() * d.sin()).hypot(a.cos() * b.sin() - a.sin() * b.cos() * d.cos());
    let along = a.sin() * b.sin() + a.cos() * b.cos() * d.cos();
    Some(RADIUS * across.atan2(along))
}

/// Direction in degrees from north over east, 0 to 360, in which the great circle from one
/// position to another begins. `None` for latitudes beyond the poles, and if both are the
/// same place.
#[must_use]
pub fn initial_bearing((lat1, lon1): (f64, f64), (lat2, lon2): (f64, f64)) -> Option<f64> {
    if great_circle((lat1, lon1), (lat2, lon2))? == 0.0 {
        return None;
    }
    let (a, b) = (lat1.to_radians(), lat2.to_radians());
    let d = (lon2 - lon1).to_radians();
    let east = d.sin() * b.cos();
    let north = a.cos() * b.sin() - a.sin() * b.cos() * d.cos();
    let degrees = east.atan2(north).to_degrees().rem_euclid(360.0);
    // Just west of north rounds up to a whole turn.
    Some(if degrees >= 360.0 { 0.0 } else { degrees })
}

#[cfg(test)]
mod tests {
    use super::super::tables::rows;
    use super::*;

    #[test]
    fn distances_are_those_of_the_table() {
        for row in rows("geodesy_pairs", 105) {
            let [lat1, lon1, lat2, lon2] =
                ["lat1_deg", "lon1_deg", "lat2_deg", "lon2_deg"].map(|column| row.number(column));
            let found = great_circle((lat1, lon1), (lat2, lon2)).unwrap();
            let expected = row.number("great_circle_m");
            assert!((found - expected).abs() < 1e-6 + 1e-9 * expected, "{}: {found} {expected}", row.text("case"));
            let bearing = initial_bearing((lat1, lon1), (lat2, lon2));
            assert_eq!(bearing.is_none(), expected == 0.0, "{}", row.text("case"));
            // Where any direction would do, the table has none.
            let Some(found) = bearing.filter(|_| !row.text("great_circle_initial_bearing_deg").is_empty()) else {
                continue;
            };
            let off = (found - row.number("great_circle_initial_bearing_deg") + 180.0).rem_euclid(360.0) - 180.0;
            // Metres across, a kilometre on: what cannot be seen of a bearing of near or opposite places.
            let across = off.to_radians().abs() * expected.min(std::f64::consts::PI * RADIUS - expected);
            assert!(off.abs() < 1e-7 || across < 1e-3, "{}: {found} is off by {off}", row.text("case"));
        }
        assert_eq!(great_circle((90.1, 0.0), (0.0, 0.0)), None);
    }
}
