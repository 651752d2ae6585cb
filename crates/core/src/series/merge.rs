//! Telling new readings from repeated and corrected ones.

use crate::Moment;

/// What an incoming reading means beside those already kept.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Fate {
    /// No reading had this time.
    New,
    /// A reading with this time and value was there: nothing changes.
    Repeated,
    /// A reading with this time and another value was there: it is replaced,
    /// and the old value is kept as a correction.
    Corrected,
}

/// The changes that take in a batch of one signal's readings.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Merge<V> {
    /// One for each incoming reading, in the same order.
    pub fates: Vec<Fate>,
    /// Readings to add, in order of time, each time once.
    pub inserts: Vec<(Moment, V)>,
    /// Kept readings to replace, in order of time, with their new values.
    pub updates: Vec<(Moment, V)>,
    /// Values that were replaced, in the order of replacement.
    pub replaced: Vec<(Moment, V)>,
}

/// Takes in `incoming` readings of one signal (sorted by time; those of one time
/// in the order they came), beside the `kept` ones with the same times (sorted by
/// time, each time once; others may be among them).
#[must_use]
pub fn merge<V: PartialEq + Copy>(kept: &[(Moment, V)], incoming: &[(Moment, V)]) -> Merge<V> {
    let mut merged = Merge {
        fates: Vec::with_capacity(incoming.len()),
        inserts: Vec::with_capacity(incoming.len()),
        updates: Vec::new(),
        replaced: Vec::new(),
    };
    let mut kept = kept.iter().peekable();
    for same_time in incoming.chunk_by(|a, b| a.0 == b.0) {
        let at = same_time[0].0;
        while kept.next_if(|(old_at, _)| *old_at < at).is_some() {}
        let before = kept.next_if(|(old_at, _)| *old_at == at).map(|(_, old)| *old);
        let mut current = before;
        for &(_, value) in same_time {
            merged.fates.push(match current {
                None => Fate::New,
                Some(old) if old == value => Fate::Repeated,
                Some(old) => {
                    merged.replaced.push((at, old));
                    Fate::Corrected
                }
            });
            current = Some(value);
        }
        match (before, current) {
            (None, Some(value)) => merged.inserts.push((at, value)),
            (Some(old), Some(value)) if old != value => merged.updates.push((at, value)),
            _ => {}
        }
    }
    merged
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use std::collections::BTreeMap;

    fn moments(list: &[(i64, u8)]) -> Vec<(Moment, u8)> {
        list.iter().map(|&(at, v)| (Moment::from_micros(at).unwrap(), v)).collect()
    }

    #[test]
    fn tells_the_three_apart() {
        let merged = merge(&moments(&[(1, 10), (2, 20)]), &moments(&[(1, 10), (2, 21), (3, 30), (4, 1), (4, 2)]));
        use Fate::{Corrected, New, Repeated};
        assert_eq!(merged.fates, [Repeated, Corrected, New, New, Corrected]);
        assert_eq!(merged.inserts, moments(&[(3, 30), (4, 2)]));
        assert_eq!(merged.updates, moments(&[(2, 21)]));
        assert_eq!(merged.replaced, moments(&[(2, 20), (4, 1)]));
    }

    proptest! {
        #[test]
        fn agrees_with_a_map(kept in prop::collection::btree_map(0i64..30, 0u8..3, 0..20),
                             mut incoming in prop::collection::vec((0i64..30, 0u8..3), 0..40)) {
            incoming.sort_by_key(|(at, _)| *at);
            let rows: Vec<_> = kept.iter().map(|(&at, &v)| (at, v)).collect();
            let merged = merge(&moments(&rows), &moments(&incoming));

            let mut model = kept.clone();
            for (&(at, v), fate) in incoming.iter().zip(&merged.fates) {
                let expected = match model.insert(at, v) {
                    None => Fate::New,
                    Some(old) if old == v => Fate::Repeated,
                    Some(_) => Fate::Corrected,
                };
                prop_assert_eq!(*fate, expected);
            }
            let mut result: BTreeMap<i64, u8> = kept;
            for (at, v) in &merged.inserts {
                prop_assert!(result.insert(at.as_micros(), *v).is_none(), "inserted over a kept reading");
            }
            for (at, v) in &merged.updates {
                prop_assert!(result.insert(at.as_micros(), *v).is_some(), "updated a missing reading");
            }
            prop_assert_eq!(result, model);
        }
    }
}
