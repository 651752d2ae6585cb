//! Bursts of a signal, and how long its values stayed.

use super::Answer;
use super::query::{self, Wanted};
use crate::auth::Access;
use crate::found;
use lantern_api::{Burst, Extreme, Page, Stay};
use lantern_core::series::{self, StayOf};
use lantern_core::{Moment, figures};
use lantern_engine::{Engine, Problem};
use lantern_store::Order;
use rocket::serde::json::Json;
use rocket::{Route, State, get, routes};
use std::sync::Arc;

/// Between the readings of a burst there is no more than this, where nothing else is said, in seconds.
const USUAL_GAP_S: f64 = 5.0;

pub(super) fn routes() -> Vec<Route> {
    routes![bursts, stays]
}

/// Bursts of a signal, as a waveform has them, from `from` to `to` (excluded; by default the last day): readings
/// apart by no more than `gap_s` seconds (by default 5), with their extremes.
///
/// Earliest first, or latest first with `order=descending`. One question looks at 20 million readings; a
/// burst that is cut there goes on with the next page.
#[utoipa::path(operation_id = "bursts", context_path = "/api/v1", tag = "reading back",
    responses((status = 200, body = Page<Burst>), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/devices/<device>/signals/<signal>/bursts?<from>&<to>&<order>&<after>&<limit>&<gap_s>&<unit>")]
#[allow(clippy::too_many_arguments, reason = "the parameters of the request")]
async fn bursts(
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
    gap_s: Option<&str>,
    unit: Option<&str>,
) -> Answer<Page<Burst>> {
    let limit = query::limit(limit)?;
    let gap = query::number("gap_s", gap_s, USUAL_GAP_S, 0.001, 86_400.0)?;
    let order = query::order(order)?;
    let (from, to) = query::rest(query::span(from, to)?, order, after)?;
    let (_, _, signal) = found::signal(&engine.store, site, device, signal).await?;
    let wanted = query::unit(&signal, unit)?;
    let page = lantern_store::Page { signal: signal.id, from, to, limit, order };
    let (bursts, is_more) = engine.store.bursts(page, (gap * 1e6).round() as i64).await?;
    let next = bursts.last().filter(|_| is_more).map(|burst| match order {
        Order::Ascending => time(burst.last),
        Order::Descending => time(burst.first),
    });
    Ok(Json(Page { items: bursts.iter().map(|burst| burst_of(burst, &wanted)).collect(), next }))
}

fn burst_of(burst: &figures::Burst, wanted: &Wanted) -> Burst {
    let extreme = |extreme: figures::Extreme| Extreme { value: wanted.number(extreme.value), at: extreme.at.map(time) };
    Burst {
        from: time(burst.first),
        to: time(burst.last),
        count: burst.count,
        doubtful: burst.doubtful,
        min: burst.min.map(extreme),
        max: burst.max.map(extreme),
        mean: burst.mean().map(|mean| wanted.number(mean)),
    }
}

/// How long the values of a signal stayed, from `from` to `to` (excluded; by default the last day): a text or flag
/// that did not change from one good reading to the next is one item. With `of=quality`, how long the quality of all
/// readings stayed: `good`, or the cause of the doubt.
///
/// One question looks at 20 million readings; a value that is cut there goes on with the next page.
#[utoipa::path(operation_id = "stays", context_path = "/api/v1", tag = "reading back",
    responses((status = 200, body = Page<Stay>), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/devices/<device>/signals/<signal>/stays?<from>&<to>&<of>&<after>&<limit>")]
#[allow(clippy::too_many_arguments, reason = "the parameters of the request")]
async fn stays(
    engine: &State<Arc<Engine>>,
    _access: Access,
    site: &str,
    device: &str,
    signal: &str,
    from: Option<&str>,
    to: Option<&str>,
    of: Option<&str>,
    after: Option<&str>,
    limit: Option<&str>,
) -> Answer<Page<Stay>> {
    let limit = query::limit(limit)?;
    let of = match of {
        None | Some("value") => StayOf::Value,
        Some("quality") => StayOf::Quality,
        Some(_) => return Err(Problem::invalid("of", "`value` or `quality`").into()),
    };
    let (from, to) = query::rest(query::span(from, to)?, Order::Ascending, after)?;
    let (_, _, signal) = found::signal(&engine.store, site, device, signal).await?;
    let page = lantern_store::Page { signal: signal.id, from, to, limit, order: Order::Ascending };
    let (stays, is_more) = engine.store.stays(page, of).await?;
    let next = stays.last().filter(|_| is_more).map(|stay| time(stay.last));
    let stay =
        |stay: series::Stay| Stay { value: stay.value, from: time(stay.first), to: time(stay.last), count: stay.count };
    Ok(Json(Page { items: stays.into_iter().map(stay).collect(), next }))
}

fn time(micros: i64) -> String {
    Moment::from_micros(micros).unwrap_or(Moment::EPOCH).to_string()
}
