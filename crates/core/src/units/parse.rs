//! The grammar of UCUM: products, quotients, powers, prefixes, annotations; and
//! what a code is worth.

use super::atom::{Atom, Kind, Worth};
use super::atoms::{PREFIXES, atom};
use super::dimension::Dimension;
use super::quantity::{Quantity, Scale};
use super::{NoQuantity, UnitCode, UnitError};

const MAX_BYTES: usize = 64;
const MAX_DEPTH: usize = 8;

/// Checks a code against grammar and tables.
pub(super) fn check(code: &str) -> Result<(), UnitError> {
    evaluate(code).map(drop)
}

/// Reads a code and works out what it is worth; `Err` inside if it is right, but
/// cannot be reduced.
pub(super) fn evaluate(code: &str) -> Result<Result<Quantity, NoQuantity>, UnitError> {
    if code.is_empty() {
        return Err(UnitError::Empty);
    }
    if code.len() > MAX_BYTES {
        return Err(UnitError::TooLong);
    }
    if let Some(bad) = code.chars().find(|c| !c.is_ascii_graphic()) {
        return Err(UnitError::BadCharacter(bad));
    }
    let mut parser = Parser { code, at: 0, components: 0, special: None };
    let worth = parser.main_term()?;
    match parser.special {
        Some((unit, _)) if parser.components > 1 => Err(UnitError::Special(unit)),
        Some((_, special)) => Ok(special),
        None => Ok(worth.map(|Product { factor, dimension }| Quantity { factor, dimension, scale: Scale::Linear })),
    }
}

/// A product of powers of units.
struct Product {
    factor: f64,
    dimension: Dimension,
}

/// What a part of a code is worth, if it can be reduced.
type Part = Result<Product, NoQuantity>;

const fn number(factor: f64, dimension: Dimension) -> Product {
    Product { factor, dimension }
}

fn one() -> Part {
    Ok(number(1.0, Dimension::one()))
}

/// One part times another to a power.
fn times(left: Part, right: Part, power: i32) -> Part {
    let (left, right) = (left?, right?);
    let dimension = i8::try_from(power).ok().and_then(|power| left.dimension.times(&right.dimension, power));
    let factor = left.factor * right.factor.powi(power);
    match dimension {
        Some(dimension) if factor.is_normal() => Ok(number(factor, dimension)),
        _ => Err(NoQuantity::TooLarge),
    }
}

struct Parser<'a> {
    code: &'a str,
    at: usize,
    /// Components and powers met so far: a special unit must be the only one.
    components: usize,
    /// A special unit, and what it is worth.
    special: Option<(String, Result<Quantity, NoQuantity>)>,
}

impl<'a> Parser<'a> {
    fn peek(&self) -> Option<u8> {
        self.code.as_bytes().get(self.at).copied()
    }

    fn take(&mut self, byte: u8) -> bool {
        let found = self.peek() == Some(byte);
        self.at += usize::from(found);
        found
    }

    fn expected<T>(&self, expected: &'static str) -> Result<T, UnitError> {
        Err(UnitError::Syntax { at: self.at, expected })
    }

    fn main_term(&mut self) -> Result<Part, UnitError> {
        let is_inverse = self.take(b'/');
        if is_inverse {
            self.components += 1;
        }
        let worth = self.term(0, if is_inverse { -1 } else { 1 })?;
        if self.at == self.code.len() { Ok(worth) } else { self.expected("`.`, `/` or the end") }
    }

    /// Components from left to right; the first one to a power.
    fn term(&mut self, depth: usize, first: i32) -> Result<Part, UnitError> {
        let mut worth = times(one(), self.component(depth)?, first);
        loop {
            let power = if self.take(b'.') {
                1
            } else if self.take(b'/') {
                -1
            } else {
                return Ok(worth);
            };
            worth = times(worth, self.component(depth)?, power);
        }
    }

    fn component(&mut self, depth: usize) -> Result<Part, UnitError> {
        match self.peek() {
            Some(b'(') if depth < MAX_DEPTH => {
                self.at += 1;
                let worth = self.term(depth + 1, 1)?;
                if self.take(b')') { Ok(worth) } else { self.expected("`)`") }
            }
            Some(b'(') => self.expected("less nesting"),
            Some(b'{') => self.annotation().map(|()| one()),
            Some(_) => {
                self.components += 1;
                let worth = self.unit()?;
                if self.peek() == Some(b'{') {
                    self.annotation()?;
                }
                Ok(worth)
            }
            None => self.expected("a unit"),
        }
    }

    fn annotation(&mut self) -> Result<(), UnitError> {
        self.at += 1;
        match self.code[self.at..].find(['{', '}']) {
            Some(length) if self.code.as_bytes()[self.at + length] == b'}' => {
                self.at += length + 1;
                Ok(())
            }
            _ => self.expected("`}`"),
        }
    }

    fn unit(&mut self) -> Result<Part, UnitError> {
        let name = self.name();
        let rest = &self.code[self.at + name.len()..];
        if name.is_empty() {
            return self.expected("a unit");
        }
        if name.bytes().all(|b| b.is_ascii_digit()) {
            if rest.starts_with(['*', '^']) && name == "10" {
                self.at += 3;
                let power = self.exponent()?;
                return Ok(times(one(), Ok(number(10.0, Dimension::one())), power));
            }
            self.at += name.len();
            let factor: f64 = name.parse().unwrap_or(f64::INFINITY);
            return Ok(times(one(), Ok(number(factor, Dimension::one())), 1));
        }
        // The exponent belongs to the longest name that ends in a letter.
        let base = name.trim_end_matches(|c: char| c.is_ascii_digit()).trim_end_matches(['+', '-']);
        let base = if atom(name).is_some() { name } else { base };
        let (found, prefix) = resolve(base)?;
        let worth = match found.kind {
            Kind::Special | Kind::SpecialMetric => {
                self.special = Some((base.to_owned(), special(found, prefix)));
                Err(NoQuantity::Opaque(base.to_owned()))
            }
            Kind::Metric | Kind::Plain => plain(found, prefix),
        };
        self.at += base.len();
        let power = self.exponent()?;
        Ok(times(one(), worth, power))
    }

    /// The longest run up to an operator; brackets are taken whole.
    fn name(&self) -> &'a str {
        let mut in_brackets = false;
        let end = self.code[self.at..].find(|c: char| {
            match c {
                '[' => in_brackets = true,
                ']' => in_brackets = false,
                _ => {}
            }
            !in_brackets && matches!(c, '.' | '/' | '(' | ')' | '{' | '}' | '*' | '^')
        });
        &self.code[self.at..end.map_or(self.code.len(), |length| self.at + length)]
    }

    /// The exponent here, 1 if there is none; a large one is held at a thousand.
    fn exponent(&mut self) -> Result<i32, UnitError> {
        let start = self.at;
        let is_negative = self.peek() == Some(b'-');
        let signed = self.take(b'+') || self.take(b'-');
        let digits = self.code[self.at..].bytes().take_while(u8::is_ascii_digit).count();
        let number = self.code[self.at..self.at + digits].parse::<i32>().unwrap_or(i32::MAX).min(1_000);
        self.at += digits;
        if signed && digits == 0 {
            return self.expected("digits");
        }
        if self.at == start {
            return Ok(1);
        }
        self.components += 1;
        Ok(if is_negative { -number } else { number })
    }
}

/// The atom of a name, and the factor of the prefix before it.
fn resolve(name: &str) -> Result<(&'static Atom, f64), UnitError> {
    if let Some(atom) = atom(name) {
        return Ok((atom, 1.0));
    }
    for (prefix, factor) in PREFIXES {
        let Some(atom) = name.strip_prefix(prefix).and_then(atom) else { continue };
        return match atom.kind {
            Kind::Metric | Kind::SpecialMetric => Ok((atom, *factor)),
            Kind::Plain | Kind::Special => Err(UnitError::NotMetric(name[prefix.len()..].to_owned())),
        };
    }
    Err(UnitError::Unknown(name.to_owned()))
}

/// What a unit without offset or logarithm is worth.
fn plain(atom: &Atom, prefix: f64) -> Part {
    match atom.worth {
        Worth::Base(base, factor) => Ok(number(prefix * factor, Dimension::base(base))),
        Worth::Of(factor, unit) => reduced(unit).map(|of| number(prefix * factor * of.factor, of.dimension)),
        Worth::Arbitrary => Ok(number(prefix, Dimension::arbitrary(atom.name))),
        Worth::Offset(..) | Worth::Logarithm { .. } | Worth::Opaque => Err(NoQuantity::Opaque(atom.name.to_owned())),
    }
}

/// What a unit with offset or logarithm is worth.
fn special(atom: &Atom, prefix: f64) -> Result<Quantity, NoQuantity> {
    match atom.worth {
        Worth::Offset(degree, zero) => {
            let dimension = reduced("K")?.dimension;
            Ok(Quantity { factor: prefix * degree, dimension, scale: Scale::Offset { zero } })
        }
        Worth::Logarithm { base, scale, reference, unit } => {
            let of = reduced(unit)?;
            let step = prefix * scale;
            Ok(Quantity {
                factor: reference * of.factor,
                dimension: of.dimension,
                scale: Scale::Logarithm { base, step },
            })
        }
        Worth::Base(..) | Worth::Of(..) | Worth::Arbitrary | Worth::Opaque => {
            Err(NoQuantity::Opaque(atom.name.to_owned()))
        }
    }
}

/// What the unit of a definition is worth. The table is checked by a test.
fn reduced(unit: &str) -> Result<Quantity, NoQuantity> {
    evaluate(unit).unwrap_or_else(|_| Err(NoQuantity::Opaque(unit.to_owned())))
}

impl UnitCode {
    /// What it is worth in units of the SI.
    ///
    /// # Errors
    /// [`NoQuantity`] if it is converted to nothing else.
    pub fn quantity(&self) -> Result<Quantity, NoQuantity> {
        // The code was checked when it was made.
        evaluate(self.as_str()).unwrap_or_else(|_| Err(NoQuantity::Opaque(self.to_string())))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    /// Every code of the reference table is accepted or rejected as it says.
    #[test]
    fn agrees_with_the_reference_table() {
        let table = include_str!("../../tests/data/ucum_codes.csv");
        let mut wrong = Vec::new();
        let mut rows = 0;
        for row in table.lines().skip(1) {
            let (code, rest) = match row.strip_prefix('"').and_then(|r| r.split_once("\",")) {
                Some((code, rest)) => (code, rest),
                None => row.split_once(',').unwrap(),
            };
            let valid = rest.starts_with("true");
            rows += 1;
            if check(code).is_ok() != valid {
                wrong.push(format!("{code}: {:?}, table says {valid}", check(code)));
            }
        }
        assert_eq!(wrong, Vec::<String>::new());
        assert!(rows > 180, "{rows}");
    }

    #[test]
    fn errors_say_what_is_wrong() {
        for (code, message) in [
            ("", "a unit code needs at least one character"),
            ("degC", "`degC` is not a unit of UCUM"),
            ("k[psi]", "`[psi]` takes no prefix"),
            ("m/", "unit code wrong at character 3: a unit expected"),
            ("(m", "unit code wrong at character 3: `)` expected"),
            ("m²", "`²` cannot be in a unit code"),
        ] {
            assert_eq!(check(code).unwrap_err().to_string(), message);
        }
        assert!(matches!(check("Cel/min"), Err(UnitError::Special(_))));
        assert!(matches!(check("Cel2"), Err(UnitError::Special(_))));
    }

    proptest! {
        #[test]
        fn any_text_is_checked_without_panic(code in ".{0,70}") {
            let _ = check(&code);
        }

        #[test]
        fn any_unit_like_text_is_checked_without_panic(code in "[a-zA-Z0-9./(){}\\[\\]*^%'+-]{0,20}") {
            let _ = check(&code);
        }
    }
}
