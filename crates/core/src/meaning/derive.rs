//! Working a derived signal out, value by value.

use super::{Checked, History};
use crate::Micros;
use crate::formula::{Formula, Reference, Span};

/// A formula at work: takes in the values of its inputs in order of time, and says
/// what it comes to then.
pub struct Derivation<'a> {
    formula: &'a Formula,
    within: i64,
    /// Each signal it refers to, once.
    inputs: Vec<(String, History)>,
    /// For each reference its input.
    places: Vec<usize>,
    values: Vec<f64>,
}

impl<'a> Derivation<'a> {
    /// Of a meaning that has a formula.
    #[must_use]
    pub fn new(meaning: &'a Checked) -> Option<Self> {
        let formula = meaning.formula()?;
        let mut inputs: Vec<(String, i64)> = Vec::new();
        let mut places = Vec::new();
        for reference in formula.references() {
            let keeps = looks_back(reference);
            let place = inputs.iter().position(|(signal, _)| *signal == reference.signal).unwrap_or_else(|| {
                inputs.push((reference.signal.clone(), 0));
                inputs.len() - 1
            });
            inputs[place].1 = inputs[place].1.max(keeps);
            places.push(place);
        }
        let values = vec![f64::NAN; places.len()];
        let inputs = inputs.into_iter().map(|(signal, keeps)| (signal, History::keeping(Micros(keeps)))).collect();
        Some(Self { formula, within: meaning.within().0, inputs, places, values })
    }

    /// The signals it takes, by place.
    pub fn inputs(&self) -> impl Iterator<Item = &str> {
        self.inputs.iter().map(|(signal, _)| signal.as_str())
    }

    /// How far back before a time inputs have to be known to work it out.
    #[must_use]
    pub fn looks_back(&self) -> Micros {
        Micros(self.formula.references().iter().map(looks_back).fold(self.within, i64::max))
    }

    /// Whether it looks at values before the last, however old.
    #[must_use]
    pub fn looks_at_previous(&self) -> bool {
        self.formula.references().iter().any(|reference| reference.span == Span::Before)
    }

    /// Takes in a good value of an input.
    pub fn take(&mut self, input: usize, at: i64, value: f64) {
        if let Some((_, history)) = self.inputs.get_mut(input) {
            history.take(at, value, true);
        }
    }

    /// What it comes to at a time; `None` if an input has no value that is new
    /// enough, or there is no such number.
    pub fn value(&mut self, at: i64) -> Option<f64> {
        for ((reference, place), slot) in self.formula.references().iter().zip(&self.places).zip(&mut self.values) {
            let history = &self.inputs[*place].1;
            let (then, last) = history.last(at)?;
            *slot = match reference.span {
                Span::Mean(span) => history.mean(at, span)?,
                _ if at - then > self.within => return None,
                Span::Last => last,
                Span::Before => history.before_last(at)?.1,
            };
        }
        self.formula.value(&self.values)
    }
}

/// How fine the values of a formula are: by how much it changes at most when one of its inputs,
/// given by place with their last value and their own step, changes by a step. `None` if it
/// cannot be worked out from them.
#[must_use]
pub fn resolution(meaning: &Checked, inputs: &[(f64, f64)]) -> Option<f64> {
    let value = |changed: Option<usize>| {
        let mut derivation = Derivation::new(meaning)?;
        for (place, (value, step)) in inputs.iter().enumerate() {
            // Twice, for formulas that look at the value before.
            derivation.take(place, 0, *value);
            derivation.take(place, 1, if changed == Some(place) { value + step } else { *value });
        }
        derivation.value(1)
    };
    let from = value(None)?;
    let changes = (0..inputs.len()).map(|place| Some((value(Some(place))? - from).abs()));
    let largest = changes.collect::<Option<Vec<f64>>>()?.into_iter().fold(0.0, f64::max);
    (largest > 0.0).then_some(largest)
}

/// How far back a reference looks by itself, in microseconds.
const fn looks_back(reference: &Reference) -> i64 {
    match reference.span {
        Span::Mean(span) => span,
        Span::Last | Span::Before => 0,
    }
}

#[cfg(test)]
mod tests {
    use super::super::Meaning;
    use super::*;
    use crate::ValueType;
    use crate::formula::SignalType;
    use crate::units::UnitCode;

    fn checked(formula: &str) -> Checked {
        let meaning = Meaning { formula: Some(formula.to_owned()), others_within_s: Some(60.0), ..Meaning::default() };
        let metre = UnitCode::parse("m").unwrap();
        let signals = |_: &str| Some(SignalType { unit: Some(metre.clone()), is_flag: false });
        Checked::new(&meaning, "own", ValueType::Number, Some(&metre), &signals).unwrap()
    }

    const SECOND: i64 = 1_000_000;

    #[test]
    fn it_is_worked_out_when_any_input_comes() {
        let meaning = checked("a - b");
        let mut derivation = Derivation::new(&meaning).unwrap();
        assert_eq!(derivation.inputs().collect::<Vec<_>>(), ["a", "b"]);
        derivation.take(0, 0, 5.0);
        assert_eq!(derivation.value(0), None, "b is not there yet");
        derivation.take(1, 10 * SECOND, 2.0);
        assert_eq!(derivation.value(10 * SECOND), Some(3.0));
        derivation.take(1, 60 * SECOND, 1.0);
        assert_eq!(derivation.value(60 * SECOND), Some(4.0));
        derivation.take(1, 61 * SECOND, 1.0);
        assert_eq!(derivation.value(61 * SECOND), None, "a is too old by now");
    }

    #[test]
    fn it_knows_what_was_before_and_the_mean() {
        let meaning = checked("a - previous(a) + average(a, 10 \"s\")");
        let mut derivation = Derivation::new(&meaning).unwrap();
        assert!(derivation.looks_at_previous());
        assert_eq!(derivation.looks_back(), Micros(60 * SECOND));
        derivation.take(0, 0, 1.0);
        assert_eq!(derivation.value(0), None, "nothing before it");
        derivation.take(0, 6 * SECOND, 3.0);
        assert_eq!(derivation.value(6 * SECOND), Some(2.0 + 2.0));
        derivation.take(0, 12 * SECOND, 7.0);
        assert_eq!(derivation.value(12 * SECOND), Some(4.0 + 5.0), "the first is out of the ten seconds");
    }

    #[test]
    fn values_are_as_fine_as_what_they_are_made_of() {
        for (formula, inputs, expected) in [
            ("a - b", &[(2.5, 0.01), (2.4, 0.1)][..], Some(0.1)),
            ("a / 1000", &[(123.0, 1.0)], Some(0.001)),
            ("a * 3", &[(3.0, 0.1)], Some(0.3)),
            ("a - previous(a)", &[(3.0, 0.5)], Some(0.5)),
            ("a * 0", &[(3.0, 0.5)], None),
            ("a - b", &[(3.0, 0.5)], None),
        ] {
            let seen = resolution(&checked(formula), inputs);
            let is_near = match (seen, expected) {
                (Some(seen), Some(expected)) => f64::abs(seen - expected) < 1e-9,
                (seen, expected) => seen == expected,
            };
            assert!(is_near, "{formula}: {seen:?} instead of {expected:?}");
        }
    }
}
