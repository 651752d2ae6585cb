//! Watches, and the alarms they raise.

use super::body::Body;
use super::{Answer, query};
use crate::auth::{Access, Change};
use crate::failure::Failure;
use crate::found;
use lantern_api::{
    Alarm, AlarmAnswer, AlarmCounts, AlarmFigures, AlarmHistory, NewWatch, Page, PressedButton, SiteWatch, TriedWatch,
    TryWatch,
};
use lantern_core::Moment;
use lantern_core::alarm::Severity;
use lantern_core::watch::Watch;
use lantern_engine::alarms::{Answer as Answered, shown_alarm, shown_step};
use lantern_engine::checks::place_code;
use lantern_engine::{Engine, Problem, clock};
use lantern_store::{AlarmFilter, AlarmRow, AlarmStep, Site};
use rocket::http::Status;
use rocket::serde::json::Json;
use rocket::{Route, State, delete, get, post, put, routes};
use std::sync::Arc;

/// How far back a watch is tried, unless it is said: two weeks.
const TRIED_S: f64 = 14.0 * 86_400.0;
/// How far back alarms are summed up, unless it is said: 30 days.
const SUMMED_UP_S: f64 = 30.0 * 86_400.0;
/// The longest note to an alarm, in characters.
const MOST_NOTE: usize = 1_000;

pub(super) fn routes() -> Vec<Route> {
    routes![watches, add, show_watch, change, remove, press, try_out, list, counts, figures, show, answer]
}

/// Watches of a site.
#[utoipa::path(operation_id = "watches_list", context_path = "/api/v1", tag = "alarms",
    responses((status = 200, body = Page<SiteWatch>), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/watches?<after>&<limit>")]
async fn watches(
    engine: &State<Arc<Engine>>,
    _access: Access,
    site: &str,
    after: Option<&str>,
    limit: Option<&str>,
) -> Answer<Page<SiteWatch>> {
    let limit = query::limit(limit)?;
    let site = found::site(&engine.store, site).await?;
    let rows = engine.store.watches(site.id, after.unwrap_or_default(), limit + 1).await?;
    Ok(Json(query::page(rows, limit, |row| row.code.clone(), |row| engine.alarms.shown(row))))
}

/// Make a watch.
#[utoipa::path(operation_id = "watches_add", context_path = "/api/v1", tag = "alarms", request_body = NewWatch,
    responses((status = 201, body = SiteWatch), (status = "default", body = lantern_api::Problem)))]
#[post("/sites/<site>/watches", data = "<body>")]
async fn add(
    engine: &State<Arc<Engine>>,
    person: Change,
    site: &str,
    body: Body<NewWatch>,
) -> Result<(Status, Json<SiteWatch>), Failure> {
    let NewWatch { code: wanted, watch } = body.0;
    let site = found::site(&engine.store, site).await?;
    let wanted = place_code(wanted, &watch.name)?;
    let row = engine.alarms.add(&site, &wanted, &watch, &person.0.name()).await?;
    Ok((Status::Created, Json(engine.alarms.shown(row))))
}

/// One watch.
#[utoipa::path(operation_id = "watches_show", context_path = "/api/v1", tag = "alarms",
    responses((status = 200, body = SiteWatch), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/watches/<watch>")]
async fn show_watch(engine: &State<Arc<Engine>>, _access: Access, site: &str, watch: &str) -> Answer<SiteWatch> {
    let site = found::site(&engine.store, site).await?;
    Ok(Json(engine.alarms.shown(engine.alarms.find_watch(&site, watch).await?)))
}

/// Make a watch say something else.
#[utoipa::path(operation_id = "watches_change", context_path = "/api/v1", tag = "alarms", request_body = Watch,
    responses((status = 200, body = SiteWatch), (status = "default", body = lantern_api::Problem)))]
#[put("/sites/<site>/watches/<watch>", data = "<body>")]
async fn change(
    engine: &State<Arc<Engine>>,
    person: Change,
    site: &str,
    watch: &str,
    body: Body<Watch>,
) -> Answer<SiteWatch> {
    let site = found::site(&engine.store, site).await?;
    let row = engine.alarms.change(&site, watch, &body.0, &person.0.name()).await?;
    Ok(Json(engine.alarms.shown(row)))
}

/// Remove a watch. Its alarms stay in the history, and those that go on end.
#[utoipa::path(operation_id = "watches_remove", context_path = "/api/v1", tag = "alarms",
    responses((status = 204), (status = "default", body = lantern_api::Problem)))]
#[delete("/sites/<site>/watches/<watch>")]
async fn remove(engine: &State<Arc<Engine>>, _person: Change, site: &str, watch: &str) -> Result<Status, Failure> {
    let site = found::site(&engine.store, site).await?;
    engine.alarms.remove(&site, watch).await?;
    Ok(Status::NoContent)
}

/// Press the button of a watch: there is an alarm at once.
#[utoipa::path(operation_id = "watches_press", context_path = "/api/v1", tag = "alarms", request_body = PressedButton,
    responses((status = 204), (status = "default", body = lantern_api::Problem)))]
#[post("/sites/<site>/watches/<watch>/press", data = "<body>")]
async fn press(
    engine: &State<Arc<Engine>>,
    person: Change,
    site: &str,
    watch: &str,
    body: Body<PressedButton>,
) -> Result<Status, Failure> {
    let site = found::site(&engine.store, site).await?;
    let note = checked(&body.0.note)?;
    engine.alarms.press(&site, watch, &person.0.name(), note).await?;
    Ok(Status::NoContent)
}

/// What a watch would have done, over history: nothing is kept.
#[utoipa::path(operation_id = "watches_try", context_path = "/api/v1", tag = "alarms", request_body = TryWatch,
    responses((status = 200, body = TriedWatch), (status = "default", body = lantern_api::Problem)))]
#[post("/sites/<site>/watches/try", data = "<body>")]
async fn try_out(engine: &State<Arc<Engine>>, _access: Access, site: &str, body: Body<TryWatch>) -> Answer<TriedWatch> {
    let TryWatch { watch, from, to } = body.0;
    let site = found::site(&engine.store, site).await?;
    let to = query::moment("to", to.as_deref())?.unwrap_or_else(clock::now);
    let from = query::moment("from", from.as_deref())?.unwrap_or_else(|| to.plus_seconds(-TRIED_S));
    if from >= to {
        return Err(Failure::from(Problem::invalid("from", "it is before `to`")));
    }
    Ok(Json(engine.alarms.try_out(&site, &watch, (from, to)).await?))
}

/// Where a page of alarms ends, as the next one is asked for.
fn cursor(row: &AlarmRow) -> String {
    format!("{}.{}", row.raised_at.as_micros(), row.id)
}

fn before(text: &str) -> Result<(Moment, i64), Problem> {
    let parts = text.split_once('.').and_then(|(at, id)| Some((at.parse().ok()?, id.parse().ok()?)));
    let (at, id): (i64, i64) =
        parts.ok_or_else(|| Problem::invalid("after", "it is what `next` of the page before said"))?;
    let at = Moment::from_micros(at).ok_or_else(|| Problem::invalid("after", "it is no time"))?;
    Ok((at, id))
}

/// Alarms of a site, the last raised first. With `open=true` those that go on or that nobody has
/// acknowledged; with `least`, those of that severity or worse.
#[utoipa::path(operation_id = "alarms_list", context_path = "/api/v1", tag = "alarms",
    responses((status = 200, body = Page<Alarm>), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/alarms?<open>&<least>&<device>&<signal>&<watch>&<from>&<to>&<after>&<limit>")]
#[allow(clippy::too_many_arguments, reason = "the parameters of the request")]
async fn list(
    engine: &State<Arc<Engine>>,
    _access: Access,
    site: &str,
    open: Option<&str>,
    least: Option<&str>,
    device: Option<&str>,
    signal: Option<&str>,
    watch: Option<&str>,
    from: Option<&str>,
    to: Option<&str>,
    after: Option<&str>,
    limit: Option<&str>,
) -> Answer<Page<Alarm>> {
    let limit = query::limit(limit)?;
    let site = found::site(&engine.store, site).await?;
    let severity =
        |word: &str| word.parse::<Severity>().map_err(|()| Problem::invalid("least", "low, medium, high or urgent"));
    let filter = AlarmFilter {
        is_open: query::flag("open", open)?,
        least: least.map(severity).transpose()?,
        device,
        signal,
        watch,
        from: query::moment("from", from)?,
        to: query::moment("to", to)?,
        before: after.map(before).transpose()?,
    };
    let rows = engine.store.alarms(site.id, &filter, limit + 1).await?;
    Ok(Json(query::page(rows, limit, cursor, shown_alarm)))
}

/// How alarms did over a time: the last 30 days, unless it is said. `operators` share them.
#[utoipa::path(operation_id = "alarms_figures", context_path = "/api/v1", tag = "alarms",
    responses((status = 200, body = AlarmFigures), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/alarms/figures?<from>&<to>&<operators>")]
async fn figures(
    engine: &State<Arc<Engine>>,
    _access: Access,
    site: &str,
    from: Option<&str>,
    to: Option<&str>,
    operators: Option<&str>,
) -> Answer<AlarmFigures> {
    let site = found::site(&engine.store, site).await?;
    let to = query::moment("to", to)?.unwrap_or_else(clock::now);
    let from = query::moment("from", from)?.unwrap_or_else(|| to.plus_seconds(-SUMMED_UP_S));
    if from >= to {
        return Err(Failure::from(Problem::invalid("from", "it is before `to`")));
    }
    let operators = query::number("operators", operators, 1.0, 1.0, 1_000.0)?;
    Ok(Json(engine.alarms.figures(&site, (from, to), operators).await?))
}

/// How many alarms wait for somebody.
#[utoipa::path(operation_id = "alarms_counts", context_path = "/api/v1", tag = "alarms",
    responses((status = 200, body = AlarmCounts), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/alarms/waiting")]
async fn counts(engine: &State<Arc<Engine>>, _access: Access, site: &str) -> Answer<AlarmCounts> {
    let site = found::site(&engine.store, site).await?;
    let [low, medium, high, urgent] = engine.store.count_waiting_alarms(site.id).await?;
    Ok(Json(AlarmCounts { low, medium, high, urgent }))
}

/// One alarm, with what happened to it.
#[utoipa::path(operation_id = "alarms_show", context_path = "/api/v1", tag = "alarms",
    responses((status = 200, body = AlarmHistory), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/alarms/<id>", rank = 2)]
async fn show(engine: &State<Arc<Engine>>, _access: Access, site: &str, id: i64) -> Answer<AlarmHistory> {
    let site = found::site(&engine.store, site).await?;
    let found = engine.store.alarm(site.id, id).await;
    let found = found.map_err(|error| Problem::missing(error, "alarm", &id.to_string()))?;
    Ok(Json(history(engine, &site, found).await?))
}

/// Answer an alarm: acknowledge or shelve it, or take its watch out of service there.
#[utoipa::path(operation_id = "alarms_answer", context_path = "/api/v1", tag = "alarms", request_body = AlarmAnswer,
    responses((status = 200, body = AlarmHistory), (status = "default", body = lantern_api::Problem)))]
#[post("/sites/<site>/alarms/<id>/answer", data = "<body>")]
async fn answer(
    engine: &State<Arc<Engine>>,
    person: Change,
    site: &str,
    id: i64,
    body: Body<AlarmAnswer>,
) -> Answer<AlarmHistory> {
    let site = found::site(&engine.store, site).await?;
    let (answer, note) = match &body.0 {
        AlarmAnswer::Acknowledge { note } => (Answered::Acknowledge, note.as_str()),
        AlarmAnswer::Shelve { minutes, note } => (Answered::Shelve(minutes * 60.0), note.as_str()),
        AlarmAnswer::Unshelve {} => (Answered::Unshelve, ""),
        AlarmAnswer::TakeOut { note } => (Answered::TakeOut, note.as_str()),
        AlarmAnswer::PutBack {} => (Answered::PutBack, ""),
    };
    let answered = engine.alarms.answer(&site, id, answer, &person.0.name(), checked(note)?).await?;
    Ok(Json(history(engine, &site, answered).await?))
}

/// What is said with an answer, if it is not too long.
fn checked(note: &str) -> Result<&str, Problem> {
    if note.chars().count() > MOST_NOTE {
        return Err(Problem::invalid("note", format_args!("at most {MOST_NOTE} characters")));
    }
    Ok(note.trim())
}

async fn history(
    engine: &Engine,
    site: &Site,
    (alarm, steps): (AlarmRow, Vec<AlarmStep>),
) -> Result<AlarmHistory, Problem> {
    // The watch may be another one by now, or gone.
    let watch = engine.alarms.find_watch(site, &alarm.watch).await.ok().and_then(|row| engine.alarms.shown(row).watch);
    Ok(AlarmHistory {
        alarm: shown_alarm(alarm),
        advice: watch.map(|watch| watch.advice).unwrap_or_default(),
        steps: steps.into_iter().map(shown_step).collect(),
    })
}
