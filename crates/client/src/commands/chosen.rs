//! Which signals are followed, and their lines.

use crate::show;
use crate::time;
use jiff::tz::TimeZone;
use lantern_api::{DeviceNow, LiveReading};

/// What was asked for on the command line; nothing means everything.
pub(super) struct Chosen(pub(super) Vec<String>);

impl Chosen {
    /// Whether a signal was asked for.
    pub(super) fn has(&self, device: &str, signal: &str) -> bool {
        self.0.is_empty()
            || self.0.iter().any(|what| match what.split_once('/') {
                Some((d, s)) => d == device && s == signal,
                None => what == device,
            })
    }

    /// The devices and signals that were asked for.
    pub(super) fn of(&self, devices: Vec<DeviceNow>) -> Vec<DeviceNow> {
        let keep = |mut device: DeviceNow| {
            let code = device.device.clone();
            device.signals.retain(|s| self.has(&code, &s.signal));
            device
        };
        devices.into_iter().map(keep).filter(|d| !d.signals.is_empty()).collect()
    }
}

/// A reading as a line of text, with its time in a zone.
pub(super) fn line(reading: &LiveReading, symbol: &str, zone: &TimeZone) -> String {
    let at = time::with_offset(&reading.at, zone);
    let line = format!("{at} {}/{} {} {symbol}", reading.device, reading.signal, show::plain(&reading.value));
    line.trim_end().to_owned()
}
