//! Devices.

use super::body::Body;
use super::sites::{COUNT_LIMIT, confirmed, removal};
use super::{Answer, query};
use crate::auth::{Access, Change};
use crate::failure::Failure;
use crate::found;
use lantern_api::{Device, DeviceChange, NewDevice, Page, Removal};
use lantern_engine::Engine;
use lantern_engine::Problem;
use lantern_engine::setting_up::Described;
use lantern_engine::window::open_window;
use lantern_engine::{clock, shown};
use lantern_store as store;
use rocket::http::Status;
use rocket::serde::json::Json;
use rocket::{Route, State, delete, get, patch, post, routes};
use std::sync::Arc;

pub(super) fn routes() -> Vec<Route> {
    routes![list, add, show, change, extent, remove]
}

/// A device as it is shown.
pub(super) async fn shown(engine: &Engine, device: store::Device) -> Result<Device, Problem> {
    let described = Described::of(&engine.store, &device).await?;
    Ok(joined(engine, &device, described))
}

/// Devices as they are shown, in the same order.
pub(super) async fn all_shown(engine: &Engine, devices: Vec<store::Device>) -> Result<Vec<Device>, Problem> {
    let described = Described::all(&engine.store, &devices).await?;
    Ok(devices.into_iter().zip(described).map(|(device, described)| joined(engine, &device, described)).collect())
}

fn joined(engine: &Engine, device: &store::Device, described: Described) -> Device {
    let Described { section, damaged } = described;
    let shown::Standing { presence, since, last_heard_at } =
        shown::standing(device, engine.heard.last(device.id), clock::now());
    Device {
        code: section.code,
        name: section.name,
        note: section.note,
        place: section.place,
        interval_s: device.interval_s,
        position: section.position,
        created_at: device.created_at.to_string(),
        last_heard_at,
        presence,
        since,
        state: device.state,
        trial_since: device.trial_since.map(|at| at.to_string()),
        kind: section.kind,
        revision: device.kind.map(|(_, revision)| revision),
        decoder: section.decoder,
        late_after: section.late_after,
        silent_after: section.silent_after,
        carrier: section.carrier,
        identity: section.identity,
        topics: section.topics,
        commands: section.commands,
        joining_until: open_window(device, clock::now()).map(|(until, _)| until.to_string()),
        connection: engine.heard.connection(device.id),
        keeps_payload: device.keeps_payload,
        clock_offset_s: engine.heard.clock_offset_s(device.id),
        damaged: damaged.iter().map(ToString::to_string).collect(),
    }
}

/// The devices of a site, in order of code.
#[utoipa::path(operation_id = "devices_list", context_path = "/api/v1", tag = "devices",
    responses((status = 200, body = Page<Device>), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/devices?<after>&<limit>")]
async fn list(
    engine: &State<Arc<Engine>>,
    _access: Access,
    site: &str,
    after: Option<&str>,
    limit: Option<&str>,
) -> Answer<Page<Device>> {
    let limit = query::limit(limit)?;
    let site = found::site(&engine.store, site).await?;
    let devices = engine.store.devices(site.id, after.unwrap_or_default(), limit + 1).await?;
    let page = all_shown(engine, devices).await?;
    Ok(Json(query::page(page, limit, |device| device.code.clone(), |device| device)))
}

/// Make a device, with its signals if they are given.
#[utoipa::path(operation_id = "devices_add", context_path = "/api/v1", tag = "devices", request_body = NewDevice,
    responses((status = 201, body = Device), (status = "default", body = lantern_api::Problem)))]
#[post("/sites/<site>/devices", data = "<body>")]
async fn add(
    engine: &State<Arc<Engine>>,
    person: Change,
    site: &str,
    body: Body<NewDevice>,
) -> Result<(Status, Json<Device>), Failure> {
    let site = found::site(&engine.store, site).await?;
    let device = engine.set_up.add_device(&site, body.0, &person.0.name()).await?;
    Ok((Status::Created, Json(shown(engine, device).await?)))
}

/// One device.
#[utoipa::path(operation_id = "devices_show", context_path = "/api/v1", tag = "devices",
    responses((status = 200, body = Device), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/devices/<device>")]
async fn show(engine: &State<Arc<Engine>>, _access: Access, site: &str, device: &str) -> Answer<Device> {
    let (_, device) = found::device(&engine.store, site, device).await?;
    Ok(Json(shown(engine, device).await?))
}

/// Change a device.
#[utoipa::path(operation_id = "devices_change", context_path = "/api/v1", tag = "devices", request_body = DeviceChange,
    responses((status = 200, body = Device), (status = "default", body = lantern_api::Problem)))]
#[patch("/sites/<site>/devices/<device>", data = "<body>")]
async fn change(
    engine: &State<Arc<Engine>>,
    _change: Change,
    site: &str,
    device: &str,
    body: Body<DeviceChange>,
) -> Answer<Device> {
    let (site, device) = found::device(&engine.store, site, device).await?;
    let device = engine.set_up.change_device(&site, &device, body.0).await?;
    Ok(Json(shown(engine, device).await?))
}

/// How much would go with a device: its readings, counted up to a million.
#[utoipa::path(operation_id = "devices_extent", context_path = "/api/v1", tag = "devices",
    responses((status = 200, body = Removal), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/devices/<device>/extent")]
async fn extent(engine: &State<Arc<Engine>>, _access: Access, site: &str, device: &str) -> Answer<Removal> {
    let (_, device) = found::device(&engine.store, site, device).await?;
    Ok(Json(removal(engine.store.count_device_readings(device.id, COUNT_LIMIT).await?, false)))
}

/// Remove a device with its signals, keys and readings.
///
/// A device with readings is removed only with `confirm` set to its code;
/// without it, the answer says how much would go.
#[utoipa::path(operation_id = "devices_remove", context_path = "/api/v1", tag = "devices",
    responses((status = 200, body = Removal), (status = "default", body = lantern_api::Problem)))]
#[delete("/sites/<site>/devices/<device>?<confirm>")]
async fn remove(
    engine: &State<Arc<Engine>>,
    _change: Change,
    site: &str,
    device: &str,
    confirm: Option<&str>,
) -> Answer<Removal> {
    let (_, device) = found::device(&engine.store, site, device).await?;
    let extent = engine.store.count_device_readings(device.id, COUNT_LIMIT).await?;
    let removed = confirmed(confirm, &device.code, extent.count == 0)?;
    if removed {
        engine.set_up.remove_device(&device).await?;
    }
    Ok(Json(removal(extent, removed)))
}
