//! Notes that people write to a time or a span, of a site, a device or a signal.

use super::body::Body;
use super::listed::listed;
use super::{Answer, query};
use crate::auth::{Access, Change};
use crate::failure::Failure;
use crate::found;
use lantern_api::{Marks, NewNote, Note, Page};
use lantern_core::{Moment, NoteId};
use lantern_engine::{Engine, Problem, marks as gathered, shown};
use lantern_store::{self as store, NoteFilter, Site, Topic};
use rocket::http::Status;
use rocket::serde::json::Json;
use rocket::{Route, State, delete, get, post, put, routes};
use std::sync::Arc;

pub(super) fn routes() -> Vec<Route> {
    routes![list, add, show, change, remove, marks]
}

/// Devices and signals that notes can be asked for at once.
const MAX_TOPICS: usize = 50;

async fn topics(engine: &Engine, site: &Site, about: &str) -> Result<Vec<Topic>, Problem> {
    let named: Vec<&str> = about.split(',').map(str::trim).filter(|one| !one.is_empty()).collect();
    if named.len() > MAX_TOPICS {
        return Err(Problem::invalid("about", format_args!("at most {MAX_TOPICS} at once")));
    }
    let mut topics = Vec::with_capacity(named.len());
    for one in named {
        topics.push(engine.notes.topic(site, one).await?);
    }
    Ok(topics)
}

/// Where a page of notes ends, as the next one is asked for.
fn cursor(note: &store::Note) -> String {
    format!("{}.{}", note.from.as_micros(), note.id)
}

fn after(text: &str) -> Result<(Moment, NoteId), Problem> {
    let parts = text.split_once('.').and_then(|(at, id)| Some((at.parse().ok()?, id.parse().ok()?)));
    let (at, id) = parts.ok_or_else(|| Problem::invalid("after", "it is what `next` of the page before said"))?;
    let at = Moment::from_micros(at).ok_or_else(|| Problem::invalid("after", "it is no time"))?;
    Ok((at, NoteId(id)))
}

/// Notes of a site that touch the time from `from` to `to` (excluded; without them, all), those
/// that begin last first. With `about`, those about these devices and signals or about what
/// they belong to; a device stands for its signals too.
#[utoipa::path(operation_id = "notes_list", context_path = "/api/v1", tag = "notes",
    responses((status = 200, body = Page<Note>), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/notes?<about>&<from>&<to>&<after>&<limit>")]
#[allow(clippy::too_many_arguments, reason = "the parameters of the request")]
async fn list(
    engine: &State<Arc<Engine>>,
    _access: Access,
    site: &str,
    about: Option<&str>,
    from: Option<&str>,
    to: Option<&str>,
    after: Option<&str>,
    limit: Option<&str>,
) -> Answer<Page<Note>> {
    let limit = query::limit(limit)?;
    let site = found::site(&engine.store, site).await?;
    let filter = NoteFilter {
        about: match about {
            Some(about) => Some(topics(engine, &site, about).await?),
            None => None,
        },
        from: query::moment("from", from)?,
        to: query::moment("to", to)?,
        after: after.map(self::after).transpose()?,
    };
    let notes = engine.store.notes(site.id, &filter, limit + 1).await?;
    Ok(Json(query::page(notes, limit, cursor, shown::note)))
}

/// Write a note.
#[utoipa::path(operation_id = "notes_add", context_path = "/api/v1", tag = "notes", request_body = NewNote,
    responses((status = 201, body = Note), (status = "default", body = lantern_api::Problem)))]
#[post("/sites/<site>/notes", data = "<body>")]
async fn add(
    engine: &State<Arc<Engine>>,
    person: Change,
    site: &str,
    body: Body<NewNote>,
) -> Result<(Status, Json<Note>), Failure> {
    let site = found::site(&engine.store, site).await?;
    let note = engine.notes.add(&site, &body.0, &person.0.name()).await?;
    Ok((Status::Created, Json(shown::note(note))))
}

/// One note.
#[utoipa::path(operation_id = "notes_show", context_path = "/api/v1", tag = "notes",
    responses((status = 200, body = Note), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/notes/<id>")]
async fn show(engine: &State<Arc<Engine>>, _access: Access, site: &str, id: i64) -> Answer<Note> {
    let site = found::site(&engine.store, site).await?;
    Ok(Json(shown::note(engine.notes.find(&site, NoteId(id)).await?)))
}

/// Make a note say something else, or stand elsewhere. Who wrote it first is kept.
#[utoipa::path(operation_id = "notes_change", context_path = "/api/v1", tag = "notes", request_body = NewNote,
    responses((status = 200, body = Note), (status = "default", body = lantern_api::Problem)))]
#[put("/sites/<site>/notes/<id>", data = "<body>")]
async fn change(engine: &State<Arc<Engine>>, person: Change, site: &str, id: i64, body: Body<NewNote>) -> Answer<Note> {
    let site = found::site(&engine.store, site).await?;
    Ok(Json(shown::note(engine.notes.change(&site, NoteId(id), &body.0, &person.0.name()).await?)))
}

/// Remove a note.
#[utoipa::path(operation_id = "notes_remove", context_path = "/api/v1", tag = "notes",
    responses((status = 204), (status = "default", body = lantern_api::Problem)))]
#[delete("/sites/<site>/notes/<id>")]
async fn remove(engine: &State<Arc<Engine>>, _person: Change, site: &str, id: i64) -> Result<Status, Failure> {
    let site = found::site(&engine.store, site).await?;
    engine.notes.remove(&site, NoteId(id)).await?;
    Ok(Status::NoContent)
}

/// What stands at times from `from` to `to` (excluded; by default the last day) beside the
/// readings of signals: notes about them, their devices and the site; readings entered by hand;
/// commands; trials. In order of time, the newest 500 at most.
#[utoipa::path(operation_id = "marks", context_path = "/api/v1", tag = "notes",
    responses((status = 200, body = Marks), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/marks?<signals>&<from>&<to>")]
async fn marks(
    engine: &State<Arc<Engine>>,
    _access: Access,
    site: &str,
    signals: Option<&str>,
    from: Option<&str>,
    to: Option<&str>,
) -> Answer<Marks> {
    let span = query::span(from, to)?;
    let listed = listed(engine, site, signals.unwrap_or_default()).await?;
    let site = found::site(&engine.store, site).await?;
    let signals: Vec<_> = listed.into_iter().map(|one| one.signal).collect();
    Ok(Json(gathered::of_signals(&engine.store, &site, &signals, span).await?))
}
