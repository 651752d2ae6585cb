//! From characters to words.

use super::FormulaError;

/// A word of a formula.
#[derive(Debug, Clone, PartialEq)]
pub(super) enum Word {
    Number(f64),
    /// A name of letters, digits and `_`: a signal, a function or a key word.
    Name(String),
    /// A signal in braces, whose name may hold anything else.
    Signal(String),
    /// A unit in double quotes.
    Unit(String),
    /// `+`, `<=`, `(` and the like.
    Sign(&'static str),
    End,
}

const SIGNS: [&str; 15] = ["<=", ">=", "<>", "+", "-", "*", "/", "^", "(", ")", ",", "<", ">", "=", ";"];

/// All words with the places (in characters) at which they begin; the last is the end.
pub(super) fn words(text: &str) -> Result<Vec<(Word, usize)>, FormulaError> {
    let chars: Vec<char> = text.chars().collect();
    if chars.len() > super::MAX_LENGTH {
        return Err(FormulaError::new(
            super::MAX_LENGTH,
            format!("a formula has at most {} characters", super::MAX_LENGTH),
        ));
    }
    let mut words = Vec::new();
    let mut at = 0;
    while at < chars.len() {
        let first = chars[at];
        if first.is_whitespace() {
            at += 1;
            continue;
        }
        let start = at;
        let word = if first.is_ascii_digit() || (first == '.' && chars.get(at + 1).is_some_and(char::is_ascii_digit)) {
            number(&chars, &mut at)?
        } else if first.is_ascii_alphabetic() || first == '_' {
            at += chars[at..].iter().take_while(|c| c.is_ascii_alphanumeric() || **c == '_').count();
            Word::Name(chars[start..at].iter().collect())
        } else if first == '{' {
            Word::Signal(enclosed(&chars, &mut at, '}', "`}` to end the name of the signal")?)
        } else if first == '"' {
            Word::Unit(enclosed(&chars, &mut at, '"', "`\"` to end the unit")?)
        } else {
            let is_here = |sign: &&&str| sign.chars().eq(chars[at..].iter().copied().take(sign.chars().count()));
            let sign = SIGNS
                .iter()
                .find(is_here)
                .ok_or_else(|| FormulaError::new(at, format!("`{first}` means nothing here")))?;
            at += sign.len();
            Word::Sign(sign)
        };
        words.push((word, start));
    }
    words.push((Word::End, chars.len()));
    Ok(words)
}

fn number(chars: &[char], at: &mut usize) -> Result<Word, FormulaError> {
    let start = *at;
    let digits = |at: &mut usize| *at += chars[*at..].iter().take_while(|c| c.is_ascii_digit()).count();
    digits(at);
    if chars.get(*at) == Some(&'.') {
        *at += 1;
        digits(at);
    }
    if matches!(chars.get(*at), Some('e' | 'E')) {
        let sign = usize::from(matches!(chars.get(*at + 1), Some('+' | '-')));
        if chars.get(*at + 1 + sign).is_some_and(char::is_ascii_digit) {
            *at += 1 + sign;
            digits(at);
        }
    }
    let text: String = chars[start..*at].iter().collect();
    match text.parse::<f64>() {
        Ok(number) if number.is_finite() => Ok(Word::Number(number)),
        _ => Err(FormulaError::new(start, format!("`{text}` is no number"))),
    }
}

fn enclosed(chars: &[char], at: &mut usize, end: char, expected: &str) -> Result<String, FormulaError> {
    let start = *at + 1;
    let Some(length) = chars[start..].iter().position(|c| *c == end) else {
        return Err(FormulaError::new(chars.len(), format!("{expected} was expected")));
    };
    *at = start + length + 1;
    Ok(chars[start..start + length].iter().collect())
}
