//! Deliveries sorted by signal, before the recorder gets them.
//!
//! The recorder is one task for all. Whoever delivers sorts and encodes its own
//! readings, so that many do it at once and the recorder has little left to do.

use lantern_core::series::{EncodedLayer, Layer, Run};
use lantern_core::{Reading, SignalId};

/// The readings of one signal in a delivery.
pub(crate) struct Lot {
    pub(crate) signal: SignalId,
    /// Places in the delivery in order of time; those of one time as they came.
    pub(crate) places: Vec<u32>,
    /// What is recorded if all of them are new, which they mostly are; nothing if
    /// several are of one time, or so many that they become segments at once.
    pub(crate) if_new: Option<Encoded>,
}

/// A layer, and how it is written.
pub(crate) struct Encoded {
    pub(crate) layer: Layer,
    pub(crate) bytes: EncodedLayer,
}

impl Encoded {
    pub(crate) fn of(signal: SignalId, layer: Layer) -> Self {
        Self { bytes: EncodedLayer::of(signal, &layer), layer }
    }
}

/// Sorts a delivery. `burst` readings of a signal become segments at once.
pub(crate) fn sort(readings: &[Reading], burst: usize) -> Vec<Lot> {
    let keys = readings.iter().zip(0u32..).map(|(reading, place)| (reading.signal.0, reading.at.as_micros(), place));
    let mut keys: Vec<(i64, i64, u32)> = keys.collect();
    keys.sort_unstable();
    keys.chunk_by(|a, b| a.0 == b.0).map(|keys| lot(readings, keys, burst)).collect()
}

fn lot(readings: &[Reading], keys: &[(i64, i64, u32)], burst: usize) -> Lot {
    let signal = SignalId(keys[0].0);
    let is_plain = keys.len() < burst && keys.windows(2).all(|pair| pair[0].1 < pair[1].1);
    let if_new = is_plain.then(|| {
        let run: Run = keys.iter().map(|(_, _, place)| readings[*place as usize].point()).collect();
        Encoded::of(signal, Layer::of(run))
    });
    Lot { signal, places: keys.iter().map(|(_, _, place)| *place).collect(), if_new }
}

#[cfg(test)]
mod tests {
    use super::*;
    use lantern_core::{Moment, Value};

    fn reading(signal: i64, second: i64) -> Reading {
        let at = Moment::from_micros(second * 1_000_000).unwrap();
        Reading::good(SignalId(signal), at, Value::Number(second as f64))
    }

    #[test]
    fn a_delivery_is_sorted_by_signal_and_time() {
        let lots = sort(&[reading(2, 9), reading(1, 4), reading(2, 3), reading(1, 5)], 9);
        let places: Vec<(i64, &[u32])> = lots.iter().map(|lot| (lot.signal.0, &lot.places[..])).collect();
        assert_eq!(places, [(1, &[1, 3][..]), (2, &[2, 0][..])]);
        let made = lots[1].if_new.as_ref().unwrap();
        assert_eq!(made.layer.puts().times(), [3_000_000, 9_000_000]);
        assert_eq!(made.bytes, EncodedLayer::of(SignalId(2), &made.layer));
    }

    #[test]
    fn of_two_of_one_time_the_recorder_decides() {
        let lots = sort(&[reading(1, 4), reading(1, 4), reading(2, 4)], 9);
        assert!(lots[0].if_new.is_none());
        assert_eq!(lots[0].places, [0, 1], "the last to come holds");
        assert!(lots[1].if_new.is_some());
        assert!(sort(&[reading(1, 4), reading(1, 5)], 2)[0].if_new.is_none(), "a burst");
    }
}
