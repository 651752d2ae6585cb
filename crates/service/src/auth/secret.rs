//! Secrets: made from the system's randomness, kept as hashes.

use rand::TryRngCore;
use rand::rngs::OsRng;
use sha2::{Digest, Sha256};
use std::sync::{Mutex, PoisonError};

/// Crockford's base 32 in lower case: no letters that look like digits.
const ALPHABET: &[u8; 32] = b"0123456789abcdefghjkmnpqrstvwxyz";

fn random(length: usize) -> String {
    let mut bytes = vec![0u8; length];
    if let Err(error) = OsRng.try_fill_bytes(&mut bytes) {
        // Without randomness no secret can be made, and a guessable one must not be.
        panic!("the system gives no randomness: {error}");
    }
    bytes.iter().map(|b| char::from(ALPHABET[usize::from(b & 31)])).collect()
}

/// A key for a sender: 24 characters, 120 bits, easy to type on a board.
pub(crate) fn new_key() -> String {
    random(24)
}

/// A secret for a session: 40 characters, 200 bits.
pub(crate) fn new_token() -> String {
    random(40)
}

/// The hash a secret is kept and looked up by. Secrets are random and long, so
/// that a fast hash is enough; a look-up by hash tells nothing by its timing.
pub(crate) fn hash(secret: &str) -> [u8; 32] {
    Sha256::digest(secret.as_bytes()).into()
}

/// The hash a client's certificate (DER) is kept and looked up by. What is hashed
/// differs from any secret, so that nobody can send a certificate, which is no
/// secret, as a key.
pub(crate) fn hash_certificate(der: &[u8]) -> [u8; 32] {
    Sha256::new().chain_update(b"certificate\0").chain_update(der).finalize().into()
}

/// The first bytes of a certificate's SHA-256 fingerprint, to tell it from others.
pub(crate) fn fingerprint(der: &[u8]) -> String {
    Sha256::digest(der).iter().take(4).map(|byte| format!("{byte:02x}")).collect()
}

/// The one-time code with which the first owner is made.
pub(crate) struct SetUpCode(Mutex<Option<String>>);

impl SetUpCode {
    /// A fresh code if one is needed.
    pub(crate) fn new(needed: bool) -> Self {
        Self(Mutex::new(needed.then(|| random(20))))
    }

    /// The code, while it can be used.
    pub(crate) fn current(&self) -> Option<String> {
        self.0.lock().unwrap_or_else(PoisonError::into_inner).clone()
    }

    /// Whether a code is the right one.
    pub(crate) fn matches(&self, code: &str) -> bool {
        // Hashes are compared, so that timing tells nothing of the code.
        self.current().is_some_and(|current| hash(&current) == hash(code.trim()))
    }

    /// Ends the code's use.
    pub(crate) fn spend(&self) {
        self.0.lock().unwrap_or_else(PoisonError::into_inner).take();
    }
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

    #[test]
    fn a_set_up_code_works_until_spent() {
        let code = SetUpCode::new(true);
        let current = code.current().unwrap();
        assert!(code.matches(&current) && !code.matches("other"));
        code.spend();
        assert!(!code.matches(&current));
        assert!(!SetUpCode::new(false).matches(""));
    }
}
