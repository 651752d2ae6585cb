//! Times in a zone, written quickly one after another.

use jiff::tz::TimeZone;
use jiff::{SignedDuration, Timestamp};
use lantern_core::Moment;
use std::io::Write;

const MINUTE: i64 = 60_000_000;

/// Writes times as RFC 3339 in a zone. Most are in the same minute as the one
/// before, and only what is new in them is worked out again.
pub(super) struct ZonedTimes {
    zone: TimeZone,
    /// The minute whose beginning is written in `prefix`, and its end, in
    /// microseconds since 1970.
    minute: std::ops::Range<i64>,
    prefix: Vec<u8>,
    offset: Vec<u8>,
}

impl ZonedTimes {
    pub(super) const fn new(zone: TimeZone) -> Self {
        Self { zone, minute: 0..0, prefix: Vec::new(), offset: Vec::new() }
    }

    /// Appends a time, with as many decimals as it needs.
    pub(super) fn write(&mut self, buffer: &mut Vec<u8>, at: Moment) {
        let micros = at.as_micros();
        if !self.minute.contains(&micros) {
            self.turn(at.to_timestamp(), micros);
        }
        let inside = (micros - self.minute.start).unsigned_abs();
        let (second, rest) = (inside / 1_000_000, inside % 1_000_000);
        buffer.extend_from_slice(&self.prefix);
        buffer.extend_from_slice(&[b'0' + (second / 10) as u8, b'0' + (second % 10) as u8]);
        if rest > 0 {
            buffer.push(b'.');
            let mut left = rest;
            let mut place = 100_000;
            while left > 0 {
                buffer.push(b'0' + (left / place) as u8);
                left %= place;
                place /= 10;
            }
        }
        buffer.extend_from_slice(&self.offset);
    }

    fn turn(&mut self, at: Timestamp, micros: i64) {
        let zoned = at.to_zoned(self.zone.clone());
        let into_minute = i64::from(zoned.second()) * 1_000_000 + micros.rem_euclid(1_000_000);
        let start = micros - into_minute;
        self.prefix.clear();
        self.offset.clear();
        // Writing into memory does not fail.
        let _ = write!(self.prefix, "{}", zoned.strftime("%Y-%m-%dT%H:%M:"));
        let _ = write!(self.offset, "{}", zoned.strftime("%:z"));
        // Zones of long ago changed in the middle of a minute.
        let end = zoned.timestamp().saturating_add(SignedDuration::from_mins(1)).ok();
        let is_steady = end.is_some_and(|end| self.zone.to_offset(end) == zoned.offset())
            && Timestamp::from_microsecond(start).is_ok_and(|start| self.zone.to_offset(start) == zoned.offset());
        self.minute = if is_steady { start..start + MINUTE } else { start..micros + 1 };
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_same_as_one_by_one() {
        let zones = ["Europe/London", "Asia/Kathmandu", "UTC", "Africa/Monrovia"];
        for zone in zones.map(|name| TimeZone::get(name).unwrap()) {
            // Around a change of clocks, before 1970, and Monrovia's odd seconds of 1972.
            for start in [1_774_746_000_000_000_i64, -86_400_123_456, 63_593_070_000_000 - 3_000_000] {
                let mut times = ZonedTimes::new(zone.clone());
                for step in [0, 1, 999_999, 1_500_000, 7_250_000, 60_000_000, 3_600_000_000, 10] {
                    let at = Moment::from_micros(start + step).unwrap();
                    let mut written = Vec::new();
                    times.write(&mut written, at);
                    let expected = at.to_timestamp().to_zoned(zone.clone()).strftime("%Y-%m-%dT%H:%M:%S%.f%:z");
                    assert_eq!(String::from_utf8(written).unwrap(), expected.to_string());
                }
            }
        }
    }
}
