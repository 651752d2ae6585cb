//! Passwords, by Argon2id.

use argon2::password_hash::phc::PasswordHash;
use argon2::{Argon2, PasswordHasher, PasswordVerifier};
use tokio::sync::Semaphore;

/// The fewest characters of a password.
const MIN_LENGTH: usize = 10;
/// A hash of no password in use, to be checked against when there is none.
const NOBODY: &str =
    "$argon2id$v=19$m=19456,t=2,p=1$c29tZXNhbHRzb21lc2FsdA$1kBq6YKXOJxbRhv2VXkZ0mxJT4vbHY4LG0zHkY7l0Gs";
/// The most bytes of a password: hashing is costly and must be bounded.
const MAX_LENGTH: usize = 256;

/// Hashing is meant to be costly, so that only so many go on at a time; others wait.
static HASHING: Semaphore = Semaphore::const_new(2);

/// Why a password will not do.
#[derive(Debug, thiserror::Error)]
pub(crate) enum PasswordError {
    #[error("at least {MIN_LENGTH} characters are needed")]
    TooShort,
    #[error("at most {MAX_LENGTH} bytes are possible")]
    TooLong,
    #[error("it could not be hashed")]
    Failed,
}

/// Hashes a password with a fresh salt, in PHC form. Takes some 20 ms and 19 MiB,
/// so it runs on a thread of its own.
pub(crate) async fn hash_password(password: String) -> Result<String, PasswordError> {
    if password.chars().count() < MIN_LENGTH {
        return Err(PasswordError::TooShort);
    }
    if password.len() > MAX_LENGTH {
        return Err(PasswordError::TooLong);
    }
    let hashing = move || {
        let hash: Result<PasswordHash, _> = Argon2::default().hash_password(password.as_bytes());
        hash.map(|hash| hash.to_string()).map_err(|_| PasswordError::Failed)
    };
    let _turn = HASHING.acquire().await;
    tokio::task::spawn_blocking(hashing).await.unwrap_or(Err(PasswordError::Failed))
}

/// Whether a password belongs to a hash. Without a hash the same work is done
/// for nothing, so that timing does not tell whether a name exists.
pub(crate) async fn verify_password(password: String, hash: Option<String>) -> bool {
    if password.len() > MAX_LENGTH {
        return false;
    }
    let checking = move || {
        let is_someone = hash.is_some();
        let hash = hash.unwrap_or_else(|| NOBODY.to_owned());
        let matches = PasswordHash::new(&hash)
            .is_ok_and(|hash| Argon2::default().verify_password(password.as_bytes(), &hash).is_ok());
        is_someone && matches
    };
    let _turn = HASHING.acquire().await;
    tokio::task::spawn_blocking(checking).await.unwrap_or(false)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[tokio::test]
    async fn only_the_right_password_matches() {
        let hash = hash_password("steam and brass".into()).await.unwrap();
        assert!(hash.starts_with("$argon2id$"), "{hash}");
        assert!(verify_password("steam and brass".into(), Some(hash.clone())).await);
        assert!(!verify_password("steam and bras".into(), Some(hash)).await);
        assert!(!verify_password("steam and brass".into(), None).await);
    }

    #[test]
    fn the_hash_of_nobody_is_a_real_one() {
        assert!(PasswordHash::new(NOBODY).is_ok());
    }

    #[tokio::test]
    async fn short_and_huge_passwords_are_refused() {
        assert!(matches!(hash_password("too short".into()).await, Err(PasswordError::TooShort)));
        assert!(matches!(hash_password("x".repeat(300)).await, Err(PasswordError::TooLong)));
    }
}
