//! Now: the last values with their age and direction of change.

use super::{Answer, query};
use crate::auth::Access;
use crate::failure::Failure;
use crate::found;
use lantern_api::{DeviceNow, Page};
use lantern_engine::Engine;
use lantern_engine::Problem;
use lantern_store::StoreError;
use rocket::serde::json::Json;
use rocket::{Route, State, get, routes};
use std::sync::Arc;

pub(super) fn routes() -> Vec<Route> {
    routes![site_now, device_now]
}

/// All devices of a site as they are now, in order of code.
///
/// With `trace=true`, each with the last two hours of its first number signal.
#[utoipa::path(operation_id = "now_site_now", context_path = "/api/v1", tag = "reading back",
    responses((status = 200, body = Page<DeviceNow>), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/now?<after>&<limit>&<trace>")]
async fn site_now(
    engine: &State<Arc<Engine>>,
    _access: Access,
    site: &str,
    after: Option<&str>,
    limit: Option<&str>,
    trace: Option<&str>,
) -> Answer<Page<DeviceNow>> {
    let limit = query::limit(limit)?;
    let trace = query::flag("trace", trace)?;
    let site = found::site(&engine.store, site).await?;
    let devices = engine.store.devices(site.id, after.unwrap_or_default(), limit + 1).await?;
    let now = engine.now.of(devices, trace).await?;
    Ok(Json(query::page(now, limit, |now| now.device.clone(), |now| now)))
}

/// One device as it is now.
#[utoipa::path(operation_id = "now_device_now", context_path = "/api/v1", tag = "reading back",
    responses((status = 200, body = DeviceNow), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/devices/<device>/now")]
async fn device_now(engine: &State<Arc<Engine>>, _access: Access, site: &str, device: &str) -> Answer<DeviceNow> {
    let (_, device) = found::device(&engine.store, site, device).await?;
    let now = engine.now.of(vec![device], false).await?.pop();
    now.map(Json).ok_or_else(|| Failure::from(Problem::from(StoreError::NotFound)))
}
