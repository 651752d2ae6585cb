//! Setting up, coming in, logging in and out.

use super::Answer;
use super::body::Body;
use crate::Settings;
use crate::auth::{self, Access, Caller, Change, SetUpCode, Throttle};
use crate::failure::Failure;
use crate::peers::ClientIp;
use lantern_api::{ComeIn, Invited, LogIn, OneTime, Session, SetUp, SetUpState};
use lantern_core::Moment;
use lantern_engine::Engine;
use lantern_engine::Problem;
use lantern_engine::clock;
use lantern_engine::people::{Opened, Wanted, already_set_up};
use lantern_engine::problem::Class;
use lantern_store::{Person, SessionKind};
use rocket::http::{Cookie, CookieJar, SameSite, Status};
use rocket::outcome::Outcome;
use rocket::request::{FromRequest, Request};
use rocket::serde::json::Json;
use rocket::{Route, State, async_trait, get, post, routes};
use std::convert::Infallible;
use std::sync::Arc;

pub(super) fn routes() -> Vec<Route> {
    routes![set_up_state, set_up, log_in, log_out, me, invited, come_in, accept]
}

/// Who tries to get in: what a log-in asks of a request.
pub(super) struct Door<'r> {
    pub(super) engine: &'r Engine,
    throttle: &'r Throttle,
    cookies: &'r CookieJar<'r>,
    address: std::net::IpAddr,
    agent: &'r str,
    secure_cookies: bool,
}

#[async_trait]
impl<'r> FromRequest<'r> for Door<'r> {
    type Error = Infallible;

    async fn from_request(request: &'r Request<'_>) -> rocket::request::Outcome<Self, Infallible> {
        let rocket = request.rocket();
        let (Some(engine), Some(throttle), Outcome::Success(address)) =
            (rocket.state::<Arc<Engine>>(), rocket.state::<Throttle>(), request.guard::<ClientIp>().await)
        else {
            return Outcome::Forward(Status::ServiceUnavailable);
        };
        let is_tls = request.rocket().state::<Arc<crate::Peers>>().is_some_and(|peers| peers.is_tls(request));
        Outcome::Success(Self {
            engine,
            throttle,
            cookies: request.cookies(),
            address: address.0,
            agent: request.headers().get_one("User-Agent").unwrap_or_default(),
            secure_cookies: is_tls || rocket.state::<Settings>().is_some_and(|settings| settings.secure_cookies),
        })
    }
}

impl Door<'_> {
    /// Takes a turn at a name.
    pub(super) fn attempt(&self, name: &str) -> Result<Caller, Problem> {
        let caller = Caller::new(self.address, name);
        self.throttle.attempt(caller, clock::now()).map(|()| caller).map_err(|seconds| {
            let mut problem = Problem::new(
                Class::TooSoon,
                "slow-down",
                "Too many attempts",
                format!("After several failures the next attempt is possible in {seconds} s."),
                "Wait, then try again with the right name and password.",
            );
            problem.retry_after = Some(seconds);
            problem
        })
    }

    pub(super) fn succeeded(&self, caller: Caller) {
        self.throttle.succeeded(caller, clock::now());
    }

    /// Opens a session: a cookie, or a token in the answer.
    async fn open(&self, person: Person, token: bool) -> Answer<Session> {
        let kind = if token { SessionKind::Token } else { SessionKind::Browser };
        let wanted = Wanted { kind, agent: self.agent, from: &self.address.to_string() };
        let Opened { person, secret, expires_at } = self.engine.people.open_session(person, &wanted).await?;
        if token {
            return Ok(Json(session(&person, expires_at, None, Some(secret))));
        }
        let csrf = auth::csrf_of(&secret);
        let seconds = expires_at.seconds_since(clock::now()) as i64;
        let cookie = Cookie::build((auth::SESSION_COOKIE, secret))
            .path("/")
            .http_only(true)
            .same_site(SameSite::Lax)
            .secure(self.secure_cookies)
            .max_age(rocket::time::Duration::seconds(seconds));
        self.cookies.add(cookie);
        Ok(Json(session(&person, expires_at, Some(csrf), None)))
    }
}

fn session(person: &Person, expires: Moment, csrf: Option<String>, token: Option<String>) -> Session {
    Session {
        person: person.name.clone(),
        is_administrator: person.is_administrator,
        decimal_mark: person.decimal_mark,
        zone: person.zone.clone(),
        expires_at: expires.to_string(),
        csrf,
        token,
    }
}

/// Whether the first person is still to be made.
#[utoipa::path(operation_id = "people_set_up_state", context_path = "/api/v1", tag = "people", security(()),
    responses((status = 200, body = SetUpState)))]
#[get("/set-up")]
fn set_up_state(set_up_code: &State<Arc<SetUpCode>>) -> Json<SetUpState> {
    Json(SetUpState { needed: set_up_code.current().is_some() })
}

/// Make the first person, an administrator, with the one-time code.
#[utoipa::path(operation_id = "people_set_up", context_path = "/api/v1", tag = "people", security(()), request_body = SetUp,
    responses((status = 200, body = Session), (status = "default", body = lantern_api::Problem)))]
#[post("/set-up", data = "<body>")]
async fn set_up(door: Door<'_>, set_up_code: &State<Arc<SetUpCode>>, body: Body<SetUp>) -> Answer<Session> {
    let Body(set_up) = body;
    let caller = door.attempt("")?;
    if set_up_code.current().is_none() {
        return Err(already_set_up().into());
    }
    if !set_up_code.matches(&set_up.code) {
        return Err(Failure::from(Problem::new(
            Class::NotAllowed,
            "wrong-code",
            "Wrong code",
            "This is not the set-up code.",
            "Use the address the service printed when it last started.",
        )));
    }
    door.succeeded(caller);
    let person = door.engine.people.make_first(&set_up.name, set_up.password).await?;
    set_up_code.spend();
    door.open(person, set_up.token).await
}

/// Log in.
#[utoipa::path(operation_id = "people_log_in", context_path = "/api/v1", tag = "people", security(()), request_body = LogIn,
    responses((status = 200, body = Session), (status = "default", body = lantern_api::Problem)))]
#[post("/log-in", data = "<body>")]
async fn log_in(door: Door<'_>, body: Body<LogIn>) -> Answer<Session> {
    let Body(log_in) = body;
    let caller = door.attempt(&log_in.name)?;
    match door.engine.people.log_in(&log_in.name, log_in.password, log_in.second.as_deref()).await {
        Ok(person) => {
            door.succeeded(caller);
            door.open(person, log_in.token).await
        }
        // Whoever got that far knows the password, and is asked for the code next.
        Err(problem) if problem.code == "second-factor-needed" => {
            door.throttle.pardon(caller);
            Err(problem.into())
        }
        Err(problem) => Err(problem.into()),
    }
}

/// Log out: ends this session or token.
#[utoipa::path(operation_id = "people_log_out", context_path = "/api/v1", tag = "people",
    responses((status = 204), (status = "default", body = lantern_api::Problem)))]
#[post("/log-out")]
async fn log_out(engine: &State<Arc<Engine>>, change: Change, cookies: &CookieJar<'_>) -> Result<Status, Failure> {
    let (person, session) = change.0.person()?;
    engine.people.end_session(person, session.id).await?;
    cookies.remove(Cookie::build(auth::SESSION_COOKIE).path("/"));
    Ok(Status::NoContent)
}

/// Who is logged in; no content if nobody is.
#[utoipa::path(operation_id = "people_me", context_path = "/api/v1", tag = "people", security(()),
    responses((status = 200, body = Session), (status = 204)))]
#[get("/me")]
fn me(access: Option<Access>) -> Result<Json<Session>, Status> {
    let access = access.ok_or(Status::NoContent)?;
    let (person, held) = access.person().map_err(|_| Status::NoContent)?;
    let csrf = (held.kind == SessionKind::Browser).then(|| auth::csrf_of(&access.secret));
    Ok(Json(session(person, access.expires, csrf, None)))
}

/// What a one-time address is for.
#[utoipa::path(operation_id = "people_invited", context_path = "/api/v1", tag = "people", security(()), request_body = OneTime,
    responses((status = 200, body = Invited), (status = "default", body = lantern_api::Problem)))]
#[post("/invited", data = "<body>")]
async fn invited(door: Door<'_>, body: Body<OneTime>) -> Answer<Invited> {
    let caller = door.attempt("an invitation")?;
    let invited = door.engine.people.invited(&body.0.secret).await?;
    door.succeeded(caller);
    Ok(Json(invited))
}

/// Come in by a one-time address, or set a new password with one. It is used up then.
#[utoipa::path(operation_id = "people_come_in", context_path = "/api/v1", tag = "people", security(()), request_body = ComeIn,
    responses((status = 200, body = Session), (status = "default", body = lantern_api::Problem)))]
#[post("/come-in", data = "<body>")]
async fn come_in(door: Door<'_>, body: Body<ComeIn>) -> Answer<Session> {
    let caller = door.attempt("an invitation")?;
    let token = body.0.token;
    let person = match door.engine.people.come_in(body.0).await {
        Ok(person) => person,
        Err(problem) => {
            // A name that is taken or a password that will not do is no attempt to break in.
            if problem.code != "invitation-over" {
                door.throttle.pardon(caller);
            }
            return Err(problem.into());
        }
    };
    door.succeeded(caller);
    door.open(person, token).await
}

/// Take for oneself, who is logged in already, what a one-time address gives. It is used up then.
#[utoipa::path(operation_id = "people_accept", context_path = "/api/v1", tag = "people", request_body = OneTime,
    responses((status = 204), (status = "default", body = lantern_api::Problem)))]
#[post("/accept", data = "<body>")]
async fn accept(engine: &State<Arc<Engine>>, change: Change, body: Body<OneTime>) -> Result<Status, Failure> {
    engine.people.accept(change.0.person()?.0, &body.0.secret).await?;
    Ok(Status::NoContent)
}
