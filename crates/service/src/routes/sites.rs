//! Sites.

use super::body::Body;
use super::{Answer, query};
use crate::app::App;
use crate::auth::{Access, Change};
use crate::checks::{check_name, check_position, check_zone, place_code};
use crate::problem::Problem;
use crate::{clock, translate};
use lantern_api::{NewSite, Page, Removal, Site, SiteChange};
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

/// The sites, in order of code.
#[utoipa::path(context_path = "/api/v1", tag = "sites",
    responses((status = 200, body = Page<Site>), (status = "default", body = lantern_api::Problem)))]
#[get("/sites?<after>&<limit>")]
async fn list(app: &State<Arc<App>>, _access: Access, after: Option<&str>, limit: Option<&str>) -> Answer<Page<Site>> {
    let limit = query::limit(limit)?;
    let sites = app.store.sites(after.unwrap_or_default(), limit + 1).await?;
    let mut arrivals = Vec::with_capacity(sites.len());
    for site in &sites {
        arrivals.push(app.store.count_arrivals(site.id).await?);
    }
    let mut arrivals = arrivals.into_iter();
    Ok(Json(query::page(
        sites,
        limit,
        |site| site.code.clone(),
        |site| translate::site(site, arrivals.next().unwrap_or(0)),
    )))
}

/// Make a site.
#[utoipa::path(context_path = "/api/v1", tag = "sites", request_body = NewSite,
    responses((status = 201, body = Site), (status = "default", body = lantern_api::Problem)))]
#[post("/sites", data = "<body>")]
async fn add(app: &State<Arc<App>>, _change: Change, body: Body<NewSite>) -> Result<(Status, Json<Site>), Problem> {
    let Body(new) = body;
    let name = check_name(&new.name)?;
    let code = place_code(new.code, name)?;
    let site = store::NewSite {
        code: &code,
        name,
        zone: check_zone(&new.zone)?,
        position: new.position.map(check_position).transpose()?,
    };
    let site = app.store.add_site(site, clock::now()).await.map_err(|e| Problem::taken(e, "site", &code))?;
    Ok((Status::Created, Json(translate::site(site, 0))))
}

/// One site.
#[utoipa::path(context_path = "/api/v1", tag = "sites",
    responses((status = 200, body = Site), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>")]
async fn show(app: &State<Arc<App>>, _access: Access, site: &str) -> Answer<Site> {
    let site = app.site(site).await?;
    let arrivals = app.store.count_arrivals(site.id).await?;
    Ok(Json(translate::site(site, arrivals)))
}

/// Change a site.
#[utoipa::path(context_path = "/api/v1", tag = "sites", request_body = SiteChange,
    responses((status = 200, body = Site), (status = "default", body = lantern_api::Problem)))]
#[patch("/sites/<site>", data = "<body>")]
async fn change(app: &State<Arc<App>>, _change: Change, site: &str, body: Body<SiteChange>) -> Answer<Site> {
    let Body(change) = body;
    let site = app.site(site).await?;
    let change = store::SiteChange {
        name: change.name.as_deref().map(check_name).transpose()?.map(str::to_owned),
        zone: change.zone.as_deref().map(check_zone).transpose()?.map(str::to_owned),
        position: change.position.map(|p| p.map(check_position).transpose()).transpose()?,
    };
    let site = app.store.change_site(site.id, change).await?;
    // Times without a zone are read in the site's.
    app.plans.forget_all();
    app.hub.change(site.id, "site", None);
    let arrivals = app.store.count_arrivals(site.id).await?;
    Ok(Json(translate::site(site, arrivals)))
}

/// How much would go with a site: its readings, counted up to a million.
#[utoipa::path(context_path = "/api/v1", tag = "sites",
    responses((status = 200, body = Removal), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/extent")]
async fn extent(app: &State<Arc<App>>, _access: Access, site: &str) -> Answer<Removal> {
    let site = app.site(site).await?;
    Ok(Json(removal(app.store.count_site_readings(site.id, COUNT_LIMIT).await?, false)))
}

/// Remove a site with its devices and their readings.
///
/// Without `confirm`, says how much would go. With `confirm` set to the site's
/// code, removes it.
#[utoipa::path(context_path = "/api/v1", tag = "sites",
    responses((status = 200, body = Removal), (status = "default", body = lantern_api::Problem)))]
#[delete("/sites/<site>?<confirm>")]
async fn remove(app: &State<Arc<App>>, _change: Change, site: &str, confirm: Option<&str>) -> Answer<Removal> {
    let site = app.site(site).await?;
    let extent = app.store.count_site_readings(site.id, COUNT_LIMIT).await?;
    let removed = confirmed(confirm, &site.code, false)?;
    if removed {
        app.store.remove_site(site.id, clock::now()).await?;
        app.plans.forget_all();
        app.heard.forget(|_, of| of == site.id);
        if let Some(server) = app.outward.server() {
            server.broker().forget_site(site.id);
        }
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
