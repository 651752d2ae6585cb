//! Readings and summaries of a signal.

use super::{Answer, query};
use crate::app::App;
use crate::auth::Access;
use crate::problem::Problem;
use crate::translate;
use lantern_api::{Bucket, Page, Reading, SummarySet};
use lantern_core::Moment;
use lantern_core::series::{MAX_BUCKETS, bucket_width};
use lantern_store::Order;
use rocket::serde::json::Json;
use rocket::{Route, State, get, routes};
use std::sync::Arc;

pub(super) fn routes() -> Vec<Route> {
    routes![readings, summary]
}

/// Readings of a signal from `from` to `to` (excluded; by default the last day),
/// oldest first, or newest first with `order=descending`. At most 5,000 a page.
#[utoipa::path(context_path = "/api/v1", tag = "reading back",
    responses((status = 200, body = Page<Reading>), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/devices/<device>/signals/<signal>/readings?<from>&<to>&<order>&<after>&<limit>")]
#[allow(clippy::too_many_arguments, reason = "the parameters of the request")]
async fn readings(
    app: &State<Arc<App>>,
    _access: Access,
    site: &str,
    device: &str,
    signal: &str,
    from: Option<&str>,
    to: Option<&str>,
    order: Option<&str>,
    after: Option<&str>,
    limit: Option<&str>,
) -> Answer<Page<Reading>> {
    let limit = query::number("limit", limit, 500u32, 1, 5_000)?;
    let (mut from, mut to) = query::span(from, to)?;
    let order = match order {
        None | Some("ascending") => Order::Ascending,
        Some("descending") => Order::Descending,
        Some(_) => return Err(Problem::invalid("order", "`ascending` or `descending`")),
    };
    if let Some(after) = query::moment("after", after)? {
        match order {
            Order::Ascending => from = from.max(after.next()),
            Order::Descending => to = to.min(after),
        }
    }
    let (_, device, signal) = app.signal(site, device, signal).await?;
    let page = lantern_store::Page { signal: signal.id, from, to, limit: limit + 1, order };
    let rows = app.store.readings(page).await?;
    Ok(Json(query::page(rows, limit, |(at, _)| at.to_string(), |r| translate::reading_of(device.state, r))))
}

/// Minimum, maximum, mean and count of a signal in buckets of equal width, from
/// `from` to `to` (excluded; by default the last day).
///
/// The width is the smallest round one that gives at most `buckets` of them
/// (500 by default, 2,000 at most). Buckets with no reading are left out.
#[utoipa::path(context_path = "/api/v1", tag = "reading back",
    responses((status = 200, body = SummarySet), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/devices/<device>/signals/<signal>/summary?<from>&<to>&<buckets>")]
#[allow(clippy::too_many_arguments, reason = "the parameters of the request")]
async fn summary(
    app: &State<Arc<App>>,
    _access: Access,
    site: &str,
    device: &str,
    signal: &str,
    from: Option<&str>,
    to: Option<&str>,
    buckets: Option<&str>,
) -> Answer<SummarySet> {
    let buckets = query::number("buckets", buckets, 500, 1, MAX_BUCKETS)?;
    let (from, to) = query::span(from, to)?;
    let (_, _, signal) = app.signal(site, device, signal).await?;
    let width = bucket_width(to.as_micros() - from.as_micros(), buckets);
    let summaries = app.store.summaries(signal.id, from, to, width).await?;
    let bucket = |s: lantern_store::Summary| Bucket {
        start_ms: milliseconds(s.start),
        min: s.min,
        max: s.max,
        mean: s.mean,
        count: s.count,
    };
    Ok(Json(SummarySet {
        from: from.to_string(),
        to: to.to_string(),
        width_s: width as f64 / 1e6,
        buckets: summaries.into_iter().map(bucket).collect(),
    }))
}

fn milliseconds(at: Moment) -> f64 {
    at.as_micros() as f64 / 1e3
}
