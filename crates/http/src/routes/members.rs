//! People of a site, and invitations to it.

use super::body::Body;
use super::{Answer, query};
use crate::auth::{Access, Change};
use crate::base::Base;
use crate::failure::Failure;
use crate::found;
use lantern_api::{Invitation, MadeInvitation, Member, MemberChange, NewInvitation, Page};
use lantern_engine::Engine;
use lantern_engine::people::{Made, shown_invitation};
use rocket::http::Status;
use rocket::serde::json::Json;
use rocket::{Route, State, delete, get, post, put, routes};
use std::sync::Arc;

pub(super) fn routes() -> Vec<Route> {
    routes![list, change, remove, invitations, invite, withdraw]
}

/// People with a role on a site, by name. Administrators of the service may do everything there without one.
#[utoipa::path(operation_id = "members_list", context_path = "/api/v1", tag = "people",
    responses((status = 200, body = Page<Member>), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/people?<after>&<limit>")]
async fn list(
    engine: &State<Arc<Engine>>,
    _access: Access,
    site: &str,
    after: Option<&str>,
    limit: Option<&str>,
) -> Answer<Page<Member>> {
    let limit = query::limit(limit)?;
    let site = found::site(&engine.store, site).await?;
    let members = engine.people.members(&site, after.unwrap_or_default(), limit + 1).await?;
    Ok(Json(query::page(members, limit, |member| member.name.clone(), |member| member)))
}

/// Give someone of the site another role.
#[utoipa::path(operation_id = "members_change", context_path = "/api/v1", tag = "people", request_body = MemberChange,
    responses((status = 204), (status = "default", body = lantern_api::Problem)))]
#[put("/sites/<site>/people/<person>", data = "<body>")]
async fn change(
    engine: &State<Arc<Engine>>,
    _change: Change,
    site: &str,
    person: &str,
    body: Body<MemberChange>,
) -> Result<Status, Failure> {
    let site = found::site(&engine.store, site).await?;
    engine.people.change_member(&site, person, body.0.role).await?;
    Ok(Status::NoContent)
}

/// Take someone's role on the site away.
#[utoipa::path(operation_id = "members_remove", context_path = "/api/v1", tag = "people",
    responses((status = 204), (status = "default", body = lantern_api::Problem)))]
#[delete("/sites/<site>/people/<person>")]
async fn remove(engine: &State<Arc<Engine>>, _change: Change, site: &str, person: &str) -> Result<Status, Failure> {
    let site = found::site(&engine.store, site).await?;
    engine.people.remove_member(&site, person).await?;
    Ok(Status::NoContent)
}

/// Invitations to a site that wait to be used, the first ones first.
#[utoipa::path(operation_id = "members_invitations", context_path = "/api/v1", tag = "people",
    responses((status = 200, body = Page<Invitation>), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/invitations?<after>&<limit>")]
async fn invitations(
    engine: &State<Arc<Engine>>,
    _access: Access,
    site: &str,
    after: Option<&str>,
    limit: Option<&str>,
) -> Answer<Page<Invitation>> {
    let limit = query::limit(limit)?;
    let site = found::site(&engine.store, site).await?;
    let after = query::number("after", after, 0, 0, i64::MAX)?;
    let invitations = engine.people.invitations(Some(&site), after, limit + 1).await?;
    Ok(Json(query::page(invitations, limit, |one| one.id.to_string(), |one| one)))
}

/// Invite somebody to a site: gives a one-time address to send them.
#[utoipa::path(operation_id = "members_invite", context_path = "/api/v1", tag = "people", request_body = NewInvitation,
    responses((status = 201, body = MadeInvitation), (status = "default", body = lantern_api::Problem)))]
#[post("/sites/<site>/invitations", data = "<body>")]
async fn invite(
    engine: &State<Arc<Engine>>,
    change: Change,
    base: Base,
    site: &str,
    body: Body<NewInvitation>,
) -> Result<(Status, Json<MadeInvitation>), Failure> {
    let site = found::site(&engine.store, site).await?;
    let made = engine.people.invite(&site, &body.0, &change.0.name()).await?;
    Ok((Status::Created, Json(one_time(&base, &made))))
}

/// Withdraw an invitation to a site.
#[utoipa::path(operation_id = "members_withdraw", context_path = "/api/v1", tag = "people",
    responses((status = 204), (status = "default", body = lantern_api::Problem)))]
#[delete("/sites/<site>/invitations/<id>")]
async fn withdraw(engine: &State<Arc<Engine>>, _change: Change, site: &str, id: i64) -> Result<Status, Failure> {
    let site = found::site(&engine.store, site).await?;
    engine.people.withdraw(Some(&site), id).await?;
    Ok(Status::NoContent)
}

/// A one-time address to hand on. The secret stands behind `#`, which browsers keep to themselves.
pub(super) fn one_time(base: &Base, made: &Made) -> MadeInvitation {
    let page = if made.invitation.person.is_some() { "new-password" } else { "join" };
    MadeInvitation {
        address: format!("{}/{page}#{}", base.shown(), made.secret),
        expires_at: made.invitation.expires_at.to_string(),
        invitation: made.invitation.person.is_none().then(|| shown_invitation(&made.invitation)),
    }
}
