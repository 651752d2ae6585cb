//! Kinds: makes of device, described once.

use super::body::Body;
use super::{Answer, query};
use crate::auth::{Access, Change};
use crate::failure::Failure;
use crate::found;
use lantern_api::{Differences, Follower, Kind, KindDescription, Move, Page, Removal, Revision};
use lantern_engine::Engine;
use lantern_engine::setting_up::{check_kind, parse_kind};
use lantern_store as store;
use rocket::http::Status;
use rocket::serde::json::Json;
use rocket::{Route, State, delete, get, post, put, routes};
use std::sync::Arc;

pub(super) fn routes() -> Vec<Route> {
    routes![list, add, show, revise, remove, revisions, followers, move_to]
}

fn shown_revision(code: &str, revision: &store::Revision) -> Revision {
    let (description, damaged) = match parse_kind(revision) {
        Ok(description) => (description, None),
        Err(damaged) => {
            let description =
                KindDescription { code: Some(code.to_owned()), name: code.to_owned(), ..KindDescription::default() };
            (description, Some(damaged.to_string()))
        }
    };
    Revision {
        revision: revision.number,
        made_by: revision.made_by.clone(),
        made_at: revision.made_at.to_string(),
        description,
        damaged,
    }
}

fn shown(kind: &store::Kind) -> Kind {
    Kind { code: kind.code.clone(), devices: kind.devices, newest: shown_revision(&kind.code, &kind.newest) }
}

/// The kinds of a site, in order of code, each as its newest revision has it.
#[utoipa::path(operation_id = "kinds_list", context_path = "/api/v1", tag = "kinds",
    responses((status = 200, body = Page<Kind>), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/kinds?<after>&<limit>")]
async fn list(
    engine: &State<Arc<Engine>>,
    _access: Access,
    site: &str,
    after: Option<&str>,
    limit: Option<&str>,
) -> Answer<Page<Kind>> {
    let limit = query::limit(limit)?;
    let site = found::site(&engine.store, site).await?;
    let kinds = engine.store.kinds(site.id, after.unwrap_or_default(), limit + 1).await?;
    Ok(Json(query::page(kinds, limit, |kind| kind.code.clone(), |kind| shown(&kind))))
}

/// Make a kind.
#[utoipa::path(operation_id = "kinds_add", context_path = "/api/v1", tag = "kinds", request_body = KindDescription,
    responses((status = 201, body = Kind), (status = "default", body = lantern_api::Problem)))]
#[post("/sites/<site>/kinds", data = "<body>")]
async fn add(
    engine: &State<Arc<Engine>>,
    change: Change,
    site: &str,
    body: Body<KindDescription>,
) -> Result<(Status, Json<Kind>), Failure> {
    let description = check_kind(&body.0)?;
    let site = found::site(&engine.store, site).await?;
    let kind = engine.set_up.add_kind(&site, &description, &change.0.name()).await?;
    Ok((Status::Created, Json(shown(&kind))))
}

/// One kind, as its newest revision has it.
#[utoipa::path(operation_id = "kinds_show", context_path = "/api/v1", tag = "kinds",
    responses((status = 200, body = Kind), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/kinds/<kind>")]
async fn show(engine: &State<Arc<Engine>>, _access: Access, site: &str, kind: &str) -> Answer<Kind> {
    let (_, kind) = found::kind(&engine.store, site, kind).await?;
    Ok(Json(shown(&kind)))
}

/// Revise a kind: the description becomes its next revision. Devices follow the
/// revision they have until they are moved. A description that changes nothing
/// makes no revision.
#[utoipa::path(operation_id = "kinds_revise", context_path = "/api/v1", tag = "kinds", request_body = KindDescription,
    responses((status = 200, body = Kind), (status = "default", body = lantern_api::Problem)))]
#[put("/sites/<site>/kinds/<kind>", data = "<body>")]
async fn revise(
    engine: &State<Arc<Engine>>,
    change: Change,
    site: &str,
    kind: &str,
    body: Body<KindDescription>,
) -> Answer<Kind> {
    let (site, kind) = found::kind(&engine.store, site, kind).await?;
    let description = check_kind(&KindDescription { code: Some(kind.code.clone()), ..body.0 })?;
    // One that is damaged is different from whatever is wanted.
    if parse_kind(&kind.newest).is_ok_and(|known| known == description) {
        return Ok(Json(shown(&kind)));
    }
    engine.set_up.revise_kind(&site, kind.id, &description, &change.0.name()).await?;
    Ok(Json(shown(&engine.store.kind(site.id, &kind.code).await?)))
}

/// Remove a kind. Devices made from it stay as they are and follow none.
#[utoipa::path(operation_id = "kinds_remove", context_path = "/api/v1", tag = "kinds",
    responses((status = 200, body = Removal), (status = "default", body = lantern_api::Problem)))]
#[delete("/sites/<site>/kinds/<kind>")]
async fn remove(engine: &State<Arc<Engine>>, _change: Change, site: &str, kind: &str) -> Answer<Removal> {
    let (site, kind) = found::kind(&engine.store, site, kind).await?;
    engine.set_up.remove_kind(&site, kind.id).await?;
    Ok(Json(Removal { readings: 0, at_least: false, removed: true }))
}

/// The revisions of a kind, newest first.
#[utoipa::path(operation_id = "kinds_revisions", context_path = "/api/v1", tag = "kinds",
    responses((status = 200, body = Page<Revision>), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/kinds/<kind>/revisions?<after>&<limit>")]
async fn revisions(
    engine: &State<Arc<Engine>>,
    _access: Access,
    site: &str,
    kind: &str,
    after: Option<&str>,
    limit: Option<&str>,
) -> Answer<Page<Revision>> {
    let limit = query::limit(limit)?;
    let before = query::number("after", after, u32::MAX, 0, u32::MAX)?;
    let (_, kind) = found::kind(&engine.store, site, kind).await?;
    let revisions = engine.store.revisions(kind.id, before, limit + 1).await?;
    Ok(Json(query::page(revisions, limit, |r| r.number.to_string(), |r| shown_revision(&kind.code, &r))))
}

/// The devices that follow a kind and which revision, in order of code.
#[utoipa::path(operation_id = "kinds_followers", context_path = "/api/v1", tag = "kinds",
    responses((status = 200, body = Page<Follower>), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/kinds/<kind>/devices?<after>&<limit>")]
async fn followers(
    engine: &State<Arc<Engine>>,
    _access: Access,
    site: &str,
    kind: &str,
    after: Option<&str>,
    limit: Option<&str>,
) -> Answer<Page<Follower>> {
    let limit = query::limit(limit)?;
    let (_, kind) = found::kind(&engine.store, site, kind).await?;
    let devices = engine.store.devices_of_kind(kind.id, after.unwrap_or_default(), limit + 1).await?;
    let follower = |device: store::Device| Follower {
        revision: device.kind.map_or(0, |(_, revision)| revision),
        device: device.code,
        name: device.name,
    };
    Ok(Json(query::page(devices, limit, |device| device.code.clone(), follower)))
}

/// Move devices to a revision of their kind, or only say what would change.
/// Signals that the revision does not have stay with their readings.
#[utoipa::path(operation_id = "kinds_move_to", context_path = "/api/v1", tag = "kinds", request_body = Move,
    responses((status = 200, body = Differences), (status = "default", body = lantern_api::Problem)))]
#[post("/sites/<site>/kinds/<kind>/move", data = "<body>")]
async fn move_to(
    engine: &State<Arc<Engine>>,
    change: Change,
    site: &str,
    kind: &str,
    body: Body<Move>,
) -> Answer<Differences> {
    let (site, kind) = found::kind(&engine.store, site, kind).await?;
    Ok(Json(engine.set_up.move_devices(&site, &kind, body.0, &change.0.name()).await?))
}
