//! Codes: the short names of sites, devices and signals in addresses, commands
//! and topics.

/// The most characters a code may have.
pub const MAX_LENGTH: usize = 64;

/// Why a text cannot be a code.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum CodeError {
    /// No characters.
    #[error("a code needs at least one character")]
    Empty,
    /// Over [`MAX_LENGTH`] characters.
    #[error("a code has at most {MAX_LENGTH} characters")]
    TooLong,
    /// A character outside the permitted ones.
    #[error("`{0}` cannot be in a code; use {1}")]
    BadCharacter(char, &'static str),
}

/// Checks the code of a site or device: `a-z`, `0-9`, `-`.
///
/// # Errors
/// [`CodeError`] says which rule is broken.
pub fn check_place(code: &str) -> Result<(), CodeError> {
    check(code, "a-z, 0-9 and -", |c| c.is_ascii_lowercase() || c.is_ascii_digit() || c == '-')
}

/// Checks the code of a signal, which is also the name a sender uses: letters,
/// digits, `-`, `_`, `.`.
///
/// # Errors
/// [`CodeError`] says which rule is broken.
pub fn check_signal(code: &str) -> Result<(), CodeError> {
    check(code, "letters, digits, - _ and .", |c| c.is_ascii_alphanumeric() || matches!(c, '-' | '_' | '.'))
}

fn check(code: &str, permitted: &'static str, is_permitted: fn(char) -> bool) -> Result<(), CodeError> {
    if code.is_empty() {
        return Err(CodeError::Empty);
    }
    if let Some(bad) = code.chars().find(|&c| !is_permitted(c)) {
        return Err(CodeError::BadCharacter(bad, permitted));
    }
    if code.len() > MAX_LENGTH { Err(CodeError::TooLong) } else { Ok(()) }
}

/// Proposes a place code for a name: `Water tower, Hobb Halt` becomes
/// `water-tower-hobb-halt`. Empty if the name has no letter or digit of ASCII.
#[must_use]
pub fn propose(name: &str) -> String {
    let words: Vec<String> = name
        .split(|c: char| !c.is_ascii_alphanumeric())
        .filter(|word| !word.is_empty())
        .map(str::to_ascii_lowercase)
        .collect();
    let mut code = words.join("-");
    code.truncate(MAX_LENGTH);
    code.trim_end_matches('-').to_owned()
}

/// Proposes the code of the `number`th thing of a name, counted from 1: `tower`, `tower-2`. A
/// name without a letter or digit of ASCII is called `device`.
#[must_use]
pub fn propose_numbered(name: &str, number: u32) -> String {
    let mut code = propose(name);
    if code.is_empty() {
        "device".clone_into(&mut code);
    }
    if number > 1 {
        let number = format!("-{number}");
        code.truncate(MAX_LENGTH - number.len());
        code = code.trim_end_matches('-').to_owned() + &number;
    }
    code
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn things_of_one_name_are_numbered() {
        let long = "x".repeat(90);
        for (name, number, expected) in [
            ("Water tower", 1, "water-tower".to_owned()),
            ("Water tower", 2, "water-tower-2".to_owned()),
            ("井戸", 1, "device".to_owned()),
            ("井戸", 12, "device-12".to_owned()),
            (&long, 10, format!("{}-10", "x".repeat(MAX_LENGTH - 3))),
        ] {
            let code = propose_numbered(name, number);
            assert_eq!(code, expected);
            assert_eq!(check_place(&code), Ok(()), "{code}");
        }
    }

    #[test]
    fn place_codes_are_lower_case() {
        assert_eq!(check_place("shed-1"), Ok(()));
        assert_eq!(check_place(""), Err(CodeError::Empty));
        assert!(matches!(check_place("Shed"), Err(CodeError::BadCharacter('S', _))));
        assert!(matches!(check_place("a/b"), Err(CodeError::BadCharacter('/', _))));
        assert_eq!(check_place(&"a".repeat(64)), Ok(()));
        assert_eq!(check_place(&"a".repeat(65)), Err(CodeError::TooLong));
    }

    #[test]
    fn signal_codes_may_carry_dots_and_capitals() {
        assert_eq!(check_signal("env.Temp_2"), Ok(()));
        assert!(matches!(check_signal("température"), Err(CodeError::BadCharacter('é', _))));
    }

    proptest! {
        #[test]
        fn a_proposal_is_a_code_or_empty(name in ".{0,100}") {
            let code = propose(&name);
            prop_assert!(code.is_empty() || check_place(&code).is_ok());
        }
    }
}
