//! People: who comes in, with which password, and what becomes of their log-ins.
//!
//! | file | holds |
//! |---|---|
//! | `account` | what people change of themselves |
//! | `common` | passwords that many people choose |
//! | `invitations` | one-time addresses |
//! | `members` | roles on a site, and people of the service |
//! | `password` | hashing |
//! | `second` | one-time codes (RFC 6238) |
//! | `sessions` | log-ins and tokens |

mod account;
mod common;
mod invitations;
mod members;
mod password;
mod second;
mod sessions;

pub use invitations::{Made, shown as shown_invitation};
pub use sessions::{Opened, Wanted};

use crate::clock;
use crate::problem::{Class, Problem};
use crate::secret;
use lantern_core::Moment;
use lantern_store::{Person, Store, StoreError};
use password::PasswordError;
use std::collections::HashMap;
use std::sync::{Arc, Mutex};

/// People, their log-ins and invitations.
pub struct People {
    store: Arc<Store>,
    /// When and from where sessions were used, as far as it is not written yet.
    used: Mutex<HashMap<i64, (Moment, String)>>,
}

impl People {
    pub(crate) fn new(store: Arc<Store>) -> Self {
        Self { store, used: Mutex::default() }
    }

    /// Makes the first person, who is an administrator.
    ///
    /// # Errors
    /// A [`Problem`] if there is someone already, or name or password will not do.
    pub async fn make_first(&self, name: &str, password: String) -> Result<Person, Problem> {
        let name = check_person_name(name)?;
        let hash = new_hash("password", password, name).await?;
        self.store.add_first_person(name, &hash, clock::now()).await.map_err(|error| match error {
            StoreError::Taken => already_set_up(),
            other => other.into(),
        })
    }

    /// The person who knows name, password and, where one is set up, a code of the second factor.
    ///
    /// # Errors
    /// A [`Problem`]: they do not belong together (`wrong-log-in`), or the second factor is missing
    /// (`second-factor-needed`), or too many passwords are being checked.
    pub async fn log_in(&self, name: &str, password: String, second: Option<&str>) -> Result<Person, Problem> {
        let person = match self.store.person_by_name(name.trim()).await {
            Ok(person) => Some(person),
            Err(StoreError::NotFound) => None,
            Err(other) => return Err(other.into()),
        };
        let hash = person.as_ref().map(|person| person.password_hash.clone());
        let is_right = password::verify_password(password, hash).await.map_err(cannot_check)?;
        match person.filter(|_| is_right) {
            Some(person) => self.check_second(&person, second).await.map(|()| person),
            None => Err(Problem::new(
                Class::NotKnown,
                "wrong-log-in",
                "Not logged in",
                "Name and password do not belong together.",
                "Check both; after some failures each attempt has to wait longer.",
            )),
        }
    }

    /// That it is still the same person who asks for something that matters.
    async fn check_password(&self, field: &str, person: &Person, password: String) -> Result<(), Problem> {
        let is_right = password::verify_password(password, Some(person.password_hash.clone())).await;
        if is_right.map_err(cannot_check)? {
            return Ok(());
        }
        Err(Problem::new(
            Class::NotAllowed,
            "wrong-password",
            "Wrong password",
            format!("`{field}` is not your password."),
            "Type the password you log in with.",
        ))
    }

    async fn check_second(&self, person: &Person, second: Option<&str>) -> Result<(), Problem> {
        let Some(factor) = person.second.as_ref().filter(|factor| factor.since.is_some()) else { return Ok(()) };
        let Some(code) = second.map(str::trim).filter(|code| !code.is_empty()) else {
            return Err(Problem::new(
                Class::NotKnown,
                "second-factor-needed",
                "The second factor is missing",
                "This person has set up a second factor.",
                "Send the six digits that the app shows, or one of the recovery codes, as `second`.",
            ));
        };
        let is_right = match second::step_of_code(&factor.secret, code, clock::now()) {
            // A code is good once, so that one who has looked on cannot use it again.
            Some(step) => self.store.use_second_step(person.id, step).await?,
            None => self.store.use_recovery_code(person.id, &secret::hash(&code.to_lowercase())).await?,
        };
        if is_right {
            return Ok(());
        }
        Err(Problem::new(
            Class::NotKnown,
            "wrong-second-factor",
            "Wrong code",
            "This is not the code of this half minute, or it was used before.",
            "Wait for the next code; check that the telephone's clock is right; or use a recovery code.",
        ))
    }
}

/// The name people log in with.
fn check_person_name(name: &str) -> Result<&str, Problem> {
    let name = name.trim();
    if name.is_empty() || name.chars().count() > 80 || name.chars().any(|c| c.is_control() || c == '/') {
        return Err(Problem::invalid("name", "a name has 1 to 80 characters, and no stroke"));
    }
    Ok(name)
}

async fn new_hash(field: &str, password: String, name: &str) -> Result<String, Problem> {
    password::hash_password(password, name).await.map_err(|error| match error {
        PasswordError::Busy | PasswordError::Failed => cannot_check(error),
        other => Problem::invalid(field, other),
    })
}

fn cannot_check(error: PasswordError) -> Problem {
    let mut problem = Problem::new(
        Class::Unavailable,
        "too-many-log-ins",
        "Too many log-ins at once",
        format!("The password was not checked: {error}."),
        "Try again in a few seconds.",
    );
    problem.retry_after = Some(5);
    problem
}

/// The first person was made before.
#[must_use]
pub fn already_set_up() -> Problem {
    Problem::new(
        Class::Conflict,
        "already-set-up",
        "Already set up",
        "This service has its first person.",
        "Log in instead.",
    )
}
