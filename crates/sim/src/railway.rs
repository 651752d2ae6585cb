//! What there is to measure on the railway, as functions of time.
//!
//! A day of the story begins at midnight of the site. Fourteen days lie behind
//! when the demo starts, and the story goes on from there:
//!
//! - nights 6 to 9: a slow leak at the water tower, which both sensors see;
//! - day 10, noon to evening: the float sticks, and they stop agreeing;
//! - day 11, afternoon: the door of the fridge is left open;
//! - from day 12 on: new firmware at the tower sends its supply voltage, which
//!   nobody has declared.

use crate::noise::Noise;

const HOUR: f64 = 3_600.0;
const DAY: f64 = 24.0 * HOUR;

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

fn day_of(seconds: f64) -> (i64, f64) {
    let day = (seconds / DAY).floor();
    (day as i64, (seconds - day * DAY) / HOUR)
}

fn round(value: f64, decimals: i32) -> f64 {
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

    const fn noise(self, stream: u64) -> Noise {
        Noise::new(self.seed, stream)
    }

    /// Air outside: warmest in the afternoon, some days milder than others.
    fn air(self, seconds: f64) -> f64 {
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
    fn water_never_jumps_over_midnight_and_stays_in_the_tank() {
        for minute in 0..20 * 1440 {
            let seconds = f64::from(minute) * 60.0;
            let (now, next) = (RAILWAY.water(seconds), RAILWAY.water(seconds + 60.0));
            assert!((now - next).abs() < 0.12, "minute {minute}: {now} then {next}");
            assert!((1.0..3.6).contains(&now), "minute {minute}: {now}");
        }
    }
}
