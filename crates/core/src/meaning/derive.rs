//! Working a derived signal out, value by value.

use super::{Checked, History};
use crate::formula::{Component, Formula, Reference, Span};
use crate::{Micros, Value};

/// A formula at work: takes in the values of its inputs in order of time, and says
/// what it comes to then.
pub struct Derivation<'a> {
    formula: &'a Formula,
    within: i64,
    inputs: Vec<Input>,
    /// For each reference its input, and what of that.
    places: Vec<(usize, usize)>,
    values: Vec<f64>,
}

/// A signal that a formula refers to.
struct Input {
    signal: String,
    /// How far back it is needed, in microseconds.
    keeps: i64,
    /// What of it is needed.
    parts: Vec<(Component, History)>,
}

impl<'a> Derivation<'a> {
    /// Of a meaning that has a formula.
    #[must_use]
    pub fn new(meaning: &'a Checked) -> Option<Self> {
        let formula = meaning.formula()?;
        let mut inputs: Vec<Input> = Vec::new();
        let mut places = Vec::new();
        for reference in formula.references() {
            let known = inputs.iter().position(|input| input.signal == reference.signal);
            let place = known.unwrap_or_else(|| {
                inputs.push(Input { signal: reference.signal.clone(), keeps: 0, parts: Vec::new() });
                inputs.len() - 1
            });
            let input = &mut inputs[place];
            input.keeps = input.keeps.max(looks_back(reference));
            let known = input.parts.iter().position(|(component, _)| *component == reference.component);
            let part = known.unwrap_or_else(|| {
                input.parts.push((reference.component, History::default()));
                input.parts.len() - 1
            });
            places.push((place, part));
        }
        for input in &mut inputs {
            let keeps = input.keeps;
            input.parts.iter_mut().for_each(|(_, history)| *history = History::keeping(Micros(keeps)));
        }
        let values = vec![f64::NAN; places.len()];
        Some(Self { formula, within: meaning.within().0, inputs, places, values })
    }

    /// The signals it takes, by place.
    pub fn inputs(&self) -> impl Iterator<Item = &str> {
        self.inputs.iter().map(|input| input.signal.as_str())
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

    /// Takes in a good value of an input, and says whether it is of use.
    pub fn take(&mut self, input: usize, at: i64, value: &Value) -> bool {
        let Some(input) = self.inputs.get_mut(input) else { return false };
        let mut is_taken = false;
        for (component, history) in &mut input.parts {
            if let Some(number) = component.of(at, value) {
                history.take(at, number, true);
                is_taken = true;
            }
        }
        is_taken
    }

    /// What it comes to at a time; `None` if an input has no value that is new
    /// enough, or there is no such number.
    pub fn value(&mut self, at: i64) -> Option<f64> {
        for ((reference, (input, part)), slot) in
            self.formula.references().iter().zip(&self.places).zip(&mut self.values)
        {
            let history = &self.inputs[*input].parts[*part].1;
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
/// given by place with their last value and one that is a step of their own from it, changes so.
/// `None` if it cannot be worked out from them.
#[must_use]
pub fn resolution(meaning: &Checked, inputs: &[(Value, Value)]) -> Option<f64> {
    /// Formulas that look at the value before see one of a second ago.
    const SECOND: i64 = 1_000_000;
    let value = |changed: Option<usize>| {
        let mut derivation = Derivation::new(meaning)?;
        for (place, (value, a_step_on)) in inputs.iter().enumerate() {
            derivation.take(place, 0, value);
            derivation.take(place, SECOND, if changed == Some(place) { a_step_on } else { value });
        }
        derivation.value(SECOND)
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
    use crate::fix::Fix;
    use crate::formula::SignalType;
    use crate::units::UnitCode;
    use crate::{Value, ValueType};

    fn checked(formula: &str) -> Checked {
        let meaning = Meaning { formula: Some(formula.to_owned()), others_within_s: Some(60.0), ..Meaning::default() };
        let metre = UnitCode::parse("m").unwrap();
        let signals = |_: &str| Some(SignalType { unit: Some(metre.clone()), value_type: ValueType::Number });
        Checked::new(&meaning, ValueType::Number, Some(&metre), &signals).unwrap()
    }

    const SECOND: i64 = 1_000_000;

    #[test]
    fn it_is_worked_out_when_any_input_comes() {
        let meaning = checked("a - b");
        let mut derivation = Derivation::new(&meaning).unwrap();
        assert_eq!(derivation.inputs().collect::<Vec<_>>(), ["a", "b"]);
        derivation.take(0, 0, &Value::Number(5.0));
        assert_eq!(derivation.value(0), None, "b is not there yet");
        derivation.take(1, 10 * SECOND, &Value::Number(2.0));
        assert_eq!(derivation.value(10 * SECOND), Some(3.0));
        derivation.take(1, 60 * SECOND, &Value::Number(1.0));
        assert_eq!(derivation.value(60 * SECOND), Some(4.0));
        derivation.take(1, 61 * SECOND, &Value::Number(1.0));
        assert_eq!(derivation.value(61 * SECOND), None, "a is too old by now");
    }

    #[test]
    fn it_knows_what_was_before_and_the_mean() {
        let meaning = checked("a - previous(a) + average(a, 10 \"s\")");
        let mut derivation = Derivation::new(&meaning).unwrap();
        assert!(derivation.looks_at_previous());
        assert_eq!(derivation.looks_back(), Micros(60 * SECOND));
        derivation.take(0, 0, &Value::Number(1.0));
        assert_eq!(derivation.value(0), None, "nothing before it");
        derivation.take(0, 6 * SECOND, &Value::Number(3.0));
        assert_eq!(derivation.value(6 * SECOND), Some(2.0 + 2.0));
        derivation.take(0, 12 * SECOND, &Value::Number(7.0));
        assert_eq!(derivation.value(12 * SECOND), Some(4.0 + 5.0), "the first is out of the ten seconds");
    }

    #[test]
    fn a_speed_comes_of_two_positions_and_their_times() {
        let meaning =
            Meaning { formula: Some("speed(pos)".to_owned()), others_within_s: Some(60.0), ..Meaning::default() };
        let unit = UnitCode::parse("km/h").unwrap();
        let signals = |_: &str| Some(SignalType { unit: None, value_type: ValueType::Position });
        let meaning = Checked::new(&meaning, ValueType::Number, Some(&unit), &signals).unwrap();
        let mut derivation = Derivation::new(&meaning).unwrap();
        assert!(derivation.looks_at_previous());
        // One ten-thousandth of a degree north is 11.12 m.
        for (second, latitude, expected) in [(0, 54.5, None), (2, 54.5001, Some(20.015)), (4, 54.5001, Some(0.0))] {
            assert!(derivation.take(0, second * SECOND, &Fix::new(latitude, -2.25).into()));
            let found = derivation.value(second * SECOND);
            let is_near = found.zip(expected).map_or(found == expected, |(a, b)| f64::abs(a - b) < 1e-3);
            assert!(is_near, "at {second} s: {found:?}, not {expected:?}");
        }
        assert!(!derivation.take(0, 6 * SECOND, &Value::Text("nowhere".to_owned())));
        let step = resolution(&meaning, &[(Fix::new(54.5, -2.25).into(), Fix::new(54.500_001, -2.25).into())]).unwrap();
        assert!((step - 0.4).abs() < 0.01, "a millionth of a degree in a second is {step} km/h");
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
            let inputs: Vec<_> =
                inputs.iter().map(|(value, step)| (Value::Number(*value), Value::Number(value + step))).collect();
            let seen = resolution(&checked(formula), &inputs);
            let is_near = match (seen, expected) {
                (Some(seen), Some(expected)) => f64::abs(seen - expected) < 1e-9,
                (seen, expected) => seen == expected,
            };
            assert!(is_near, "{formula}: {seen:?} instead of {expected:?}");
        }
    }
}
