//! Coverage: how much of what was expected came.

use super::division::Division;
use super::{Answer, query};
use crate::auth::Access;
use crate::found;
use lantern_api::CoverageReport;
use lantern_core::series::Buckets;
use lantern_engine::coverage::{self, Parts};
use lantern_engine::{Engine, Problem};
use rocket::serde::json::Json;
use rocket::{Route, State, get, routes};
use std::sync::Arc;

pub(super) fn routes() -> Vec<Route> {
    routes![of_site]
}

/// How much of what was expected came of the devices of a site, or of one `device`, from `from` to `to`
/// (by default the last week), by hour or with `by=day` by day, in the site's zone or another `zone`.
///
/// Of each device: reports expected and received, messages lost on the way (known where it counts
/// them), late and repeated ones, and the gaps with what ended them; of all together the messages by the way
/// they came.
#[utoipa::path(operation_id = "coverage", context_path = "/api/v1", tag = "reading back",
    responses((status = 200, body = CoverageReport), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/coverage?<device>&<from>&<to>&<by>&<zone>&<after>&<limit>")]
#[allow(clippy::too_many_arguments, reason = "the parameters of the request")]
async fn of_site(
    engine: &State<Arc<Engine>>,
    _access: Access,
    site: &str,
    device: Option<&str>,
    from: Option<&str>,
    to: Option<&str>,
    by: Option<&str>,
    zone: Option<&str>,
    after: Option<&str>,
    limit: Option<&str>,
) -> Answer<CoverageReport> {
    let limit = query::limit(limit)?;
    let to = query::moment("to", to)?.unwrap_or_else(lantern_engine::clock::now);
    let from = query::moment("from", from)?.unwrap_or_else(|| to.plus_seconds(-7.0 * 86_400.0));
    if from >= to {
        return Err(Problem::invalid("from", "the start of the time must be before its end").into());
    }
    if !matches!(by, None | Some("hour" | "day")) {
        return Err(Problem::invalid("by", "`hour` or `day`").into());
    }
    let found = found::site(&engine.store, site).await?;
    let division = Division::new((from, to), None, Some(by.unwrap_or("hour")), zone, &found.zone)?;
    let Buckets::Edges(edges) = division.buckets else { return Err(Problem::invalid("by", "`hour` or `day`").into()) };
    let (devices, next) = match device {
        Some(code) => (vec![found::device(&engine.store, site, code).await?.1], None),
        None => {
            let mut devices = engine.store.devices(found.id, after.unwrap_or_default(), limit + 1).await?;
            let is_more = devices.len() > limit as usize;
            devices.truncate(limit as usize);
            let next = is_more.then(|| devices.last().map(|last| last.code.clone())).flatten();
            (devices, next)
        }
    };
    let starts_ms = edges[..edges.len() - 1].iter().map(|edge| *edge as f64 / 1e3).collect();
    let (devices, traffic) = coverage::of_devices(engine.inner(), devices, Parts { edges }).await?;
    let zone = division.shown.zone.unwrap_or(found.zone);
    Ok(Json(CoverageReport { from: from.to_string(), to: to.to_string(), zone, starts_ms, devices, traffic, next }))
}
