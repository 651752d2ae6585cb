//! What depends on what among the signals of one site.

use super::Checked;
use crate::SignalId;
use std::collections::{HashMap, HashSet};
use std::sync::Arc;

/// A signal's checked meaning, bound to the signals it needs.
#[derive(Debug)]
pub struct SignalMeaning {
    /// The signal whose values it makes.
    pub signal: SignalId,
    /// The meaning.
    pub checked: Checked,
    /// The signals of [`Checked::needs`], by place.
    pub needs: Vec<SignalId>,
    /// The signals of [`Derivation::inputs`](super::Derivation::inputs), by place.
    pub inputs: Vec<SignalId>,
}

impl SignalMeaning {
    /// The signals that have to be converted and screened before this one.
    fn before(&self) -> impl Iterator<Item = SignalId> + '_ {
        self.depends_on()
    }

    /// All signals it depends on.
    pub fn depends_on(&self) -> impl Iterator<Item = SignalId> + '_ {
        self.needs.iter().chain(&self.inputs).copied()
    }
}

/// The meanings of a site's signals, and the order in which they need each other.
#[derive(Debug, Default)]
pub struct SiteMeanings {
    meanings: HashMap<SignalId, Arc<SignalMeaning>>,
    broken: HashSet<SignalId>,
    /// Derived signals by the signals they are worked out from.
    derived: HashMap<SignalId, Vec<SignalId>>,
    ranks: HashMap<SignalId, usize>,
}

/// The meanings go round in a circle through this signal.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
#[error("the meaning of signal {} needs, by others, itself", .0.0)]
pub struct Circle(pub SignalId);

impl SiteMeanings {
    /// Puts meanings in order. `broken` are signals whose meaning does not hold: what they
    /// are sent cannot be converted.
    ///
    /// # Errors
    /// [`Circle`] if a meaning needs itself, directly or by others.
    pub fn new(meanings: Vec<SignalMeaning>, broken: HashSet<SignalId>) -> Result<Self, Circle> {
        let meanings: HashMap<SignalId, Arc<SignalMeaning>> =
            meanings.into_iter().map(|meaning| (meaning.signal, Arc::new(meaning))).collect();
        let mut derived: HashMap<SignalId, Vec<SignalId>> = HashMap::new();
        for meaning in meanings.values() {
            for input in &meaning.inputs {
                derived.entry(*input).or_default().push(meaning.signal);
            }
        }
        let ranks = ranks(&meanings)?;
        Ok(Self { meanings, broken, derived, ranks })
    }

    /// None of these holds: what the signals are sent is kept and rejected.
    #[must_use]
    pub fn all_broken(signals: impl IntoIterator<Item = SignalId>) -> Self {
        Self { broken: signals.into_iter().collect(), ..Self::default() }
    }

    /// Whether every signal of the site is kept as it is sent.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        self.len() == 0
    }

    /// How many signals have a meaning, those whose meaning does not hold included.
    #[must_use]
    pub fn len(&self) -> usize {
        self.meanings.len() + self.broken.len()
    }

    /// The meaning of a signal; `None` if its values are as they are sent.
    #[must_use]
    pub fn get(&self, signal: SignalId) -> Option<&Arc<SignalMeaning>> {
        self.meanings.get(&signal)
    }

    /// Whether the meaning of a signal does not hold.
    #[must_use]
    pub fn is_broken(&self, signal: SignalId) -> bool {
        self.broken.contains(&signal)
    }

    /// Derived signals that are worked out from a signal.
    #[must_use]
    pub fn derived_from(&self, signal: SignalId) -> &[SignalId] {
        self.derived.get(&signal).map_or(&[], Vec::as_slice)
    }

    /// How many steps a signal comes after those that need nothing: what needs others has
    /// a higher rank than they.
    #[must_use]
    pub fn rank(&self, signal: SignalId) -> usize {
        self.ranks.get(&signal).copied().unwrap_or(0)
    }

    /// Whether a new meaning would need, directly or by others, the signal it is of.
    #[must_use]
    pub fn goes_round(&self, new: &SignalMeaning) -> bool {
        let mut ahead: Vec<SignalId> = new.before().collect();
        let mut seen = HashSet::new();
        while let Some(signal) = ahead.pop() {
            if signal == new.signal {
                return true;
            }
            if seen.insert(signal) {
                ahead.extend(self.meanings.get(&signal).iter().flat_map(|meaning| meaning.before()));
            }
        }
        false
    }

    /// All signals whose values depend on a signal's, each after those it needs: the order
    /// in which to make them again.
    #[must_use]
    pub fn dependents(&self, signal: SignalId) -> Vec<Arc<SignalMeaning>> {
        let mut touched = HashSet::from([signal]);
        let mut ordered: Vec<_> = self.meanings.values().collect();
        ordered.sort_by_key(|meaning| (self.rank(meaning.signal), meaning.signal));
        let mut found = Vec::new();
        for meaning in ordered {
            if meaning.signal != signal && meaning.depends_on().any(|other| touched.contains(&other)) {
                touched.insert(meaning.signal);
                found.push(meaning.clone());
            }
        }
        found
    }
}

fn ranks(meanings: &HashMap<SignalId, Arc<SignalMeaning>>) -> Result<HashMap<SignalId, usize>, Circle> {
    let mut ranks = HashMap::new();
    let mut left: Vec<&Arc<SignalMeaning>> = meanings.values().collect();
    while !left.is_empty() {
        let before = left.len();
        left.retain(|meaning| {
            let mut rank = 0;
            for other in meaning.before() {
                match (ranks.get(&other), meanings.contains_key(&other)) {
                    (Some(known), _) => rank = rank.max(known + 1),
                    (None, true) => return true,
                    (None, false) => rank = rank.max(1),
                }
            }
            ranks.insert(meaning.signal, rank);
            false
        });
        if left.len() == before {
            let first = left.iter().map(|meaning| meaning.signal).min();
            return Err(Circle(first.unwrap_or(SignalId(0))));
        }
    }
    Ok(ranks)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::ValueType;
    use crate::formula::SignalType;
    use crate::meaning::{Derivation, Meaning};
    use proptest::prelude::*;

    /// `derived(3, &[1, 2])`: signal 3 is the sum of signals 1 and 2.
    fn derived(signal: i64, inputs: &[i64]) -> SignalMeaning {
        let formula = inputs.iter().map(|input| format!("s{input}")).collect::<Vec<_>>().join(" + ");
        let meaning = Meaning { formula: Some(formula), ..Meaning::default() };
        let any = |_: &str| Some(SignalType { unit: None, value_type: ValueType::Number });
        let checked = Checked::new(&meaning, ValueType::Number, None, &any).unwrap();
        let number = |name: &str| SignalId(name[1..].parse().unwrap());
        let inputs = Derivation::new(&checked).unwrap().inputs().map(number).collect();
        let needs = checked.needs().iter().map(|need| number(&need.signal)).collect();
        SignalMeaning { signal: SignalId(signal), checked, needs, inputs }
    }

    fn site(edges: &[(i64, &[i64])]) -> Result<SiteMeanings, Circle> {
        let meanings = edges.iter().map(|(signal, inputs)| derived(*signal, inputs)).collect();
        SiteMeanings::new(meanings, HashSet::new())
    }

    fn dependents(site: &SiteMeanings, signal: i64) -> Vec<i64> {
        site.dependents(SignalId(signal)).iter().map(|meaning| meaning.signal.0).collect()
    }

    #[test]
    fn what_needs_others_ranks_after_them() {
        let site = site(&[(3, &[1, 2]), (4, &[3]), (5, &[4, 1])]).unwrap();
        assert_eq!([1, 2, 3, 4, 5].map(|signal| site.rank(SignalId(signal))), [0, 0, 1, 2, 3]);
        assert_eq!(site.derived_from(SignalId(1)).len(), 2);
        assert!(site.derived_from(SignalId(5)).is_empty());
        assert_eq!(site.len(), 3);
    }

    #[test]
    fn all_that_depends_on_a_signal_is_found_in_order() {
        let site = site(&[(5, &[4]), (4, &[3]), (3, &[1]), (6, &[2])]).unwrap();
        assert_eq!(dependents(&site, 1), [3, 4, 5]);
        assert_eq!(dependents(&site, 4), [5]);
        assert_eq!(dependents(&site, 2), [6]);
        assert!(dependents(&site, 5).is_empty());
    }

    #[test]
    fn circles_are_found_however_long() {
        assert_eq!(site(&[(1, &[1])]).unwrap_err(), Circle(SignalId(1)));
        assert_eq!(site(&[(1, &[2]), (2, &[3]), (3, &[1]), (4, &[9])]).unwrap_err(), Circle(SignalId(1)));
        let open = site(&[(2, &[1]), (3, &[2])]).unwrap();
        for (signal, inputs, expected) in
            [(1, &[3][..], true), (1, &[2], true), (1, &[9], false), (4, &[3], false), (3, &[1], false)]
        {
            assert_eq!(open.goes_round(&derived(signal, inputs)), expected, "{signal} from {inputs:?}");
        }
    }

    #[test]
    fn a_meaning_that_does_not_hold_is_counted_and_named() {
        let site = SiteMeanings::all_broken([SignalId(7)]);
        assert!(site.is_broken(SignalId(7)) && !site.is_broken(SignalId(8)));
        assert!(!site.is_empty() && site.get(SignalId(7)).is_none());
    }

    proptest! {
        /// Where every signal needs only those with smaller numbers, nothing goes round, and
        /// ranks and dependents keep to the edges.
        #[test]
        fn order_keeps_to_the_edges(
            inputs in prop::collection::vec(prop::collection::btree_set(0i64..12, 1..4), 1..12)
        ) {
            let edges: Vec<(i64, Vec<i64>)> = inputs
                .iter()
                .enumerate()
                .map(|(place, inputs)| {
                    let signal = place as i64 + 12;
                    (signal, inputs.iter().map(|input| (input + place as i64).min(signal - 1)).collect())
                })
                .collect();
            let meanings = edges.iter().map(|(signal, inputs)| derived(*signal, inputs)).collect();
            let site = SiteMeanings::new(meanings, HashSet::new()).unwrap();
            for (signal, inputs) in &edges {
                for input in inputs {
                    prop_assert!(site.rank(SignalId(*signal)) > site.rank(SignalId(*input)));
                    prop_assert!(dependents(&site, *input).contains(signal));
                }
            }
            let all = dependents(&site, edges[0].1[0]);
            for (place, signal) in all.iter().enumerate() {
                let needs = &edges.iter().find(|(known, _)| known == signal).unwrap().1;
                for later in &all[place..] {
                    prop_assert!(!needs.contains(later));
                }
            }
        }
    }
}
