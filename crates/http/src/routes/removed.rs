//! What was removed, and bringing it back.

use super::{Answer, devices, query, signals};
use crate::auth::{Access, Change};
use crate::found;
use lantern_api::{Device, Page, Removed, RemovedSite, Signal, Site};
use lantern_core::Moment;
use lantern_engine::Engine;
use lantern_engine::setting_up::RESTORABLE_S;
use lantern_engine::shown;
use lantern_store as store;
use rocket::serde::json::Json;
use rocket::{Route, State, get, post, routes};
use std::sync::Arc;

pub(super) fn routes() -> Vec<Route> {
    routes![sites, restore_site, list, restore_device, restore_signal]
}

fn item(removed: store::Removed) -> Removed {
    let store::Removed { device, signal, name, at } = removed;
    Removed { device, signal, name, at: at.to_string(), until: at.plus_seconds(RESTORABLE_S).to_string() }
}

/// Sites that were removed within the last day, newest first. They can be brought back until they are a
/// day old.
#[utoipa::path(operation_id = "removed_sites", context_path = "/api/v1", tag = "sites",
    responses((status = 200, body = Page<RemovedSite>), (status = "default", body = lantern_api::Problem)))]
#[get("/removed-sites")]
async fn sites(engine: &State<Arc<Engine>>, _access: Access) -> Answer<Page<RemovedSite>> {
    let removed = engine.set_up.removed_sites().await?;
    let shown = |(site, at): (store::Site, Moment)| RemovedSite {
        code: site.code,
        name: site.name,
        at: at.to_string(),
        until: at.plus_seconds(RESTORABLE_S).to_string(),
    };
    Ok(Json(Page { items: removed.into_iter().map(shown).collect(), next: None }))
}

/// Bring a removed site back, with its devices, their readings and keys, and the roles of its people.
#[utoipa::path(operation_id = "removed_restore_site", context_path = "/api/v1", tag = "sites",
    responses((status = 200, body = Site), (status = "default", body = lantern_api::Problem)))]
#[post("/removed-sites/<site>/restore")]
async fn restore_site(engine: &State<Arc<Engine>>, change: Change, site: &str) -> Answer<Site> {
    let site = engine.set_up.restore_site(site).await?;
    let arrivals = engine.store.count_arrivals(site.id).await?;
    Ok(Json(shown::site(site, arrivals, &change.0.standing)))
}

/// Devices and signals that were removed within the last day, newest first. They can be brought
/// back until they are a day old.
#[utoipa::path(operation_id = "removed_list", context_path = "/api/v1", tag = "sites",
    responses((status = 200, body = Page<Removed>), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/removed?<after>&<limit>")]
async fn list(
    engine: &State<Arc<Engine>>,
    _access: Access,
    site: &str,
    after: Option<&str>,
    limit: Option<&str>,
) -> Answer<Page<Removed>> {
    let limit = query::limit(limit)?;
    let before = query::number("after", after, i64::MAX, 0, i64::MAX)?;
    let before = Moment::from_micros(before).unwrap_or(Moment::MAX);
    let site = found::site(&engine.store, site).await?;
    let removed = engine.set_up.removed(&site, before, limit + 1).await?;
    Ok(Json(query::page(removed, limit, |removed| removed.at.as_micros().to_string(), item)))
}

/// Bring a removed device back, with the signals that went with it, their readings and its keys.
#[utoipa::path(operation_id = "devices_restore", context_path = "/api/v1", tag = "devices",
    responses((status = 200, body = Device), (status = "default", body = lantern_api::Problem)))]
#[post("/sites/<site>/devices/<device>/restore")]
async fn restore_device(engine: &State<Arc<Engine>>, person: Change, site: &str, device: &str) -> Answer<Device> {
    let site = found::site(&engine.store, site).await?;
    let device = engine.set_up.restore_device(&site, device, &person.0.name()).await?;
    Ok(Json(devices::shown(engine, device).await?))
}

/// Bring a removed signal back with its readings. What came under its name meanwhile, and
/// waits, is its own then.
#[utoipa::path(operation_id = "signals_restore", context_path = "/api/v1", tag = "signals",
    responses((status = 200, body = Signal), (status = "default", body = lantern_api::Problem)))]
#[post("/sites/<site>/devices/<device>/signals/<signal>/restore")]
async fn restore_signal(
    engine: &State<Arc<Engine>>,
    person: Change,
    site: &str,
    device: &str,
    signal: &str,
) -> Answer<Signal> {
    let (site, device) = found::device(&engine.store, site, device).await?;
    let signal = engine.set_up.restore_signal(&site, &device, signal, &person.0.name()).await?;
    let id = signal.id;
    let names = engine.store.signal_names(device.id).await?;
    Ok(Json(shown::signal(signal, signals::also(&names, id))))
}
