//! Links: how the messages of devices come through, and joining windows.

use super::body::Body;
use super::{Answer, query};
use crate::auth::{Access, Change};
use crate::failure::Failure;
use crate::found;
use lantern_api::{Joining, Link, LinkHour, NewJoining, Page};
use lantern_core::Moment;
use lantern_core::link::LinkCounts;
use lantern_engine::Engine;
use lantern_engine::Problem;
use lantern_engine::window::{MAX_WINDOW_MINUTES, open_window};
use lantern_engine::{clock, shown as projected};
use lantern_store::Device;
use rocket::serde::json::Json;
use rocket::{Route, State, delete, get, post, routes};
use std::collections::BTreeMap;
use std::sync::Arc;

const DAY_S: f64 = 86_400.0;
/// Minutes a joining window is open, if nobody says it.
const USUAL_MINUTES: f64 = 10.0;

pub(super) fn routes() -> Vec<Route> {
    routes![of_device, carried, joining, open, close]
}

async fn link_of(engine: &Engine, device: Device, now: Moment) -> Result<Link, Problem> {
    let from = now.plus_seconds(-DAY_S);
    let mut hours: BTreeMap<Moment, LinkCounts> = BTreeMap::new();
    for hour in engine.store.link_hours(device.id, from, 25).await? {
        hours.entry(hour.from).or_default().add(hour.counts);
    }
    for (hour, more) in engine.links.pending(device.id) {
        hours.entry(hour).or_default().add(more);
    }
    let mut day = LinkCounts::default();
    hours.values().for_each(|hour| day.add(*hour));
    let (battery, quality) = engine.now.link_values(&device).await?;
    let standing = projected::standing(&device, engine.heard.last(device.id), now);
    Ok(Link {
        device: device.code,
        name: device.name,
        identity: device.identity,
        presence: standing.presence,
        last_heard_at: standing.last_heard_at,
        battery,
        quality,
        day: projected::link_counts(day),
        hours: hours
            .into_iter()
            .map(|(from, hour)| LinkHour { from: from.to_string(), counts: projected::link_counts(hour) })
            .collect(),
    })
}

/// How the messages of a device come through: battery, link quality, and over the
/// last 24 hours what was lost and what came again.
#[utoipa::path(operation_id = "links_of_device", context_path = "/api/v1", tag = "links",
    responses((status = 200, body = Link), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/devices/<device>/link")]
async fn of_device(engine: &State<Arc<Engine>>, _access: Access, site: &str, device: &str) -> Answer<Link> {
    let (_, device) = found::device(&engine.store, site, device).await?;
    Ok(Json(link_of(engine, device, clock::now()).await?))
}

/// The devices that a device carries, in order of code, and how their messages come
/// through.
#[utoipa::path(operation_id = "links_carried", context_path = "/api/v1", tag = "links",
    responses((status = 200, body = Page<Link>), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/devices/<device>/carried?<after>&<limit>")]
async fn carried(
    engine: &State<Arc<Engine>>,
    _access: Access,
    site: &str,
    device: &str,
    after: Option<&str>,
    limit: Option<&str>,
) -> Answer<Page<Link>> {
    let limit = query::limit(limit)?;
    let (_, device) = found::device(&engine.store, site, device).await?;
    let carried = engine.store.carried_devices(device.id, after.unwrap_or_default(), limit + 1).await?;
    let now = clock::now();
    let mut links = Vec::with_capacity(carried.len());
    for device in carried {
        links.push(link_of(engine, device, now).await?);
    }
    Ok(Json(query::page(links, limit, |link| link.device.clone(), |link| link)))
}

async fn shown(engine: &Engine, device: &Device) -> Result<Joining, Problem> {
    let open = open_window(device, clock::now());
    Ok(Joining {
        until: open.map(|(until, _)| until.to_string()),
        kind: match open {
            Some((_, Some(kind))) => Some(engine.store.kind_code(kind).await?),
            _ => None,
        },
    })
}

/// Whether a device admits what it has not carried before.
#[utoipa::path(operation_id = "links_joining", context_path = "/api/v1", tag = "links",
    responses((status = 200, body = Joining), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/devices/<device>/joining")]
async fn joining(engine: &State<Arc<Engine>>, _access: Access, site: &str, device: &str) -> Answer<Joining> {
    let (_, device) = found::device(&engine.store, site, device).await?;
    Ok(Json(shown(engine, &device).await?))
}

/// Open a joining window: while it is open, what a device has not carried before is
/// admitted at once, in trial; outside it waits as an arrival.
#[utoipa::path(operation_id = "links_open", context_path = "/api/v1", tag = "links", request_body = NewJoining,
    responses((status = 200, body = Joining), (status = "default", body = lantern_api::Problem)))]
#[post("/sites/<site>/devices/<device>/joining", data = "<body>")]
async fn open(
    engine: &State<Arc<Engine>>,
    _change: Change,
    site: &str,
    device: &str,
    body: Body<NewJoining>,
) -> Answer<Joining> {
    let Body(new) = body;
    let (site, device) = found::device(&engine.store, site, device).await?;
    let minutes = new.minutes.unwrap_or(USUAL_MINUTES);
    if !(1.0..=MAX_WINDOW_MINUTES).contains(&minutes) {
        return Err(Failure::from(Problem::invalid("minutes", "from 1 to 1,440")));
    }
    let kind = match &new.kind {
        Some(code) => Some(found::kind(&engine.store, &site.code, code).await?.1.id),
        None => None,
    };
    let until = clock::now().plus_seconds(minutes * 60.0);
    set(engine, &device, Some((until, kind))).await
}

/// Close the joining window.
#[utoipa::path(operation_id = "links_close", context_path = "/api/v1", tag = "links",
    responses((status = 200, body = Joining), (status = "default", body = lantern_api::Problem)))]
#[delete("/sites/<site>/devices/<device>/joining")]
async fn close(engine: &State<Arc<Engine>>, _change: Change, site: &str, device: &str) -> Answer<Joining> {
    let (_, device) = found::device(&engine.store, site, device).await?;
    set(engine, &device, None).await
}

async fn set(
    engine: &Engine,
    device: &Device,
    joining: Option<(Moment, Option<lantern_store::KindId>)>,
) -> Answer<Joining> {
    let device = engine.set_up.set_joining(device, joining).await?;
    Ok(Json(shown(engine, &device).await?))
}
