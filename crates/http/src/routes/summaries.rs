//! Summaries and curves: readings of a time in as few points as are wanted.

use super::division::Division;
use super::listed::listed;
use super::query::Wanted;
use super::{Answer, query};
use crate::auth::Access;
use crate::found;
use lantern_api::{Bucket, Curve, SignalSummary, SummarySet, SummaryTable};
use lantern_core::series;
use lantern_core::{Moment, SignalId};
use lantern_engine::Engine;
use lantern_engine::Problem;
use rocket::serde::json::Json;
use rocket::{Route, State, get, routes};
use std::sync::Arc;

pub(super) fn routes() -> Vec<Route> {
    routes![summary, table, curve]
}

/// A signal's buckets of a divided time.
async fn buckets_of(division: &Division, engine: &Engine, signal: SignalId) -> Result<Vec<series::Bucket>, Problem> {
    Ok(engine.store.summaries(signal, division.from, division.to, division.buckets.clone()).await?)
}

fn shown(buckets: &[series::Bucket], wanted: &Wanted) -> Vec<Bucket> {
    buckets.iter().map(|one| bucket(one, wanted)).collect()
}

/// Minimum, maximum, mean, first, last and count of a signal's good numbers in
/// buckets of time, from `from` to `to` (excluded; by default the last day).
///
/// Buckets have the smallest round width that gives at most `buckets` of them (500
/// by default, 2,000 at most), or are stretches of the calendar with `by=hour`,
/// `day`, `week`, `month` or `year`, in the site's zone or another `zone`. Buckets with no
/// reading are left out. With `unit`, numbers are in another unit than the
/// signal's.
#[utoipa::path(operation_id = "summaries_summary", context_path = "/api/v1", tag = "reading back",
    responses((status = 200, body = SummarySet), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/devices/<device>/signals/<signal>/summary?<from>&<to>&<buckets>&<by>&<zone>&<unit>")]
#[allow(clippy::too_many_arguments, reason = "the parameters of the request")]
async fn summary(
    engine: &State<Arc<Engine>>,
    _access: Access,
    site: &str,
    device: &str,
    signal: &str,
    from: Option<&str>,
    to: Option<&str>,
    buckets: Option<&str>,
    by: Option<&str>,
    zone: Option<&str>,
    unit: Option<&str>,
) -> Answer<SummarySet> {
    let span = query::span(from, to)?;
    let (site, _, signal) = found::signal(&engine.store, site, device, signal).await?;
    let division = Division::new(span, buckets, by, zone, &site.zone)?;
    let wanted = query::unit(&signal, unit)?;
    wanted.check_means()?;
    let found = buckets_of(&division, engine, signal.id).await?;
    let last_at = found.last().and_then(|bucket| Moment::from_micros(bucket.summary.last_at));
    Ok(Json(SummarySet {
        time: division.shown,
        buckets: shown(&found, &wanted),
        last_at: last_at.map(|at| at.to_string()),
    }))
}

/// Several signals in the same buckets: `signals` is a list such as
/// `tower/level,larder/temp:Cel`, of 50 at most, where what follows the colon is
/// another unit than the signal's. All else as for one signal.
#[utoipa::path(operation_id = "summaries_table", context_path = "/api/v1", tag = "reading back",
    responses((status = 200, body = SummaryTable), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/summary?<signals>&<from>&<to>&<buckets>&<by>&<zone>")]
#[allow(clippy::too_many_arguments, reason = "the parameters of the request")]
async fn table(
    engine: &State<Arc<Engine>>,
    _access: Access,
    site: &str,
    signals: Option<&str>,
    from: Option<&str>,
    to: Option<&str>,
    buckets: Option<&str>,
    by: Option<&str>,
    zone: Option<&str>,
) -> Answer<SummaryTable> {
    let span = query::span(from, to)?;
    let found = found::site(&engine.store, site).await?;
    let division = Division::new(span, buckets, by, zone, &found.zone)?;
    let listed = listed(engine, site, signals.unwrap_or_default()).await?;
    let mut summaries = Vec::with_capacity(listed.len());
    for one in listed {
        one.wanted.check_means()?;
        let found = buckets_of(&division, engine, one.signal.id).await?;
        let buckets = shown(&found, &one.wanted);
        summaries.push(SignalSummary { signal: one.path, unit: one.unit, buckets });
    }
    Ok(Json(SummaryTable { time: division.shown, signals: summaries }))
}

/// At most `points` readings (500 by default, 5,000 at most) that draw nearly the
/// same curve as all from `from` to `to` (excluded; by default the last day).
///
/// They are chosen by largest triangles (LTTB). Where there are more than 200,000
/// readings, from the first, smallest, largest and last of short times.
#[utoipa::path(operation_id = "summaries_curve", context_path = "/api/v1", tag = "reading back",
    responses((status = 200, body = Curve), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/devices/<device>/signals/<signal>/curve?<from>&<to>&<points>&<unit>")]
#[allow(clippy::too_many_arguments, reason = "the parameters of the request")]
async fn curve(
    engine: &State<Arc<Engine>>,
    _access: Access,
    site: &str,
    device: &str,
    signal: &str,
    from: Option<&str>,
    to: Option<&str>,
    points: Option<&str>,
    unit: Option<&str>,
) -> Answer<Curve> {
    let count = query::number("points", points, 500usize, 2, 5_000)?;
    let (from, to) = query::span(from, to)?;
    let (_, _, signal) = found::signal(&engine.store, site, device, signal).await?;
    let wanted = query::unit(&signal, unit)?;
    let points = engine.store.curve(signal.id, from, to, count).await?;
    Ok(Json(Curve {
        from: from.to_string(),
        to: to.to_string(),
        points: points.into_iter().map(|(at, value)| (milliseconds(at), wanted.number(value))).collect(),
    }))
}

fn bucket(bucket: &series::Bucket, wanted: &Wanted) -> Bucket {
    let summary = &bucket.summary;
    Bucket {
        start_ms: milliseconds(bucket.start),
        end_ms: milliseconds(bucket.end),
        min: wanted.number(summary.min),
        max: wanted.number(summary.max),
        mean: wanted.number(summary.mean()),
        time_mean: wanted.number(summary.time_weighted_mean()),
        first: wanted.number(summary.first),
        last: wanted.number(summary.last),
        count: summary.count,
    }
}

fn milliseconds(micros: i64) -> f64 {
    micros as f64 / 1e3
}
