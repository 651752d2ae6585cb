//! Jobs: histories that are made anew.

use super::body::Body;
use super::{Answer, query};
use crate::app::App;
use crate::auth::{Access, Change};
use crate::problem::Problem;
use lantern_api::{Job, NewReconversion, Page};
use lantern_core::Moment;
use rocket::http::Status;
use rocket::serde::json::Json;
use rocket::{Route, State, delete, get, post, routes};
use std::sync::Arc;

pub(super) fn routes() -> Vec<Route> {
    routes![reconvert, list, show, cancel]
}

/// Make a signal's readings anew from what was sent, with what its values mean now; then
/// those of all signals that depend on it. Answered at once: the job says how far it is.
#[utoipa::path(context_path = "/api/v1", tag = "meaning", request_body = NewReconversion,
    responses((status = 202, body = Job), (status = "default", body = lantern_api::Problem)))]
#[post("/sites/<site>/devices/<device>/signals/<signal>/reconversions", data = "<body>")]
async fn reconvert(
    app: &State<Arc<App>>,
    change: Change,
    site: &str,
    device: &str,
    signal: &str,
    body: Body<NewReconversion>,
) -> Result<(Status, Json<Job>), Problem> {
    let time = |name, text: &str| Moment::parse(text).map_err(|error| Problem::invalid(name, error));
    let from = time("from", &body.0.from)?;
    let to = body.0.to.as_deref().map(|text| time("to", text)).transpose()?.unwrap_or(Moment::MAX);
    if from >= to {
        return Err(Problem::invalid("from", "it must be before `to`"));
    }
    let (site, _, signal) = app.signal(site, device, signal).await?;
    let id = app.jobs.add(app, signal.id, (from, to), &change.0.person.name).await?;
    Ok((Status::Accepted, Json(app.jobs.shown(app.store.job(site.id, id).await?))))
}

/// Jobs of a site, newest first.
#[utoipa::path(context_path = "/api/v1", tag = "meaning",
    responses((status = 200, body = Page<Job>), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/jobs?<after>&<limit>")]
async fn list(
    app: &State<Arc<App>>,
    _access: Access,
    site: &str,
    after: Option<&str>,
    limit: Option<&str>,
) -> Answer<Page<Job>> {
    let limit = query::limit(limit)?;
    let after = query::number("after", after, i64::MAX, 1, i64::MAX)?;
    let site = app.site(site).await?;
    let jobs = app.store.jobs(site.id, after, limit + 1).await?;
    Ok(Json(query::page(jobs, limit, |job| job.id.to_string(), |job| app.jobs.shown(job))))
}

/// One job.
#[utoipa::path(context_path = "/api/v1", tag = "meaning",
    responses((status = 200, body = Job), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/jobs/<id>")]
async fn show(app: &State<Arc<App>>, _access: Access, site: &str, id: i64) -> Answer<Job> {
    let site = app.site(site).await?;
    let job = app.store.job(site.id, id).await.map_err(|e| Problem::missing(e, "job", &id.to_string()))?;
    Ok(Json(app.jobs.shown(job)))
}

/// Stop a job. The signal it is at stays as it was; what it has finished before is kept.
#[utoipa::path(context_path = "/api/v1", tag = "meaning",
    responses((status = 200, body = Job), (status = "default", body = lantern_api::Problem)))]
#[delete("/sites/<site>/jobs/<id>")]
async fn cancel(app: &State<Arc<App>>, _change: Change, site: &str, id: i64) -> Answer<Job> {
    let site = app.site(site).await?;
    let job = app.store.job(site.id, id).await.map_err(|e| Problem::missing(e, "job", &id.to_string()))?;
    app.jobs.cancel(app, &job).await?;
    Ok(Json(app.jobs.shown(app.store.job(site.id, id).await?)))
}
