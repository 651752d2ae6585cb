//! Signals.

use super::body::Body;
use super::sites::{COUNT_LIMIT, confirmed, removal};
use super::{Answer, query};
use crate::app::App;
use crate::auth::{Access, Change};
use crate::checks::{MAX_SIGNALS, check_limits, check_name, check_note, check_role, check_signal, check_unit};
use crate::meaning::{self, refuse_if_needed, refuse_unfit_change};
use crate::problem::Problem;
use crate::{clock, translate};
use lantern_api::{NewSignal, Page, Removal, Signal, SignalChange};
use lantern_core::{DeviceId, SignalId, SiteId, ValueType};
use lantern_store as store;
use rocket::http::Status;
use rocket::serde::json::Json;
use rocket::{Route, State, delete, get, patch, post, routes};
use std::sync::Arc;

pub(super) fn routes() -> Vec<Route> {
    routes![list, add, show, change, extent, remove]
}

/// The other names of a signal.
fn also(names: &[(String, SignalId)], signal: SignalId) -> Vec<String> {
    names.iter().filter(|(_, id)| *id == signal).map(|(name, _)| name.clone()).collect()
}

fn changed(app: &App, site: SiteId, device: DeviceId, code: &str) {
    app.plans.forget(device);
    app.hub.change(site, "signal", Some(code));
}

/// The signals of a device, in the order they were declared.
#[utoipa::path(context_path = "/api/v1", tag = "signals",
    responses((status = 200, body = Page<Signal>), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/devices/<device>/signals?<after>&<limit>")]
async fn list(
    app: &State<Arc<App>>,
    _access: Access,
    site: &str,
    device: &str,
    after: Option<&str>,
    limit: Option<&str>,
) -> Answer<Page<Signal>> {
    let limit = query::limit(limit)?;
    let after = query::number("after", after, 0i64, 0, i64::MAX)?;
    let (_, device) = app.device(site, device).await?;
    let mut signals = app.store.signals(device.id).await?;
    signals.retain(|signal| signal.value_type.is_some() && signal.id.0 > after);
    signals.truncate(limit as usize + 1);
    let names = app.store.signal_names(device.id).await?;
    let shown = |signal: store::Signal| translate::signal(signal.clone(), also(&names, signal.id));
    Ok(Json(query::page(signals, limit, |signal| signal.id.0.to_string(), shown)))
}

/// Declare a signal. An arrival of that name becomes it, with its readings.
#[utoipa::path(context_path = "/api/v1", tag = "signals", request_body = NewSignal,
    responses((status = 201, body = Signal), (status = "default", body = lantern_api::Problem)))]
#[post("/sites/<site>/devices/<device>/signals", data = "<body>")]
async fn add(
    app: &State<Arc<App>>,
    change: Change,
    site: &str,
    device: &str,
    body: Body<NewSignal>,
) -> Result<(Status, Json<Signal>), Problem> {
    let Body(new) = body;
    let declared = check_signal(&new)?;
    let (site, device) = app.device(site, device).await?;
    let count = app.store.signals(device.id).await?.iter().filter(|s| s.value_type.is_some()).count();
    if count >= MAX_SIGNALS {
        return Err(Problem::invalid("signals", format_args!("a device has at most {MAX_SIGNALS}")));
    }
    if let Some(wanted) = &declared.meaning {
        meaning::check(
            app,
            &declared.meant(site.id, &device.code),
            wanted,
            &[(&declared.code, declared.signal_type())],
        )
        .await?;
    }
    let signal = app
        .store
        .add_signal(device.id, declared.to_new(), clock::now())
        .await
        .map_err(|e| Problem::taken(e, "signal", &declared.code))?;
    meaning::set(app, &site, &device, &signal, declared.meaning.as_ref(), &change.0.person.name).await?;
    let signal = app.store.signal_by_id(signal.id).await?;
    changed(app, site.id, device.id, &device.code);
    Ok((Status::Created, Json(translate::signal(signal, Vec::new()))))
}

/// One signal.
#[utoipa::path(context_path = "/api/v1", tag = "signals",
    responses((status = 200, body = Signal), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/devices/<device>/signals/<signal>")]
async fn show(app: &State<Arc<App>>, _access: Access, site: &str, device: &str, signal: &str) -> Answer<Signal> {
    let (_, device, signal) = app.signal(site, device, signal).await?;
    let names = app.store.signal_names(device.id).await?;
    let also = also(&names, signal.id);
    Ok(Json(translate::signal(signal, also)))
}

/// Change a signal. Its code stays: senders use it.
#[utoipa::path(context_path = "/api/v1", tag = "signals", request_body = SignalChange,
    responses((status = 200, body = Signal), (status = "default", body = lantern_api::Problem)))]
#[patch("/sites/<site>/devices/<device>/signals/<signal>", data = "<body>")]
async fn change(
    app: &State<Arc<App>>,
    _change: Change,
    site: &str,
    device: &str,
    signal: &str,
    body: Body<SignalChange>,
) -> Answer<Signal> {
    let Body(change) = body;
    let (site, device, signal) = app.signal(site, device, signal).await?;
    let value_type = change.value_type.map(translate::from_value_type);
    let becomes = value_type.or(signal.value_type).unwrap_or(ValueType::Number);
    let mut unit = change.unit.map(|u| u.map(|u| check_unit(&u, becomes)).transpose()).transpose()?;
    if becomes != ValueType::Number {
        // What is no number any more has no unit either.
        unit = Some(None);
    }
    let is_number = becomes == ValueType::Number;
    let (low, high) = (change.low.unwrap_or(signal.low), change.high.unwrap_or(signal.high));
    if is_number {
        check_limits(low, high, becomes)?;
    }
    check_role(change.role.flatten(), becomes)?;
    let change = store::SignalChange {
        name: change.name.as_deref().map(check_name).transpose()?.map(str::to_owned),
        note: change.note.as_deref().map(check_note).transpose()?.map(str::to_owned),
        value_type,
        unit,
        low: Some(low.filter(|_| is_number)),
        high: Some(high.filter(|_| is_number)),
        is_reserved: change.reserved,
        role: change.role.map(|role| role.map(translate::from_role)),
    };
    let mut changed_to = signal.clone();
    changed_to.value_type = change.value_type.or(signal.value_type);
    changed_to.unit = change.unit.clone().unwrap_or_else(|| signal.unit.clone());
    refuse_unfit_change(app, &site, &device, &signal, &changed_to).await?;
    let signal = app.store.change_signal(signal.id, change).await?;
    changed(app, site.id, device.id, &device.code);
    let names = app.store.signal_names(device.id).await?;
    let also = also(&names, signal.id);
    Ok(Json(translate::signal(signal, also)))
}

/// How much would go with a signal: its readings, counted up to a million.
#[utoipa::path(context_path = "/api/v1", tag = "signals",
    responses((status = 200, body = Removal), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/devices/<device>/signals/<signal>/extent")]
async fn extent(app: &State<Arc<App>>, _access: Access, site: &str, device: &str, signal: &str) -> Answer<Removal> {
    let (_, _, signal) = app.signal(site, device, signal).await?;
    Ok(Json(removal(app.store.count_readings(signal.id, COUNT_LIMIT).await?, false)))
}

/// Remove a signal and its readings.
///
/// A signal with readings is removed only with `confirm` set to its code;
/// without it, the answer says how much would go.
#[utoipa::path(context_path = "/api/v1", tag = "signals",
    responses((status = 200, body = Removal), (status = "default", body = lantern_api::Problem)))]
#[delete("/sites/<site>/devices/<device>/signals/<signal>?<confirm>")]
async fn remove(
    app: &State<Arc<App>>,
    _change: Change,
    site: &str,
    device: &str,
    signal: &str,
    confirm: Option<&str>,
) -> Answer<Removal> {
    let (site, device, signal) = app.signal(site, device, signal).await?;
    let extent = app.store.count_readings(signal.id, COUNT_LIMIT).await?;
    let removed = confirmed(confirm, &signal.code, extent.count == 0)?;
    if removed {
        refuse_if_needed(app, site.id, &[signal.id]).await?;
        app.store.remove_signal(signal.id, clock::now()).await?;
        app.latest.forget([signal.id]);
        changed(app, site.id, device.id, &device.code);
    }
    Ok(Json(removal(extent, removed)))
}
