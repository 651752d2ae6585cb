//! Request guards for people, and for programs with keys.

use super::rights;
use crate::failure::Failure;
use crate::peers::Peers;
use lantern_core::access::{Right, Role, Standing};
use lantern_core::{Moment, SiteId};
use lantern_engine::Engine;
use lantern_engine::Problem;
use lantern_engine::clock;
use lantern_engine::record::Doer;
use lantern_engine::secret::hash;
use lantern_engine::{keys, problem::Class};
use lantern_store::{Holder, KeyOwner, Person, Session, SessionKind, StoreError};

use rocket::outcome::Outcome;
use rocket::request::{self, FromRequest, Request};
use rocket::{State, async_trait};
use sha2::{Digest, Sha256};
use std::sync::Arc;

/// The cookie of a browser's session.
pub(crate) const SESSION_COOKIE: &str = "key_lantern_session";
/// The header that proves a change came from our own page.
const CSRF_HEADER: &str = "X-CSRF-Token";

/// Someone who has the right that the route asks for.
#[derive(Clone)]
pub(crate) struct Access {
    pub(crate) who: Who,
    /// What they are, where they ask.
    pub(crate) standing: Standing,
    /// When their session or key ends.
    pub(crate) expires: Moment,
    /// The session's secret, as the request carried it.
    pub(crate) secret: String,
}

/// Who asks.
#[derive(Clone)]
pub(crate) enum Who {
    /// Somebody who is logged in.
    Person(Box<(Person, Session)>),
    /// A program with a key that may look at what its site has.
    Key(lantern_core::KeyId),
}

impl Access {
    /// What the one who asks is called.
    pub(crate) fn name(&self) -> String {
        match &self.who {
            Who::Person(held) => held.0.name.clone(),
            Who::Key(id) => format!("key {id}"),
        }
    }

    /// Whether someone who was let in to a site to look may still do so: for what goes on for long after the
    /// request. Says yes while the database cannot be asked.
    pub(crate) async fn may_still_look(&self, engine: &Engine, site: &str) -> bool {
        match &self.who {
            Who::Person(held) => match engine.people.check(&self.secret, held.1.kind, site).await {
                Ok(holder) => standing(&holder).may(Right::Look),
                Err(error) => !matches!(error, StoreError::NotFound),
            },
            Who::Key(_) => match key(engine, &self.secret).await {
                Ok(owner) => owner.is_some_and(|owner| owner.grants.read && keys::check(&owner, clock::now()).is_ok()),
                Err(_) => true,
            },
        }
    }

    /// Who does something, for the record.
    ///
    /// # Errors
    /// A [`Problem`] for keys, whose deeds have records of their own.
    pub(crate) fn doer(&self, origin: String) -> Result<Doer, Problem> {
        let (person, session) = self.person()?;
        let way = match session.kind {
            SessionKind::Browser => "console".to_owned(),
            SessionKind::Token if session.name.is_empty() => "token".to_owned(),
            SessionKind::Token => format!("token {}", session.name),
        };
        Ok(Doer { who: person.name.clone(), way, origin })
    }

    /// The person and the session.
    ///
    /// # Errors
    /// A [`Problem`] for keys, which have no account.
    pub(crate) fn person(&self) -> Result<(&Person, &Session), Problem> {
        match &self.who {
            Who::Person(held) => Ok((&held.0, &held.1)),
            Who::Key(_) => Err(Problem::not_granted("A key has no account.", "Log in.")),
        }
    }
}

/// Shows no secret.
impl std::fmt::Debug for Access {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("Access").field("who", &self.name()).field("expires", &self.expires).finish_non_exhaustive()
    }
}

/// Someone who has the right that the route asks for, and whose request can change things.
pub(crate) struct Change(pub(crate) Access);

/// Someone who may give commands, by name: a person, or a program with a key that is granted `command`.
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

/// Where a request comes from, in words.
pub(crate) fn origin(request: &Request<'_>) -> String {
    request.rocket().state::<Arc<Peers>>().map(|peers| peers.from(request)).unwrap_or_default()
}

/// The code of the site that a request asks about.
pub(crate) fn asked_site<'r>(request: &'r Request<'_>) -> Option<&'r str> {
    let mut path = request.uri().path().segments();
    match (path.next(), path.next(), path.next(), path.next()) {
        (Some("api"), Some("v1"), Some("sites"), Some(code)) => Some(code),
        (Some("api"), Some("v1"), Some("live"), None) => request.query_value::<&str>("site").and_then(Result::ok),
        _ => None,
    }
}

/// The right that the route of a request asks for. A route that is in no row is open to nobody.
fn asked_right(request: &Request<'_>) -> Result<Right, Problem> {
    let route = request.route();
    let right = route.and_then(|route| rights::of(route.method, route.uri.path()));
    right.ok_or_else(|| Problem::not_allowed("Nobody may use this address."))
}

async fn access(request: &Request<'_>) -> Result<Access, Problem> {
    let right = asked_right(request)?;
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
    let code = asked_site(request);
    match engine.people.holder(&secret, kind, code, || origin(request)).await {
        Ok(holder) => {
            let standing = standing(&holder);
            check_right(&standing, right, code)?;
            let expires = holder.session.expires_at;
            Ok(Access { who: Who::Person(Box::new((holder.person, holder.session))), standing, expires, secret })
        }
        Err(StoreError::NotFound) => match reader(engine, request, &secret, right).await? {
            Some(access) => Ok(access),
            None => Err(log_in("The session has ended or the token is not known.")),
        },
        Err(other) => Err(other.into()),
    }
}

/// What the holder of a session is on the site they ask about.
fn standing(holder: &Holder) -> Standing {
    standing_on(&holder.person, &holder.session, holder.site, holder.role)
}

/// What a person with a session is on a site, where they have a role or none.
pub(crate) fn standing_on(person: &Person, session: &Session, site: Option<SiteId>, role: Option<Role>) -> Standing {
    let is_elsewhere = session.site.is_some_and(|only| Some(only) != site);
    Standing {
        role: role.filter(|_| !is_elsewhere),
        is_administrator: person.is_administrator && !is_elsewhere,
        // A token for one site runs no service, whoever has it.
        at_most: session.at_most.or_else(|| session.site.is_some().then_some(Role::Owner)),
    }
}

/// Whether someone has a right. Whoever has no role on a site is told that there is no such site.
fn check_right(standing: &Standing, right: Right, site: Option<&str>) -> Result<(), Problem> {
    if standing.may(right) {
        return Ok(());
    }
    match (site, standing.effective_role()) {
        (Some(code), None) => Err(Problem::missing(StoreError::NotFound, "site", code)),
        (Some(_), Some(role)) => {
            let detail = format!("A role as {} does not let you {}.", role.as_str(), right.words());
            Err(Problem::not_allowed(detail))
        }
        (None, _) => Err(Problem::new(
            Class::NotAllowed,
            "not-allowed",
            "Not allowed",
            format!("Only an administrator may {}.", right.words()),
            "Ask an administrator of the service.",
        )),
    }
}

/// The owner of a key that can still be used; none if it is no key.
async fn key(engine: &Engine, secret: &str) -> Result<Option<KeyOwner>, Problem> {
    match engine.plans.key_owner(&hash(secret)).await {
        Ok(owner) => Ok(Some(owner)),
        Err(StoreError::NotFound) => Ok(None),
        Err(other) => Err(other.into()),
    }
}

/// A program with a key that is granted `read`: it may look at all its site has.
async fn reader(engine: &Engine, request: &Request<'_>, secret: &str, right: Right) -> Result<Option<Access>, Problem> {
    let now = clock::now();
    let Some(owner) = key(engine, secret).await?.filter(|owner| keys::check(owner, now).is_ok()) else {
        return Ok(None);
    };
    let site = engine.plans.site_code(owner.site).await?;
    if !owner.grants.read || right != Right::Look || asked_site(request) != Some(&site) {
        return Err(Problem::not_granted(
            "This key does not open that.",
            "A key with `read` opens what its own site has, for looking only; otherwise log in.",
        ));
    }
    engine.heard.note_key(owner.id, now, &origin(request));
    let standing = Standing { role: Some(Role::Viewer), is_administrator: false, at_most: None };
    let expires = owner.expires_at.unwrap_or_else(|| now.plus_seconds(86_400.0));
    Ok(Some(Access { who: Who::Key(owner.id), standing, expires, secret: secret.to_owned() }))
}

/// A program with a key that is granted `command`, within its site.
async fn commander(request: &Request<'_>) -> Result<Option<Commander>, Problem> {
    let (Some((secret, SessionKind::Token)), Outcome::Success(engine)) =
        (secret_of(request), request.guard::<&State<Arc<Engine>>>().await)
    else {
        return Ok(None);
    };
    let Some(owner) = key(engine, &secret).await? else { return Ok(None) };
    keys::check(&owner, clock::now())?;
    let site = engine.plans.site_code(owner.site).await?;
    if !owner.grants.command || asked_right(request)? != Right::Command || asked_site(request) != Some(&site) {
        return Err(Problem::not_granted(
            "This key does not give commands here.",
            "Use a key of the site that is granted `command`.",
        ));
    }
    Ok(Some(Commander(format!("key {}", owner.id))))
}

fn check_change(request: &Request<'_>, access: Access) -> Result<Change, Problem> {
    let is_browser = matches!(&access.who, Who::Person(held) if held.1.kind == SessionKind::Browser);
    if is_browser {
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
    Ok(Change(access))
}

async fn change(request: &Request<'_>) -> Result<Change, Problem> {
    let change = check_change(request, access(request).await?)?;
    if let Ok(doer) = change.0.doer(origin(request)) {
        super::recording::begin(request, doer, asked_site(request)).await;
    }
    Ok(change)
}

/// What a guard says, where the catcher finds what is wrong.
fn outcome<T>(request: &Request<'_>, found: Result<T, Problem>) -> request::Outcome<T, ()> {
    match found {
        Ok(found) => Outcome::Success(found),
        Err(problem) => Outcome::Error(Failure::from(problem).leave(request)),
    }
}

#[async_trait]
impl<'r> FromRequest<'r> for Access {
    type Error = ();

    async fn from_request(request: &'r Request<'_>) -> request::Outcome<Self, ()> {
        outcome(request, access(request).await)
    }
}

#[async_trait]
impl<'r> FromRequest<'r> for Change {
    type Error = ();

    async fn from_request(request: &'r Request<'_>) -> request::Outcome<Self, ()> {
        outcome(request, change(request).await)
    }
}

#[async_trait]
impl<'r> FromRequest<'r> for Commander {
    type Error = ();

    async fn from_request(request: &'r Request<'_>) -> request::Outcome<Self, ()> {
        let found = match commander(request).await {
            Ok(Some(commander)) => Ok(commander),
            Ok(None) => change(request).await.map(|Change(access)| Self(access.name())),
            Err(problem) => Err(problem),
        };
        outcome(request, found)
    }
}
