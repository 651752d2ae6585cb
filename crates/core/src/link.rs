//! How the messages of a device come through: sequence numbers tell which were
//! lost, which came twice, and when the device began again.

/// What a sequence number tells of the messages before it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Step {
    /// The first that was heard.
    First,
    /// A new one, after so many that did not come.
    Next {
        /// Messages that did not come, or not yet.
        lost: u32,
    },
    /// One that was taken for lost and came late.
    Late,
    /// One that came before.
    Repeated,
    /// The device began to count again.
    Restarted,
}

/// Numbers a counter may jump ahead before that is taken for a new beginning.
const MAX_LOST: u64 = 1_000;
/// How far behind the newest a number may come late or again.
const WINDOW: u64 = 8;

/// Follows the sequence numbers of one device.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Sequence {
    newest: Option<u64>,
    /// Bit n: the number n behind the newest has come.
    seen: u32,
}

impl Sequence {
    /// Takes in a number. A counter of a byte or two begins at 0 again after its
    /// largest number: `modulus` is one more than that, 0 for a counter that never
    /// does.
    pub fn note(&mut self, number: u64, modulus: u64) -> Step {
        let Some(newest) = self.newest else { return self.begin(number, Step::First) };
        let distance = |from: u64, to: u64| match modulus {
            0 => to.checked_sub(from),
            modulus => Some((to % modulus + modulus - from % modulus) % modulus),
        };
        let window = if modulus == 0 { WINDOW } else { WINDOW.min(modulus / 4) };
        let furthest = if modulus == 0 { MAX_LOST } else { MAX_LOST.min(modulus.saturating_sub(window + 1)) };
        match (distance(newest, number), distance(number, newest)) {
            (Some(0), _) => Step::Repeated,
            (_, Some(behind)) if behind <= window => {
                let bit = 1 << behind;
                let step = if self.seen & bit == 0 { Step::Late } else { Step::Repeated };
                self.seen |= bit;
                step
            }
            (Some(ahead), _) if ahead <= furthest => {
                self.seen = if ahead < 32 { self.seen << ahead | 1 } else { 1 };
                self.newest = Some(number);
                Step::Next { lost: u32::try_from(ahead - 1).unwrap_or(u32::MAX) }
            }
            _ => self.begin(number, Step::Restarted),
        }
    }

    fn begin(&mut self, number: u64, step: Step) -> Step {
        self.newest = Some(number);
        // What lies before the beginning is not missing.
        self.seen = u32::MAX;
        step
    }
}

/// How many messages of a device came through, over some time.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct LinkCounts {
    /// Messages that came, each counted once.
    pub received: u64,
    /// Messages that did not come.
    pub lost: u64,
    /// Messages that came again.
    pub repeated: u64,
    /// How often the device began to count again.
    pub restarted: u64,
}

impl LinkCounts {
    /// Counts what a sequence number told.
    pub fn count(&mut self, step: Step) {
        match step {
            Step::First => self.received += 1,
            Step::Next { lost } => {
                self.received += 1;
                self.lost += u64::from(lost);
            }
            Step::Late => {
                self.received += 1;
                self.lost = self.lost.saturating_sub(1);
            }
            Step::Repeated => self.repeated += 1,
            Step::Restarted => {
                self.received += 1;
                self.restarted += 1;
            }
        }
    }

    /// Adds the counts of another time.
    pub fn add(&mut self, other: Self) {
        self.received += other.received;
        self.lost += other.lost;
        self.repeated += other.repeated;
        self.restarted += other.restarted;
    }

    /// Of the messages that were sent, the part that came: 0 to 1. `None` if none
    /// was sent as far as is known.
    #[must_use]
    pub fn delivery_ratio(&self) -> Option<f64> {
        let sent = self.received + self.lost;
        (sent > 0).then(|| self.received as f64 / sent as f64)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn counts(numbers: &[u64], modulus: u64) -> LinkCounts {
        let mut sequence = Sequence::default();
        let mut counts = LinkCounts::default();
        numbers.iter().for_each(|number| counts.count(sequence.note(*number, modulus)));
        counts
    }

    #[test]
    fn losses_repeats_and_restarts_are_told_apart() {
        for (numbers, modulus, received, lost, repeated, restarted) in [
            (vec![7, 8, 9], 0, 3, 0, 0, 0),
            (vec![7, 9, 10], 0, 3, 1, 0, 0),
            (vec![7, 8, 8, 8], 0, 2, 0, 2, 0),
            (vec![7, 9, 8], 0, 3, 0, 0, 0),
            (vec![7, 9, 8, 8], 0, 3, 0, 1, 0),
            (vec![254, 255, 0, 1], 256, 4, 0, 0, 0),
            (vec![254, 1], 256, 2, 2, 0, 0),
            (vec![500, 0, 1], 0, 3, 0, 0, 1),
            (vec![500, 5_000], 0, 2, 0, 0, 1),
            (vec![10, 2], 16, 2, 7, 0, 0),
        ] {
            let expected = LinkCounts { received, lost, repeated, restarted };
            assert_eq!(counts(&numbers, modulus), expected, "{numbers:?} modulo {modulus}");
        }
        assert_eq!(counts(&[7, 9, 10], 0).delivery_ratio(), Some(0.75));
        assert_eq!(LinkCounts::default().delivery_ratio(), None);
    }

    proptest! {
        #[test]
        fn each_message_counts_once_whatever_the_radio_does(
            start in 0_u64..70_000,
            kept in prop::collection::vec(prop::sample::select(vec![0_u8, 1, 1, 1, 2]), 2..200),
        ) {
            // 0: lost, 1: came, 2: came twice. The first and last come, so that losses show.
            let mut kept = kept;
            let last = kept.len() - 1;
            (kept[0], kept[last]) = (1, 1);
            let numbers: Vec<u64> = kept.iter().enumerate()
                .flat_map(|(place, times)| std::iter::repeat_n((start + place as u64) % 65_536, (*times).into()))
                .collect();
            let found = counts(&numbers, 65_536);
            prop_assert_eq!(found.received, kept.iter().filter(|times| **times > 0).count() as u64);
            prop_assert_eq!(found.lost, kept.iter().filter(|times| **times == 0).count() as u64);
            prop_assert_eq!(found.repeated, kept.iter().filter(|times| **times == 2).count() as u64);
            prop_assert_eq!(found.restarted, 0);
        }
    }
}
