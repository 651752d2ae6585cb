//! What speaks MQTT: the locomotive, the radio sensors in the sheds, the heated
//! points.

use crate::railway::{DAY, HOUR, Railway, TRAINS, day_of, round};
use serde_json::{Value, json};

/// Distances along the line, where that is, and how high, all in metres but for the
/// degrees.
const LINE: [(f64, f64, f64, f64); 5] = [
    (0.0, 54.4985, -2.2920, 187.0),
    (3_200.0, 54.5075, -2.3050, 201.0),
    (5_600.0, 54.5120, -2.3180, 214.0),
    (8_300.0, 54.5230, -2.3310, 252.0),
    (11_000.0, 54.5352, -2.3420, 301.0),
];
/// How long a journey over the line takes, in hours.
const JOURNEY_H: f64 = 0.6;

/// The day of the story, counted from 0, on which the crew tried their button, and the hours
/// of that.
const DRILL_DAY: i64 = 8;
const DRILL: std::ops::Range<f64> = 13.9..13.95;

/// The locomotive as it reports.
pub(crate) struct Sorrel {
    pub(crate) latitude: f64,
    pub(crate) longitude: f64,
    /// km/h.
    pub(crate) speed: f64,
    /// Counts of the boiler's pressure transducer.
    pub(crate) boiler: f64,
    /// Millivolts of the smokebox thermocouple.
    pub(crate) smokebox: f64,
    /// Temperature of its cold junction in °C.
    pub(crate) junction: f64,
    /// Percent.
    pub(crate) regulator: f64,
    /// Height in metres as the receiver of satellites has it.
    pub(crate) altitude: f64,
    /// Pressure of the air around it, in hPa.
    pub(crate) air: f64,
    /// Whether somebody presses the crew's button.
    pub(crate) crew: bool,
}

impl Sorrel {
    /// What it sends.
    pub(crate) fn message(&self) -> Value {
        json!({
            "pos": {"lat": self.latitude, "lon": self.longitude, "alt": self.altitude},
            "speed": self.speed, "boiler": self.boiler, "smokebox": self.smokebox, "junction": self.junction,
            "regulator": self.regulator, "baro": self.air, "crew": self.crew,
        })
    }
}

/// A radio sensor as its line says.
pub(crate) struct Radio {
    pub(crate) count: u64,
    pub(crate) temp: f64,
    pub(crate) hum: f64,
    /// Volts.
    pub(crate) supply: f64,
    /// dBm.
    pub(crate) rssi: f64,
}

/// The radio sensors: code, what the radio calls them, how well they are received,
/// how much of what they send is lost.
pub(crate) const RADIOS: [(&str, &str, f64, f64); 6] = [
    ("shed-1", "0a41", -62.0, 0.004),
    ("shed-2", "0a42", -68.0, 0.008),
    ("shed-3", "0a47", -88.0, 0.11),
    ("shed-4", "0a4c", -71.0, 0.012),
    ("box-1", "0b03", -77.0, 0.02),
    ("box-2", "0b05", -80.0, 0.03),
];
/// Seconds between the lines of a radio sensor.
pub(crate) const RADIO_S: i64 = 60;

fn along(metres: f64) -> (f64, f64, f64) {
    let next = LINE.iter().position(|(at, ..)| *at > metres).unwrap_or(LINE.len() - 1).max(1);
    let ((a, lat_a, lon_a, high_a), (b, lat_b, lon_b, high_b)) = (LINE[next - 1], LINE[next]);
    let part = ((metres - a) / (b - a)).clamp(0.0, 1.0);
    (lat_a + (lat_b - lat_a) * part, lon_a + (lon_b - lon_a) * part, high_a + (high_b - high_a) * part)
}

impl Railway {
    /// The locomotive at a time, while it is in steam: up the line with one train,
    /// down with the next.
    pub(crate) fn sorrel(self, seconds: f64) -> Option<Sorrel> {
        let (day, hour) = day_of(seconds);
        if !(7.5..18.5).contains(&hour) {
            return None;
        }
        let place = seconds.round() as i64;
        let run = TRAINS.iter().rposition(|at| hour >= *at);
        let part = run.map_or(1.0, |run| ((hour - TRAINS[run]) / JOURNEY_H).clamp(0.0, 1.0));
        let is_up = run.is_none_or(|run| run % 2 == 0);
        let metres = 11_000.0 * if is_up == run.is_some() { part } else { 1.0 - part };
        let (latitude, longitude, height) = along(metres);
        let moving = (0.001..0.999).contains(&part);
        let glitch = 0.000_03;
        let speed = if moving { 19.0 + 5.0 * self.noise(30).smooth(seconds, 240.0) } else { 0.0 };
        let fire = 9.4 + 0.8 * self.noise(31).smooth(seconds, 900.0) - if moving { 0.6 } else { 0.0 };
        let heat = if moving { 12.6 } else { 9.0 } + 1.1 * self.noise(32).smooth(seconds, 400.0);
        let regulator = if moving { 45.0 + 20.0 * self.noise(33).smooth(seconds, 120.0) } else { 0.0 };
        // At the tunnel's mouth the receiver loses its satellites now and then, and says so
        // with zeros or from somewhere beside the line.
        let lost = (4_300.0..5_200.0).contains(&metres) && self.noise(39).uniform(place / 2) < 0.04;
        let (latitude, longitude) = match (lost, self.noise(39).uniform(place / 2) < 0.02) {
            (false, _) => (latitude, longitude),
            (true, true) => (0.0, 0.0),
            (true, false) => (latitude + 0.04, longitude - 0.07),
        };
        Some(Sorrel {
            latitude: round(if latitude == 0.0 { 0.0 } else { latitude + glitch * self.noise(34).normal(place) }, 6),
            longitude: round(if longitude == 0.0 { 0.0 } else { longitude + glitch * self.noise(35).normal(place) }, 6),
            speed: round(speed, 1),
            boiler: (fire * 240.0 + 410.0 + 2.0 * self.noise(36).normal(place)).round(),
            smokebox: round(heat + 0.02 * self.noise(37).normal(place), 2),
            junction: round(31.0 + 6.0 * self.noise(38).smooth(seconds, 1_800.0), 1),
            regulator: regulator.round(),
            altitude: round(height + 3.0 * self.noise(90).smooth(seconds, 300.0) + self.noise(91).normal(place), 0),
            crew: day == DRILL_DAY && DRILL.contains(&hour),
            air: round(self.pressure(seconds, height) + 0.03 * self.noise(92).normal(place), 1),
        })
    }

    /// Pressure of the air at a height, in hPa: weather over a few days, and less of it
    /// higher up, as the standard atmosphere has it.
    fn pressure(self, seconds: f64, metres: f64) -> f64 {
        let sea = 1_013.25 + 2.5 * self.noise(93).smooth(seconds, 2.0 * DAY);
        sea * (1.0 - 0.0065 * metres / 288.15).powf(5.255_88)
    }

    /// The line of a radio sensor that it sends at a time, if it arrives.
    pub(crate) fn radio(self, index: usize, seconds: f64) -> Option<Radio> {
        let (_, _, level, loss) = RADIOS[index];
        let count = (seconds / RADIO_S as f64).floor() as i64;
        let stream = 40 + index as u64 * 8;
        // Interference comes in spells: a machine in the shed runs now and then.
        let spell = if index == 2 && self.noise(stream).smooth(seconds, 2.0 * HOUR) > 0.35 { 4.0 } else { 1.0 };
        if self.noise(stream + 1).uniform(count) < loss * spell {
            return None;
        }
        let inside = 0.6 * self.air(seconds) + 5.0 + index as f64 * 0.4;
        let temp = inside + 0.5 * self.noise(stream + 2).smooth(seconds, 5_000.0);
        let hum = 72.0 - 1.2 * (temp - 9.0) + 2.0 * self.noise(stream + 3).smooth(seconds, 9_000.0);
        // One battery runs down over the fortnight.
        let drain = if index == 4 { 0.045 } else { 0.004 };
        let supply = 3.62 - drain * seconds / DAY;
        let rssi =
            level + 3.0 * self.noise(stream + 4).smooth(seconds, 1_800.0) + 0.8 * self.noise(stream + 5).normal(count)
                - 4.0 * (spell - 1.0) / 3.0;
        Some(Radio {
            count: count.rem_euclid(65_536).unsigned_abs(),
            temp: round(temp, 1),
            hum: round(hum.clamp(0.0, 100.0), 1),
            supply: round(supply.max(2.1), 2),
            rssi: rssi.round(),
        })
    }

    /// The rail at the points, in degrees Celsius, warmed or not.
    pub(crate) fn rail(self, seconds: f64, is_heated: bool) -> f64 {
        let warm = if is_heated { 11.0 } else { 0.0 };
        round(self.air(seconds) - 2.0 + warm + 0.1 * self.noise(90).normal(seconds.round() as i64), 1)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const RAILWAY: Railway = Railway::new(1);

    #[test]
    fn the_locomotive_runs_by_day_and_stays_on_the_line() {
        assert!(RAILWAY.sorrel(3.0 * DAY + 2.0 * HOUR).is_none());
        for minute in 450..1_100 {
            let sorrel = RAILWAY.sorrel(3.0 * DAY + f64::from(minute) * 60.0).unwrap();
            assert!((0.0..30.0).contains(&sorrel.speed) && (0.0..4_096.0).contains(&sorrel.boiler));
        }
        let fixes = fixes();
        let beside = fixes.iter().filter(|fix| !is_on_the_line(fix)).count();
        assert!(beside > 0 && beside * 50 < fixes.len(), "{beside} of {}", fixes.len());
    }

    /// The standard atmosphere turned round (ISO 2533): what is left is the weather.
    #[test]
    fn the_air_tells_how_high_the_locomotive_is() {
        for minute in 450..1_100 {
            let sorrel = RAILWAY.sorrel(3.0 * DAY + f64::from(minute) * 60.0).unwrap();
            let height = 44_330.77 * (1.0 - (sorrel.air / 1_013.25).powf(0.190_263));
            assert!((sorrel.altitude - height).abs() < 40.0, "{height} and {}", sorrel.altitude);
            assert!((175.0..315.0).contains(&sorrel.altitude), "{}", sorrel.altitude);
        }
    }

    #[test]
    fn satellites_are_lost_only_at_the_mouth_of_the_tunnel() {
        let (from, to) = (along(4_200.0), along(5_300.0));
        let mut before = (0.0, 0.0);
        for fix in fixes() {
            if is_on_the_line(&fix) {
                before = fix;
            } else {
                // The second before it, the locomotive was near.
                assert!(before == (0.0, 0.0) || ((from.0..to.0).contains(&before.0) && before.1 < from.1), "{fix:?}");
            }
        }
    }

    /// Where it says it is, every second of a day in steam.
    fn fixes() -> Vec<(f64, f64)> {
        let seconds = 27_000..66_000;
        let sorrels = seconds.filter_map(|second| RAILWAY.sorrel(3.0 * DAY + f64::from(second)));
        sorrels.map(|sorrel| (sorrel.latitude, sorrel.longitude)).collect()
    }

    fn is_on_the_line((latitude, longitude): &(f64, f64)) -> bool {
        (54.49..54.54).contains(latitude) && (-2.35..-2.29).contains(longitude)
    }

    #[test]
    fn one_shed_sensor_loses_far_more_than_the_others() {
        let came = |index| (0..1_440).filter(|count| RAILWAY.radio(index, f64::from(*count) * 60.0).is_some()).count();
        assert!(came(0) > 1_420 && came(2) < 1_330, "{} {}", came(0), came(2));
    }
}
