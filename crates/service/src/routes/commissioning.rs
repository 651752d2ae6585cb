//! Trial and commissioning.

use super::Answer;
use super::body::Body;
use crate::app::App;
use crate::auth::{Access, Change};
use crate::clock;
use crate::commissioning::{judge, markdown};
use crate::problem::Problem;
use lantern_api::{Commissioning, GoLive, NewDummyTest, NewSoak, TrialReadings, WentLive};
use lantern_core::ValueType;
use lantern_store::{Device, DeviceState, DummyTest, KeptReport, Site, StoreError};
use rocket::http::{ContentType, Status};
use rocket::serde::json::Json;
use rocket::{Route, State, delete, get, post, routes};
use std::sync::Arc;

const SOAK_HOURS: f64 = 12.0;

pub(super) fn routes() -> Vec<Route> {
    routes![show, report, ask_dummy, begin_soak, end_soak, go_live, begin_trial]
}

/// How far the commissioning of a device is.
#[utoipa::path(context_path = "/api/v1", tag = "commissioning",
    responses((status = 200, body = Commissioning), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/devices/<device>/commissioning")]
async fn show(app: &State<Arc<App>>, _access: Access, site: &str, device: &str) -> Answer<Commissioning> {
    let (site, device) = app.device(site, device).await?;
    Ok(Json(judge(app, &site, &device).await?))
}

/// The report of a commissioning as Markdown: the one with which a live device
/// went live, or how far it is.
#[utoipa::path(context_path = "/api/v1", tag = "commissioning",
    responses((status = 200, content_type = "text/markdown", body = String),
        (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/devices/<device>/commissioning/report")]
async fn report(
    app: &State<Arc<App>>,
    _access: Access,
    site: &str,
    device: &str,
) -> Result<(ContentType, String), Problem> {
    let (site, device) = app.device(site, device).await?;
    let kept = match app.store.last_report(device.id).await {
        Ok(kept) if device.state == DeviceState::Live => Some(kept),
        Ok(_) | Err(StoreError::NotFound) => None,
        Err(other) => return Err(other.into()),
    };
    let text = match kept.and_then(|kept| Some((serde_json::from_str::<Commissioning>(&kept.report).ok()?, kept))) {
        Some((judged, kept)) => markdown(&judged, &site.name, Some((&kept.person, &kept.at.to_string()))),
        None => markdown(&judge(app, &site, &device).await?, &site.name, None),
    };
    Ok((ContentType::new("text", "markdown").with_params(("charset", "utf-8")), text))
}

fn in_trial(device: &Device) -> Result<(), Problem> {
    if device.state == DeviceState::Trial {
        return Ok(());
    }
    Err(Problem::new(
        Status::Conflict,
        "not-in-trial",
        "Not in trial",
        format!("`{}` is not in trial.", device.code),
        "Put it into trial first; its readings are trial readings then.",
    ))
}

async fn changed(app: &App, site: &Site, device: &Device) -> Answer<Commissioning> {
    app.hub.change(site.id, "commissioning", Some(&device.code));
    let device = app.store.device_by_id(device.id).await?;
    Ok(Json(judge(app, site, &device).await?))
}

/// Ask for a dummy value: when it comes, the path of the signal is proved.
#[utoipa::path(context_path = "/api/v1", tag = "commissioning", request_body = NewDummyTest,
    responses((status = 200, body = Commissioning), (status = "default", body = lantern_api::Problem)))]
#[post("/sites/<site>/devices/<device>/commissioning/dummies", data = "<body>")]
async fn ask_dummy(
    app: &State<Arc<App>>,
    _change: Change,
    site: &str,
    device: &str,
    body: Body<NewDummyTest>,
) -> Answer<Commissioning> {
    let Body(new) = body;
    let (site, device, signal) = app.signal(site, device, &new.signal).await?;
    in_trial(&device)?;
    if signal.value_type != Some(ValueType::Number) {
        return Err(Problem::invalid("signal", "only numbers are tried with dummy values"));
    }
    if !new.expected.is_finite() || !(0.0..=1e300).contains(&new.tolerance) {
        return Err(Problem::invalid("tolerance", "0 or more"));
    }
    let test = DummyTest {
        signal: signal.id,
        expected: new.expected,
        tolerance: new.tolerance,
        asked_at: clock::now(),
        passed_at: None,
    };
    app.store.ask_dummy(test).await?;
    app.dummies.watch(test);
    changed(app, &site, &device).await
}

/// Begin a soak test: the device stays at its place for hours, and coverage is
/// measured.
#[utoipa::path(context_path = "/api/v1", tag = "commissioning", request_body = NewSoak,
    responses((status = 200, body = Commissioning), (status = "default", body = lantern_api::Problem)))]
#[post("/sites/<site>/devices/<device>/commissioning/soak", data = "<body>")]
async fn begin_soak(
    app: &State<Arc<App>>,
    _change: Change,
    site: &str,
    device: &str,
    body: Body<NewSoak>,
) -> Answer<Commissioning> {
    let hours = body.0.hours.unwrap_or(SOAK_HOURS);
    if !(0.001..=720.0).contains(&hours) {
        return Err(Problem::invalid("hours", "from 0.001 to 720 (thirty days)"));
    }
    let (site, device) = app.device(site, device).await?;
    in_trial(&device)?;
    app.store.set_soak(device.id, Some((clock::now(), hours * 3_600.0))).await?;
    changed(app, &site, &device).await
}

/// End a soak test without a result.
#[utoipa::path(context_path = "/api/v1", tag = "commissioning",
    responses((status = 200, body = Commissioning), (status = "default", body = lantern_api::Problem)))]
#[delete("/sites/<site>/devices/<device>/commissioning/soak")]
async fn end_soak(app: &State<Arc<App>>, _change: Change, site: &str, device: &str) -> Answer<Commissioning> {
    let (site, device) = app.device(site, device).await?;
    app.store.set_soak(device.id, None).await?;
    changed(app, &site, &device).await
}

/// Let a device go live. Its trial readings are cleared or kept, as is said each
/// time; with open or failed steps only `anyway`.
#[utoipa::path(context_path = "/api/v1", tag = "commissioning", request_body = GoLive,
    responses((status = 200, body = WentLive), (status = "default", body = lantern_api::Problem)))]
#[post("/sites/<site>/devices/<device>/commissioning/live", data = "<body>")]
async fn go_live(
    app: &State<Arc<App>>,
    change: Change,
    site: &str,
    device: &str,
    body: Body<GoLive>,
) -> Answer<WentLive> {
    let Body(order) = body;
    let (site, device) = app.device(site, device).await?;
    in_trial(&device)?;
    let judged = judge(app, &site, &device).await?;
    if !judged.is_ready && !order.anyway {
        return Err(Problem::new(
            Status::Conflict,
            "not-ready",
            "Not ready",
            judged.verdict,
            "Finish the steps, or send it with `anyway`.",
        ));
    }
    let now = clock::now();
    let report = KeptReport {
        at: now,
        person: change.0.person.name,
        report: serde_json::to_string(&judged).unwrap_or_default(),
    };
    app.store.keep_report(device.id, &report).await?;
    app.store.set_device_state(device.id, DeviceState::Live, now).await?;
    let cleared = match order.trial_readings {
        TrialReadings::Keep => 0,
        TrialReadings::Clear => {
            let cleared = app.store.clear_readings(device.id).await?;
            app.latest.forget(app.store.signals(device.id).await?.into_iter().map(|signal| signal.id));
            cleared
        }
    };
    app.plans.forget(device.id);
    app.hub.change(site.id, "device", Some(&device.code));
    app.hub.change(site.id, "commissioning", Some(&device.code));
    Ok(Json(WentLive { cleared }))
}

/// Put a live device into trial again: its readings are trial readings until it
/// goes live, and those it has already are among them.
#[utoipa::path(context_path = "/api/v1", tag = "commissioning",
    responses((status = 200, body = Commissioning), (status = "default", body = lantern_api::Problem)))]
#[post("/sites/<site>/devices/<device>/commissioning/trial")]
async fn begin_trial(app: &State<Arc<App>>, _change: Change, site: &str, device: &str) -> Answer<Commissioning> {
    let (site, device) = app.device(site, device).await?;
    if device.state != DeviceState::Live {
        return Err(Problem::invalid("device", format_args!("`{}` is in trial already", device.code)));
    }
    app.store.set_device_state(device.id, DeviceState::Trial, clock::now()).await?;
    app.plans.forget(device.id);
    app.hub.change(site.id, "device", Some(&device.code));
    changed(app, &site, &device).await
}
