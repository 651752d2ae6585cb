//! One's own account: name, password, log-ins and tokens, second factor.

use super::body::Body;
use super::{Answer, query};
use crate::auth::{Access, Change};
use crate::failure::Failure;
use lantern_api::{
    Account, AccountChange, HeldSession, MadeToken, NewPassword, NewToken, Page, Proof, RecoveryCodes,
    SecondFactorCode, SecondFactorOffer,
};
use lantern_engine::Engine;
use rocket::http::Status;
use rocket::serde::json::Json;
use rocket::{Route, State, delete, get, patch, post, put, routes};
use std::sync::Arc;

pub(super) fn routes() -> Vec<Route> {
    routes![show, change, password, sessions, end_session, make_token, offer_second, begin_second, end_second, leave]
}

/// One's account.
#[utoipa::path(operation_id = "account_show", context_path = "/api/v1", tag = "account",
    responses((status = 200, body = Account), (status = "default", body = lantern_api::Problem)))]
#[get("/account")]
async fn show(engine: &State<Arc<Engine>>, access: Access) -> Answer<Account> {
    Ok(Json(engine.people.account(access.person()?.0).await?))
}

/// Change one's account.
#[utoipa::path(operation_id = "account_change", context_path = "/api/v1", tag = "account", request_body = AccountChange,
    responses((status = 200, body = Account), (status = "default", body = lantern_api::Problem)))]
#[patch("/account", data = "<body>")]
async fn change(engine: &State<Arc<Engine>>, change: Change, body: Body<AccountChange>) -> Answer<Account> {
    let person = engine.people.change_account(change.0.person()?.0, body.0).await?;
    Ok(Json(engine.people.account(&person).await?))
}

/// Change one's password. All other log-ins and tokens end.
#[utoipa::path(operation_id = "account_password", context_path = "/api/v1", tag = "account", request_body = NewPassword,
    responses((status = 204), (status = "default", body = lantern_api::Problem)))]
#[put("/account/password", data = "<body>")]
async fn password(engine: &State<Arc<Engine>>, change: Change, body: Body<NewPassword>) -> Result<Status, Failure> {
    let (person, session) = change.0.person()?;
    engine.people.change_password(person, session.id, body.0).await?;
    Ok(Status::NoContent)
}

/// One's log-ins and tokens, the first ones first.
#[utoipa::path(operation_id = "account_sessions", context_path = "/api/v1", tag = "account",
    responses((status = 200, body = Page<HeldSession>), (status = "default", body = lantern_api::Problem)))]
#[get("/account/sessions?<after>&<limit>")]
async fn sessions(
    engine: &State<Arc<Engine>>,
    access: Access,
    after: Option<&str>,
    limit: Option<&str>,
) -> Answer<Page<HeldSession>> {
    let limit = query::limit(limit)?;
    let (person, this) = access.person()?;
    let after = query::number("after", after, 0, 0, i64::MAX)?;
    let sessions = engine.people.sessions(person, this.id, after, limit + 1).await?;
    Ok(Json(query::page(sessions, limit, |session| session.id.to_string(), |session| session)))
}

/// End one of one's log-ins or tokens.
#[utoipa::path(operation_id = "account_end_session", context_path = "/api/v1", tag = "account",
    responses((status = 204), (status = "default", body = lantern_api::Problem)))]
#[delete("/account/sessions/<id>")]
async fn end_session(engine: &State<Arc<Engine>>, change: Change, id: i64) -> Result<Status, Failure> {
    engine.people.end_session(change.0.person()?.0, id).await?;
    Ok(Status::NoContent)
}

/// Make a token for a program.
#[utoipa::path(operation_id = "account_make_token", context_path = "/api/v1", tag = "account", request_body = NewToken,
    responses((status = 201, body = MadeToken), (status = "default", body = lantern_api::Problem)))]
#[post("/account/tokens", data = "<body>")]
async fn make_token(
    engine: &State<Arc<Engine>>,
    change: Change,
    body: Body<NewToken>,
) -> Result<(Status, Json<MadeToken>), Failure> {
    let (person, session) = change.0.person()?;
    let mut new = body.0;
    // A token makes no token that may do more than itself.
    new.at_most = match (new.at_most, session.at_most) {
        (Some(wanted), Some(most)) => Some(wanted.min(most)),
        (wanted, most) => wanted.or(most),
    };
    if let Some(only) = session.site {
        new.site = Some(engine.store.site_by_id(only).await?.code);
    }
    Ok((Status::Created, Json(engine.people.make_token(person, &new, &session.last_from).await?)))
}

/// Ask for a second factor: gives the secret for an app. It is asked for from its first code on.
#[utoipa::path(operation_id = "account_offer_second", context_path = "/api/v1", tag = "account", request_body = Proof,
    responses((status = 200, body = SecondFactorOffer), (status = "default", body = lantern_api::Problem)))]
#[post("/account/second-factor", data = "<body>")]
async fn offer_second(engine: &State<Arc<Engine>>, change: Change, body: Body<Proof>) -> Answer<SecondFactorOffer> {
    Ok(Json(engine.people.offer_second(change.0.person()?.0, body.0.password).await?))
}

/// Begin with the second factor, by its first code. Gives the codes that stand in for it.
#[utoipa::path(operation_id = "account_begin_second", context_path = "/api/v1", tag = "account", request_body = SecondFactorCode,
    responses((status = 200, body = RecoveryCodes), (status = "default", body = lantern_api::Problem)))]
#[put("/account/second-factor", data = "<body>")]
async fn begin_second(
    engine: &State<Arc<Engine>>,
    change: Change,
    body: Body<SecondFactorCode>,
) -> Answer<RecoveryCodes> {
    Ok(Json(engine.people.begin_second(change.0.person()?.0, &body.0.code).await?))
}

/// End the second factor.
#[utoipa::path(operation_id = "account_end_second", context_path = "/api/v1", tag = "account", request_body = Proof,
    responses((status = 204), (status = "default", body = lantern_api::Problem)))]
#[post("/account/second-factor/end", data = "<body>")]
async fn end_second(engine: &State<Arc<Engine>>, change: Change, body: Body<Proof>) -> Result<Status, Failure> {
    engine.people.end_second(change.0.person()?.0, body.0.password).await?;
    Ok(Status::NoContent)
}

/// Leave a site.
#[utoipa::path(operation_id = "account_leave", context_path = "/api/v1", tag = "account",
    responses((status = 204), (status = "default", body = lantern_api::Problem)))]
#[delete("/account/sites/<site>")]
async fn leave(engine: &State<Arc<Engine>>, change: Change, site: &str) -> Result<Status, Failure> {
    engine.people.leave(change.0.person()?.0, site).await?;
    Ok(Status::NoContent)
}
