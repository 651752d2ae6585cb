//! People of the service, for its administrators.

use super::body::Body;
use super::members::one_time;
use super::{Answer, query};
use crate::auth::{Access, Change};
use crate::base::Base;
use crate::failure::Failure;
use lantern_api::{Invitation, MadeInvitation, NewAdministrator, Page, Person, PersonChange};
use lantern_engine::Engine;
use rocket::http::Status;
use rocket::serde::json::Json;
use rocket::{Route, State, delete, get, patch, post, routes};
use std::sync::Arc;

pub(super) fn routes() -> Vec<Route> {
    routes![list, change, remove, new_password, invitations, invite, withdraw]
}

/// All people, by name.
#[utoipa::path(operation_id = "everyone_list", context_path = "/api/v1", tag = "people",
    responses((status = 200, body = Page<Person>), (status = "default", body = lantern_api::Problem)))]
#[get("/people?<after>&<limit>")]
async fn list(
    engine: &State<Arc<Engine>>,
    _access: Access,
    after: Option<&str>,
    limit: Option<&str>,
) -> Answer<Page<Person>> {
    let limit = query::limit(limit)?;
    let people = engine.people.everyone(after.unwrap_or_default(), limit + 1).await?;
    Ok(Json(query::page(people, limit, |person| person.name.clone(), |person| person)))
}

/// Make a person an administrator or no longer one, or take a second factor away that was lost.
#[utoipa::path(operation_id = "everyone_change", context_path = "/api/v1", tag = "people", request_body = PersonChange,
    responses((status = 200, body = Person), (status = "default", body = lantern_api::Problem)))]
#[patch("/people/<person>", data = "<body>")]
async fn change(
    engine: &State<Arc<Engine>>,
    _change: Change,
    person: &str,
    body: Body<PersonChange>,
) -> Answer<Person> {
    let person = engine.people.change_person(person, &body.0).await?;
    Ok(Json(engine.people.shown_person(person).await?))
}

/// Remove a person with their log-ins, tokens and roles. What they did stays in the record, and nobody
/// else is given their name.
#[utoipa::path(operation_id = "everyone_remove", context_path = "/api/v1", tag = "people",
    responses((status = 204), (status = "default", body = lantern_api::Problem)))]
#[delete("/people/<person>")]
async fn remove(engine: &State<Arc<Engine>>, _change: Change, person: &str) -> Result<Status, Failure> {
    engine.people.remove_person(person).await?;
    Ok(Status::NoContent)
}

/// Open a way to a new password for someone who forgot theirs: gives a one-time address to send them.
#[utoipa::path(operation_id = "everyone_new_password", context_path = "/api/v1", tag = "people",
    responses((status = 201, body = MadeInvitation), (status = "default", body = lantern_api::Problem)))]
#[post("/people/<person>/new-password")]
async fn new_password(
    engine: &State<Arc<Engine>>,
    change: Change,
    base: Base,
    person: &str,
) -> Result<(Status, Json<MadeInvitation>), Failure> {
    let made = engine.people.way_to_new_password(person, &change.0.name()).await?;
    Ok((Status::Created, Json(one_time(&base, &made))))
}

/// Invitations to no site that wait to be used, the first ones first.
#[utoipa::path(operation_id = "everyone_invitations", context_path = "/api/v1", tag = "people",
    responses((status = 200, body = Page<Invitation>), (status = "default", body = lantern_api::Problem)))]
#[get("/invitations?<after>&<limit>")]
async fn invitations(
    engine: &State<Arc<Engine>>,
    _access: Access,
    after: Option<&str>,
    limit: Option<&str>,
) -> Answer<Page<Invitation>> {
    let limit = query::limit(limit)?;
    let after = query::number("after", after, 0, 0, i64::MAX)?;
    let invitations = engine.people.invitations(None, after, limit + 1).await?;
    Ok(Json(query::page(invitations, limit, |one| one.id.to_string(), |one| one)))
}

/// Invite somebody as administrator: gives a one-time address to send them.
#[utoipa::path(operation_id = "everyone_invite", context_path = "/api/v1", tag = "people", request_body = NewAdministrator,
    responses((status = 201, body = MadeInvitation), (status = "default", body = lantern_api::Problem)))]
#[post("/invitations", data = "<body>")]
async fn invite(
    engine: &State<Arc<Engine>>,
    change: Change,
    base: Base,
    body: Body<NewAdministrator>,
) -> Result<(Status, Json<MadeInvitation>), Failure> {
    let made = engine.people.invite_administrator(&body.0, &change.0.name()).await?;
    Ok((Status::Created, Json(one_time(&base, &made))))
}

/// Withdraw an invitation to no site.
#[utoipa::path(operation_id = "everyone_withdraw", context_path = "/api/v1", tag = "people",
    responses((status = 204), (status = "default", body = lantern_api::Problem)))]
#[delete("/invitations/<id>")]
async fn withdraw(engine: &State<Arc<Engine>>, _change: Change, id: i64) -> Result<Status, Failure> {
    engine.people.withdraw(None, id).await?;
    Ok(Status::NoContent)
}
