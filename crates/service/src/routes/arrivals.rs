//! Arrivals: names nobody has declared, waiting with their readings.

use super::sites::COUNT_LIMIT;
use super::{Answer, query};
use crate::app::App;
use crate::auth::Access;
use crate::translate;
use lantern_api::{Arrival, Page};
use lantern_core::{SignalId, Value, ValueType};
use rocket::serde::json::Json;
use rocket::{Route, State, get, routes};
use std::sync::Arc;

pub(super) fn routes() -> Vec<Route> {
    routes![list]
}

/// The arrivals of a site, in the order they came.
#[utoipa::path(context_path = "/api/v1", tag = "arrivals",
    responses((status = 200, body = Page<Arrival>), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/arrivals?<after>&<limit>")]
async fn list(
    app: &State<Arc<App>>,
    _access: Access,
    site: &str,
    after: Option<&str>,
    limit: Option<&str>,
) -> Answer<Page<Arrival>> {
    let limit = query::limit(limit)?;
    let after = query::number("after", after, 0i64, 0, i64::MAX)?;
    let site = app.site(site).await?;
    let mut page = Vec::new();
    for (device, signal) in app.store.arrivals(site.id, SignalId(after), limit + 1).await? {
        let last = app.latest.readings(&app.store, signal.id).await?.pop();
        let extent = app.store.count_readings(signal.id, COUNT_LIMIT).await?;
        let first = app.store.time_span(signal.id).await?.map_or(signal.created_at, |(first, _)| first);
        let value_type = last.as_ref().map_or(ValueType::Text, |(_, value): &(_, Value)| value.value_type());
        let arrival = Arrival {
            device,
            name: signal.code,
            first_at: first.to_string(),
            last: last.map(translate::reading),
            readings: extent.count,
            value_type: translate::value_type(value_type),
        };
        page.push((signal.id, arrival));
    }
    Ok(Json(query::page(page, limit, |(id, _)| id.0.to_string(), |(_, arrival)| arrival)))
}
