//! Trial and commissioning.

use super::Answer;
use super::body::Body;
use crate::auth::{Access, Change};
use crate::failure::Failure;
use crate::found;
use lantern_api::{Commissioning, GoLive, NewDummyTest, NewSoak, WentLive};
use lantern_engine::Engine;
use rocket::http::ContentType;
use rocket::serde::json::Json;
use rocket::{Route, State, delete, get, post, routes};
use std::sync::Arc;

pub(super) fn routes() -> Vec<Route> {
    routes![show, report, ask_dummy, begin_soak, end_soak, go_live, begin_trial]
}

/// How far the commissioning of a device is.
#[utoipa::path(operation_id = "commissioning_show", context_path = "/api/v1", tag = "commissioning",
    responses((status = 200, body = Commissioning), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/devices/<device>/commissioning")]
async fn show(engine: &State<Arc<Engine>>, _access: Access, site: &str, device: &str) -> Answer<Commissioning> {
    let (_, device) = found::device(&engine.store, site, device).await?;
    Ok(Json(engine.commissionings.judge(&device).await?))
}

/// The report of a commissioning as Markdown: the one with which a live device
/// went live, or how far it is.
#[utoipa::path(operation_id = "commissioning_report", context_path = "/api/v1", tag = "commissioning",
    responses((status = 200, content_type = "text/markdown", body = String),
        (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/devices/<device>/commissioning/report")]
async fn report(
    engine: &State<Arc<Engine>>,
    _access: Access,
    site: &str,
    device: &str,
) -> Result<(ContentType, String), Failure> {
    let (site, device) = found::device(&engine.store, site, device).await?;
    let text = engine.commissionings.report(&site, &device).await?;
    Ok((ContentType::new("text", "markdown").with_params(("charset", "utf-8")), text))
}

/// Ask for a dummy value: when it comes, the path of the signal is proved.
#[utoipa::path(operation_id = "commissioning_ask_dummy", context_path = "/api/v1", tag = "commissioning", request_body = NewDummyTest,
    responses((status = 200, body = Commissioning), (status = "default", body = lantern_api::Problem)))]
#[post("/sites/<site>/devices/<device>/commissioning/dummies", data = "<body>")]
async fn ask_dummy(
    engine: &State<Arc<Engine>>,
    _change: Change,
    site: &str,
    device: &str,
    body: Body<NewDummyTest>,
) -> Answer<Commissioning> {
    let (_, device) = found::device(&engine.store, site, device).await?;
    Ok(Json(engine.commissionings.ask_dummy(&device, &body.0).await?))
}

/// Begin a soak test: the device stays at its place for hours, and coverage is
/// measured.
#[utoipa::path(operation_id = "commissioning_begin_soak", context_path = "/api/v1", tag = "commissioning", request_body = NewSoak,
    responses((status = 200, body = Commissioning), (status = "default", body = lantern_api::Problem)))]
#[post("/sites/<site>/devices/<device>/commissioning/soak", data = "<body>")]
async fn begin_soak(
    engine: &State<Arc<Engine>>,
    _change: Change,
    site: &str,
    device: &str,
    body: Body<NewSoak>,
) -> Answer<Commissioning> {
    let (_, device) = found::device(&engine.store, site, device).await?;
    Ok(Json(engine.commissionings.begin_soak(&device, body.0.hours).await?))
}

/// End a soak test without a result.
#[utoipa::path(operation_id = "commissioning_end_soak", context_path = "/api/v1", tag = "commissioning",
    responses((status = 200, body = Commissioning), (status = "default", body = lantern_api::Problem)))]
#[delete("/sites/<site>/devices/<device>/commissioning/soak")]
async fn end_soak(engine: &State<Arc<Engine>>, _change: Change, site: &str, device: &str) -> Answer<Commissioning> {
    let (_, device) = found::device(&engine.store, site, device).await?;
    Ok(Json(engine.commissionings.end_soak(&device).await?))
}

/// Let a device go live. Its trial readings are cleared or kept, as is said each
/// time; with open or failed steps only `anyway`.
#[utoipa::path(operation_id = "commissioning_go_live", context_path = "/api/v1", tag = "commissioning", request_body = GoLive,
    responses((status = 200, body = WentLive), (status = "default", body = lantern_api::Problem)))]
#[post("/sites/<site>/devices/<device>/commissioning/live", data = "<body>")]
async fn go_live(
    engine: &State<Arc<Engine>>,
    change: Change,
    site: &str,
    device: &str,
    body: Body<GoLive>,
) -> Answer<WentLive> {
    let (_, device) = found::device(&engine.store, site, device).await?;
    let cleared = engine.commissionings.go_live(&device, &body.0, &change.0.name()).await?;
    Ok(Json(WentLive { cleared }))
}

/// Put a live device into trial again: its readings are trial readings until it
/// goes live, and those it has already are among them.
#[utoipa::path(operation_id = "commissioning_begin_trial", context_path = "/api/v1", tag = "commissioning",
    responses((status = 200, body = Commissioning), (status = "default", body = lantern_api::Problem)))]
#[post("/sites/<site>/devices/<device>/commissioning/trial")]
async fn begin_trial(engine: &State<Arc<Engine>>, _change: Change, site: &str, device: &str) -> Answer<Commissioning> {
    let (_, device) = found::device(&engine.store, site, device).await?;
    Ok(Json(engine.commissionings.begin_trial(&device).await?))
}
