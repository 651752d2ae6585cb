//! Request guards for people.

use crate::failure::Failure;
use crate::peers::Peers;
use lantern_core::Moment;
use lantern_engine::Engine;
use lantern_engine::Problem;
use lantern_engine::clock;
use lantern_engine::secret::hash;
use lantern_engine::{keys, problem::Class};
use lantern_store::{Person, SessionKind, StoreError};
use rocket::http::Method;
use rocket::outcome::Outcome;
use rocket::request::{self, FromRequest, Request};
use rocket::{State, async_trait};
use sha2::{Digest, Sha256};
use std::sync::Arc;

/// The cookie of a browser's session.
pub(crate) const SESSION_COOKIE: &str = "key_lantern_session";
/// The header that proves a change came from our own page.
const CSRF_HEADER: &str = "X-CSRF-Token";

/// Someone who is logged in and may look.
#[derive(Clone)]
pub(crate) struct Access {
    pub(crate) person: Person,
    pub(crate) expires: Moment,
    /// The session's secret, as the request carried it.
    pub(crate) secret: String,
    pub(crate) kind: SessionKind,
}

impl Access {
    /// Whether it is an owner, who sees what belongs to no site and to all.
    pub(crate) fn is_owner(&self) -> bool {
        self.person.role == "owner"
    }
}

/// Shows no secret.
impl std::fmt::Debug for Access {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("Access")
            .field("person", &self.person.name)
            .field("kind", &self.kind)
            .field("expires", &self.expires)
            .finish_non_exhaustive()
    }
}

/// Someone who is logged in and may change things.
pub(crate) struct Change(pub(crate) Access);

/// Someone who may give commands, by name: a person who may change things, or a
/// program with a key that is granted `command`.
pub(crate) struct Commander(pub(crate) String);

/// The CSRF token of a session: only a page that may read our answers knows it.
pub(crate) fn csrf_of(secret: &str) -> String {
    let digest = Sha256::digest(format!("csrf:{secret}").as_bytes());
    digest.iter().take(16).map(|byte| format!("{byte:02x}")).collect()
}

fn secret_of(request: &Request<'_>) -> Option<(String, SessionKind)> {
    if let Some(header) = request.headers().get_one("Authorization") {
        return header.strip_prefix("Bearer ").map(|token| (token.trim().to_owned(), SessionKind::Token));
    }
    request.cookies().get(SESSION_COOKIE).map(|cookie| (cookie.value().to_owned(), SessionKind::Browser))
}

async fn access(request: &Request<'_>) -> Result<Access, Problem> {
    let log_in = |detail: &str| {
        Problem::new(
            Class::NotKnown,
            "not-logged-in",
            "Not logged in",
            detail,
            "Log in, or send a token as `Authorization: Bearer TOKEN`.",
        )
    };
    let (secret, kind) = secret_of(request).ok_or_else(|| log_in("This needs someone who is logged in."))?;
    let Outcome::Success(engine) = request.guard::<&State<Arc<Engine>>>().await else { return Err(Problem::storage()) };
    match engine.store.session_person(&hash(&secret), kind, clock::now()).await {
        Ok((person, expires)) => Ok(Access { person, expires, secret, kind }),
        Err(StoreError::NotFound) => match reader(engine, request, &secret).await? {
            Some(access) => Ok(access),
            None => Err(log_in("The session has ended or the token is not known.")),
        },
        Err(other) => Err(other.into()),
    }
}

/// A program with a key that is granted `read`: it may look at all its site has,
/// but not at keys, and change nothing.
async fn reader(engine: &Engine, request: &Request<'_>, secret: &str) -> Result<Option<Access>, Problem> {
    let now = clock::now();
    let owner = match engine.plans.key_owner(&hash(secret)).await {
        Ok(owner) if !owner.revoked && owner.expires_at.is_none_or(|end| end > now) => owner,
        Ok(_) | Err(StoreError::NotFound) => return Ok(None),
        Err(other) => return Err(other.into()),
    };
    let site = engine.store.site_by_id(owner.site).await?;
    if !owner.grants.read || request.method() != Method::Get || !is_within(request, &site.code) {
        return Err(Problem::new(
            Class::NotAllowed,
            "not-granted",
            "Not granted",
            "This key does not open that.",
            "A key with `read` opens what its own site has, for looking only; otherwise log in.",
        ));
    }
    let from = request.rocket().state::<Arc<Peers>>().map(|peers| peers.from(request)).unwrap_or_default();
    engine.heard.note_key(owner.id, now, &from);
    let person = Person { id: 0, name: "key".to_owned(), password_hash: String::new(), role: "viewer".to_owned() };
    let expires = owner.expires_at.unwrap_or_else(|| now.plus_seconds(86_400.0));
    Ok(Some(Access { person, expires, secret: secret.to_owned(), kind: SessionKind::Token }))
}

/// Whether a request is for what a site has, apart from its keys.
fn is_within(request: &Request<'_>, site: &str) -> bool {
    let path: Vec<&str> = request.uri().path().segments().collect();
    match path.as_slice() {
        ["api", "v1", "sites", code, rest @ ..] => *code == site && !rest.contains(&"keys"),
        ["api", "v1", "live"] => request.query_value::<&str>("site").is_some_and(|code| code == Ok(site)),
        _ => false,
    }
}

fn check_change(request: &Request<'_>, access: Access) -> Result<Change, Problem> {
    if access.kind == SessionKind::Browser {
        let given = request.headers().get_one(CSRF_HEADER).unwrap_or_default();
        // Hashes are compared, so that timing tells nothing of the token.
        if hash(given) != hash(&csrf_of(&access.secret)) {
            return Err(Problem::new(
                Class::NotAllowed,
                "csrf",
                "Not from our own page",
                format!("The header {CSRF_HEADER} is missing or wrong."),
                "Reload the page; programs use a token instead of the cookie.",
            ));
        }
    }
    if access.person.role == "viewer" {
        return Err(Problem::new(
            Class::NotAllowed,
            "not-allowed",
            "Not allowed",
            "A viewer may look but not change anything.",
            "Ask an owner.",
        ));
    }
    Ok(Change(access))
}

#[async_trait]
impl<'r> FromRequest<'r> for Access {
    type Error = ();

    async fn from_request(request: &'r Request<'_>) -> request::Outcome<Self, ()> {
        match access(request).await {
            Ok(access) => Outcome::Success(access),
            Err(problem) => Outcome::Error(Failure::from(problem).leave(request)),
        }
    }
}

/// A program with a key that is granted `command`, within its site.
async fn commander(request: &Request<'_>) -> Result<Option<Commander>, Problem> {
    let (Some((secret, SessionKind::Token)), Outcome::Success(engine)) =
        (secret_of(request), request.guard::<&State<Arc<Engine>>>().await)
    else {
        return Ok(None);
    };
    let owner = match engine.plans.key_owner(&hash(&secret)).await {
        Ok(owner) => owner,
        Err(StoreError::NotFound) => return Ok(None),
        Err(other) => return Err(other.into()),
    };
    keys::check(&owner, clock::now())?;
    let site = engine.plans.site_code(owner.site).await?;
    if !owner.grants.command || !is_within(request, &site) {
        return Err(Problem::not_granted(
            "This key does not give commands here.",
            "Use a key of the site that is granted `command`.",
        ));
    }
    Ok(Some(Commander(format!("key {}", owner.id))))
}

#[async_trait]
impl<'r> FromRequest<'r> for Commander {
    type Error = ();

    async fn from_request(request: &'r Request<'_>) -> request::Outcome<Self, ()> {
        let found = match commander(request).await {
            Ok(Some(commander)) => Ok(commander),
            Ok(None) => match access(request).await {
                Ok(access) => check_change(request, access).map(|Change(access)| Self(access.person.name)),
                Err(problem) => Err(problem),
            },
            Err(problem) => Err(problem),
        };
        match found {
            Ok(commander) => Outcome::Success(commander),
            Err(problem) => Outcome::Error(Failure::from(problem).leave(request)),
        }
    }
}

#[async_trait]
impl<'r> FromRequest<'r> for Change {
    type Error = ();

    async fn from_request(request: &'r Request<'_>) -> request::Outcome<Self, ()> {
        let checked = match access(request).await {
            Ok(access) => check_change(request, access),
            Err(problem) => Err(problem),
        };
        match checked {
            Ok(change) => Outcome::Success(change),
            Err(problem) => Outcome::Error(Failure::from(problem).leave(request)),
        }
    }
}
