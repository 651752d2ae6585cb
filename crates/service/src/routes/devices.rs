//! Devices.

use super::body::Body;
use super::sites::{COUNT_LIMIT, check_name, check_note, check_position, confirmed, place_code, removal};
use super::{Answer, query, signals};
use crate::app::App;
use crate::auth::{Access, Change};
use crate::problem::Problem;
use crate::{clock, translate};
use lantern_api::{Device, DeviceChange, NewDevice, Page, Removal};
use lantern_store as store;
use rocket::http::Status;
use rocket::serde::json::Json;
use rocket::{Route, State, delete, get, patch, post, routes};
use std::sync::Arc;

const DEFAULT_INTERVAL_S: f64 = 60.0;

pub(super) fn routes() -> Vec<Route> {
    routes![list, add, show, change, extent, remove]
}

fn shown(app: &App, device: store::Device) -> Device {
    let last = app.heard.last(device.id);
    translate::device(device, last, clock::now())
}

/// The devices of a site, in order of code.
#[utoipa::path(context_path = "/api/v1", tag = "devices",
    responses((status = 200, body = Page<Device>), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/devices?<after>&<limit>")]
async fn list(
    app: &State<Arc<App>>,
    _access: Access,
    site: &str,
    after: Option<&str>,
    limit: Option<&str>,
) -> Answer<Page<Device>> {
    let limit = query::limit(limit)?;
    let site = app.site(site).await?;
    let devices = app.store.devices(site.id, after.unwrap_or_default(), limit + 1).await?;
    Ok(Json(query::page(devices, limit, |device| device.code.clone(), |device| shown(app, device))))
}

/// Make a device, with its signals if they are given.
#[utoipa::path(context_path = "/api/v1", tag = "devices", request_body = NewDevice,
    responses((status = 201, body = Device), (status = "default", body = lantern_api::Problem)))]
#[post("/sites/<site>/devices", data = "<body>")]
async fn add(
    app: &State<Arc<App>>,
    _change: Change,
    site: &str,
    body: Body<NewDevice>,
) -> Result<(Status, Json<Device>), Problem> {
    let Body(new) = body;
    let site = app.site(site).await?;
    let name = check_name(&new.name)?;
    let code = place_code(new.code, name)?;
    let declared = signals::check_all(&new.signals)?;
    let device = store::NewDevice {
        code: &code,
        name,
        note: check_note(&new.note)?,
        interval_s: check_interval(new.interval_s.unwrap_or(DEFAULT_INTERVAL_S))?,
        position: new.position.map(check_position).transpose()?,
    };
    let now = clock::now();
    let device = app.store.add_device(site.id, device, now).await.map_err(|e| Problem::taken(e, "device", &code))?;
    for signal in &declared {
        app.store.add_signal(device.id, signal.to_new(), now).await?;
    }
    app.heard.watch(&device, now);
    app.hub.change(site.id, "device", Some(&device.code));
    Ok((Status::Created, Json(shown(app, device))))
}

/// One device.
#[utoipa::path(context_path = "/api/v1", tag = "devices",
    responses((status = 200, body = Device), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/devices/<device>")]
async fn show(app: &State<Arc<App>>, _access: Access, site: &str, device: &str) -> Answer<Device> {
    let (_, device) = app.device(site, device).await?;
    Ok(Json(shown(app, device)))
}

/// Change a device.
#[utoipa::path(context_path = "/api/v1", tag = "devices", request_body = DeviceChange,
    responses((status = 200, body = Device), (status = "default", body = lantern_api::Problem)))]
#[patch("/sites/<site>/devices/<device>", data = "<body>")]
async fn change(
    app: &State<Arc<App>>,
    _change: Change,
    site: &str,
    device: &str,
    body: Body<DeviceChange>,
) -> Answer<Device> {
    let Body(change) = body;
    let (site, device) = app.device(site, device).await?;
    let change = store::DeviceChange {
        name: change.name.as_deref().map(check_name).transpose()?.map(str::to_owned),
        note: change.note.as_deref().map(check_note).transpose()?.map(str::to_owned),
        interval_s: change.interval_s.map(check_interval).transpose()?,
        position: change.position.map(|p| p.map(check_position).transpose()).transpose()?,
    };
    let device = app.store.change_device(device.id, change).await?;
    app.plans.forget(device.id);
    app.heard.watch(&device, clock::now());
    app.hub.change(site.id, "device", Some(&device.code));
    Ok(Json(shown(app, device)))
}

/// How much would go with a device: its readings, counted up to a million.
#[utoipa::path(context_path = "/api/v1", tag = "devices",
    responses((status = 200, body = Removal), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/devices/<device>/extent")]
async fn extent(app: &State<Arc<App>>, _access: Access, site: &str, device: &str) -> Answer<Removal> {
    let (_, device) = app.device(site, device).await?;
    Ok(Json(removal(app.store.count_device_readings(device.id, COUNT_LIMIT).await?, false)))
}

/// Remove a device with its signals, keys and readings.
///
/// A device with readings is removed only with `confirm` set to its code;
/// without it, the answer says how much would go.
#[utoipa::path(context_path = "/api/v1", tag = "devices",
    responses((status = 200, body = Removal), (status = "default", body = lantern_api::Problem)))]
#[delete("/sites/<site>/devices/<device>?<confirm>")]
async fn remove(
    app: &State<Arc<App>>,
    _change: Change,
    site: &str,
    device: &str,
    confirm: Option<&str>,
) -> Answer<Removal> {
    let (site, device) = app.device(site, device).await?;
    let extent = app.store.count_device_readings(device.id, COUNT_LIMIT).await?;
    let removed = confirmed(confirm, &device.code, extent.count == 0)?;
    if removed {
        let gone = app.store.signals(device.id).await?;
        app.store.remove_device(device.id, clock::now()).await?;
        app.plans.forget(device.id);
        app.heard.forget(|id, _| id == device.id);
        app.latest.forget(gone.into_iter().map(|signal| signal.id));
        app.hub.change(site.id, "device-removed", Some(&device.code));
    }
    Ok(Json(removal(extent, removed)))
}

fn check_interval(seconds: f64) -> Result<f64, Problem> {
    if (0.01..=31_622_400.0).contains(&seconds) {
        Ok(seconds)
    } else {
        Err(Problem::invalid("interval_s", "seconds, from 0.01 to 31,622,400 (a year)"))
    }
}
