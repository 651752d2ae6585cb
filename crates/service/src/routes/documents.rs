//! A site's set-up as one document.

use super::Answer;
use super::body::Body;
use super::query;
use crate::app::App;
use crate::auth::{Access, Change};
use crate::setting_up;
use lantern_api::{Differences, SiteDocument};
use rocket::serde::json::Json;
use rocket::{Route, State, get, post, routes};
use std::sync::Arc;

pub(super) fn routes() -> Vec<Route> {
    routes![export, apply]
}

/// The set-up of a site as one document, without keys and readings.
#[utoipa::path(context_path = "/api/v1", tag = "sites",
    responses((status = 200, body = SiteDocument), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/document")]
async fn export(app: &State<Arc<App>>, _access: Access, site: &str) -> Answer<SiteDocument> {
    let site = app.site(site).await?;
    Ok(Json(setting_up::export(app, &site).await?))
}

/// Make a site as a document says, or with `dry_run=true` only say what would
/// change. What is not in the document stays, and is named. Doing it twice
/// changes nothing.
#[utoipa::path(context_path = "/api/v1", tag = "sites", request_body = SiteDocument,
    responses((status = 200, body = Differences), (status = "default", body = lantern_api::Problem)))]
#[post("/sites/<site>/document?<dry_run>", data = "<body>")]
async fn apply(
    app: &State<Arc<App>>,
    change: Change,
    site: &str,
    dry_run: Option<&str>,
    body: Body<SiteDocument>,
) -> Answer<Differences> {
    let dry_run = query::flag("dry_run", dry_run)?;
    let site = app.site(site).await?;
    // First all of it dry, so that a mistake at its end leaves nothing half done.
    let differences = setting_up::apply(app, &site, &body.0, &change.0.person.name, true).await?;
    if dry_run {
        return Ok(Json(differences));
    }
    let site = app.site(&site.code).await?;
    Ok(Json(setting_up::apply(app, &site, &body.0, &change.0.person.name, false).await?))
}
