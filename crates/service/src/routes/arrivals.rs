//! Arrivals: names and devices nobody has declared, waiting with their readings.

use super::body::Body;
use super::devices::shown;
use super::sites::COUNT_LIMIT;
use super::{Answer, query};
use crate::app::App;
use crate::auth::{Access, Change};
use crate::checks::{check_signal, place_code};
use crate::meaning;
use crate::plans::sent_in;
use crate::problem::Problem;
use crate::setting_up::Wanted;
use crate::{clock, translate};
use lantern_api::{Arrival, Claim, Claimed, Device, DeviceClaim, DeviceSection, Page, WaitingDevice};
use lantern_core::intake::adapt;
use lantern_core::series::Point;
use lantern_core::units::{UnitChange, UnitCode};
use lantern_core::{DeviceId, Moment, SignalId, Value, ValueType, units};
use lantern_store::{self as store, DeviceChange, DeviceState, Signal};
use rocket::serde::json::Json;
use rocket::{Route, State, delete, get, post, put, routes};
use std::sync::Arc;

/// Values shown of an arrival.
const SHOWN: usize = 5;

pub(super) fn routes() -> Vec<Route> {
    routes![list, claim, ignore, unignore, waiting, claim_device]
}

async fn arrival(app: &App, device: String, signal: Signal) -> Result<Arrival, Problem> {
    let readings = app.latest.readings(&app.store, signal.id).await?;
    let extent = app.store.count_readings(signal.id, COUNT_LIMIT).await?;
    let first = app.store.time_span(signal.id).await?.map_or(signal.created_at, |(first, _)| first);
    // A number among texts is a text; a flag among numbers is a number.
    let has = |wanted| readings.iter().any(|(_, value)| value.value_type() == wanted);
    let value_type = match (has(ValueType::Text), has(ValueType::Number)) {
        (true, _) => ValueType::Text,
        (false, true) => ValueType::Number,
        (false, false) => readings.last().map_or(ValueType::Text, |(_, value)| value.value_type()),
    };
    let guessed = || (value_type == ValueType::Number).then(|| units::guess(&signal.code)).flatten();
    Ok(Arrival {
        device,
        first_at: first.to_string(),
        last: readings.iter().rev().take(SHOWN).cloned().map(translate::reading).collect(),
        readings: extent.count,
        value_type: translate::value_type(value_type),
        unit: signal.unit.clone().or_else(|| guessed().map(str::to_owned)),
        ignored_at: signal.ignored_at.map(|at| at.to_string()),
        name: signal.code,
    })
}

/// The arrivals of a site, in the order they came; those that are ignored with
/// `ignored=true`. Names of waiting devices are with their devices.
#[utoipa::path(context_path = "/api/v1", tag = "arrivals",
    responses((status = 200, body = Page<Arrival>), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/arrivals?<ignored>&<after>&<limit>")]
async fn list(
    app: &State<Arc<App>>,
    _access: Access,
    site: &str,
    ignored: Option<&str>,
    after: Option<&str>,
    limit: Option<&str>,
) -> Answer<Page<Arrival>> {
    let limit = query::limit(limit)?;
    let after = query::number("after", after, 0i64, 0, i64::MAX)?;
    let ignored = query::flag("ignored", ignored)?;
    let site = app.site(site).await?;
    let mut page = Vec::new();
    for (device, signal) in app.store.arrivals(site.id, ignored, SignalId(after), limit + 1).await? {
        page.push((signal.id, arrival(app, device, signal).await?));
    }
    Ok(Json(query::page(page, limit, |(id, _)| id.0.to_string(), |(_, arrival)| arrival)))
}

/// Claim an arrival: for a signal of its own, or into a declared one, whose other
/// name it becomes. What came before goes with it.
#[utoipa::path(context_path = "/api/v1", tag = "arrivals", request_body = Claim,
    responses((status = 200, body = Claimed), (status = "default", body = lantern_api::Problem)))]
#[post("/sites/<site>/devices/<device>/arrivals/<name>/claim", data = "<body>")]
async fn claim(
    app: &State<Arc<App>>,
    person: Change,
    site: &str,
    device: &str,
    name: &str,
    body: Body<Claim>,
) -> Answer<Claimed> {
    let (site, device) = app.device(site, device).await?;
    let arrival = app.store.arrival(device.id, name).await.map_err(|e| Problem::missing(e, "arrival", name))?;
    let claimed = match body.0 {
        Claim::Into(into) => claim_into(app, &device, &arrival, &into.into, &person.0.person.name).await?,
        Claim::New(new) => {
            let declared = check_signal(&new)?;
            let signal = app
                .store
                .claim_as_new(&arrival, declared.to_new())
                .await
                .map_err(|e| Problem::taken(e, "signal", &declared.code))?;
            let moved = app.store.count_readings(signal.id, COUNT_LIMIT).await?.count;
            Claimed { signal: signal.code, moved, left: 0 }
        }
    };
    app.plans.forget(device.id);
    app.hub.change(site.id, "signal", Some(&device.code));
    Ok(Json(claimed))
}

async fn claim_into(
    app: &App,
    device: &store::Device,
    arrival: &Signal,
    into: &str,
    by: &str,
) -> Result<Claimed, Problem> {
    let target = app.store.signal(device.id, into).await.map_err(|e| Problem::missing(e, "signal", into))?;
    if meaning::parse(&target).is_some_and(|meaning| meaning.formula.is_some()) {
        return Err(Problem::invalid(
            "into",
            format_args!("`{into}` is worked out by a formula; nothing is sent to it"),
        ));
    }
    let value_type = target.value_type.unwrap_or(ValueType::Text);
    let change = change_of_unit(arrival, &target)?;
    let convert = |point: Point| {
        let value = adapt(point.value.clone(), value_type)?;
        match (&change, &value) {
            (Some(change), Value::Number(number)) => {
                let changed = Some(change.apply(*number)).filter(|changed| changed.is_finite())?;
                Some(Point { value: Value::Number(changed), ..point })
            }
            _ => Some(Point { value, ..point }),
        }
    };
    let moved = app.store.claim_into(arrival, target.id, convert, clock::now()).await?;
    app.latest.forget([arrival.id, target.id]);
    if target.meaning.is_some() {
        // What came over is as it was sent.
        app.jobs.add(app, target.id, (Moment::MIN, Moment::MAX), by).await?;
    }
    Ok(Claimed { signal: target.code, moved: moved.moved, left: moved.left })
}

/// From the unit an arrival came in to that of the signal it becomes.
fn change_of_unit(arrival: &Signal, target: &Signal) -> Result<Option<UnitChange>, Problem> {
    let wanted = sent_in(target, &meaning::parse(target).unwrap_or_default());
    let (Some(sent), Some(declared)) = (&arrival.unit, &wanted) else { return Ok(None) };
    let (Ok(from), Ok(to)) = (UnitCode::parse(sent), UnitCode::parse(declared)) else { return Ok(None) };
    let change = UnitChange::between(&from, &to).map_err(|error| {
        let (target, arrival) = (&target.code, &arrival.code);
        Problem::invalid("into", format_args!("`{target}` is in {declared}, but `{arrival}` came in {sent}: {error}"))
    })?;
    Ok((!change.is_identity()).then_some(change))
}

/// Ignore an arrival: what came before stays, what comes from now on is passed
/// over.
#[utoipa::path(context_path = "/api/v1", tag = "arrivals",
    responses((status = 200, body = Arrival), (status = "default", body = lantern_api::Problem)))]
#[put("/sites/<site>/devices/<device>/arrivals/<name>/ignored")]
async fn ignore(app: &State<Arc<App>>, _change: Change, site: &str, device: &str, name: &str) -> Answer<Arrival> {
    set_ignored(app, site, device, name, true).await
}

/// Let an ignored arrival wait again.
#[utoipa::path(context_path = "/api/v1", tag = "arrivals",
    responses((status = 200, body = Arrival), (status = "default", body = lantern_api::Problem)))]
#[delete("/sites/<site>/devices/<device>/arrivals/<name>/ignored")]
async fn unignore(app: &State<Arc<App>>, _change: Change, site: &str, device: &str, name: &str) -> Answer<Arrival> {
    set_ignored(app, site, device, name, false).await
}

async fn set_ignored(app: &App, site: &str, device: &str, name: &str, ignored: bool) -> Answer<Arrival> {
    let (site, device) = app.device(site, device).await?;
    let found = app.store.arrival(device.id, name).await.map_err(|e| Problem::missing(e, "arrival", name))?;
    app.store.ignore_arrival(found.id, ignored.then(clock::now)).await?;
    app.plans.forget(device.id);
    app.hub.change(site.id, "arrival", Some(&device.code));
    let now = app.store.arrival(device.id, name).await?;
    Ok(Json(arrival(app, device.code, now).await?))
}

/// Devices that nobody has declared, in the order they came, with what they sent.
#[utoipa::path(context_path = "/api/v1", tag = "arrivals",
    responses((status = 200, body = Page<WaitingDevice>), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/waiting?<after>&<limit>")]
async fn waiting(
    app: &State<Arc<App>>,
    _access: Access,
    site: &str,
    after: Option<&str>,
    limit: Option<&str>,
) -> Answer<Page<WaitingDevice>> {
    let limit = query::limit(limit)?;
    let after = query::number("after", after, 0i64, 0, i64::MAX)?;
    let site = app.site(site).await?;
    let mut page = Vec::new();
    for device in app.store.waiting_devices(site.id, DeviceId(after), limit + 1).await? {
        let mut names = Vec::new();
        for signal in app.store.signals(device.id).await?.into_iter().take(20) {
            names.push(arrival(app, device.code.clone(), signal).await?);
        }
        let carrier = app.carrier_code(&device).await?;
        let standing = translate::standing(&device, app.heard.last(device.id), clock::now());
        let shown = WaitingDevice {
            code: device.code,
            identity: device.identity,
            carrier,
            first_at: device.created_at.to_string(),
            last_heard_at: standing.last_heard_at,
            presence: standing.presence,
            names,
        };
        page.push((device.id, shown));
    }
    Ok(Json(query::page(page, limit, |(id, _)| id.0.to_string(), |(_, device)| device)))
}

/// Claim a waiting device: it is in trial from now on, with all it sent.
#[utoipa::path(context_path = "/api/v1", tag = "arrivals", request_body = DeviceClaim,
    responses((status = 200, body = Device), (status = "default", body = lantern_api::Problem)))]
#[post("/sites/<site>/waiting/<device>/claim", data = "<body>")]
async fn claim_device(
    app: &State<Arc<App>>,
    person: Change,
    site: &str,
    device: &str,
    body: Body<DeviceClaim>,
) -> Answer<Device> {
    let Body(claim) = body;
    let (site, device) = app.device(site, device).await?;
    if device.state != DeviceState::Waiting {
        return Err(Problem::invalid("device", format_args!("`{}` does not wait", device.code)));
    }
    let name = claim.name.unwrap_or_else(|| device.name.clone());
    let code = place_code(claim.code.or_else(|| Some(device.code.clone())), &name)?;
    // Its sender goes on to call it what it did.
    let identity = device.identity.clone().unwrap_or_else(|| device.code.clone());
    let change =
        DeviceChange { code: Some(code.clone()), identity: Some(Some(identity.clone())), ..DeviceChange::default() };
    let renamed = app.store.change_device(device.id, change).await.map_err(|e| Problem::taken(e, "device", &code))?;
    let carrier = app.carrier_code(&renamed).await?;
    let position = renamed.position.map(translate::position);
    let section = DeviceSection {
        code,
        name,
        kind: claim.kind,
        carrier,
        identity: Some(identity),
        position,
        ..DeviceSection::default()
    };
    app.store.set_device_state(renamed.id, DeviceState::Trial, clock::now()).await?;
    let wanted = Wanted::check(app, &site, &section).await?;
    let device = wanted.make(app, &site, Some(&renamed)).await?;
    wanted.give_meanings(app, &site, &device, &person.0.person.name).await?;
    app.hub.change(site.id, "arrival", Some(&device.code));
    Ok(Json(shown(app, device).await?))
}
