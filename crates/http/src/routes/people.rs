//! Setting up, logging in and out.

use super::Answer;
use super::body::Body;
use crate::Settings;
use crate::auth::{self, Access, Caller, Change, SetUpCode, Throttle};
use crate::failure::Failure;
use crate::peers::ClientIp;
use lantern_api::{LogIn, Session, SetUp, SetUpState};
use lantern_core::Moment;
use lantern_engine::Engine;
use lantern_engine::Problem;
use lantern_engine::clock;
use lantern_engine::problem::Class;
use lantern_engine::secret;
use lantern_store::{Person, SessionKind, Store, StoreError};
use rocket::http::{Cookie, CookieJar, SameSite, Status};
use rocket::serde::json::Json;
use rocket::{Route, State, get, post, routes};
use std::sync::Arc;

/// A browser's session lasts two weeks, a token a year.
const BROWSER_DAYS: i64 = 14;
const TOKEN_DAYS: i64 = 365;

pub(super) fn routes() -> Vec<Route> {
    routes![set_up_state, set_up, log_in, log_out, me]
}

/// Whether the first owner is still to be made.
#[utoipa::path(operation_id = "people_set_up_state", context_path = "/api/v1", tag = "people",
    responses((status = 200, body = SetUpState)))]
#[get("/set-up")]
fn set_up_state(set_up_code: &State<Arc<SetUpCode>>) -> Json<SetUpState> {
    Json(SetUpState { needed: set_up_code.current().is_some() })
}

/// Make the first owner with the one-time code.
#[utoipa::path(operation_id = "people_set_up", context_path = "/api/v1", tag = "people", request_body = SetUp,
    responses((status = 200, body = Session), (status = "default", body = lantern_api::Problem)))]
#[post("/set-up", data = "<body>")]
async fn set_up(
    engine: &State<Arc<Engine>>,
    settings: &State<Settings>,
    throttle: &State<Throttle>,
    set_up_code: &State<Arc<SetUpCode>>,
    remote: ClientIp,
    cookies: &CookieJar<'_>,
    body: Body<SetUp>,
) -> Answer<Session> {
    let Body(set_up) = body;
    let now = clock::now();
    let caller = (remote.0, String::new());
    check_wait(throttle, &caller, now)?;
    if set_up_code.current().is_none() {
        return Err(already_set_up().into());
    }
    if !set_up_code.matches(&set_up.code) {
        throttle.failed(&caller, now);
        return Err(Failure::from(Problem::new(
            Class::NotAllowed,
            "wrong-code",
            "Wrong code",
            "This is not the set-up code.",
            "Use the address the service printed when it last started.",
        )));
    }
    let name = check_name(&set_up.name)?;
    let hash = auth::hash_password(set_up.password).await.map_err(|e| Problem::invalid("password", e))?;
    let person = engine.store.add_first_owner(name, &hash, now).await.map_err(|e| match e {
        StoreError::Taken => already_set_up(),
        other => Problem::from(other),
    })?;
    set_up_code.spend();
    open_session(&engine.store, settings, cookies, person, set_up.token).await
}

/// Log in.
#[utoipa::path(operation_id = "people_log_in", context_path = "/api/v1", tag = "people", request_body = LogIn,
    responses((status = 200, body = Session), (status = "default", body = lantern_api::Problem)))]
#[post("/log-in", data = "<body>")]
async fn log_in(
    engine: &State<Arc<Engine>>,
    settings: &State<Settings>,
    throttle: &State<Throttle>,
    remote: ClientIp,
    cookies: &CookieJar<'_>,
    body: Body<LogIn>,
) -> Answer<Session> {
    let Body(log_in) = body;
    let now = clock::now();
    let caller = (remote.0, log_in.name.trim().to_lowercase());
    check_wait(throttle, &caller, now)?;
    let person = match engine.store.person_by_name(log_in.name.trim()).await {
        Ok(person) => Some(person),
        Err(StoreError::NotFound) => None,
        Err(other) => return Err(other.into()),
    };
    let hash = person.as_ref().map(|p| p.password_hash.clone());
    match person {
        Some(person) if auth::verify_password(log_in.password.clone(), hash.clone()).await => {
            throttle.succeeded(&caller);
            open_session(&engine.store, settings, cookies, person, log_in.token).await
        }
        person => {
            if person.is_none() {
                auth::verify_password(log_in.password, None).await;
            }
            throttle.failed(&caller, now);
            Err(Failure::from(Problem::new(
                Class::NotKnown,
                "wrong-log-in",
                "Not logged in",
                "Name and password do not belong together.",
                "Check both; after some failures each attempt has to wait longer.",
            )))
        }
    }
}

/// Log out: ends this session or token.
#[utoipa::path(operation_id = "people_log_out", context_path = "/api/v1", tag = "people",
    responses((status = 204), (status = "default", body = lantern_api::Problem)))]
#[post("/log-out")]
async fn log_out(engine: &State<Arc<Engine>>, change: Change, cookies: &CookieJar<'_>) -> Result<Status, Failure> {
    engine.store.end_session(&secret::hash(&change.0.secret)).await?;
    cookies.remove(Cookie::build(auth::SESSION_COOKIE).path("/"));
    Ok(Status::NoContent)
}

/// Who is logged in; no content if nobody is.
#[utoipa::path(operation_id = "people_me", context_path = "/api/v1", tag = "people", security(()),
    responses((status = 200, body = Session), (status = 204)))]
#[get("/me")]
fn me(access: Option<Access>) -> Result<Json<Session>, Status> {
    let access = access.ok_or(Status::NoContent)?;
    let csrf = (access.kind == SessionKind::Browser).then(|| auth::csrf_of(&access.secret));
    Ok(Json(session(access.person, access.expires, csrf, None)))
}

fn session(person: Person, expires: Moment, csrf: Option<String>, token: Option<String>) -> Session {
    Session { person: person.name, role: person.role, expires_at: expires.to_string(), csrf, token }
}

async fn open_session(
    store: &Store,
    settings: &Settings,
    cookies: &CookieJar<'_>,
    person: Person,
    token: bool,
) -> Answer<Session> {
    let secret = secret::new_token();
    let (kind, days) = if token { (SessionKind::Token, TOKEN_DAYS) } else { (SessionKind::Browser, BROWSER_DAYS) };
    let now = clock::now();
    let expires = now.plus_seconds(days as f64 * 86_400.0);
    store.add_session(&secret::hash(&secret), person.id, kind, now, expires).await?;
    if token {
        return Ok(Json(session(person, expires, None, Some(secret))));
    }
    let csrf = auth::csrf_of(&secret);
    let cookie = Cookie::build((auth::SESSION_COOKIE, secret))
        .path("/")
        .http_only(true)
        .same_site(SameSite::Lax)
        .secure(settings.secure_cookies)
        .max_age(rocket::time::Duration::days(days));
    cookies.add(cookie);
    Ok(Json(session(person, expires, Some(csrf), None)))
}

fn check_wait(throttle: &Throttle, caller: &Caller, now: Moment) -> Result<(), Problem> {
    let Some(seconds) = throttle.wait(caller, now) else { return Ok(()) };
    let mut problem = Problem::new(
        Class::TooSoon,
        "slow-down",
        "Too many attempts",
        format!("After several failures the next attempt is possible in {seconds} s."),
        "Wait, then try again with the right name and password.",
    );
    problem.retry_after = Some(seconds);
    Err(problem)
}

fn check_name(name: &str) -> Result<&str, Problem> {
    let name = name.trim();
    if name.is_empty() || name.chars().count() > 80 || name.chars().any(char::is_control) {
        return Err(Problem::invalid("name", "a name has 1 to 80 characters"));
    }
    Ok(name)
}

fn already_set_up() -> Problem {
    Problem::new(Class::Conflict, "already-set-up", "Already set up", "This service has its owner.", "Log in instead.")
}
