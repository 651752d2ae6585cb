//! A site's set-up as one document.

use super::Answer;
use super::body::Body;
use super::inlet::From;
use super::query;
use crate::auth::{Access, Change};
use crate::found;
use lantern_api::{Differences, SiteDocument};
use lantern_engine::Engine;
use lantern_engine::record::objects_of;
use rocket::serde::json::Json;
use rocket::{Route, State, get, post, routes};
use std::sync::Arc;

pub(super) fn routes() -> Vec<Route> {
    routes![export, apply]
}

/// The set-up of a site as one document, without keys and readings.
#[utoipa::path(operation_id = "documents_export", context_path = "/api/v1", tag = "sites",
    responses((status = 200, body = SiteDocument), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/document")]
async fn export(engine: &State<Arc<Engine>>, _access: Access, site: &str) -> Answer<SiteDocument> {
    let site = found::site(&engine.store, site).await?;
    Ok(Json(engine.set_up.export(&site).await?))
}

/// Make a site as a document says, or with `dry_run=true` only say what would
/// change. What is not in the document stays, and is named. Doing it twice
/// changes nothing.
#[utoipa::path(operation_id = "documents_apply", context_path = "/api/v1", tag = "sites", request_body = SiteDocument,
    responses((status = 200, body = Differences), (status = "default", body = lantern_api::Problem)))]
#[post("/sites/<site>/document?<dry_run>", data = "<body>")]
async fn apply(
    engine: &State<Arc<Engine>>,
    change: Change,
    site: &str,
    dry_run: Option<&str>,
    from: From,
    body: Body<SiteDocument>,
) -> Answer<Differences> {
    let dry_run = query::flag("dry_run", dry_run)?;
    let site = found::site(&engine.store, site).await?;
    // First all of it dry, so that a mistake at its end leaves nothing half done.
    let by = &change.0.name();
    let differences = engine.set_up.apply(&site, &body.0, by, true).await?;
    if dry_run {
        return Ok(Json(differences));
    }
    let before = engine.records.pictures(&site, objects_of(&differences.differences)).await?;
    let done = engine.set_up.apply(&site, &body.0, by, false).await;
    // What was done until something failed stands, and is recorded too.
    let now = found::site(&engine.store, &site.code).await?;
    engine.records.write_each(&change.0.doer(from.0)?, &now, &before).await;
    Ok(Json(done?))
}
