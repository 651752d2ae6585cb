//! From words to parts.

use super::FormulaError;
use super::ast::{Part, Sign, What};
use super::lexer::{Word, words};

/// How deep parts may lie in each other.
const MAX_DEPTH: usize = 60;
const KEYS: [&str; 6] = ["if", "then", "else", "and", "or", "not"];

/// Reads a formula.
pub(super) fn parse(text: &str) -> Result<Part, FormulaError> {
    let mut parser = Parser { words: words(text)?, next: 0, depth: 0 };
    let part = parser.choice()?;
    match parser.peek() {
        Word::End => Ok(part),
        _ => parser.expected("an operator or the end"),
    }
}

struct Parser {
    words: Vec<(Word, usize)>,
    next: usize,
    depth: usize,
}

/// Operators of one level, each with what it means.
type Level = &'static [(&'static str, Sign)];
const SUMS: Level = &[("+", Sign::Plus), ("-", Sign::Minus)];
const PRODUCTS: Level = &[("*", Sign::Times), ("/", Sign::Over)];
const COMPARISONS: Level = &[
    ("<=", Sign::LessOrSame),
    (">=", Sign::MoreOrSame),
    ("<>", Sign::Other),
    ("<", Sign::Less),
    (">", Sign::More),
    ("=", Sign::Same),
];

impl Parser {
    fn peek(&self) -> &Word {
        &self.words[self.next].0
    }

    fn at(&self) -> usize {
        self.words[self.next].1
    }

    fn expected<T>(&self, what: &str) -> Result<T, FormulaError> {
        let found = match self.peek() {
            Word::End => "the end".to_owned(),
            Word::Number(number) => format!("`{number}`"),
            Word::Name(name) => format!("`{name}`"),
            Word::Signal(name) => format!("`{{{name}}}`"),
            Word::Unit(unit) => format!("the unit `{unit}`"),
            Word::Sign(sign) => format!("`{sign}`"),
        };
        Err(FormulaError::new(self.at(), format!("{what} was expected, and here is {found}")))
    }

    fn take_key(&mut self, key: &str) -> bool {
        let is_here = matches!(self.peek(), Word::Name(name) if name == key);
        self.next += usize::from(is_here);
        is_here
    }

    fn take_sign(&mut self, sign: &str) -> bool {
        let is_here = matches!(self.peek(), Word::Sign(found) if *found == sign);
        self.next += usize::from(is_here);
        is_here
    }

    fn take_of(&mut self, level: Level) -> Option<Sign> {
        let found = level.iter().find(|(sign, _)| matches!(self.peek(), Word::Sign(found) if found == sign))?;
        self.next += 1;
        Some(found.1)
    }

    fn deeper<T>(&mut self, read: impl FnOnce(&mut Self) -> Result<T, FormulaError>) -> Result<T, FormulaError> {
        if self.depth >= MAX_DEPTH {
            return Err(FormulaError::new(self.at(), "this lies too deep in other parts"));
        }
        self.depth += 1;
        let part = read(self);
        self.depth -= 1;
        part
    }

    fn choice(&mut self) -> Result<Part, FormulaError> {
        self.deeper(|parser| {
            let at = parser.at();
            if !parser.take_key("if") {
                return parser.either();
            }
            let condition = parser.choice()?;
            if !parser.take_key("then") {
                return parser.expected("`then`");
            }
            let yes = parser.choice()?;
            if !parser.take_key("else") {
                return parser.expected("`else`");
            }
            let no = parser.choice()?;
            Ok(Part { at, what: What::If(Box::new(condition), Box::new(yes), Box::new(no)) })
        })
    }

    fn either(&mut self) -> Result<Part, FormulaError> {
        let mut left = self.both()?;
        while self.take_key("or") {
            left = pair(Sign::Or, left, self.both()?);
        }
        Ok(left)
    }

    fn both(&mut self) -> Result<Part, FormulaError> {
        let mut left = self.opposite()?;
        while self.take_key("and") {
            left = pair(Sign::And, left, self.opposite()?);
        }
        Ok(left)
    }

    fn opposite(&mut self) -> Result<Part, FormulaError> {
        let at = self.at();
        if self.take_key("not") {
            let part = self.deeper(Self::opposite)?;
            return Ok(Part { at, what: What::Not(Box::new(part)) });
        }
        let left = self.sum()?;
        match self.take_of(COMPARISONS) {
            Some(sign) => Ok(pair(sign, left, self.sum()?)),
            None => Ok(left),
        }
    }

    fn sum(&mut self) -> Result<Part, FormulaError> {
        let mut left = self.product()?;
        while let Some(sign) = self.take_of(SUMS) {
            left = pair(sign, left, self.product()?);
        }
        Ok(left)
    }

    fn product(&mut self) -> Result<Part, FormulaError> {
        let mut left = self.signed()?;
        while let Some(sign) = self.take_of(PRODUCTS) {
            left = pair(sign, left, self.signed()?);
        }
        Ok(left)
    }

    fn signed(&mut self) -> Result<Part, FormulaError> {
        let at = self.at();
        if self.take_sign("-") {
            let part = self.deeper(Self::signed)?;
            return Ok(Part { at, what: What::Negative(Box::new(part)) });
        }
        let base = self.primary()?;
        if self.take_sign("^") {
            let exponent = self.deeper(Self::signed)?;
            return Ok(pair(Sign::Power, base, exponent));
        }
        Ok(base)
    }

    fn primary(&mut self) -> Result<Part, FormulaError> {
        let at = self.at();
        let what = match self.peek().clone() {
            Word::Number(number) => {
                self.next += 1;
                let unit = match self.peek() {
                    Word::Unit(unit) => Some(unit.clone()),
                    _ => None,
                };
                self.next += usize::from(unit.is_some());
                What::Number(number, unit)
            }
            Word::Signal(name) => {
                self.next += 1;
                What::Signal(name)
            }
            Word::Name(name) if !KEYS.contains(&name.as_str()) => {
                self.next += 1;
                if self.take_sign("(") { What::Call(name, self.arguments()?) } else { What::Signal(name) }
            }
            Word::Sign("(") => {
                self.next += 1;
                let inner = self.choice()?;
                if !self.take_sign(")") {
                    return self.expected("`)`");
                }
                return Ok(inner);
            }
            _ => return self.expected("a number, a signal, a function or `(`"),
        };
        Ok(Part { at, what })
    }

    fn arguments(&mut self) -> Result<Vec<Part>, FormulaError> {
        let mut arguments = Vec::new();
        if self.take_sign(")") {
            return Ok(arguments);
        }
        loop {
            arguments.push(self.choice()?);
            if self.take_sign(")") {
                return Ok(arguments);
            }
            if !self.take_sign(",") {
                return self.expected("`,` or `)`");
            }
        }
    }
}

/// The place of a pair is that of its left part: errors name what does not fit.
fn pair(sign: Sign, left: Part, right: Part) -> Part {
    Part { at: left.at, what: What::Pair(sign, Box::new(left), Box::new(right)) }
}
