//! What there is to measure on the railway, as functions of time.
//!
//! A day of the story begins at midnight of the site. Fourteen days lie behind
//! when the demo starts, and the story goes on from there:
//!
//! - nights 6 to 9: a slow leak at the water tower, which both sensors see;
//! - day 10, noon to evening: the float sticks, and they stop agreeing;
//! - night 8: the tunnel is without supply, and nothing is heard from it;
//! - day 11, afternoon: the door of the fridge is left open;
//! - from day 12 on: new firmware at the tower sends its supply voltage, which
//!   nobody has declared.

use crate::noise::Noise;

pub(crate) const HOUR: f64 = 3_600.0;
pub(crate) const DAY: f64 = 24.0 * HOUR;

/// The railway as one seed makes it.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Railway {
    seed: u64,
}

/// What the tower sends: levels in metres, temperature in degrees Celsius.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct Tower {
    pub(crate) level: f64,
    pub(crate) pressure_level: f64,
    pub(crate) air: f64,
    /// Volts; sent by the new firmware only.
    pub(crate) supply: Option<f64>,
}

/// What the fridge of the tea room sends: degrees Fahrenheit, and the door.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct Larder {
    pub(crate) temp: f64,
    pub(crate) door: bool,
}

/// What the sensor in the tunnel sends.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct Tunnel {
    /// Counts of the carbon monoxide sensor's converter, 12 bits.
    pub(crate) co: f64,
    /// Relative humidity in per cent.
    pub(crate) hum: f64,
    /// Volts.
    pub(crate) supply: f64,
}

/// What the sensor in a carriage shed sends.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct Shed {
    pub(crate) temp: f64,
    pub(crate) hum: f64,
}

/// A second of the viaduct's bearing while something crosses.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct Crossing {
    /// Acceleration in m/s².
    pub(crate) accel: Vec<f64>,
    /// Strain in µm/m.
    pub(crate) strain: Vec<f64>,
}

/// Samples of a crossing in a second.
pub(crate) const CROSSING_RATE: usize = 250;
/// Hours at which trains cross the viaduct.
pub(crate) const TRAINS: [f64; 5] = [9.9, 11.5, 13.2, 14.8, 16.5];

/// Hours of the last full day of the story in which the probes on the viaduct had come loose.
const LOOSE_DAY: i64 = 12;
const LOOSE: std::ops::Range<f64> = 13.0..15.5;

/// Whether the probes on the viaduct are bonded to it.
pub(crate) fn are_probes_bonded(seconds: f64) -> bool {
    let (day, hour) = day_of(seconds);
    day != LOOSE_DAY || !LOOSE.contains(&hour)
}

/// The hour of the next train after a time.
pub(crate) fn next_train(seconds: f64) -> f64 {
    let (_, hour) = day_of(seconds);
    TRAINS.into_iter().find(|at| *at > hour).unwrap_or(TRAINS[0])
}

pub(crate) fn day_of(seconds: f64) -> (i64, f64) {
    let day = (seconds / DAY).floor();
    (day as i64, (seconds - day * DAY) / HOUR)
}

pub(crate) fn round(value: f64, decimals: i32) -> f64 {
    let scale = 10f64.powi(decimals);
    (value * scale).round() / scale
}

/// From 0 to 1 between two hours.
fn ramp(hour: f64, from: f64, to: f64) -> f64 {
    ((hour - from) / (to - from)).clamp(0.0, 1.0)
}

impl Railway {
    pub(crate) const fn new(seed: u64) -> Self {
        Self { seed }
    }

    pub(crate) const fn noise(self, stream: u64) -> Noise {
        Noise::new(self.seed, stream)
    }

    /// Air outside: warmest in the afternoon, some days milder than others.
    pub(crate) fn air(self, seconds: f64) -> f64 {
        let (_, hour) = day_of(seconds);
        let weather = 3.5 * self.noise(1).smooth(seconds, 1.5 * DAY) + 0.6 * self.noise(2).smooth(seconds, 1_500.0);
        9.0 + weather + 4.0 * ((hour - 9.0) / 24.0 * std::f64::consts::TAU).sin()
    }

    /// Water in the tower: pumped up before the first train, drawn by each
    /// locomotive that stops, lost by night when there is a leak.
    fn water(self, seconds: f64) -> f64 {
        let (day, hour) = day_of(seconds);
        let lost_by = |d: i64| if (6..=9).contains(&d) { 0.42 } else { 0.03 };
        let drawn: f64 = [9.6, 11.2, 12.9, 14.5, 16.2]
            .iter()
            .enumerate()
            .map(|(i, at)| {
                let place = day * 8 + i as i64;
                let late = 0.35 * self.noise(3).uniform(place);
                (0.28 + 0.08 * self.noise(4).uniform(place)) * ramp(hour, at + late, at + late + 0.07)
            })
            .sum();
        let topped_up = 0.8 * ramp(hour, 13.6, 14.3);
        let evening = 3.12 - drawn + topped_up;
        let night = lost_by(day) * ramp(hour, 18.5, 24.0) * 0.5;
        // Before the pump starts, the level is what yesterday and the night left.
        if hour < 5.5 {
            let (yesterday, _) = (day - 1, 0);
            let end = self.water(yesterday as f64 * DAY + 23.999 * HOUR);
            return end - lost_by(yesterday) * 0.5 * ramp(hour, 0.0, 5.5);
        }
        let before = if hour < 7.0 { self.water(day as f64 * DAY + 5.499 * HOUR) } else { evening };
        before + (evening - before) * ramp(hour, 5.5, 7.0) - night
    }

    /// The tower at a time in seconds since the story began.
    pub(crate) fn tower(self, seconds: f64) -> Tower {
        let place = seconds.round() as i64;
        let (day, hour) = day_of(seconds);
        let water = self.water(seconds);
        let stuck = day == 10 && (12.0..19.5).contains(&hour);
        let float = if stuck { self.water(10.0 * DAY + 12.0 * HOUR) } else { water };
        Tower {
            level: round(float + 0.003 * self.noise(5).normal(place), 3),
            pressure_level: round(water + 0.02 + 0.006 * self.noise(6).normal(place), 3),
            air: round(self.air(seconds) + 0.05 * self.noise(7).normal(place), 1),
            supply: (day >= 12).then(|| round(12.3 + 0.25 * self.noise(8).smooth(seconds, 6.0 * HOUR), 2)),
        }
    }

    /// Whether the fridge's door is open: for seconds when it is used, and once
    /// for most of an hour.
    fn door(self, seconds: f64) -> bool {
        let (day, hour) = day_of(seconds);
        if day == 11 && (14.2..15.1).contains(&hour) {
            return true;
        }
        let minute = (seconds / 60.0).floor() as i64;
        (9.5..17.5).contains(&hour) && self.noise(9).uniform(minute) < 0.05
    }

    /// The fridge at a time in seconds since the story began.
    pub(crate) fn larder(self, seconds: f64) -> Larder {
        let place = seconds.round() as i64;
        let (day, hour) = day_of(seconds);
        // The compressor runs some eight of every twenty-two minutes.
        let phase = (seconds / 1_320.0).fract();
        let cycle = if phase < 0.36 { 1.0 - 2.0 * phase / 0.36 } else { 2.0 * (phase - 0.36) / 0.64 - 1.0 };
        let opened = if day == 11 { 15.5 * ramp(hour, 14.2, 15.1) * (1.0 - ramp(hour, 15.1, 17.2)) } else { 0.0 };
        let busy = if (9.5..17.5).contains(&hour) { 0.8 } else { 0.0 };
        let temp = 38.2 + 1.6 * cycle + busy + opened + 0.08 * self.noise(10).normal(place);
        Larder { temp: round(temp, 1), door: self.door(seconds) }
    }
}

impl Railway {
    /// The tunnel at a time; `None` in the night without supply.
    pub(crate) fn tunnel(self, seconds: f64) -> Option<Tunnel> {
        let place = seconds.round() as i64;
        let (day, hour) = day_of(seconds);
        if (day == 8 && hour >= 22.4) || (day == 9 && hour < 5.2) {
            return None;
        }
        // Each train leaves smoke that the draught takes away in half an hour.
        let smoke: f64 = TRAINS
            .iter()
            .map(|at| {
                let since = (hour - at - 0.05) * HOUR;
                if since > 0.0 { (since / 120.0).min(1.0) * (-since / 700.0).exp() } else { 0.0 }
            })
            .sum();
        let co = 180.0 + 620.0 * smoke + 9.0 * self.noise(11).normal(place);
        let hum = 88.0 + 6.0 * self.noise(12).smooth(seconds, 4.0 * HOUR) - 9.0 * smoke;
        let supply = 12.6 + 0.4 * self.noise(13).smooth(seconds, 9.0 * HOUR) + 0.02 * self.noise(14).normal(place);
        Some(Tunnel { co: co.round().max(0.0), hum: round(hum.min(100.0), 1), supply: round(supply, 2) })
    }

    /// The new bay of the carriage shed.
    pub(crate) fn shed(self, seconds: f64) -> Shed {
        let place = seconds.round() as i64;
        let temp = 0.6 * self.air(seconds) + 5.0 + 0.05 * self.noise(15).normal(place);
        let hum = 71.0 - 1.2 * (temp - 9.0) + 0.4 * self.noise(16).normal(place);
        Shed { temp: round(temp, 1), hum: round(hum.clamp(0.0, 100.0), 1) }
    }

    /// The second of the viaduct that begins at a time, if something crosses:
    /// trains by day, and the inspection trolley every quarter of an hour.
    pub(crate) fn viaduct(self, seconds: f64) -> Option<Crossing> {
        let (_, hour) = day_of(seconds);
        let train = TRAINS.iter().map(|at| (hour - at) * HOUR).find(|since| (0.0..20.0).contains(since));
        let trolley = Some(seconds.rem_euclid(900.0)).filter(|since| *since < 4.0);
        let (since, long, weight) = match (train, trolley) {
            (Some(since), _) => (since, 20.0, 1.0),
            (None, Some(since)) => (since, 4.0, 0.25),
            (None, None) => return None,
        };
        let mut crossing = Crossing { accel: Vec::new(), strain: Vec::new() };
        for sample in 0..CROSSING_RATE {
            let t = since + sample as f64 / CROSSING_RATE as f64;
            let place = (seconds * CROSSING_RATE as f64) as i64 + sample as i64;
            // Heaviest in the middle; each axle strikes the joint, and it rings at 11 Hz.
            let load = weight * (std::f64::consts::PI * t / long).sin().max(0.0);
            let axle = (t * 2.4).fract() / 2.4;
            let ring = (-axle * 9.0).exp() * (std::f64::consts::TAU * 11.0 * axle).sin();
            crossing.accel.push(round(2.4 * load * ring + 0.02 * self.noise(17).normal(place), 3));
            crossing.strain.push(round(85.0 * load + 3.0 * load * ring + 0.3 * self.noise(18).normal(place), 1));
        }
        Some(crossing)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const RAILWAY: Railway = Railway::new(1);

    fn at(day: f64, hour: f64) -> f64 {
        day * DAY + hour * HOUR
    }

    #[test]
    fn the_leak_shows_by_night_in_both_sensors() {
        let fall = |day: f64| RAILWAY.tower(at(day, 18.6)).level - RAILWAY.tower(at(day + 1.0, 5.4)).level;
        let fall_seen_by_pressure =
            |day: f64| RAILWAY.tower(at(day, 18.6)).pressure_level - RAILWAY.tower(at(day + 1.0, 5.4)).pressure_level;
        assert!((0.35..0.5).contains(&fall(7.0)), "{}", fall(7.0));
        assert!((0.35..0.5).contains(&fall_seen_by_pressure(7.0)));
        assert!(fall(3.0) < 0.08, "{}", fall(3.0));
    }

    #[test]
    fn the_stuck_float_stops_agreeing() {
        let apart = |hour: f64| {
            let tower = RAILWAY.tower(at(10.0, hour));
            (tower.level - tower.pressure_level).abs()
        };
        assert!(apart(11.0) < 0.06 && apart(17.0) > 0.15, "{} {}", apart(11.0), apart(17.0));
    }

    #[test]
    fn the_open_door_warms_the_fridge() {
        assert!(RAILWAY.larder(at(11.0, 15.0)).temp > 50.0);
        assert!(RAILWAY.larder(at(11.0, 15.0)).door);
        assert!(RAILWAY.larder(at(10.0, 15.0)).temp < 42.0);
    }

    #[test]
    fn the_tunnel_is_silent_for_a_night_and_smoky_after_trains() {
        assert!(RAILWAY.tunnel(at(9.0, 2.0)).is_none());
        let co = |hour: f64| RAILWAY.tunnel(at(4.0, hour)).map_or(0.0, |tunnel| tunnel.co);
        assert!(co(10.0) > co(9.0) + 200.0, "{} {}", co(9.0), co(10.0));
    }

    #[test]
    fn a_train_shakes_the_viaduct_more_than_the_trolley() {
        let most = |seconds: f64| {
            let crossing = RAILWAY.viaduct(seconds).unwrap();
            assert_eq!(crossing.accel.len(), CROSSING_RATE);
            crossing.strain.iter().fold(0.0f64, |most, strain| most.max(*strain))
        };
        assert!(most(at(3.0, 9.9) + 10.0) > 2.0 * most(at(3.0, 8.0) + 2.0));
        assert!(RAILWAY.viaduct(at(3.0, 8.0) + 60.0).is_none());
    }

    #[test]
    fn water_never_jumps_over_midnight_and_stays_in_the_tank() {
        for minute in 0..20 * 1440 {
            let seconds = f64::from(minute) * 60.0;
            let (now, next) = (RAILWAY.water(seconds), RAILWAY.water(seconds + 60.0));
            assert!((now - next).abs() < 0.12, "minute {minute}: {now} then {next}");
            assert!((1.0..3.6).contains(&now), "minute {minute}: {now}");
        }
    }
}
