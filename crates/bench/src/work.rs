//! The readings that are measured with: a million, of 200 signals on 8 devices,
//! in deliveries of a thousand.

use std::fmt::Write;

/// Devices, each with a connection of its own.
pub(crate) const DEVICES: usize = 8;
/// Signals of a device.
pub(crate) const SIGNALS: usize = 25;
/// Times in one delivery, so that it holds a thousand readings.
pub(crate) const TIMES: usize = 40;
/// Deliveries of one device.
pub(crate) const DELIVERIES: usize = 125;
/// All readings.
pub(crate) const READINGS: usize = DEVICES * SIGNALS * TIMES * DELIVERIES;

/// 2026-05-01T00:00:00Z in seconds.
const BEGIN_S: i64 = 1_777_593_600;

/// Time of a reading in seconds, one each ten seconds.
pub(crate) fn at_s(delivery: usize, time: usize) -> i64 {
    BEGIN_S + 10 * (delivery * TIMES + time) as i64
}

/// Value of a reading: slow waves to one decimal.
pub(crate) fn value(device: usize, signal: usize, at_s: i64) -> f64 {
    let phase = (at_s - BEGIN_S) as f64 / 900.0 + (device * SIGNALS + signal) as f64;
    (200.0 + 50.0 * phase.sin()).round() / 10.0
}

/// Code of a signal.
pub(crate) fn code(signal: usize) -> String {
    format!("s{signal}")
}

/// A delivery as JSON.
pub(crate) fn body(device: usize, delivery: usize) -> String {
    let mut body = String::from("[");
    for time in 0..TIMES {
        let at = at_s(delivery, time);
        let comma = if time == 0 { "" } else { "," };
        let _ = write!(body, "{comma}{{\"at\":{at}");
        for signal in 0..SIGNALS {
            let _ = write!(body, ",\"s{signal}\":{}", value(device, signal, at));
        }
        body.push('}');
    }
    body.push(']');
    body
}
