//! Checking what a formula says, and working it out.

mod operators;

use super::FormulaError;
use super::ast::{Part, Sign, What};
use super::function::{FUNCTIONS, Function, Measure};
use super::node::Node;
use super::parser::parse;
use crate::fix::FixPart;
use crate::units::{Dimension, Quantity, Scale, UnitCode};
use crate::{Value, ValueType};

/// What is known of a signal that a formula refers to.
#[derive(Debug, Clone)]
pub struct SignalType {
    /// Its unit; without one it is a plain number.
    pub unit: Option<UnitCode>,
    /// What its values are.
    pub value_type: ValueType,
}

impl SignalType {
    /// Whether it is a flag.
    #[must_use]
    pub fn is_flag(&self) -> bool {
        self.value_type == ValueType::Flag
    }
}

/// Which of a signal's values is meant.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Span {
    /// The last one.
    Last,
    /// The one before the last.
    Before,
    /// The mean of so many microseconds.
    Mean(i64),
}

/// A value that a formula needs.
#[derive(Debug, Clone, PartialEq)]
pub struct Reference {
    /// `SIGNAL` of the same device or `DEVICE/SIGNAL`.
    pub signal: String,
    /// Which of its values.
    pub span: Span,
    /// What of it.
    pub component: Component,
}

/// What of a value a formula needs.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Component {
    /// The number or flag itself.
    Value,
    /// A part of a position.
    Part(FixPart),
    /// When a position was measured, in seconds since 1970.
    Time,
}

impl Component {
    /// It of a value of a time (microseconds since 1970), if the value has it.
    #[must_use]
    pub fn of(self, at: i64, value: &Value) -> Option<f64> {
        match self {
            Self::Value => value.as_number(),
            Self::Part(part) => value.as_fix()?.part(part),
            Self::Time => value.as_fix().map(|_| at as f64 / 1e6),
        }
    }
}

/// A formula that makes sense.
#[derive(Debug)]
pub struct Formula {
    node: Node,
    references: Vec<Reference>,
    /// For each reference how its values become those of the SI.
    quantities: Vec<Option<Quantity>>,
    output: Option<Quantity>,
    is_flag: bool,
}

/// What a part measures.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct Type {
    pub(super) dimension: Dimension,
    is_flag: bool,
    /// How many values with a zero point are added up in it: a temperature is one,
    /// the difference of two is none. `None` if that cannot be told.
    points: Option<f64>,
    /// Its value, if it never changes.
    constant: Option<f64>,
}

impl Type {
    pub(super) fn number(dimension: Dimension) -> Self {
        Self { dimension, is_flag: false, points: Some(0.0), constant: None }
    }

    fn flag() -> Self {
        Self { is_flag: true, ..Self::number(Dimension::default()) }
    }
}

pub(super) struct Checker<'a> {
    pub(super) signals: &'a dyn Fn(&str) -> Option<SignalType>,
    references: Vec<Reference>,
    quantities: Vec<Option<Quantity>>,
}

impl Formula {
    /// Checks a formula. `signals` knows those it may refer to, `output` is the unit
    /// its values are to be in.
    ///
    /// # Errors
    /// [`FormulaError`], with the character and what was expected.
    pub fn new(
        text: &str,
        signals: &dyn Fn(&str) -> Option<SignalType>,
        output: Option<&UnitCode>,
    ) -> Result<Self, FormulaError> {
        let part = parse(text)?;
        let mut checker = Checker { signals, references: Vec::new(), quantities: Vec::new() };
        let (node, found) = checker.check(&part)?;
        let quantity = result(&found, output)?;
        let Checker { references, quantities, .. } = checker;
        Ok(Self { node, references, quantities, output: quantity, is_flag: found.is_flag })
    }

    /// The values it needs, each once.
    #[must_use]
    pub fn references(&self) -> &[Reference] {
        &self.references
    }

    /// Whether it gives a flag.
    #[must_use]
    pub const fn is_flag(&self) -> bool {
        self.is_flag
    }

    /// Works it out from the values of [`Formula::references`], each in its signal's
    /// own unit. `None` where there is no such number.
    #[must_use]
    pub fn value(&self, values: &[f64]) -> Option<f64> {
        let read = |place: usize| -> f64 {
            let value = values.get(place).copied().unwrap_or(f64::NAN);
            match self.quantities.get(place) {
                Some(Some(quantity)) => quantity.to_si(value),
                _ => value,
            }
        };
        let found = self.node.value(&read);
        let found = self.output.as_ref().map_or(found, |quantity| quantity.from_si(found));
        found.is_finite().then_some(found)
    }
}

/// Whether the result is what the signal measures, and how it gets its unit.
fn result(found: &Type, output: Option<&UnitCode>) -> Result<Option<Quantity>, FormulaError> {
    let wrong = |message: String| Err(FormulaError::new(0, message));
    let Some(output) = output else {
        if found.dimension.is_one() {
            return Ok(None);
        }
        return wrong(format!("the result is {}, so its signal needs a unit of that", found.dimension));
    };
    if found.is_flag {
        return wrong("the result is yes or no, which has no unit".to_owned());
    }
    let quantity = output.quantity().map_err(|error| FormulaError::new(0, error.to_string()))?;
    if quantity.dimension != found.dimension {
        return wrong(format!("the result is {}, but `{output}` is {}", found.dimension, quantity.dimension));
    }
    let has_zero = matches!(quantity.scale, Scale::Offset { .. });
    if has_zero && found.points.is_some_and(|points| (points - 1.0).abs() > 1e-9) {
        return wrong(format!(
            "the result is no temperature but a difference or a sum of some; `{output}` has a zero point, `K` would do"
        ));
    }
    Ok(Some(quantity))
}

impl Checker<'_> {
    fn check(&mut self, part: &Part) -> Result<(Node, Type), FormulaError> {
        match &part.what {
            What::Number(number, unit) => constant(part.at, *number, unit.as_deref()),
            What::Signal(name) => self.signal(part.at, name, Span::Last),
            What::Negative(inner) => {
                let (node, found) = self.number(inner)?;
                let points = found.points.map(|points| -points);
                let constant = found.constant.map(|value| -value);
                Ok((Node::Negative(Box::new(node)), Type { points, constant, ..found }))
            }
            What::Not(inner) => Ok((Node::Not(Box::new(self.flag(inner)?)), Type::flag())),
            What::Pair(sign @ (Sign::And | Sign::Or), left, right) => {
                let (left, right) = (self.flag(left)?, self.flag(right)?);
                Ok((Node::Pair(*sign, Box::new(left), Box::new(right)), Type::flag()))
            }
            What::Pair(sign, left, right) => self.pair(*sign, left, right),
            What::If(condition, yes, no) => {
                let condition = self.flag(condition)?;
                let (yes_node, yes_type) = self.check(yes)?;
                let (no_node, no_type) = self.check(no)?;
                self.alike(yes, &yes_type, no, &no_type)?;
                let points = if yes_type.points == no_type.points { yes_type.points } else { None };
                let node = Node::If(Box::new(condition), Box::new(yes_node), Box::new(no_node));
                Ok((node, Type { points, constant: None, ..yes_type }))
            }
            What::Call(name, arguments) => self.call(part.at, name, arguments),
        }
    }

    pub(super) fn number(&mut self, part: &Part) -> Result<(Node, Type), FormulaError> {
        let (node, found) = self.check(part)?;
        if found.is_flag {
            return Err(FormulaError::new(part.at, "this is yes or no; a number was expected"));
        }
        Ok((node, found))
    }

    fn flag(&mut self, part: &Part) -> Result<Node, FormulaError> {
        let (node, found) = self.check(part)?;
        if found.is_flag {
            Ok(node)
        } else {
            Err(FormulaError::new(part.at, "this is a number; a comparison or a flag was expected"))
        }
    }

    fn signal(&mut self, at: usize, name: &str, span: Span) -> Result<(Node, Type), FormulaError> {
        let Some(known) = (self.signals)(name) else {
            return Err(FormulaError::new(at, format!("there is no signal `{name}` with numbers or flags")));
        };
        if known.value_type == ValueType::Position {
            let message = format!("`{name}` is a position; say which number of it, such as `speed({name})`");
            return Err(FormulaError::new(at, message));
        }
        let quantity = match &known.unit {
            Some(unit) => Some(unit.quantity().map_err(|error| FormulaError::new(at, error.to_string()))?),
            None => None,
        };
        let wanted = Reference { signal: name.to_owned(), span, component: Component::Value };
        let place = self.reference(wanted, quantity.clone());
        if known.is_flag() {
            return Ok((Node::Value(place), Type::flag()));
        }
        let has_zero = quantity.as_ref().is_some_and(|quantity| matches!(quantity.scale, Scale::Offset { .. }));
        let dimension = quantity.map_or_else(Dimension::default, |quantity| quantity.dimension);
        let points = Some(f64::from(u8::from(has_zero)));
        Ok((Node::Value(place), Type { points, ..Type::number(dimension) }))
    }

    /// The place of a reference, which is there once.
    pub(super) fn reference(&mut self, wanted: Reference, quantity: Option<Quantity>) -> usize {
        self.references.iter().position(|reference| *reference == wanted).unwrap_or_else(|| {
            self.references.push(wanted);
            self.quantities.push(quantity);
            self.references.len() - 1
        })
    }

    fn call(&mut self, at: usize, name: &str, arguments: &[Part]) -> Result<(Node, Type), FormulaError> {
        if let Some(found) = self.call_of_position(at, name, arguments) {
            return found;
        }
        match (name, arguments) {
            ("previous", [Part { at, what: What::Signal(signal) }]) => return self.signal(*at, signal, Span::Before),
            ("average", [Part { at, what: What::Signal(signal) }, time]) => {
                let (_, over) = self.number(time)?;
                let is_time = over.dimension.symbols() == "T";
                let seconds = over.constant.filter(|seconds| is_time && *seconds > 0.0 && *seconds < 1e9);
                let Some(seconds) = seconds else {
                    return Err(FormulaError::new(time.at, "a time was expected, such as 10 \"min\""));
                };
                return self.signal(*at, signal, Span::Mean((seconds * 1e6) as i64));
            }
            ("previous" | "average", _) => {
                let usage = if name == "previous" { "previous(signal)" } else { "average(signal, 10 \"min\")" };
                return Err(FormulaError::new(at, format!("`{name}` is written `{usage}`")));
            }
            _ => {}
        }
        let Some(function) = FUNCTIONS.iter().find(|function| function.name == name) else {
            return Err(FormulaError::new(at, format!("there is no function `{name}`")));
        };
        let least = function.arguments.len();
        if arguments.len() < least || (arguments.len() > least && !function.repeats) {
            let more = if function.repeats { " or more" } else { "" };
            let message = format!("`{name}` takes {least}{more} values, and here are {}", arguments.len());
            return Err(FormulaError::new(at, message));
        }
        self.arguments(function, arguments)
    }

    fn arguments(&mut self, function: &Function, arguments: &[Part]) -> Result<(Node, Type), FormulaError> {
        let mut nodes = Vec::with_capacity(arguments.len());
        let mut first: Option<Type> = None;
        for (place, part) in arguments.iter().enumerate() {
            let (node, found) = self.number(part)?;
            let wanted = function.arguments[place.min(function.arguments.len() - 1)];
            if let Some(dimension) = dimension_of(wanted)
                && found.dimension != dimension
            {
                let message = format!("this is {}; `{}` takes {dimension} here", found.dimension, function.name);
                return Err(FormulaError::new(part.at, message));
            }
            match &first {
                Some(before) if wanted == Measure::Any => self.alike(&arguments[0], before, part, &found)?,
                Some(_) => {}
                None => first = Some(found),
            }
            nodes.push(node);
        }
        let first = first.unwrap_or_else(|| Type::number(Dimension::default()));
        let found = match function.result {
            Measure::Any => Type { constant: None, ..first },
            Measure::Root => {
                let root = first.dimension.square_root();
                let root = root.ok_or_else(|| {
                    FormulaError::new(arguments[0].at, format!("there is no square root of {}", first.dimension))
                })?;
                Type::number(root)
            }
            measure => {
                let dimension = dimension_of(measure).unwrap_or_default();
                // A temperature that comes out of a function has its zero point.
                let points = Some(f64::from(u8::from(measure == Measure::Unit("K"))));
                Type { points, ..Type::number(dimension) }
            }
        };
        Ok((Node::Call(function.run, nodes), found))
    }
}

fn constant(at: usize, number: f64, unit: Option<&str>) -> Result<(Node, Type), FormulaError> {
    let Some(unit) = unit else {
        let found = Type { constant: Some(number), ..Type::number(Dimension::default()) };
        return Ok((Node::Constant(number), found));
    };
    let wrong = |message: String| FormulaError::new(at, message);
    let code = UnitCode::from_entry(unit).map_err(|error| wrong(error.to_string()))?;
    let quantity = code.quantity().map_err(|error| wrong(error.to_string()))?;
    let value = quantity.to_si(number);
    let points = Some(f64::from(u8::from(matches!(quantity.scale, Scale::Offset { .. }))));
    Ok((Node::Constant(value), Type { points, constant: Some(value), ..Type::number(quantity.dimension) }))
}

pub(super) fn dimension_of(measure: Measure) -> Option<Dimension> {
    let unit = match measure {
        Measure::Number => return Some(Dimension::default()),
        Measure::Angle => "rad",
        Measure::Unit(unit) => unit,
        Measure::Any | Measure::Root => return None,
    };
    UnitCode::parse(unit).ok()?.quantity().ok().map(|quantity| quantity.dimension)
}

#[cfg(test)]
mod tests;
