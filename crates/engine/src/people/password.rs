//! Passwords, by Argon2id.

use super::common;
use argon2::password_hash::phc::PasswordHash;
use argon2::{Argon2, PasswordHasher, PasswordVerifier};
use std::sync::atomic::{AtomicUsize, Ordering};
use tokio::sync::{Semaphore, SemaphorePermit};

/// The fewest characters of a password.
const MIN_LENGTH: usize = 10;
/// A hash of no password in use, to be checked against when there is none.
const NOBODY: &str =
    "$argon2id$v=19$m=19456,t=2,p=1$c29tZXNhbHRzb21lc2FsdA$1kBq6YKXOJxbRhv2VXkZ0mxJT4vbHY4LG0zHkY7l0Gs";
/// The most bytes of a password: hashing is costly and must be bounded.
const MAX_LENGTH: usize = 256;

/// Hashing is meant to be costly, so that only so many go on at a time; others wait.
static HASHING: Semaphore = Semaphore::const_new(2);
/// How many wait.
static WAITING: AtomicUsize = AtomicUsize::new(0);
/// How many may wait: some two seconds of work.
const MAX_WAITING: usize = 64;

/// Why a password will not do.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
pub(crate) enum PasswordError {
    #[error("at least {MIN_LENGTH} characters are needed")]
    TooShort,
    #[error("at most {MAX_LENGTH} bytes are possible")]
    TooLong,
    #[error(
        "it is one of the commonest, or little more than one; three or four words that do not belong together are better"
    )]
    Common,
    #[error("it is little more than the name it is for")]
    Name,
    #[error("too many passwords are being checked at once")]
    Busy,
    #[error("it could not be hashed")]
    Failed,
}

/// A turn at hashing.
async fn turn() -> Result<SemaphorePermit<'static>, PasswordError> {
    /// One that waits.
    struct Place;
    impl Drop for Place {
        fn drop(&mut self) {
            WAITING.fetch_sub(1, Ordering::Relaxed);
        }
    }
    let before = WAITING.fetch_add(1, Ordering::Relaxed);
    let _place = Place;
    if before >= MAX_WAITING {
        return Err(PasswordError::Busy);
    }
    HASHING.acquire().await.map_err(|_| PasswordError::Failed)
}

/// Whether a password will do for someone of a name.
pub(crate) fn check(password: &str, name: &str) -> Result<(), PasswordError> {
    if password.chars().count() < MIN_LENGTH {
        return Err(PasswordError::TooShort);
    }
    if password.len() > MAX_LENGTH {
        return Err(PasswordError::TooLong);
    }
    if common::is_about(password, name) {
        return Err(PasswordError::Name);
    }
    if common::is_common(password) {
        return Err(PasswordError::Common);
    }
    Ok(())
}

/// Hashes a password that will do for someone of a name with a fresh salt, in PHC form. Takes some
/// 20 ms and 19 MiB, so it runs on a thread of its own.
pub(crate) async fn hash_password(password: String, name: &str) -> Result<String, PasswordError> {
    check(&password, name)?;
    let hashing = move || {
        let hash: Result<PasswordHash, _> = Argon2::default().hash_password(password.as_bytes());
        hash.map(|hash| hash.to_string()).map_err(|_| PasswordError::Failed)
    };
    let _turn = turn().await?;
    tokio::task::spawn_blocking(hashing).await.unwrap_or(Err(PasswordError::Failed))
}

/// Whether a password belongs to a hash. Without a hash, and for one that is too long to be one, the same
/// work is done for nothing, so that timing does not tell whether a name exists.
///
/// # Errors
/// [`PasswordError::Busy`] if too many wait for their turn.
pub(crate) async fn verify_password(mut password: String, hash: Option<String>) -> Result<bool, PasswordError> {
    let is_possible = hash.is_some() && password.len() <= MAX_LENGTH;
    if password.len() > MAX_LENGTH {
        password.clear();
    }
    let checking = move || {
        let hash = hash.unwrap_or_else(|| NOBODY.to_owned());
        let matches = PasswordHash::new(&hash)
            .is_ok_and(|hash| Argon2::default().verify_password(password.as_bytes(), &hash).is_ok());
        is_possible && matches
    };
    let _turn = turn().await?;
    tokio::task::spawn_blocking(checking).await.map_err(|_| PasswordError::Failed)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[tokio::test]
    async fn only_the_right_password_matches() {
        let hash = hash_password("steam and brass".into(), "ann").await.unwrap();
        assert!(hash.starts_with("$argon2id$"), "{hash}");
        assert_eq!(verify_password("steam and brass".into(), Some(hash.clone())).await, Ok(true));
        assert_eq!(verify_password("steam and bras".into(), Some(hash.clone())).await, Ok(false));
        assert_eq!(verify_password("steam and brass".into(), None).await, Ok(false));
        assert_eq!(verify_password("x".repeat(300), Some(hash)).await, Ok(false));
    }

    #[test]
    fn the_hash_of_nobody_is_a_real_one() {
        assert!(PasswordHash::new(NOBODY).is_ok());
    }

    #[test]
    fn what_will_not_do_is_said() {
        let cases = [
            ("too short", Err(PasswordError::TooShort)),
            ("1234567890", Err(PasswordError::Common)),
            ("Password123!", Err(PasswordError::Common)),
            ("qwertyuiop", Err(PasswordError::Common)),
            ("aaaaaaaaaaaa", Err(PasswordError::Common)),
            ("abababababab", Err(PasswordError::Common)),
            ("signalwoman1985", Err(PasswordError::Name)),
            ("steam and brass", Ok(())),
            ("correct horse battery", Ok(())),
            ("пароль на сегодня", Ok(())),
        ];
        for (password, result) in cases {
            assert_eq!(check(password, "Signalwoman"), result, "{password}");
        }
        assert_eq!(check(&"xyz ".repeat(80), "ann"), Err(PasswordError::TooLong));
        assert_eq!(check("ann likes steam", "ann"), Ok(()), "a short name may stand in it");
    }
}
