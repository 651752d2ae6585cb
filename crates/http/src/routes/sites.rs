//! Sites.

use super::body::Body;
use super::{Answer, query};
use crate::auth::{Access, Change, standing_on};
use crate::failure::Failure;
use crate::found;
use lantern_api::{NewSite, Page, Removal, Site, SiteChange};
use lantern_core::access::Standing;
use lantern_engine::Engine;
use lantern_engine::Problem;
use lantern_engine::shown;
use lantern_store as store;
use rocket::http::Status;
use rocket::serde::json::Json;
use rocket::{Route, State, delete, get, patch, post, routes};
use std::sync::Arc;

/// Readings counted before a removal, at most.
pub(super) const COUNT_LIMIT: u32 = 1_000_000;

pub(super) fn routes() -> Vec<Route> {
    routes![list, add, show, change, extent, remove]
}

/// The sites where the one who asks has a role, in order of code.
#[utoipa::path(operation_id = "sites_list", context_path = "/api/v1", tag = "sites",
    responses((status = 200, body = Page<Site>), (status = "default", body = lantern_api::Problem)))]
#[get("/sites?<after>&<limit>")]
async fn list(
    engine: &State<Arc<Engine>>,
    access: Access,
    after: Option<&str>,
    limit: Option<&str>,
) -> Answer<Page<Site>> {
    let limit = query::limit(limit)?;
    let (person, session) = access.person()?;
    let whose = (!person.is_administrator).then_some(person.id);
    let sites = engine.store.sites_of(whose, session.site, after.unwrap_or_default(), limit + 1).await?;
    let mut shown = Vec::with_capacity(sites.len());
    for (site, role) in sites {
        let standing = standing_on(person, session, Some(site.id), role);
        shown.push(site_of(engine, site, &standing).await?);
    }
    Ok(Json(query::page(shown, limit, |site| site.code.clone(), |site| site)))
}

async fn site_of(engine: &Engine, site: store::Site, standing: &Standing) -> Result<Site, Problem> {
    let arrivals = engine.store.count_arrivals(site.id).await?;
    Ok(shown::site(site, arrivals, standing))
}

/// Make a site.
#[utoipa::path(operation_id = "sites_add", context_path = "/api/v1", tag = "sites", request_body = NewSite,
    responses((status = 201, body = Site), (status = "default", body = lantern_api::Problem)))]
#[post("/sites", data = "<body>")]
async fn add(
    engine: &State<Arc<Engine>>,
    change: Change,
    body: Body<NewSite>,
) -> Result<(Status, Json<Site>), Failure> {
    let site = engine.set_up.add_site(body.0).await?;
    Ok((Status::Created, Json(shown::site(site, 0, &change.0.standing))))
}

/// One site.
#[utoipa::path(operation_id = "sites_show", context_path = "/api/v1", tag = "sites",
    responses((status = 200, body = Site), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>")]
async fn show(engine: &State<Arc<Engine>>, access: Access, site: &str) -> Answer<Site> {
    let site = found::site(&engine.store, site).await?;
    Ok(Json(site_of(engine, site, &access.standing).await?))
}

/// Change a site.
#[utoipa::path(operation_id = "sites_change", context_path = "/api/v1", tag = "sites", request_body = SiteChange,
    responses((status = 200, body = Site), (status = "default", body = lantern_api::Problem)))]
#[patch("/sites/<site>", data = "<body>")]
async fn change(engine: &State<Arc<Engine>>, change: Change, site: &str, body: Body<SiteChange>) -> Answer<Site> {
    let site = found::site(&engine.store, site).await?;
    let site = engine.set_up.change_site(&site, body.0).await?;
    Ok(Json(site_of(engine, site, &change.0.standing).await?))
}

/// How much would go with a site: its readings, counted up to a million.
#[utoipa::path(operation_id = "sites_extent", context_path = "/api/v1", tag = "sites",
    responses((status = 200, body = Removal), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/extent")]
async fn extent(engine: &State<Arc<Engine>>, _access: Access, site: &str) -> Answer<Removal> {
    let site = found::site(&engine.store, site).await?;
    Ok(Json(removal(engine.store.count_site_readings(site.id, COUNT_LIMIT).await?, false)))
}

/// Remove a site with its devices and their readings.
///
/// Without `confirm`, says how much would go. With `confirm` set to the site's
/// code, removes it.
#[utoipa::path(operation_id = "sites_remove", context_path = "/api/v1", tag = "sites",
    responses((status = 200, body = Removal), (status = "default", body = lantern_api::Problem)))]
#[delete("/sites/<site>?<confirm>")]
async fn remove(engine: &State<Arc<Engine>>, _change: Change, site: &str, confirm: Option<&str>) -> Answer<Removal> {
    let site = found::site(&engine.store, site).await?;
    let extent = engine.store.count_site_readings(site.id, COUNT_LIMIT).await?;
    let removed = confirmed(confirm, &site.code, false)?;
    if removed {
        engine.set_up.remove_site(&site).await?;
    }
    Ok(Json(removal(extent, removed)))
}

/// How much goes with something, or would.
pub(super) fn removal(extent: store::Extent, removed: bool) -> Removal {
    Removal { readings: extent.count, at_least: extent.at_least, removed }
}

/// Whether a removal is confirmed: by the code, or because nothing is lost.
pub(super) fn confirmed(confirm: Option<&str>, code: &str, nothing_lost: bool) -> Result<bool, Problem> {
    match confirm {
        Some(confirm) if confirm == code => Ok(true),
        Some(_) => Err(Problem::invalid("confirm", format_args!("to remove it, this must be its code `{code}`"))),
        None => Ok(nothing_lost),
    }
}
