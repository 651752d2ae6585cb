//! What a sender needs to begin: recipes, and trying out a payload; and readings
//! that people enter by hand.

use super::body::Body;
use super::{Answer, query};
use crate::app::App;
use crate::auth::{Access, Change};
use crate::base::Base;
use crate::checks::{check_decoder, check_note, check_signals};
use crate::intake::{Said, named, read, refused_value, remark};
use crate::meaning::due;
use crate::plans::DevicePlan;
use crate::problem::Problem;
use crate::recipes::{Place, Sample, recipes};
use crate::{clock, translate};
use jiff::tz::TimeZone;
use lantern_api::{Becomes, HandReading, NewHandReading, Page, Reading, Recipes, Tried, TriedValue, Trying, Value};
use lantern_core::decode::{Item, Raw, Times};
use lantern_core::intake::{MAX_AHEAD_SECONDS, MAX_BEHIND_SECONDS, Placed, Plan, PlannedSignal, place};
use lantern_core::series::Point;
use lantern_core::{DeviceId, Moment, Reading as CoreReading, SignalId, Value as CoreValue};
use lantern_store as store;
use rocket::http::Status;
use rocket::serde::json::Json;
use rocket::{Route, State, get, post, routes};
use std::collections::HashMap;
use std::sync::Arc;

/// Values of a sample that are shown.
const SHOWN: usize = 100;

pub(super) fn routes() -> Vec<Route> {
    routes![show_recipes, try_out, enter, entered]
}

/// Sending instructions for a device and its signals, with `KEY` where its key
/// belongs.
#[utoipa::path(context_path = "/api/v1", tag = "sending",
    responses((status = 200, body = Recipes), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/devices/<device>/recipes")]
async fn show_recipes(app: &State<Arc<App>>, _access: Access, site: &str, device: &str, base: Base) -> Answer<Recipes> {
    let (site, device) = app.device(site, device).await?;
    let mut samples = Vec::new();
    for signal in app.store.signals(device.id).await? {
        if signal.value_type.is_some() {
            let last = app.latest.readings(&app.store, signal.id).await?.pop();
            samples.push(Sample::new(&signal, last.map(|(_, value)| value)));
        }
    }
    let mut place = Place::new(&base.of(app));
    place.mqtt = base.mqtt(app);
    Ok(Json(recipes(&device.name, (&site.code, &device.code), &samples, &place)))
}

/// Try out a payload: what each of its values would become, and what is wrong.
/// Nothing is kept.
#[utoipa::path(context_path = "/api/v1", tag = "sending", request_body = Trying,
    responses((status = 200, body = Tried), (status = "default", body = lantern_api::Problem)))]
#[post("/sites/<site>/try", data = "<body>")]
async fn try_out(app: &State<Arc<App>>, _access: Access, site: &str, body: Body<Trying>) -> Answer<Tried> {
    let Body(trying) = body;
    let sample = match (&trying.sample, &trying.sample_base64) {
        (Some(text), None) => text.clone().into_bytes(),
        (None, Some(text)) => {
            data_encoding::BASE64.decode(text.trim().as_bytes()).map_err(|e| Problem::invalid("sample_base64", e))?
        }
        _ => return Err(Problem::invalid("sample", "give a sample, either as text or as base64")),
    };
    let site = app.site(site).await?;
    let zone = TimeZone::get(&site.zone).unwrap_or(TimeZone::UTC);
    let plan = plan(app, &site, &trying, zone.clone()).await?;
    let times = Times::new(clock::now(), zone);
    let read = read(&sample, &Said::from_header(trying.content_type.as_deref()), Some(&plan), &times);
    let dialect = read.dialect.to_owned();
    let recognised = read.remark.map(remark);
    let decoded = match read.decoded {
        Ok(decoded) => decoded,
        Err(refusal) => {
            let refused = vec![refused_value(refusal)];
            return Ok(Json(Tried {
                dialect,
                values: Vec::new(),
                count: 0,
                refused,
                remarks: recognised.into_iter().collect(),
            }));
        }
    };
    Ok(Json(Tried {
        dialect,
        count: decoded.items.len(),
        values: decoded.items.into_iter().take(SHOWN).map(|item| tried(&plan.plan, item, times.now)).collect(),
        refused: named(decoded.refused),
        remarks: recognised.into_iter().chain(decoded.remarks.into_iter().map(remark)).collect(),
    }))
}

/// The plan to try a sample against: the device's, with what else is given.
async fn plan(app: &App, site: &store::Site, trying: &Trying, zone: TimeZone) -> Result<DevicePlan, Problem> {
    let mut plan = DevicePlan {
        site: site.id,
        device: DeviceId(0),
        code: String::new(),
        plan: Plan::default(),
        signals: HashMap::new(),
        sequence: None,
        decoder: None,
        zone,
        keeps_payload: false,
        is_waiting: false,
    };
    if let Some(code) = &trying.device {
        let (_, device) = app.device(&site.code, code).await?;
        let known = app.plans.device(&app.store, device.id).await?;
        plan.plan = known.plan.clone();
        plan.decoder.clone_from(&known.decoder);
    }
    if let Some(form) = &trying.decoder {
        plan.decoder = Some(check_decoder(form)?);
    }
    if let Some(signals) = &trying.signals {
        plan.plan = Plan::default();
        for (index, signal) in check_signals(signals)?.iter().enumerate() {
            let id = SignalId(index as i64);
            let unit = signal.to_api().unit;
            let planned = PlannedSignal { unit, ..PlannedSignal::declared(id, signal.value_type) };
            plan.plan.insert(signal.code.clone(), planned);
        }
    }
    Ok(plan)
}

fn tried(plan: &Plan, item: Item<'_>, now: Moment) -> TriedValue {
    let raw = match &item.value {
        Raw::Number(number) => Value::Number(*number),
        Raw::Flag(flag) => Value::Flag(*flag),
        Raw::Text(text) => Value::Text(text.chars().take(200).collect()),
    };
    let (name, at) = (item.name.to_string(), item.at.map(|at| at.to_string()));
    let (device, unit) = (item.device.as_deref().map(str::to_owned), item.unit.as_deref().map(str::to_owned));
    // What is of another device is matched with the signals of that one.
    let placed = if device.is_some() { place(&Plan::default(), item, now) } else { place(plan, item, now) };
    let (becomes, refused) = match placed {
        Ok(Placed::Reading(_)) => (Becomes::Reading, None),
        Ok(Placed::Arrival(_)) => (Becomes::Arrival, None),
        Ok(Placed::Ignored) => (Becomes::Ignored, None),
        Err(refusal) => (Becomes::Refused, Some(refused_value(refusal))),
    };
    TriedValue { name, raw, at, device, unit, becomes, refused }
}

/// Enter a reading by hand. A signal that is reserved for its device refuses it.
#[utoipa::path(context_path = "/api/v1", tag = "sending", request_body = NewHandReading,
    responses((status = 201, body = Reading), (status = "default", body = lantern_api::Problem)))]
#[post("/sites/<site>/devices/<device>/signals/<signal>/readings", data = "<body>")]
async fn enter(
    app: &State<Arc<App>>,
    change: Change,
    site: &str,
    device: &str,
    signal: &str,
    body: Body<NewHandReading>,
) -> Result<(Status, Json<Reading>), Problem> {
    let Body(new) = body;
    let (site, device, signal) = app.signal(site, device, signal).await?;
    if signal.is_reserved {
        return Err(Problem::new(
            Status::Forbidden,
            "reserved",
            "Reserved for its device",
            format!("`{}` takes readings from its device only.", signal.code),
            "Enter it into another signal, or let an owner take the reservation away.",
        ));
    }
    let now = clock::now();
    let at = new.at.as_deref().map(Moment::parse).transpose().map_err(|e| Problem::invalid("at", e))?.unwrap_or(now);
    if at.seconds_since(now) > MAX_AHEAD_SECONDS || now.seconds_since(at) > MAX_BEHIND_SECONDS {
        return Err(Problem::invalid("at", "not in the future, and within twenty years"));
    }
    let value = check_value(&signal, new.value)?;
    let hand = store::HandReading {
        at,
        person: change.0.person.name,
        note: check_note(&new.note)?.to_owned(),
        entered_at: now,
    };
    let readings = Arc::new(vec![CoreReading::good(signal.id, at, value.clone())]);
    let meanings = app.plans.meanings(&app.store, site.id).await?;
    if meanings.get(signal.id).is_some_and(|meaning| meaning.checked.formula().is_some()) {
        return Err(Problem::invalid("signal", format_args!("`{}` is worked out by a formula", signal.code)));
    }
    app.store.record_with(readings.clone(), due(&meanings, signal.id, (at, at)), now).await?;
    app.deriver.wake();
    app.store.note_hand_reading(signal.id, &hand).await?;
    app.latest.note(&readings);
    let plan = app.plans.device(&app.store, device.id).await?;
    app.hub.readings(&plan, &readings, 0..1);
    app.hub.change(site.id, "hand-reading", Some(&device.code));
    Ok((Status::Created, Json(translate::reading_of(device.state, Point::good(at, value)))))
}

fn check_value(signal: &store::Signal, value: Value) -> Result<CoreValue, Problem> {
    let value = translate::from_value(value);
    let wanted = signal.value_type.unwrap_or(value.value_type());
    if value.value_type() != wanted {
        return Err(Problem::invalid("value", format_args!("`{}` is a {} signal", signal.code, wanted.as_str())));
    }
    match &value {
        CoreValue::Text(text) if text.len() > CoreValue::MAX_TEXT => {
            Err(Problem::invalid("value", format_args!("a text has at most {} bytes", CoreValue::MAX_TEXT)))
        }
        _ => Ok(value),
    }
}

/// Who entered readings of a signal by hand, from `from` to `to` (excluded; by
/// default the last day), in order of time.
#[utoipa::path(context_path = "/api/v1", tag = "sending",
    responses((status = 200, body = Page<HandReading>), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/devices/<device>/signals/<signal>/hand-readings?<from>&<to>&<after>&<limit>")]
#[allow(clippy::too_many_arguments, reason = "the parameters of the request")]
async fn entered(
    app: &State<Arc<App>>,
    _access: Access,
    site: &str,
    device: &str,
    signal: &str,
    from: Option<&str>,
    to: Option<&str>,
    after: Option<&str>,
    limit: Option<&str>,
) -> Answer<Page<HandReading>> {
    let limit = query::limit(limit)?;
    let (mut from, to) = query::span(from, to)?;
    if let Some(after) = query::moment("after", after)? {
        from = from.max(after.next());
    }
    let (_, _, signal) = app.signal(site, device, signal).await?;
    let readings = app.store.hand_readings(signal.id, from, to, limit + 1).await?;
    let shown =
        |hand: store::HandReading| HandReading { at: hand.at.to_string(), person: hand.person, note: hand.note };
    Ok(Json(query::page(readings, limit, |hand| hand.at.to_string(), shown)))
}
