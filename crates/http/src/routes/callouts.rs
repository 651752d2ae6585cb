//! Rosters, and the messages that call people.

use super::body::Body;
use super::{Answer, query};
use crate::auth::{Access, Change};
use crate::failure::Failure;
use crate::found;
use lantern_api::{Callout, CalloutHistory, NewRoster, Page, Roster, SigningKey, SiteRoster, TestCallout};
use lantern_core::callout::CalloutState;
use lantern_engine::callouts::shown_callout;
use lantern_engine::checks::place_code;
use lantern_engine::{Engine, Problem};
use lantern_store::CalloutFilter;
use rocket::http::Status;
use rocket::serde::json::Json;
use rocket::{Route, State, delete, get, post, put, routes};
use std::sync::Arc;

pub(super) fn routes() -> Vec<Route> {
    routes![rosters, add, show_roster, change, remove, signing_key, test, list, show]
}

/// Rosters of a site.
#[utoipa::path(operation_id = "rosters_list", context_path = "/api/v1", tag = "callouts",
    responses((status = 200, body = Page<SiteRoster>), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/rosters?<after>&<limit>")]
async fn rosters(
    engine: &State<Arc<Engine>>,
    _access: Access,
    site: &str,
    after: Option<&str>,
    limit: Option<&str>,
) -> Answer<Page<SiteRoster>> {
    let limit = query::limit(limit)?;
    let site = found::site(&engine.store, site).await?;
    let rows = engine.store.rosters(site.id, after.unwrap_or_default(), limit + 1).await?;
    let mut shown = Vec::with_capacity(rows.len());
    for row in rows {
        shown.push(engine.callouts.shown(row).await?);
    }
    Ok(Json(query::page(shown, limit, |roster| roster.code.clone(), |roster| roster)))
}

/// Make a roster.
#[utoipa::path(operation_id = "rosters_add", context_path = "/api/v1", tag = "callouts", request_body = NewRoster,
    responses((status = 201, body = SiteRoster), (status = "default", body = lantern_api::Problem)))]
#[post("/sites/<site>/rosters", data = "<body>")]
async fn add(
    engine: &State<Arc<Engine>>,
    person: Change,
    site: &str,
    body: Body<NewRoster>,
) -> Result<(Status, Json<SiteRoster>), Failure> {
    let NewRoster { code, roster } = body.0;
    let site = found::site(&engine.store, site).await?;
    let code = place_code(code, &roster.name)?;
    let row = engine.callouts.add(&site, &code, &roster, &person.0.name()).await?;
    Ok((Status::Created, Json(engine.callouts.shown(row).await?)))
}

/// One roster, with who is called now.
#[utoipa::path(operation_id = "rosters_show", context_path = "/api/v1", tag = "callouts",
    responses((status = 200, body = SiteRoster), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/rosters/<roster>")]
async fn show_roster(engine: &State<Arc<Engine>>, _access: Access, site: &str, roster: &str) -> Answer<SiteRoster> {
    let site = found::site(&engine.store, site).await?;
    let row = engine.callouts.find(&site, roster).await?;
    Ok(Json(engine.callouts.shown(row).await?))
}

/// Make a roster say something else.
#[utoipa::path(operation_id = "rosters_change", context_path = "/api/v1", tag = "callouts", request_body = Roster,
    responses((status = 200, body = SiteRoster), (status = "default", body = lantern_api::Problem)))]
#[put("/sites/<site>/rosters/<roster>", data = "<body>")]
async fn change(
    engine: &State<Arc<Engine>>,
    person: Change,
    site: &str,
    roster: &str,
    body: Body<Roster>,
) -> Answer<SiteRoster> {
    let site = found::site(&engine.store, site).await?;
    let row = engine.callouts.change(&site, roster, &body.0, &person.0.name()).await?;
    Ok(Json(engine.callouts.shown(row).await?))
}

/// Remove a roster: it calls nobody any more. What it has called stays in the record.
#[utoipa::path(operation_id = "rosters_remove", context_path = "/api/v1", tag = "callouts",
    responses((status = 204), (status = "default", body = lantern_api::Problem)))]
#[delete("/sites/<site>/rosters/<roster>")]
async fn remove(engine: &State<Arc<Engine>>, _person: Change, site: &str, roster: &str) -> Result<Status, Failure> {
    let site = found::site(&engine.store, site).await?;
    engine.callouts.remove(&site, roster).await?;
    Ok(Status::NoContent)
}

/// What the webhooks of a roster are signed with.
#[utoipa::path(operation_id = "rosters_signing_key", context_path = "/api/v1", tag = "callouts",
    responses((status = 200, body = SigningKey), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/rosters/<roster>/signing-key")]
async fn signing_key(engine: &State<Arc<Engine>>, _access: Access, site: &str, roster: &str) -> Answer<SigningKey> {
    let site = found::site(&engine.store, site).await?;
    Ok(Json(SigningKey { signing_key: engine.callouts.find(&site, roster).await?.signing_key }))
}

/// Send somebody a message at once, and say how that went: one answer for each of their addresses.
#[utoipa::path(operation_id = "rosters_test", context_path = "/api/v1", tag = "callouts", request_body = TestCallout,
    responses((status = 200, body = Vec<CalloutHistory>), (status = "default", body = lantern_api::Problem)))]
#[post("/sites/<site>/rosters/<roster>/test", data = "<body>")]
async fn test(
    engine: &State<Arc<Engine>>,
    person: Change,
    site: &str,
    roster: &str,
    body: Body<TestCallout>,
) -> Answer<Vec<CalloutHistory>> {
    let site = found::site(&engine.store, site).await?;
    Ok(Json(engine.callouts.test(&site, roster, &body.0.to, &person.0.name()).await?))
}

/// Messages that called people, the newest first. With `alarm` those about one alarm, with `state` those that
/// are so far.
#[utoipa::path(operation_id = "callouts_list", context_path = "/api/v1", tag = "callouts",
    responses((status = 200, body = Page<Callout>), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/callouts?<alarm>&<state>&<after>&<limit>")]
async fn list(
    engine: &State<Arc<Engine>>,
    _access: Access,
    site: &str,
    alarm: Option<&str>,
    state: Option<&str>,
    after: Option<&str>,
    limit: Option<&str>,
) -> Answer<Page<Callout>> {
    let limit = query::limit(limit)?;
    let site = found::site(&engine.store, site).await?;
    let number = |name: &'static str, text: &str| text.parse::<i64>().map_err(|_| Problem::invalid(name, "a number"));
    let word = |word: &str| {
        let words = "waiting, sending, sent, failed, uncertain or dropped";
        word.parse::<CalloutState>().map_err(|()| Problem::invalid("state", words))
    };
    let filter = CalloutFilter {
        alarm: alarm.map(|text| number("alarm", text)).transpose()?,
        state: state.map(word).transpose()?,
        before: after.map(|text| number("after", text)).transpose()?,
    };
    let rows = engine.store.callouts(site.id, &filter, limit + 1).await?;
    Ok(Json(query::page(rows, limit, |row| row.id.to_string(), shown_callout)))
}

/// One message, with its words, the attempts to send it and the alarms it is about.
#[utoipa::path(operation_id = "callouts_show", context_path = "/api/v1", tag = "callouts",
    responses((status = 200, body = CalloutHistory), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/callouts/<id>")]
async fn show(engine: &State<Arc<Engine>>, _access: Access, site: &str, id: i64) -> Answer<CalloutHistory> {
    let site = found::site(&engine.store, site).await?;
    Ok(Json(engine.callouts.history(&site, id).await?))
}
