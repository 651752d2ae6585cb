//! Secrets: made from the system's randomness, kept as hashes.

use rand::TryRngCore;
use rand::rngs::OsRng;
use sha2::{Digest, Sha256};

/// Crockford's base 32 in lower case: no letters that look like digits.
const ALPHABET: &[u8; 32] = b"0123456789abcdefghjkmnpqrstvwxyz";

/// Characters of a key.
const KEY_LENGTH: usize = 24;

/// So many random characters.
///
/// # Panics
/// If the system gives no randomness: a secret that can be guessed must not be made.
#[must_use]
pub fn random(length: usize) -> String {
    let mut bytes = vec![0u8; length];
    if let Err(error) = OsRng.try_fill_bytes(&mut bytes) {
        // Without randomness no secret can be made, and a guessable one must not be.
        panic!("the system gives no randomness: {error}");
    }
    bytes.iter().map(|b| char::from(ALPHABET[usize::from(b & 31)])).collect()
}

/// A key for a sender: 24 characters, 120 bits, easy to type on a board.
#[must_use]
pub fn new_key() -> String {
    random(KEY_LENGTH)
}

/// Whether a text may be a key: it has a key's length and letters.
#[must_use]
pub fn looks_like_key(text: &str) -> bool {
    text.len() == KEY_LENGTH && text.bytes().all(|byte| ALPHABET.contains(&byte))
}

/// A secret for a session: 40 characters, 200 bits.
#[must_use]
pub fn new_token() -> String {
    random(40)
}

/// The hash a secret is kept and looked up by. Secrets are random and long, so
/// that a fast hash is enough; a look-up by hash tells nothing by its timing.
#[must_use]
pub fn hash(secret: &str) -> [u8; 32] {
    Sha256::digest(secret.as_bytes()).into()
}

/// The hash a client's certificate (DER) is kept and looked up by. What is hashed
/// differs from any secret, so that nobody can send a certificate, which is no
/// secret, as a key.
#[must_use]
pub fn hash_certificate(der: &[u8]) -> [u8; 32] {
    Sha256::new().chain_update(b"certificate\0").chain_update(der).finalize().into()
}

/// The first bytes of a certificate's SHA-256 fingerprint, to tell it from others.
#[must_use]
pub fn fingerprint(der: &[u8]) -> String {
    Sha256::digest(der).iter().take(4).map(|byte| format!("{byte:02x}")).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn secrets_differ_and_keep_to_the_alphabet() {
        let (a, b) = (new_key(), new_key());
        assert_ne!(a, b);
        assert_eq!(a.len(), 24);
        assert!(a.bytes().all(|c| ALPHABET.contains(&c)), "{a}");
    }
}
