//! What people change of themselves.

use super::{People, check_person_name, new_hash, second};
use crate::checks::check_zone;
use crate::clock;
use crate::problem::{Class, Problem};
use crate::secret;
use lantern_api as api;
use lantern_store::{Person, PersonChange, StoreError};
use rand::TryRngCore;
use rand::rngs::OsRng;

/// Addresses of one person, and characters of each.
const MOST_ADDRESSES: usize = 8;
const MOST_CHARACTERS: usize = 120;
/// Recovery codes made at a time, and characters of each: 80 bits.
const RECOVERY_CODES: usize = 10;
const RECOVERY_LENGTH: usize = 16;
/// Sites shown with an account.
pub(super) const MOST_SITES: u32 = 1_000;

impl People {
    /// What a person has here.
    ///
    /// # Errors
    /// A [`Problem`] if the database fails.
    pub async fn account(&self, person: &Person) -> Result<api::Account, Problem> {
        let since = person.second.as_ref().and_then(|factor| factor.since);
        Ok(api::Account {
            name: person.name.clone(),
            is_administrator: person.is_administrator,
            decimal_mark: person.decimal_mark,
            zone: person.zone.clone(),
            addresses: person.addresses.clone(),
            second_factor_since: since.map(|at| at.to_string()),
            recovery_codes: self.store.recovery_codes_left(person.id).await?,
            sites: self.sites_of(person.id).await?,
        })
    }

    pub(super) async fn sites_of(&self, person: i64) -> Result<Vec<api::AccountSite>, Problem> {
        let mut sites = Vec::new();
        for joined in self.store.joined(person, MOST_SITES).await? {
            match self.store.site_by_id(joined.site).await {
                Ok(site) => sites.push(api::AccountSite { code: site.code, name: site.name, role: joined.role }),
                // It was removed and can still be brought back.
                Err(StoreError::NotFound) => {}
                Err(other) => return Err(other.into()),
            }
        }
        Ok(sites)
    }

    /// Changes what a person wants changed of themselves.
    ///
    /// # Errors
    /// A [`Problem`] that says what cannot be so.
    pub async fn change_account(&self, person: &Person, change: api::AccountChange) -> Result<Person, Problem> {
        let change = PersonChange {
            name: change.name.as_deref().map(check_person_name).transpose()?.map(str::to_owned),
            decimal_mark: change.decimal_mark,
            zone: match change.zone {
                Some(Some(zone)) => Some(Some(check_zone(&zone)?.to_owned())),
                other => other,
            },
            addresses: change.addresses.map(check_addresses).transpose()?,
        };
        let name = change.name.clone().unwrap_or_default();
        self.store.change_person(person.id, &change).await.map_err(|error| taken(error, &name))
    }

    /// Changes a password, and ends all other log-ins and tokens of its person.
    ///
    /// # Errors
    /// A [`Problem`] if the old one is wrong or the new one will not do.
    pub async fn change_password(&self, person: &Person, this: i64, change: api::NewPassword) -> Result<(), Problem> {
        self.check_password("old", person, change.old).await?;
        let hash = new_hash("new", change.new, &person.name).await?;
        Ok(self.store.set_password(person.id, &hash, Some(this)).await?)
    }

    /// Offers a second factor; it is asked for from its first code on.
    ///
    /// # Errors
    /// A [`Problem`] if the password is wrong, or there is one already.
    pub async fn offer_second(&self, person: &Person, password: String) -> Result<api::SecondFactorOffer, Problem> {
        self.check_password("password", person, password).await?;
        let mut bytes = [0u8; second::SECRET_BYTES];
        OsRng.try_fill_bytes(&mut bytes).map_err(|_| Problem::storage())?;
        self.store.propose_second(person.id, &bytes).await.map_err(|error| match error {
            StoreError::NotFound => Problem::new(
                Class::Conflict,
                "has-second-factor",
                "There is one already",
                "A second factor is set up already.",
                "End it first, then set up the new one.",
            ),
            other => other.into(),
        })?;
        Ok(api::SecondFactorOffer { secret: second::written(&bytes), address: second::address(&bytes, &person.name) })
    }

    /// From now on the second factor is asked for. Gives the codes that stand in for it.
    ///
    /// # Errors
    /// A [`Problem`] if the code is wrong, or none was offered.
    pub async fn begin_second(&self, person: &Person, code: &str) -> Result<api::RecoveryCodes, Problem> {
        let factor = person.second.as_ref().filter(|factor| factor.since.is_none()).ok_or_else(|| {
            Problem::new(
                Class::Conflict,
                "no-second-factor",
                "There is none to begin with",
                "No second factor waits for its first code.",
                "Ask for a secret first.",
            )
        })?;
        let now = clock::now();
        let step = second::step_of_code(&factor.secret, code, now)
            .ok_or_else(|| Problem::invalid("code", "this is not the code of this half minute"))?;
        let codes: Vec<String> = (0..RECOVERY_CODES).map(|_| secret::random(RECOVERY_LENGTH)).collect();
        let hashes: Vec<Vec<u8>> = codes.iter().map(|code| secret::hash(code).to_vec()).collect();
        self.store.begin_second(person.id, &hashes, now).await?;
        self.store.use_second_step(person.id, step).await?;
        Ok(api::RecoveryCodes { codes })
    }

    /// The second factor is asked for no more.
    ///
    /// # Errors
    /// A [`Problem`] if the password is wrong.
    pub async fn end_second(&self, person: &Person, password: String) -> Result<(), Problem> {
        self.check_password("password", person, password).await?;
        Ok(self.store.end_second(person.id).await?)
    }

    /// Leaves a site.
    ///
    /// # Errors
    /// A [`Problem`] if the person has no role there.
    pub async fn leave(&self, person: &Person, code: &str) -> Result<(), Problem> {
        let site = crate::find::site(&self.store, code).await?;
        self.store.remove_member(site.id, person.id).await.map_err(|e| Problem::missing(e, "site", code))
    }
}

/// A name that somebody has or had.
pub(super) fn taken(error: StoreError, name: &str) -> Problem {
    match error {
        StoreError::Taken => Problem::new(
            Class::Conflict,
            "taken",
            "Already taken",
            format!("Somebody is, or was, called `{name}` here."),
            "Choose another name: a name is given once, so that the record stays true.",
        ),
        other => other.into(),
    }
}

fn check_addresses(addresses: Vec<String>) -> Result<Vec<String>, Problem> {
    if addresses.len() > MOST_ADDRESSES {
        return Err(Problem::invalid("addresses", format_args!("at most {MOST_ADDRESSES}")));
    }
    let trimmed = addresses.into_iter().map(|address| address.trim().to_owned()).filter(|address| !address.is_empty());
    trimmed.map(|address| if is_address(&address) { Ok(address) } else { Err(not_an_address(&address)) }).collect()
}

/// Whether it can be a mail address or a telephone number with its country code (E.164).
fn is_address(address: &str) -> bool {
    let is_short = address.chars().count() <= MOST_CHARACTERS && !address.chars().any(char::is_control);
    let digits = || address.chars().filter(char::is_ascii_digit).count();
    let is_number = address.starts_with('+')
        && address[1..].chars().all(|c| c.is_ascii_digit() || " -().".contains(c))
        && (7..=15).contains(&digits());
    let is_mail = address.split_once('@').is_some_and(|(whom, place)| {
        !whom.is_empty() && place.contains('.') && !place.contains('@') && !address.contains(char::is_whitespace)
    });
    is_short && (is_number || is_mail)
}

fn not_an_address(address: &str) -> Problem {
    Problem::invalid(
        "addresses",
        format_args!(
            "`{address}` is neither a mail address nor a telephone number that begins with + and the country code"
        ),
    )
}

#[cfg(test)]
mod tests {
    use super::is_address;

    #[test]
    fn mail_addresses_and_telephone_numbers_are_told_from_other_words() {
        for good in ["ann@marlbeck.example", "+44 1632 960 001", "+44-(0)1632-960002"] {
            assert!(is_address(good), "{good}");
        }
        for bad in ["ann", "ann@home", "01632 960001", "+44", "a b@c.example", "@c.example", "+44 ring ann"] {
            assert!(!is_address(bad), "{bad}");
        }
    }
}
