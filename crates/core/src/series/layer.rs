//! Layers: changes to a series that lie over what is sealed.

use super::{Point, Run};

/// Changes of one signal's readings: first times are cut out of what lies below,
/// then readings are put in.
#[derive(Debug, Clone, Default)]
pub struct Layer {
    cuts: Vec<(i64, i64)>,
    puts: Run,
}

impl Layer {
    /// A layer that puts readings in and cuts none out.
    #[must_use]
    pub const fn of(puts: Run) -> Self {
        Self { cuts: Vec::new(), puts }
    }

    /// A layer that cuts out everything from a time on and before another.
    #[must_use]
    pub fn cutting(from: i64, to: i64) -> Self {
        Self { cuts: vec![(from, to)], puts: Run::default() }
    }

    pub(super) const fn from_parts(cuts: Vec<(i64, i64)>, puts: Run) -> Self {
        Self { cuts, puts }
    }

    /// Whether it changes nothing.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        self.cuts.is_empty() && self.puts.is_empty()
    }

    /// The readings it puts in.
    #[must_use]
    pub const fn puts(&self) -> &Run {
        &self.puts
    }

    /// The times it cuts out: from the first of each pair on, before the second,
    /// in microseconds since 1970.
    #[must_use]
    pub fn cuts(&self) -> &[(i64, i64)] {
        &self.cuts
    }

    /// Takes in a later layer.
    pub fn add(&mut self, later: &Self) {
        for &(from, to) in &later.cuts {
            self.puts.remove(from, to);
            self.cuts.push((from, to));
        }
        self.puts.overlay(&later.puts);
    }

    /// The first and last time it has to do with, in microseconds since 1970.
    #[must_use]
    pub fn span(&self) -> Option<(i64, i64)> {
        let cuts = self.cuts.iter().filter(|(from, to)| from < to).map(|&(from, to)| (from, to - 1));
        cuts.chain(self.puts.span()).reduce(|a, b| (a.0.min(b.0), a.1.max(b.1)))
    }

    /// Whether it changes anything from a time on and before another.
    #[must_use]
    pub fn touches(&self, from: i64, to: i64) -> bool {
        self.cuts.iter().any(|&(start, end)| start < to && end > from) || !self.puts.between(from, to).is_empty()
    }

    /// What it says of one time: a reading, `Some(None)` if it cut out what was
    /// there, or nothing.
    #[must_use]
    pub fn lookup(&self, at: i64) -> Option<Option<Point>> {
        match self.puts.times().binary_search(&at) {
            Ok(index) => Some(Some(self.puts.point(index))),
            Err(_) => self.cuts.iter().any(|&(start, end)| (start..end).contains(&at)).then_some(None),
        }
    }

    /// Whether it cuts out all from the first to the last of these times.
    #[must_use]
    pub fn cuts_all(&self, first: i64, last: i64) -> bool {
        self.cuts.iter().any(|&(start, end)| start <= first && end > last)
    }

    /// What becomes of readings below it that lie from a time on and before
    /// another, with its own readings of that time.
    #[must_use]
    pub fn over(&self, below: Run, from: i64, to: i64) -> Run {
        let mut result = below;
        for &(start, end) in &self.cuts {
            result.remove(start, end);
        }
        let own = self.puts.between(from, to);
        if !own.is_empty() {
            result.overlay(&self.puts.slice(own));
        }
        result
    }

    /// The room it takes in memory, as [`Run::weight`].
    #[must_use]
    pub fn weight(&self) -> usize {
        self.puts.weight() + self.cuts.len()
    }
}

#[cfg(test)]
mod tests {
    use super::super::run::tests::any_run;
    use super::*;
    use proptest::prelude::*;
    use std::collections::BTreeMap;

    proptest! {
        /// Changes one by one to a map are the same as joined layers over a run.
        #[test]
        fn layers_join(base in any_run(0..50, 30), changes in prop::collection::vec(
            prop_oneof![any_run(0..50, 10).prop_map(Layer::of), (0i64..50, 0i64..50).prop_map(|(a, b)| Layer::cutting(a, b))], 0..8),
            split in 0usize..8) {
            let mut expected: BTreeMap<i64, _> = base.points().map(|p| (p.at.as_micros(), p)).collect();
            for change in &changes {
                for &(from, to) in change.cuts() {
                    expected.retain(|at, _| !(from..to).contains(at));
                }
                expected.extend(change.puts().points().map(|p| (p.at.as_micros(), p)));
            }
            let (mut lower, mut upper) = (Layer::default(), Layer::default());
            for (i, change) in changes.iter().enumerate() {
                if i < split { lower.add(change) } else { upper.add(change) }
            }
            let looked = |at: i64| upper.lookup(at).or_else(|| lower.lookup(at));
            for at in 0..50 {
                let below = base.points().find(|point| point.at.as_micros() == at);
                prop_assert_eq!(looked(at).unwrap_or(below), expected.get(&at).cloned());
            }
            let result = upper.over(lower.over(base, 0, 50), 0, 50);
            prop_assert_eq!(result.points().collect::<Vec<_>>(), expected.into_values().collect::<Vec<_>>());
        }
    }
}
