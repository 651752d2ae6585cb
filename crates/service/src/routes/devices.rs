//! Devices.

use super::body::Body;
use super::sites::{COUNT_LIMIT, confirmed, removal};
use super::{Answer, query};
use crate::app::App;
use crate::auth::{Access, Change};
use crate::checks::{
    check_decoder, check_interval, check_name, check_note, check_patience, check_position, decoder_text, place_code,
};
use crate::meaning::refuse_if_needed;
use crate::problem::Problem;
use crate::{clock, declared, setting_up, translate};
use lantern_api::{Device, DeviceChange, DeviceSection, DeviceState, NewDevice, Page, Removal};
use lantern_store as store;
use rocket::http::Status;
use rocket::serde::json::Json;
use rocket::{Route, State, delete, get, patch, post, routes};
use std::sync::Arc;

pub(super) fn routes() -> Vec<Route> {
    routes![list, add, show, change, extent, remove]
}

/// A device as it is shown.
pub(super) async fn shown(app: &App, device: store::Device) -> Result<Device, Problem> {
    let section = setting_up::describe(app, &device).await?;
    let translate::Standing { presence, since, last_heard_at } =
        translate::standing(&device, app.heard.last(device.id), clock::now());
    Ok(Device {
        code: section.code,
        name: section.name,
        note: section.note,
        interval_s: device.interval_s,
        position: section.position,
        created_at: device.created_at.to_string(),
        last_heard_at,
        presence,
        since,
        state: translate::state(device.state),
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
        joining_until: device
            .joining
            .map(|(until, _)| until)
            .filter(|until| *until > clock::now())
            .map(|at| at.to_string()),
        connection: app.heard.connection(device.id),
        keeps_payload: device.keeps_payload,
        clock_offset_s: app.heard.clock_offset_s(device.id),
    })
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
    let mut page = Vec::with_capacity(devices.len());
    for device in devices {
        page.push(shown(app, device).await?);
    }
    Ok(Json(query::page(page, limit, |device| device.code.clone(), |device| device)))
}

/// Make a device, with its signals if they are given.
#[utoipa::path(context_path = "/api/v1", tag = "devices", request_body = NewDevice,
    responses((status = 201, body = Device), (status = "default", body = lantern_api::Problem)))]
#[post("/sites/<site>/devices", data = "<body>")]
async fn add(
    app: &State<Arc<App>>,
    person: Change,
    site: &str,
    body: Body<NewDevice>,
) -> Result<(Status, Json<Device>), Problem> {
    let Body(new) = body;
    let site = app.site(site).await?;
    let code = place_code(new.code, check_name(&new.name)?)?;
    let state = match new.state {
        DeviceState::Live => store::DeviceState::Live,
        DeviceState::Trial => store::DeviceState::Trial,
        DeviceState::Waiting => return Err(Problem::invalid("state", "`trial` or `live`")),
    };
    let section = DeviceSection {
        code,
        name: new.name,
        note: new.note,
        kind: new.kind,
        interval_s: new.interval_s,
        late_after: new.late_after,
        silent_after: new.silent_after,
        carrier: new.carrier,
        identity: new.identity,
        position: new.position,
        decoder: new.decoder,
        signals: new.signals,
        topics: new.topics,
        commands: new.commands,
    };
    let device = setting_up::add(app, &site, &section, state, &person.0.person.name).await?;
    Ok((Status::Created, Json(shown(app, device).await?)))
}

/// One device.
#[utoipa::path(context_path = "/api/v1", tag = "devices",
    responses((status = 200, body = Device), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/devices/<device>")]
async fn show(app: &State<Arc<App>>, _access: Access, site: &str, device: &str) -> Answer<Device> {
    let (_, device) = app.device(site, device).await?;
    Ok(Json(shown(app, device).await?))
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
        decoder: change
            .decoder
            .map(|form| form.map(|form| check_decoder(&form)).transpose())
            .transpose()?
            .map(|decoder| decoder.as_ref().map(decoder_text)),
        late_after: change.late_after,
        silent_after: change.silent_after,
        carrier: match change.carrier {
            Some(Some(code)) if code == device.code => {
                return Err(Problem::invalid("carrier", "a device cannot carry itself"));
            }
            Some(Some(code)) => Some(Some(app.device(&site.code, &code).await?.1.id)),
            Some(None) => Some(None),
            None => None,
        },
        identity: change.identity,
        keeps_payload: change.keeps_payload,
        topics: match &change.topics {
            Some(topics) => {
                declared::check_topics(topics)?;
                Some(declared::kept(topics))
            }
            None => None,
        },
        commands: match &change.commands {
            Some(commands) => Some(declared::kept(&declared::check_commands(commands)?)),
            None => None,
        },
        ..store::DeviceChange::default()
    };
    check_patience(change.late_after.unwrap_or(device.late_after), change.silent_after.unwrap_or(device.silent_after))?;
    let identity = change.identity.clone().flatten().unwrap_or_default();
    if identity.chars().count() > 200 {
        return Err(Problem::invalid("identity", "at most 200 characters"));
    }
    let device =
        app.store.change_device(device.id, change).await.map_err(|e| Problem::taken(e, "device called", &identity))?;
    app.plans.forget(device.id);
    app.heard.watch(&device, clock::now());
    app.hub.change(site.id, "device", Some(&device.code));
    Ok(Json(shown(app, device).await?))
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
        let ids: Vec<_> = gone.iter().map(|signal| signal.id).collect();
        refuse_if_needed(app, site.id, &ids).await?;
        app.store.remove_device(device.id, clock::now()).await?;
        app.plans.forget(device.id);
        app.heard.forget(|id, _| id == device.id);
        app.outward.recheck(app).await;
        app.latest.forget(gone.into_iter().map(|signal| signal.id));
        app.hub.change(site.id, "device-removed", Some(&device.code));
    }
    Ok(Json(removal(extent, removed)))
}
