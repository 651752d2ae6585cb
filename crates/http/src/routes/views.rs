//! Views of charts that people keep by name.

use super::body::Body;
use super::{Answer, query};
use crate::auth::{Access, Change};
use crate::failure::Failure;
use crate::found;
use lantern_api::{NewView, Page, View};
use lantern_engine::{Engine, Problem, shown};
use rocket::http::Status;
use rocket::serde::json::Json;
use rocket::{Route, State, delete, get, put, routes};
use std::sync::Arc;

pub(super) fn routes() -> Vec<Route> {
    routes![list, show, keep, remove]
}

/// Views of charts that are kept at a site, by name.
#[utoipa::path(operation_id = "views_list", context_path = "/api/v1", tag = "views",
    responses((status = 200, body = Page<View>), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/views?<after>&<limit>")]
async fn list(
    engine: &State<Arc<Engine>>,
    _access: Access,
    site: &str,
    after: Option<&str>,
    limit: Option<&str>,
) -> Answer<Page<View>> {
    let limit = query::limit(limit)?;
    let site = found::site(&engine.store, site).await?;
    let views = engine.store.views(site.id, after.unwrap_or_default(), limit + 1).await?;
    Ok(Json(query::page(views, limit, |view| view.name.clone(), shown::view)))
}

/// One view.
#[utoipa::path(operation_id = "views_show", context_path = "/api/v1", tag = "views",
    responses((status = 200, body = View), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/views/<name>")]
async fn show(engine: &State<Arc<Engine>>, _access: Access, site: &str, name: &str) -> Answer<View> {
    let site = found::site(&engine.store, site).await?;
    let view = engine.store.view(site.id, name).await.map_err(|error| Problem::missing(error, "view", name))?;
    Ok(Json(shown::view(view)))
}

/// Keep a view, in place of the one of the same name.
#[utoipa::path(operation_id = "views_keep", context_path = "/api/v1", tag = "views", request_body = NewView,
    responses((status = 200, body = View), (status = "default", body = lantern_api::Problem)))]
#[put("/sites/<site>/views/<name>", data = "<body>")]
async fn keep(
    engine: &State<Arc<Engine>>,
    person: Change,
    site: &str,
    name: &str,
    body: Body<NewView>,
) -> Answer<View> {
    let site = found::site(&engine.store, site).await?;
    Ok(Json(shown::view(engine.views.keep(&site, name, &body.0, &person.0.name()).await?)))
}

/// Remove a view.
#[utoipa::path(operation_id = "views_remove", context_path = "/api/v1", tag = "views",
    responses((status = 204), (status = "default", body = lantern_api::Problem)))]
#[delete("/sites/<site>/views/<name>")]
async fn remove(engine: &State<Arc<Engine>>, _person: Change, site: &str, name: &str) -> Result<Status, Failure> {
    let site = found::site(&engine.store, site).await?;
    engine.views.remove(&site, name).await?;
    Ok(Status::NoContent)
}
