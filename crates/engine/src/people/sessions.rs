//! Log-ins of browsers, and tokens.

use super::People;
use crate::checks::check_name;
use crate::clock;
use crate::find;
use crate::problem::Problem;
use crate::secret;
use lantern_api as api;
use lantern_core::access::Role;
use lantern_core::{Moment, SiteId};
use lantern_store::{Holder, NewSession, Person, Session, SessionKind, StoreError};
use std::sync::PoisonError;

/// A browser's session lasts two weeks, a token a year.
const BROWSER_DAYS: u32 = 14;
const TOKEN_DAYS: u32 = 365;
/// Log-ins and tokens of one person; the ones unused for longest give way.
const MOST: u32 = 100;
/// Sessions whose use is not written yet.
const MOST_USED: usize = 10_000;

/// A session somebody wants.
#[derive(Debug, Clone)]
pub struct Wanted<'a> {
    /// What will hold it.
    pub kind: SessionKind,
    /// The browser or program that asks.
    pub agent: &'a str,
    /// Where it asks from.
    pub from: &'a str,
}

/// A session that was opened.
#[derive(Debug, Clone)]
pub struct Opened {
    /// Whose it is.
    pub person: Person,
    /// Its secret, which is kept nowhere.
    pub secret: String,
    /// When it ends.
    pub expires_at: Moment,
}

impl People {
    /// Opens a session for someone who has proved who they are.
    ///
    /// # Errors
    /// A [`Problem`] if the database fails.
    pub async fn open_session(&self, person: Person, wanted: &Wanted<'_>) -> Result<Opened, Problem> {
        let days = if wanted.kind == SessionKind::Token { TOKEN_DAYS } else { BROWSER_DAYS };
        let (secret, name) = (secret::new_token(), agent_name(wanted.agent));
        let now = clock::now();
        let new = NewSession {
            secret_hash: &secret::hash(&secret),
            person: person.id,
            kind: wanted.kind,
            name: &name,
            at_most: None,
            site: None,
            from: wanted.from,
            expires_at: now.plus_seconds(f64::from(days) * 86_400.0),
        };
        let session = self.store.add_session(&new, MOST, now).await?;
        Ok(Opened { person, secret, expires_at: session.expires_at })
    }

    /// Makes a token for a program.
    ///
    /// # Errors
    /// A [`Problem`] that says what cannot be so, or that its person has no role on the site.
    pub async fn make_token(
        &self,
        person: &Person,
        new: &api::NewToken,
        from: &str,
    ) -> Result<api::MadeToken, Problem> {
        let name = check_name(&new.name)?;
        if !(1..=3_650).contains(&new.days) {
            return Err(Problem::invalid("days", "1 to 3,650"));
        }
        let site = match &new.site {
            Some(code) => Some(self.own_site(person, code).await?),
            None => None,
        };
        let secret = secret::new_token();
        let now = clock::now();
        let new = NewSession {
            secret_hash: &secret::hash(&secret),
            person: person.id,
            kind: SessionKind::Token,
            name,
            at_most: new.at_most,
            site,
            from,
            expires_at: now.plus_seconds(f64::from(new.days) * 86_400.0),
        };
        let session = self.store.add_session(&new, MOST, now).await?;
        Ok(api::MadeToken { token: secret, session: self.shown(session, None).await? })
    }

    /// A site on which a person has a role.
    pub(super) async fn own_site(&self, person: &Person, code: &str) -> Result<SiteId, Problem> {
        let site = find::site(&self.store, code).await?;
        if person.is_administrator {
            return Ok(site.id);
        }
        match self.store.member(site.id, person.id).await {
            Ok(_) => Ok(site.id),
            Err(error) => Err(Problem::missing(error, "site", code)),
        }
    }

    /// Who holds a session, and what they are on the site of a code. Notes that it was used.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] if there is no such session.
    pub async fn holder(
        &self,
        secret: &str,
        kind: SessionKind,
        site: Option<&str>,
        from: impl FnOnce() -> String,
    ) -> Result<Holder, StoreError> {
        let now = clock::now();
        let holder = self.store.holder(&secret::hash(secret), kind, site, now).await?;
        let mut used = self.used.lock().unwrap_or_else(PoisonError::into_inner);
        if used.len() < MOST_USED || used.contains_key(&holder.session.id) {
            used.insert(holder.session.id, (now, from()));
        }
        drop(used);
        Ok(holder)
    }

    /// The same without noting a use: for what goes on after a request.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] if there is no such session any more.
    pub async fn check(&self, secret: &str, kind: SessionKind, site: &str) -> Result<Holder, StoreError> {
        self.store.holder(&secret::hash(secret), kind, Some(site), clock::now()).await
    }

    /// Writes when sessions were used.
    pub(crate) async fn note_used(&self) {
        let used = std::mem::take(&mut *self.used.lock().unwrap_or_else(PoisonError::into_inner));
        if used.is_empty() {
            return;
        }
        let used: Vec<(i64, Moment, String)> = used.into_iter().map(|(id, (at, from))| (id, at, from)).collect();
        if let Err(error) = self.store.note_sessions(&used).await {
            tracing::warn!(%error, "the last use of log-ins could not be written");
        }
    }

    /// The log-ins and tokens of a person, those after one.
    ///
    /// # Errors
    /// A [`Problem`] if the database fails.
    pub async fn sessions(
        &self,
        person: &Person,
        this: i64,
        after: i64,
        limit: u32,
    ) -> Result<Vec<api::HeldSession>, Problem> {
        let mut shown = Vec::new();
        for session in self.store.sessions(person.id, after, limit, clock::now()).await? {
            shown.push(self.shown(session, Some(this)).await?);
        }
        Ok(shown)
    }

    /// Ends a log-in or token of a person.
    ///
    /// # Errors
    /// A [`Problem`] if they have no such one.
    pub async fn end_session(&self, person: &Person, id: i64) -> Result<(), Problem> {
        self.store.end_session(person.id, id).await.map_err(|e| Problem::missing(e, "log-in", &id.to_string()))
    }

    async fn shown(&self, session: Session, this: Option<i64>) -> Result<api::HeldSession, Problem> {
        let used = self.used.lock().unwrap_or_else(PoisonError::into_inner).get(&session.id).cloned();
        let site = match session.site {
            Some(id) => Some(self.store.site_by_id(id).await?.code),
            None => None,
        };
        let at_most: Option<Role> = session.at_most;
        let (last_used_at, last_from) = match used {
            Some((at, from)) => (Some(at), from),
            None => (session.last_used_at, session.last_from),
        };
        Ok(api::HeldSession {
            id: session.id,
            kind: session.kind.as_str().to_owned(),
            name: session.name,
            at_most,
            site,
            created_at: session.created_at.to_string(),
            last_used_at: last_used_at.map(|at| at.to_string()),
            last_from,
            expires_at: session.expires_at.to_string(),
            is_this: this == Some(session.id),
        })
    }
}

/// What a browser or program runs on, from what it says of itself: people know their machines, and
/// what stands in the first brackets tells of them.
fn agent_name(agent: &str) -> String {
    let agent = agent.chars().filter(|c| !c.is_control()).take(400).collect::<String>();
    let machine = agent.split_once('(').and_then(|(_, rest)| rest.split_once(')')).map(|(machine, _)| machine);
    let of_machine = machine.map(|machine| machine.trim_start_matches("X11; ").split(';').take(2).collect::<String>());
    of_machine.unwrap_or(agent).trim().chars().take(60).collect()
}

#[cfg(test)]
mod tests {
    use super::agent_name;

    #[test]
    fn a_browser_is_told_by_its_machine() {
        let cases = [
            ("Agent/5.0 (X11; Linux x86_64) Engine/537.36 (like others) Browser/142.0", "Linux x86_64"),
            ("Agent/5.0 (Android 15; Mobile; rv:140.0) Browser/140.0", "Android 15 Mobile"),
            ("lantern/0.1 (tower-pc)", "tower-pc"),
            ("a program", "a program"),
            ("", ""),
        ];
        for (agent, name) in cases {
            assert_eq!(agent_name(agent), name);
        }
    }
}
