//! Working a formula out.

use super::ast::Sign;

/// What can be worked out.
#[derive(Debug)]
pub(super) enum Node {
    Constant(f64),
    Value(usize),
    Negative(Box<Node>),
    Not(Box<Node>),
    Pair(Sign, Box<Node>, Box<Node>),
    If(Box<Node>, Box<Node>, Box<Node>),
    Call(fn(&[f64]) -> f64, Vec<Node>),
}

impl Node {
    /// Its value, from those that `read` gives by place; not a number where there is
    /// none.
    pub(super) fn value(&self, read: &impl Fn(usize) -> f64) -> f64 {
        let flag = |holds: bool| f64::from(u8::from(holds));
        match self {
            Self::Constant(value) => *value,
            Self::Value(place) => read(*place),
            Self::Negative(inner) => -inner.value(read),
            Self::Not(inner) => match inner.value(read) {
                unknown if unknown.is_nan() => f64::NAN,
                value => flag(value == 0.0),
            },
            Self::If(condition, yes, no) => match condition.value(read) {
                unknown if unknown.is_nan() => f64::NAN,
                0.0 => no.value(read),
                _ => yes.value(read),
            },
            Self::Call(run, arguments) => number(call(*run, arguments, read)),
            Self::Pair(sign, left, right) => {
                let (a, b) = (left.value(read), right.value(read));
                match sign {
                    Sign::Plus => number(a + b),
                    Sign::Minus => number(a - b),
                    Sign::Times => number(a * b),
                    Sign::Over => number(a / b),
                    Sign::Power => number(a.powf(b)),
                    // What is not known is neither more nor less.
                    _ if a.is_nan() || b.is_nan() => f64::NAN,
                    Sign::Less => flag(a < b),
                    Sign::LessOrSame => flag(a <= b),
                    Sign::More => flag(a > b),
                    Sign::MoreOrSame => flag(a >= b),
                    Sign::Same => flag(a == b),
                    Sign::Other => flag(a != b),
                    Sign::And => flag(a != 0.0 && b != 0.0),
                    Sign::Or => flag(a != 0.0 || b != 0.0),
                }
            }
        }
    }
}

/// What is no number, or too large for one, is unknown from there on: else the least of
/// it and something known would be known.
const fn number(value: f64) -> f64 {
    if value.is_finite() { value } else { f64::NAN }
}

/// Arguments of a usual number lie on the stack.
fn call(run: fn(&[f64]) -> f64, arguments: &[Node], read: &impl Fn(usize) -> f64) -> f64 {
    let mut few = [0.0; 4];
    if arguments.len() <= few.len() {
        for (slot, argument) in few.iter_mut().zip(arguments) {
            *slot = argument.value(read);
        }
        let few = &few[..arguments.len()];
        // The least of something unknown is unknown, whatever min says.
        return if few.iter().any(|value| value.is_nan()) { f64::NAN } else { run(few) };
    }
    let many: Vec<f64> = arguments.iter().map(|argument| argument.value(read)).collect();
    if many.iter().any(|value| value.is_nan()) { f64::NAN } else { run(&many) }
}
