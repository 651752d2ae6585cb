//! The contact log, and the history of presence.

use super::{Answer, query};
use crate::auth::Access;
use crate::base::Base;
use crate::failure::Failure;
use crate::found;
use lantern_api::{Contact, Page, PresenceChange, Why};
use lantern_core::Moment;
use lantern_core::access::Right;
use lantern_engine::Engine;
use lantern_engine::Problem;
use lantern_engine::contacts::kept;
use lantern_engine::why::Asked;
use lantern_store::{self as store, Caller};
use rocket::serde::json::Json;
use rocket::{Route, State, get, routes};
use std::sync::Arc;

pub(super) fn routes() -> Vec<Route> {
    routes![of_device, of_site, unknown, why_device, why_signal, presence]
}

async fn page_of(engine: &Engine, caller: Caller, after: Option<&str>, limit: Option<&str>) -> Answer<Page<Contact>> {
    let limit = query::limit(limit)?;
    let before = query::number("after", after, i64::MAX, 0, i64::MAX)?;
    engine.contacts.flush().await?;
    let contacts = engine.store.contacts(caller, before, limit + 1).await?;
    Ok(Json(query::page(contacts, limit, |line| line.id.to_string(), |line| kept(&line))))
}

/// The attempts of a device to deliver, newest first: the last thousand, for
/// thirty days.
#[utoipa::path(operation_id = "contacts_of_device", context_path = "/api/v1", tag = "contacts",
    responses((status = 200, body = Page<Contact>), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/devices/<device>/contacts?<after>&<limit>")]
async fn of_device(
    engine: &State<Arc<Engine>>,
    _access: Access,
    site: &str,
    device: &str,
    after: Option<&str>,
    limit: Option<&str>,
) -> Answer<Page<Contact>> {
    let (site, device) = found::device(&engine.store, site, device).await?;
    page_of(engine, Caller::Device(site.id, device.id), after, limit).await
}

/// Attempts with a key of the site that could not be put to one device, newest
/// first.
#[utoipa::path(operation_id = "contacts_of_site", context_path = "/api/v1", tag = "contacts",
    responses((status = 200, body = Page<Contact>), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/contacts?<after>&<limit>")]
async fn of_site(
    engine: &State<Arc<Engine>>,
    _access: Access,
    site: &str,
    after: Option<&str>,
    limit: Option<&str>,
) -> Answer<Page<Contact>> {
    let site = found::site(&engine.store, site).await?;
    page_of(engine, Caller::Site(site.id), after, limit).await
}

/// Attempts without a key or with one nobody has, newest first. Only for administrators,
/// as they may be meant for any site.
#[utoipa::path(operation_id = "contacts_unknown", context_path = "/api/v1", tag = "contacts",
    responses((status = 200, body = Page<Contact>), (status = "default", body = lantern_api::Problem)))]
#[get("/contacts/unknown?<after>&<limit>")]
async fn unknown(
    engine: &State<Arc<Engine>>,
    _access: Access,
    after: Option<&str>,
    limit: Option<&str>,
) -> Answer<Page<Contact>> {
    page_of(engine, Caller::Unknown, after, limit).await
}

fn asked(access: &Access, base: &Base) -> Asked {
    let own_address = base.leads_to_itself().then(|| base.shown().to_owned());
    Asked { sees_unknown: access.standing.may(Right::Run), own_address }
}

/// Why nothing is seen of a device: the first thing that is wrong on the way of its
/// readings, what it means and what mends it.
#[utoipa::path(operation_id = "contacts_why_device", context_path = "/api/v1", tag = "contacts",
    responses((status = 200, body = Why), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/devices/<device>/why")]
async fn why_device(engine: &State<Arc<Engine>>, access: Access, site: &str, device: &str, base: Base) -> Answer<Why> {
    let (_, device) = found::device(&engine.store, site, device).await?;
    Ok(Json(engine.whys.why(&device, None, asked(&access, &base)).await?))
}

/// Why nothing is seen of a signal.
#[utoipa::path(operation_id = "contacts_why_signal", context_path = "/api/v1", tag = "contacts",
    responses((status = 200, body = Why), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/devices/<device>/signals/<signal>/why")]
async fn why_signal(
    engine: &State<Arc<Engine>>,
    access: Access,
    site: &str,
    device: &str,
    signal: &str,
    base: Base,
) -> Answer<Why> {
    let (_, device, signal) = found::signal(&engine.store, site, device, signal).await?;
    Ok(Json(engine.whys.why(&device, Some(&signal), asked(&access, &base)).await?))
}

/// When a device was fresh, late and silent, newest first.
#[utoipa::path(operation_id = "contacts_presence", context_path = "/api/v1", tag = "devices",
    responses((status = 200, body = Page<PresenceChange>), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/devices/<device>/presence?<after>&<limit>")]
async fn presence(
    engine: &State<Arc<Engine>>,
    _access: Access,
    site: &str,
    device: &str,
    after: Option<&str>,
    limit: Option<&str>,
) -> Answer<Page<PresenceChange>> {
    let limit = query::limit(limit)?;
    let before = query::moment("after", after)?.or_else(|| Moment::from_micros(253_402_000_000_000_000));
    let Some(before) = before else { return Err(Failure::from(Problem::storage())) };
    let (_, device) = found::device(&engine.store, site, device).await?;
    engine.heard.flush().await?;
    let changes = engine.store.presence_changes(device.id, before, limit + 1).await?;
    let shown = |change: store::PresenceChange| PresenceChange { at: change.at.to_string(), presence: change.presence };
    Ok(Json(query::page(changes, limit, |change| change.at.to_string(), shown)))
}
