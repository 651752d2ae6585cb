//! The grammar of UCUM: products, quotients, powers, prefixes, annotations.

use super::UnitError;
use super::atoms::{Kind, PREFIXES, kind};

const MAX_BYTES: usize = 64;
const MAX_DEPTH: usize = 8;

/// Checks a code against grammar and tables.
pub(super) fn check(code: &str) -> Result<(), UnitError> {
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
    parser.main_term()?;
    match parser.special {
        Some(unit) if parser.components > 1 => Err(UnitError::Special(unit)),
        _ => Ok(()),
    }
}

struct Parser<'a> {
    code: &'a str,
    at: usize,
    /// Components and powers met so far: a special unit must be the only one.
    components: usize,
    special: Option<String>,
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

    fn main_term(&mut self) -> Result<(), UnitError> {
        if self.take(b'/') {
            self.components += 1;
        }
        self.term(0)?;
        if self.at == self.code.len() { Ok(()) } else { self.expected("`.`, `/` or the end") }
    }

    fn term(&mut self, depth: usize) -> Result<(), UnitError> {
        self.component(depth)?;
        while self.take(b'.') || self.take(b'/') {
            self.component(depth)?;
        }
        Ok(())
    }

    fn component(&mut self, depth: usize) -> Result<(), UnitError> {
        match self.peek() {
            Some(b'(') if depth < MAX_DEPTH => {
                self.at += 1;
                self.term(depth + 1)?;
                if self.take(b')') { Ok(()) } else { self.expected("`)`") }
            }
            Some(b'(') => self.expected("less nesting"),
            Some(b'{') => self.annotation(),
            Some(_) => {
                self.components += 1;
                self.unit()?;
                if self.peek() == Some(b'{') { self.annotation() } else { Ok(()) }
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

    fn unit(&mut self) -> Result<(), UnitError> {
        let name = self.name();
        let rest = &self.code[self.at + name.len()..];
        if name.is_empty() {
            return self.expected("a unit");
        }
        if name.bytes().all(|b| b.is_ascii_digit()) {
            if rest.starts_with(['*', '^']) && name == "10" {
                self.at += 3;
                return self.exponent();
            }
            self.at += name.len();
            return Ok(());
        }
        // The exponent belongs to the longest name that ends in a letter.
        let base = name.trim_end_matches(|c: char| c.is_ascii_digit()).trim_end_matches(['+', '-']);
        let base = if kind(name).is_some() { name } else { base };
        match resolve(base)? {
            Kind::Special | Kind::SpecialMetric => self.special = Some(base.to_owned()),
            Kind::Metric | Kind::Plain => {}
        }
        self.at += base.len();
        self.exponent()
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

    fn exponent(&mut self) -> Result<(), UnitError> {
        let start = self.at;
        let signed = self.take(b'+') || self.take(b'-');
        let digits = self.code[self.at..].bytes().take_while(u8::is_ascii_digit).count();
        self.at += digits;
        if signed && digits == 0 {
            return self.expected("digits");
        }
        if self.at > start {
            self.components += 1;
        }
        Ok(())
    }
}

fn resolve(name: &str) -> Result<Kind, UnitError> {
    if let Some(kind) = kind(name) {
        return Ok(kind);
    }
    for prefix in PREFIXES {
        let Some(kind) = name.strip_prefix(prefix).and_then(kind) else { continue };
        return match kind {
            Kind::Metric | Kind::SpecialMetric => Ok(kind),
            Kind::Plain | Kind::Special => Err(UnitError::NotMetric(name[prefix.len()..].to_owned())),
        };
    }
    Err(UnitError::Unknown(name.to_owned()))
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
