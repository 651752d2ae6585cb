//! Times in a zone, written quickly one after another.

use jiff::tz::TimeZone;
use jiff::{SignedDuration, Timestamp};
use lantern_core::Moment;
use std::io::Write;

const MINUTE: i64 = 60_000_000;

/// Writes times in a zone. Most are in the same minute as the one
/// before, and only what is new in them is worked out again.
pub(super) struct ZonedTimes {
    zone: TimeZone,
    /// The minute whose beginning is written in `prefix`, and its end, in
    /// microseconds since 1970.
    minute: std::ops::Range<i64>,
    prefix: Vec<u8>,
    offset: Vec<u8>,
    written: Written,
}

/// How times are written.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Written {
    /// As RFC 3339 says, with the offset from UTC: one moment each.
    Rfc3339,
    /// As spreadsheets read them: date and time of day, without an offset, which
    /// they do not understand. Where clocks are put back, two moments are written alike.
    Spreadsheet,
}

impl ZonedTimes {
    pub(super) const fn new(zone: TimeZone, written: Written) -> Self {
        Self { zone, minute: 0..0, prefix: Vec::new(), offset: Vec::new(), written }
    }

    /// What stands above them: the zone, where they do not tell it themselves.
    pub(super) fn heading(&self) -> String {
        match (self.written, self.zone.iana_name()) {
            (Written::Spreadsheet, Some(zone)) => format!("time ({zone})"),
            _ => "time".to_owned(),
        }
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
        match self.written {
            Written::Rfc3339 => {
                let _ = write!(self.prefix, "{}", zoned.strftime("%Y-%m-%dT%H:%M:"));
                let _ = write!(self.offset, "{}", zoned.strftime("%:z"));
            }
            Written::Spreadsheet => {
                let _ = write!(self.prefix, "{}", zoned.strftime("%Y-%m-%d %H:%M:"));
            }
        }
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
    fn spreadsheets_read_the_clock_of_the_zone() {
        let mut times = ZonedTimes::new(TimeZone::get("Europe/London").unwrap(), Written::Spreadsheet);
        let mut written = Vec::new();
        for at in ["2026-07-01T23:59:59Z", "2026-07-01T23:59:59.25Z", "2026-12-01T00:00:00Z"] {
            times.write(&mut written, Moment::parse(at).unwrap());
            written.push(b'|');
        }
        let expected = "2026-07-02 00:59:59|2026-07-02 00:59:59.25|2026-12-01 00:00:00|";
        assert_eq!(String::from_utf8(written).unwrap(), expected);
        assert_eq!(times.heading(), "time (Europe/London)");
    }

    #[test]
    fn the_same_as_one_by_one() {
        let zones = ["Europe/London", "Asia/Kathmandu", "UTC", "Africa/Monrovia"];
        for zone in zones.map(|name| TimeZone::get(name).unwrap()) {
            // Around a change of clocks, before 1970, and Monrovia's odd seconds of 1972.
            for start in [1_774_746_000_000_000_i64, -86_400_123_456, 63_593_070_000_000 - 3_000_000] {
                let mut times = ZonedTimes::new(zone.clone(), Written::Rfc3339);
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
