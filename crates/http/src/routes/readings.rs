//! Readings of a signal.

use super::listed::{Listed, listed_or_all};
use super::{Answer, query};
use crate::auth::{Access, Change};
use crate::failure::Failure;
use crate::found;
use lantern_api::{Deletion, Gap, Origin, Page, Reading, SignalSpan};
use lantern_core::{Moment, SignalId};
use lantern_engine::Engine;
use lantern_engine::Problem;
use lantern_engine::problem::Class;
use lantern_engine::shown;
use rocket::serde::json::Json;
use rocket::{Route, State, delete, get, routes};
use std::sync::Arc;

pub(super) fn routes() -> Vec<Route> {
    routes![readings, reading_at, origin, span, gaps, delete_readings]
}

/// Readings of a signal from `from` to `to` (excluded; by default the last day),
/// oldest first, or newest first with `order=descending`. At most 5,000 a page.
///
/// Suspect and rejected readings are left out, unless `all=true` asks for them too, or
/// `doubtful=true` for them alone.
/// With `unit`, values are in another unit than the signal's.
#[utoipa::path(operation_id = "readings_readings", context_path = "/api/v1", tag = "reading back",
    responses((status = 200, body = Page<Reading>), (status = "default", body = lantern_api::Problem)))]
#[get(
    "/sites/<site>/devices/<device>/signals/<signal>/readings?<from>&<to>&<order>&<after>&<limit>&<all>&<doubtful>&<unit>"
)]
#[allow(clippy::too_many_arguments, reason = "the parameters of the request")]
async fn readings(
    engine: &State<Arc<Engine>>,
    _access: Access,
    site: &str,
    device: &str,
    signal: &str,
    from: Option<&str>,
    to: Option<&str>,
    order: Option<&str>,
    after: Option<&str>,
    limit: Option<&str>,
    all: Option<&str>,
    doubtful: Option<&str>,
    unit: Option<&str>,
) -> Answer<Page<Reading>> {
    let limit = query::number("limit", limit, 500u32, 1, 5_000)?;
    let order = query::order(order)?;
    let (from, to) = query::rest(query::span(from, to)?, order, after)?;
    let (all, doubtful) = (query::flag("all", all)?, query::flag("doubtful", doubtful)?);
    let (_, device, signal) = found::signal(&engine.store, site, device, signal).await?;
    let wanted = query::unit(&signal, unit)?;
    let page = lantern_store::Page { signal: signal.id, from, to, limit: limit + 1, order };
    let rows = match (all, doubtful) {
        (_, true) => engine.store.doubtful_points(page).await?,
        (true, false) => engine.store.points(page).await?,
        (false, false) => engine.store.good_points(page).await?,
    };
    let shown = |point| shown::reading_of(device.state, wanted.point(point));
    Ok(Json(query::page(rows, limit, |point| point.at.to_string(), shown)))
}

/// The reading at a time, or else the last before it.
#[utoipa::path(operation_id = "readings_reading_at", context_path = "/api/v1", tag = "reading back",
    responses((status = 200, body = Reading), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/devices/<device>/signals/<signal>/reading?<at>&<unit>")]
async fn reading_at(
    engine: &State<Arc<Engine>>,
    _access: Access,
    site: &str,
    device: &str,
    signal: &str,
    at: Option<&str>,
    unit: Option<&str>,
) -> Answer<Reading> {
    let at = query::moment("at", at)?.unwrap_or_else(lantern_engine::clock::now);
    let (_, device, signal) = found::signal(&engine.store, site, device, signal).await?;
    let wanted = query::unit(&signal, unit)?;
    let point = engine.store.reading_at(signal.id, at).await?;
    let point = point.ok_or_else(|| {
        Problem::new(
            Class::Missing,
            "no-reading",
            "No reading yet",
            format!("{}/{} has no reading up to {at}.", device.code, signal.code),
            "Ask for a later time, or list its readings.",
        )
    })?;
    Ok(Json(shown::reading_of(device.state, wanted.point(point))))
}

/// Where the value of a signal at a time (by default the last) comes from: what was sent and when, the contact it came with,
/// the steps of its conversion or the inputs of its formula, who entered it.
#[utoipa::path(operation_id = "readings_origin", context_path = "/api/v1", tag = "reading back",
    responses((status = 200, body = Origin), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/devices/<device>/signals/<signal>/origin?<at>")]
async fn origin(
    engine: &State<Arc<Engine>>,
    _access: Access,
    site: &str,
    device: &str,
    signal: &str,
    at: Option<&str>,
) -> Answer<Origin> {
    let at = query::moment("at", at)?.unwrap_or(Moment::MAX);
    let (site, device, signal) = found::signal(&engine.store, site, device, signal).await?;
    Ok(Json(engine.origins.of(&site, &device, &signal, at).await?))
}

/// From when to when there are readings, of which only summaries may be left:
/// `signals` is a list such as `tower/level,tower/air`, by default all that the site
/// has declared, of 50 at most.
#[utoipa::path(operation_id = "readings_span", context_path = "/api/v1", tag = "reading back",
    responses((status = 200, body = Vec<SignalSpan>), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/span?<signals>")]
async fn span(
    engine: &State<Arc<Engine>>,
    _access: Access,
    site: &str,
    signals: Option<&str>,
) -> Answer<Vec<SignalSpan>> {
    let listed = listed_or_all(engine, site, signals).await?;
    let ids: Vec<SignalId> = listed.iter().map(|one| one.signal.id).collect();
    let spans = engine.store.time_spans(&ids).await?;
    let shown = |(one, span): (Listed, Option<(Moment, Moment)>)| SignalSpan {
        signal: one.path,
        first_at: span.map(|(first, _)| first.to_string()),
        last_at: span.map(|(_, last)| last.to_string()),
    };
    Ok(Json(listed.into_iter().zip(spans).map(shown).collect()))
}

/// Times without readings, from `from` to `to` (excluded; by default the last
/// day), longer than `longer_than_s` seconds: by default twice the interval at
/// which the signal is expected, or its device if it has none. At most 1,000, oldest first.
///
/// What lies before the first reading and after the last is no gap.
#[utoipa::path(operation_id = "readings_gaps", context_path = "/api/v1", tag = "reading back",
    responses((status = 200, body = Page<Gap>), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/devices/<device>/signals/<signal>/gaps?<from>&<to>&<longer_than_s>&<limit>")]
#[allow(clippy::too_many_arguments, reason = "the parameters of the request")]
async fn gaps(
    engine: &State<Arc<Engine>>,
    _access: Access,
    site: &str,
    device: &str,
    signal: &str,
    from: Option<&str>,
    to: Option<&str>,
    longer_than_s: Option<&str>,
    limit: Option<&str>,
) -> Answer<Page<Gap>> {
    let limit = query::number("limit", limit, 100u32, 1, 1_000)?;
    let (from, to) = query::span(from, to)?;
    let (_, device, signal) = found::signal(&engine.store, site, device, signal).await?;
    let seconds =
        query::number("longer_than_s", longer_than_s, 2.0 * signal.interval_s.unwrap_or(device.interval_s), 0.0, 1e10)?;
    let gaps = engine.store.gaps(signal.id, (from, to), (seconds * 1e6) as i64, limit as usize + 1).await?;
    // The next page begins with the reading that ends the last gap.
    Ok(Json(query::page(
        gaps,
        limit,
        |gap| gap.to.to_string(),
        |gap| Gap { from: gap.from.to_string(), to: gap.to.to_string(), length_s: gap.to.seconds_since(gap.from) },
    )))
}

/// Delete the readings of a signal from `from` to `to` (excluded); both have to
/// be given. With `dry_run=true` the answer only says how many there are.
#[utoipa::path(operation_id = "readings_delete_readings", context_path = "/api/v1", tag = "reading back",
    responses((status = 200, body = Deletion), (status = "default", body = lantern_api::Problem)))]
#[delete("/sites/<site>/devices/<device>/signals/<signal>/readings?<from>&<to>&<dry_run>")]
#[allow(clippy::too_many_arguments, reason = "the parameters of the request")]
async fn delete_readings(
    engine: &State<Arc<Engine>>,
    _change: Change,
    site: &str,
    device: &str,
    signal: &str,
    from: Option<&str>,
    to: Option<&str>,
    dry_run: Option<&str>,
) -> Answer<Deletion> {
    if from.is_none() || to.is_none() {
        return Err(Failure::from(Problem::invalid("from", "say from when to when readings are to be deleted")));
    }
    let (from, to) = query::span(from, to)?;
    let is_dry = query::flag("dry_run", dry_run)?;
    let (_, device, signal) = found::signal(&engine.store, site, device, signal).await?;
    let readings = engine.store.count_between(signal.id, from, to).await?;
    if !is_dry {
        engine.by_hand.delete(&device, &signal, (from, to)).await?;
    }
    Ok(Json(Deletion { from: from.to_string(), to: to.to_string(), readings, deleted: !is_dry }))
}
