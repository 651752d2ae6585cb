//! What operators make of two parts.

use super::{Checker, Type};
use crate::formula::FormulaError;
use crate::formula::ast::{Part, Sign};
use crate::formula::node::Node;
use crate::units::Dimension;

impl Checker<'_> {
    pub(super) fn alike(&self, left: &Part, a: &Type, right: &Part, b: &Type) -> Result<(), FormulaError> {
        let told = |found: &Type| if found.is_flag { "yes or no".to_owned() } else { found.dimension.to_string() };
        if a.is_flag == b.is_flag && a.dimension == b.dimension {
            return Ok(());
        }
        let message = format!("this is {}, but what begins at character {} is {}", told(b), left.at + 1, told(a));
        Err(FormulaError::new(right.at, message))
    }

    pub(super) fn pair(&mut self, sign: Sign, left: &Part, right: &Part) -> Result<(Node, Type), FormulaError> {
        let (a_node, a) = self.number(left)?;
        let (b_node, b) = self.number(right)?;
        let both = a.constant.zip(b.constant);
        let node = Node::Pair(sign, Box::new(a_node), Box::new(b_node));
        let too_large = || FormulaError::new(left.at, "the dimension of this is too large");
        let found = match sign {
            Sign::Plus | Sign::Minus => {
                self.alike(left, &a, right, &b)?;
                let direction = if sign == Sign::Plus { 1.0 } else { -1.0 };
                let points = a.points.zip(b.points).map(|(a, b)| a + direction * b);
                let constant = both.map(|(a, b)| a + direction * b);
                Type { points, constant, ..a }
            }
            Sign::Times => {
                let dimension = a.dimension.times(&b.dimension, 1).ok_or_else(too_large)?;
                let points = match (a.constant, b.constant) {
                    (Some(times), _) if a.dimension.is_one() => b.points.map(|points| points * times),
                    (_, Some(times)) if b.dimension.is_one() => a.points.map(|points| points * times),
                    _ => unmoved(&a, &b),
                };
                Type { points, constant: both.map(|(a, b)| a * b), ..Type::number(dimension) }
            }
            Sign::Over => {
                let dimension = a.dimension.times(&b.dimension, -1).ok_or_else(too_large)?;
                let points = match b.constant {
                    Some(by) if b.dimension.is_one() => a.points.map(|points| points / by),
                    _ => unmoved(&a, &b),
                };
                Type { points, constant: both.map(|(a, b)| a / b), ..Type::number(dimension) }
            }
            Sign::Power => return Ok((node, power(left, &a, right, &b)?)),
            _ => {
                self.alike(left, &a, right, &b)?;
                Type::flag()
            }
        };
        Ok((node, found))
    }
}

/// Products with what has a zero point: it is meant from absolute zero then.
fn unmoved(a: &Type, b: &Type) -> Option<f64> {
    (a.points == Some(0.0) && b.points == Some(0.0)).then_some(0.0)
}

fn power(left: &Part, base: &Type, right: &Part, exponent: &Type) -> Result<Type, FormulaError> {
    if !exponent.dimension.is_one() {
        return Err(FormulaError::new(
            right.at,
            format!("this is {}; an exponent is a plain number", exponent.dimension),
        ));
    }
    if base.dimension.is_one() {
        let constant = base.constant.zip(exponent.constant).map(|(base, exponent)| base.powf(exponent));
        return Ok(Type { constant, ..Type::number(Dimension::default()) });
    }
    let whole = exponent.constant.filter(|exponent| exponent.fract() == 0.0 && exponent.abs() <= 9.0);
    let Some(whole) = whole else {
        let message = format!(
            "what begins at character {} is {}: its exponent has to be a whole number from -9 to 9",
            left.at + 1,
            base.dimension
        );
        return Err(FormulaError::new(right.at, message));
    };
    let dimension = Dimension::default().times(&base.dimension, whole as i8);
    let dimension = dimension.ok_or_else(|| FormulaError::new(left.at, "the dimension of this is too large"))?;
    let points = if base.points == Some(0.0) { Some(0.0) } else { None };
    Ok(Type { points, ..Type::number(dimension) })
}
