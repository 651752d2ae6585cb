//! Summaries and curves: readings of a time in as few points as are wanted.

use super::listed::listed;
use super::query::Wanted;
use super::{Answer, query};
use crate::auth::Access;
use crate::found;
use jiff::tz::TimeZone;
use lantern_api::{Bucket, BucketUnit, Curve, DividedTime, SignalSummary, SummarySet, SummaryTable};
use lantern_core::series::{self, Buckets, CalendarUnit, MAX_BUCKETS, bucket_width};
use lantern_core::{Moment, SignalId};
use lantern_engine::Engine;
use lantern_engine::Problem;
use rocket::serde::json::Json;
use rocket::{Route, State, get, routes};
use std::sync::Arc;

pub(super) fn routes() -> Vec<Route> {
    routes![summary, table, curve]
}

/// How time is to be divided, as it was asked for.
struct Division {
    from: Moment,
    to: Moment,
    buckets: Buckets,
    shown: DividedTime,
}

impl Division {
    fn new(
        (from, to): (Moment, Moment),
        count: Option<&str>,
        by: Option<&str>,
        zone: Option<&str>,
        site_zone: &str,
    ) -> Result<Self, Problem> {
        let count = query::number("buckets", count, 500, 1, MAX_BUCKETS)?;
        let shown = |width_s, by, zone| DividedTime { from: from.to_string(), to: to.to_string(), width_s, by, zone };
        let Some(by) = by else {
            let width = bucket_width(to.as_micros() - from.as_micros(), count);
            let buckets = Buckets::Even(width);
            return Ok(Self { from, to, buckets, shown: shown(Some(width as f64 / 1e6), None, None) });
        };
        let (by, unit) = match by {
            "day" => (BucketUnit::Day, CalendarUnit::Day),
            "week" => (BucketUnit::Week, CalendarUnit::Week),
            "month" => (BucketUnit::Month, CalendarUnit::Month),
            "year" => (BucketUnit::Year, CalendarUnit::Year),
            _ => return Err(Problem::invalid("by", "`day`, `week`, `month` or `year`")),
        };
        let name = zone.unwrap_or(site_zone);
        let zone = TimeZone::get(name)
            .map_err(|_| Problem::invalid("zone", format_args!("`{name}` is not the name of a time zone")))?;
        let buckets = Buckets::calendar(unit, &zone, from, to).ok_or_else(|| {
            Problem::invalid(
                "by",
                format_args!("more than {MAX_BUCKETS} buckets; ask for a shorter time or longer ones"),
            )
        })?;
        Ok(Self { from, to, buckets, shown: shown(None, Some(by), Some(name.to_owned())) })
    }

    async fn of(&self, engine: &Engine, signal: SignalId, wanted: &Wanted) -> Result<Vec<Bucket>, Problem> {
        let buckets = engine.store.summaries(signal, self.from, self.to, self.buckets.clone()).await?;
        Ok(buckets.iter().map(|one| bucket(one, wanted)).collect())
    }
}

/// Minimum, maximum, mean, first, last and count of a signal's good numbers in
/// buckets of time, from `from` to `to` (excluded; by default the last day).
///
/// Buckets have the smallest round width that gives at most `buckets` of them (500
/// by default, 2,000 at most), or are stretches of the calendar with `by=day`,
/// `week`, `month` or `year`, in the site's zone or another `zone`. Buckets with no
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
    let buckets = division.of(engine, signal.id, &wanted).await?;
    Ok(Json(SummarySet { time: division.shown, buckets }))
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
        let buckets = division.of(engine, one.signal.id, &one.wanted).await?;
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
