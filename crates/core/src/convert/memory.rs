//! What steps remember from value to value.

use serde::{Deserialize, Serialize};
use std::collections::VecDeque;

/// What stateful steps remember, by place. Kept beside the signal, so that it
/// survives restarts.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
pub struct Memory(Vec<Remembered>);

#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
pub(super) struct Remembered {
    /// Time of the last value, microseconds since 1970.
    pub(super) at: Option<i64>,
    /// The last value, or the last count.
    pub(super) last: f64,
    /// All that was counted.
    pub(super) total: f64,
    /// The last values, for a median.
    pub(super) window: VecDeque<f64>,
}

impl Memory {
    pub(super) fn of(&mut self, place: usize) -> &mut Remembered {
        if self.0.len() <= place {
            self.0.resize(place + 1, Remembered::default());
        }
        &mut self.0[place]
    }
}
