//! Passwords that many people choose.
//!
//! `common.bin` holds the first six bytes of the SHA-256 of each of the 28,000 commonest passwords of
//! six characters or more, in order. They come from the frequency lists of the crate `zxcvbn`
//! (MIT licence, copyright 2016 Joshua Holmer). Hashes are kept because the list is no reading
//! matter, and because they are found without a map in memory.

use crate::secret::hash;

/// Bytes of each hash.
const WIDTH: usize = 6;
static HASHES: &[u8] = include_bytes!("common.bin");
/// The shortest repeated piece that is looked for is one character, the longest this many.
const MAX_PIECE: usize = 4;

/// Whether a password is one of the commonest, or one with digits and signs around it, or a short
/// piece again and again.
pub(super) fn is_common(password: &str) -> bool {
    let lower = password.to_lowercase();
    let core = lower.trim_matches(|c: char| !c.is_alphabetic());
    is_listed(&lower) || is_listed(core) || is_repeated(&lower)
}

/// Whether a password is little more than a name: the name with digits and signs around it.
pub(super) fn is_about(password: &str, name: &str) -> bool {
    let letters = |text: &str| text.to_lowercase().chars().filter(|c| c.is_alphabetic()).collect::<String>();
    letters(password) == letters(name)
}

fn is_listed(text: &str) -> bool {
    let wanted = &hash(text)[..WIDTH];
    let (mut low, mut high) = (0, HASHES.len() / WIDTH);
    while low < high {
        let middle = low.midpoint(high);
        match HASHES[middle * WIDTH..(middle + 1) * WIDTH].cmp(wanted) {
            std::cmp::Ordering::Less => low = middle + 1,
            std::cmp::Ordering::Greater => high = middle,
            std::cmp::Ordering::Equal => return true,
        }
    }
    false
}

fn is_repeated(text: &str) -> bool {
    let characters: Vec<char> = text.chars().collect();
    (1..=MAX_PIECE).any(|piece| {
        characters.len() >= 2 * piece && characters.iter().enumerate().all(|(at, c)| *c == characters[at % piece])
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_list_is_in_order_and_whole() {
        assert_eq!(HASHES.len() % WIDTH, 0);
        let all: Vec<&[u8]> = HASHES.chunks(WIDTH).collect();
        assert!(all.len() > 25_000 && all.is_sorted());
        for common in ["password", "123456", "dragon", "1qaz2wsx3edc"] {
            assert!(is_listed(common), "{common}");
        }
        assert!(!is_listed("steam and brass"));
    }
}
