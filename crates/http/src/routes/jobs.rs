//! Jobs: histories that are made again.

use super::body::Body;
use super::{Answer, query};
use crate::auth::{Access, Change};
use crate::failure::Failure;
use crate::found;
use lantern_api::{Job, NewReconversion, Page};
use lantern_core::{JobId, Moment};
use lantern_engine::Engine;
use lantern_engine::Problem;
use rocket::http::Status;
use rocket::serde::json::Json;
use rocket::{Route, State, delete, get, post, routes};
use std::sync::Arc;

pub(super) fn routes() -> Vec<Route> {
    routes![reconvert, list, show, cancel]
}

/// Make a signal's readings again from what was sent, with what its values mean now; then
/// those of all signals that depend on it. Answered at once: the job says how far it is.
#[utoipa::path(operation_id = "jobs_reconvert", context_path = "/api/v1", tag = "meaning", request_body = NewReconversion,
    responses((status = 202, body = Job), (status = "default", body = lantern_api::Problem)))]
#[post("/sites/<site>/devices/<device>/signals/<signal>/reconversions", data = "<body>")]
async fn reconvert(
    engine: &State<Arc<Engine>>,
    change: Change,
    site: &str,
    device: &str,
    signal: &str,
    body: Body<NewReconversion>,
) -> Result<(Status, Json<Job>), Failure> {
    let time = |name, text: &str| Moment::parse(text).map_err(|error| Problem::invalid(name, error));
    let from = time("from", &body.0.from)?;
    let to = body.0.to.as_deref().map(|text| time("to", text)).transpose()?.unwrap_or(Moment::MAX);
    if from >= to {
        return Err(Failure::from(Problem::invalid("from", "it must be before `to`")));
    }
    let (site, _, signal) = found::signal(&engine.store, site, device, signal).await?;
    let id = engine.jobs.add(signal.id, (from, to), &change.0.name()).await?;
    Ok((Status::Accepted, Json(engine.jobs.shown(engine.store.job(site.id, id).await?))))
}

/// Jobs of a site, newest first.
#[utoipa::path(operation_id = "jobs_list", context_path = "/api/v1", tag = "meaning",
    responses((status = 200, body = Page<Job>), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/jobs?<after>&<limit>")]
async fn list(
    engine: &State<Arc<Engine>>,
    _access: Access,
    site: &str,
    after: Option<&str>,
    limit: Option<&str>,
) -> Answer<Page<Job>> {
    let limit = query::limit(limit)?;
    let after = query::number("after", after, i64::MAX, 1, i64::MAX)?;
    let site = found::site(&engine.store, site).await?;
    let jobs = engine.store.jobs(site.id, after, limit + 1).await?;
    Ok(Json(query::page(jobs, limit, |job| job.id.to_string(), |job| engine.jobs.shown(job))))
}

/// One job.
#[utoipa::path(operation_id = "jobs_show", context_path = "/api/v1", tag = "meaning",
    responses((status = 200, body = Job), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/jobs/<id>")]
async fn show(engine: &State<Arc<Engine>>, _access: Access, site: &str, id: i64) -> Answer<Job> {
    let site = found::site(&engine.store, site).await?;
    let job = engine.store.job(site.id, JobId(id)).await.map_err(|e| Problem::missing(e, "job", &id.to_string()))?;
    Ok(Json(engine.jobs.shown(job)))
}

/// Stop a job. The signal it is at stays as it was; what it has finished before is kept.
#[utoipa::path(operation_id = "jobs_cancel", context_path = "/api/v1", tag = "meaning",
    responses((status = 200, body = Job), (status = "default", body = lantern_api::Problem)))]
#[delete("/sites/<site>/jobs/<id>")]
async fn cancel(engine: &State<Arc<Engine>>, _change: Change, site: &str, id: i64) -> Answer<Job> {
    let site = found::site(&engine.store, site).await?;
    let job = engine.store.job(site.id, JobId(id)).await.map_err(|e| Problem::missing(e, "job", &id.to_string()))?;
    engine.jobs.cancel(&job).await?;
    Ok(Json(engine.jobs.shown(engine.store.job(site.id, JobId(id)).await?)))
}
