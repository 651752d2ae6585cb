//! The contact log, and the history of presence.

use super::{Answer, query};
use crate::app::App;
use crate::auth::Access;
use crate::contacts::contact;
use crate::problem::Problem;
use crate::translate;
use lantern_api::{Contact, Page, PresenceChange};
use lantern_core::Moment;
use lantern_store::{self as store, Caller};
use rocket::http::Status;
use rocket::serde::json::Json;
use rocket::{Route, State, get, routes};
use std::sync::Arc;

pub(super) fn routes() -> Vec<Route> {
    routes![of_device, of_site, unknown, presence]
}

async fn page_of(app: &App, caller: Caller, after: Option<&str>, limit: Option<&str>) -> Answer<Page<Contact>> {
    let limit = query::limit(limit)?;
    let before = query::number("after", after, i64::MAX, 0, i64::MAX)?;
    app.contacts.flush(&app.store, &app.hub).await?;
    let contacts = app.store.contacts(caller, before, limit + 1).await?;
    let shown = |line: store::Contact| {
        contact(line.at, serde_json::from_str(&line.details).unwrap_or_default(), line.payload.as_deref())
    };
    Ok(Json(query::page(contacts, limit, |line| line.id.to_string(), shown)))
}

/// The attempts of a device to deliver, newest first: the last thousand, for
/// thirty days.
#[utoipa::path(context_path = "/api/v1", tag = "contacts",
    responses((status = 200, body = Page<Contact>), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/devices/<device>/contacts?<after>&<limit>")]
async fn of_device(
    app: &State<Arc<App>>,
    _access: Access,
    site: &str,
    device: &str,
    after: Option<&str>,
    limit: Option<&str>,
) -> Answer<Page<Contact>> {
    let (site, device) = app.device(site, device).await?;
    page_of(app, Caller::Device(site.id, device.id), after, limit).await
}

/// Attempts with a key of the site that could not be put to one device, newest
/// first.
#[utoipa::path(context_path = "/api/v1", tag = "contacts",
    responses((status = 200, body = Page<Contact>), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/contacts?<after>&<limit>")]
async fn of_site(
    app: &State<Arc<App>>,
    _access: Access,
    site: &str,
    after: Option<&str>,
    limit: Option<&str>,
) -> Answer<Page<Contact>> {
    let site = app.site(site).await?;
    page_of(app, Caller::Site(site.id), after, limit).await
}

/// Attempts without a key or with one nobody has, newest first. Only for owners,
/// as they may be meant for any site.
#[utoipa::path(context_path = "/api/v1", tag = "contacts",
    responses((status = 200, body = Page<Contact>), (status = "default", body = lantern_api::Problem)))]
#[get("/contacts/unknown?<after>&<limit>")]
async fn unknown(
    app: &State<Arc<App>>,
    access: Access,
    after: Option<&str>,
    limit: Option<&str>,
) -> Answer<Page<Contact>> {
    if access.person.role != "owner" {
        return Err(Problem::new(
            Status::Forbidden,
            "not-allowed",
            "Not allowed",
            "Only owners see attempts with unknown keys.",
            "Ask an owner.",
        ));
    }
    page_of(app, Caller::Unknown, after, limit).await
}

/// When a device was fresh, late and silent, newest first.
#[utoipa::path(context_path = "/api/v1", tag = "devices",
    responses((status = 200, body = Page<PresenceChange>), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/devices/<device>/presence?<after>&<limit>")]
async fn presence(
    app: &State<Arc<App>>,
    _access: Access,
    site: &str,
    device: &str,
    after: Option<&str>,
    limit: Option<&str>,
) -> Answer<Page<PresenceChange>> {
    let limit = query::limit(limit)?;
    let before = query::moment("after", after)?.or_else(|| Moment::from_micros(253_402_000_000_000_000));
    let Some(before) = before else { return Err(Problem::storage()) };
    let (_, device) = app.device(site, device).await?;
    app.heard.flush(&app.store).await?;
    let changes = app.store.presence_changes(device.id, before, limit + 1).await?;
    let shown = |change: store::PresenceChange| PresenceChange {
        at: change.at.to_string(),
        presence: translate::presence(change.presence),
    };
    Ok(Json(query::page(changes, limit, |change| change.at.to_string(), shown)))
}
