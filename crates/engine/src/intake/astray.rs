//! Who asked at an address where nothing is: most often a sender whose address was
//! mistyped, which hears of it only if somebody tells.

use super::{Credential, Intake, Line, owners};
use crate::clock;
use crate::problem::{Class, Problem};
use crate::secret;
use lantern_api::ContactDetails;
use lantern_core::nearest::nearest;
use lantern_store::Caller;

/// The first parts of the addresses there are for senders and programs.
const ROOTS: [&str; 6] = ["in", "do", "done", "lamp", "mqtt", "api"];

/// A request that nothing answers.
pub struct Astray<'a> {
    /// How it came, for the contact log.
    pub protocol: &'static str,
    /// Its address without the query.
    pub path: &'a str,
    /// The key beside the address.
    pub credential: Option<Credential<'a>>,
    /// Where it came from.
    pub from: String,
    /// Whether a person asked with a browser, or a program of people.
    pub is_of_people: bool,
}

impl Intake {
    /// Says what is there instead. What seems to come from a sender is noted in the contact
    /// log, under its device if it gives a key that is known.
    pub async fn astray(&self, astray: Astray<'_>) -> Problem {
        let problem = problem(astray.path);
        let of_path = astray.path.split('/').find(|part| secret::looks_like_key(part)).map(Credential::Secret);
        let has_key = of_path.is_some() || astray.credential.is_some();
        if !has_key && astray.is_of_people {
            return problem;
        }
        let details =
            ContactDetails { protocol: astray.protocol.to_owned(), from: astray.from, times: 1, ..Default::default() };
        let mut line = Box::new(Line { caller: Caller::Unknown, device: None, details, payload: None });
        for credential in of_path.into_iter().chain(astray.credential) {
            if let Ok(owner) = self.plans.key_owner(&credential.hash()).await {
                // That a device was removed meanwhile makes no difference to the answer.
                let _ = owners::note(&self.plans, &owner, &mut line).await;
                break;
            }
        }
        self.note(line, clock::now(), &Err(&problem));
        problem
    }
}

/// What is wrong with an address, and the one that was most likely meant. Keys in it are
/// not said.
fn problem(path: &str) -> Problem {
    let parts: Vec<&str> = path.split('/').filter(|part| !part.is_empty()).collect();
    let has_key = parts.iter().any(|part| secret::looks_like_key(part));
    let shown: String = parts
        .iter()
        .map(|part| if secret::looks_like_key(part) { "/KEY".to_owned() } else { format!("/{}", cut(part)) })
        .collect();
    let first = parts.first().copied().unwrap_or_default();
    let meant = match first {
        _ if has_key => Some("/in/KEY".to_owned()),
        known if ROOTS.contains(&known) => None,
        other => nearest(other, ROOTS).map(|root| format!("/{root}")),
    };
    let everything = "Readings go to /in/KEY, the API is at /api/v1 and described by /api/v1/openapi.json.";
    let remedy = match meant {
        Some(meant) => format!("Did you mean `{meant}`? {everything}"),
        None => everything.to_owned(),
    };
    Problem::new(
        Class::Missing,
        "no-such-address",
        "Not found",
        format!("Nothing answers at `{}`.", if shown.is_empty() { "/" } else { &shown }),
        remedy,
    )
}

fn cut(part: &str) -> String {
    part.chars().take(60).collect()
}

#[cfg(test)]
mod tests {
    use super::problem;

    #[test]
    fn a_wrong_address_names_the_right_one_and_no_key() {
        let key = "0123456789abcdefghjkmnpq";
        for (path, said, meant) in [
            (format!("/inn/{key}"), "`/inn/KEY`", "Did you mean `/in/KEY`?"),
            (format!("/{key}"), "`/KEY`", "Did you mean `/in/KEY`?"),
            (format!("/in/{key}/temp"), "`/in/KEY/temp`", "Did you mean `/in/KEY`?"),
            ("/inn".to_owned(), "`/inn`", "Did you mean `/in`?"),
            ("/appi/v1/sites".to_owned(), "`/appi/v1/sites`", "Did you mean `/api`?"),
            ("/api/v1/none".to_owned(), "`/api/v1/none`", "Readings go to"),
            ("/wp-admin".to_owned(), "`/wp-admin`", "Readings go to"),
        ] {
            let problem = problem(&path);
            assert!(problem.detail.contains(said), "{}", problem.detail);
            assert!(problem.remedy.starts_with(meant), "{}", problem.remedy);
            assert!(!format!("{}{}", problem.detail, problem.remedy).contains(key), "{path}");
        }
    }
}
