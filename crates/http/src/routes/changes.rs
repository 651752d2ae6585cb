//! The record of who changed what.

use super::export::format::{harmless, write_row};
use super::{Answer, query};
use crate::auth::{Access, Change, origin};
use crate::failure::Failure;
use crate::found;
use lantern_api::{ChangeLine, Page};
use lantern_core::SiteId;
use lantern_engine::{Engine, Problem};
use lantern_store::RecordFilter;
use rocket::http::Header;
use rocket::request::{FromRequest, Outcome, Request};
use rocket::serde::json::Json;
use rocket::{Responder, Route, State, async_trait, get, post, routes};
use std::convert::Infallible;
use std::sync::Arc;

/// Characters that are searched for, at most.
const MOST_WORDS: usize = 200;
/// Changes of a file, at most, and of those that are read at once.
const MOST_LINES: usize = 50_000;
const PAGE: u32 = 500;
/// What stands above the columns of a file.
const HEADINGS: [&str; 10] = ["id", "at", "who", "way", "from", "action", "object", "field", "before", "after"];

pub(super) fn routes() -> Vec<Route> {
    routes![of_site, of_service, file, undo]
}

/// Which lines are asked for.
struct Asked<'r> {
    object: Option<&'r str>,
    who: Option<&'r str>,
    words: Option<&'r str>,
    from: Option<&'r str>,
    to: Option<&'r str>,
    after: Option<&'r str>,
    limit: Option<&'r str>,
}

impl Asked<'_> {
    fn filter(&self, site: Option<SiteId>) -> Result<RecordFilter<'_>, Problem> {
        if self.words.is_some_and(|words| words.chars().count() > MOST_WORDS) {
            return Err(Problem::invalid("words", format_args!("at most {MOST_WORDS} characters")));
        }
        Ok(RecordFilter {
            site,
            object: self.object,
            who: self.who,
            words: self.words,
            from: query::moment("from", self.from)?,
            to: query::moment("to", self.to)?,
        })
    }

    async fn lines(&self, engine: &Engine, site: Option<SiteId>) -> Answer<Page<ChangeLine>> {
        let limit = query::limit(self.limit)?;
        let before = query::number("after", self.after, i64::MAX, 0, i64::MAX)?;
        let lines = engine.records.lines(&self.filter(site)?, Some(before), limit + 1).await?;
        Ok(Json(query::page(lines, limit, |line| line.id.to_string(), |line| line)))
    }

    /// All lines that fit as CSV: a row for each field that was changed.
    async fn table(&self, engine: &Engine, site: SiteId) -> Result<Vec<u8>, Problem> {
        let filter = self.filter(Some(site))?;
        let mut text = Vec::new();
        write_row(&mut text, &HEADINGS.map(str::to_owned));
        let (mut before, mut count) = (None, 0);
        loop {
            let lines = engine.records.lines(&filter, before, PAGE).await?;
            let Some(last) = lines.last() else { return Ok(text) };
            before = Some(last.id);
            count += lines.len();
            if count > MOST_LINES {
                let detail = format_args!("more than {MOST_LINES} changes fit; ask for a shorter time");
                return Err(Problem::invalid("from", detail));
            }
            lines.iter().for_each(|line| write_line(&mut text, line));
        }
    }
}

/// One change as rows; one without differences has a row too.
fn write_line(text: &mut Vec<u8>, line: &ChangeLine) {
    let said = |value: &Option<serde_json::Value>| match value {
        Some(serde_json::Value::String(text)) => text.clone(),
        Some(serde_json::Value::Null) | None => String::new(),
        Some(value) => value.to_string(),
    };
    let mut row = |field: &str, before: String, after: String| {
        let ChangeLine { id, at, who, way, from, action, object, .. } = line;
        let cells = [&id.to_string(), at, who, way, from, action, object, field, &before, &after];
        write_row(text, &cells.map(|cell| harmless(cell).into_owned()));
    };
    if line.differences.is_empty() {
        row("", String::new(), String::new());
    }
    for difference in &line.differences {
        row(&difference.field, said(&difference.before), said(&difference.after));
    }
}

/// A file of CSV to be kept.
#[derive(Responder)]
#[response(content_type = "text/csv; charset=utf-8")]
struct Table {
    text: Vec<u8>,
    disposition: Header<'static>,
}

/// The changes of a site as a file of CSV, a row for each field that was changed, the last changes first. At most
/// 50,000 changes.
#[utoipa::path(operation_id = "changes_file", context_path = "/api/v1", tag = "changes",
    responses((status = 200, content_type = "text/csv", body = String),
        (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/changes/file?<object>&<who>&<words>&<from>&<to>")]
#[allow(clippy::too_many_arguments, reason = "one for each parameter of the address")]
async fn file(
    engine: &State<Arc<Engine>>,
    _access: Access,
    site: &str,
    object: Option<&str>,
    who: Option<&str>,
    words: Option<&str>,
    from: Option<&str>,
    to: Option<&str>,
) -> Result<Table, Failure> {
    let site = found::site(&engine.store, site).await?;
    let asked = Asked { object, who, words, from, to, after: None, limit: None };
    let text = asked.table(engine, site.id).await?;
    let name = format!("attachment; filename=\"{}-changes.csv\"", site.code);
    Ok(Table { text, disposition: Header::new("Content-Disposition", name) })
}

/// Who changed what on a site, the last changes first.
///
/// `object` gives those of one object and what belongs to it, such as `devices/tower`; `words` those
/// in which these words stand somewhere.
#[utoipa::path(operation_id = "changes_of_site", context_path = "/api/v1", tag = "changes",
    responses((status = 200, body = Page<ChangeLine>), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/changes?<object>&<who>&<words>&<from>&<to>&<after>&<limit>")]
#[allow(clippy::too_many_arguments, reason = "one for each parameter of the address")]
async fn of_site(
    engine: &State<Arc<Engine>>,
    _access: Access,
    site: &str,
    object: Option<&str>,
    who: Option<&str>,
    words: Option<&str>,
    from: Option<&str>,
    to: Option<&str>,
    after: Option<&str>,
    limit: Option<&str>,
) -> Answer<Page<ChangeLine>> {
    let site = found::site(&engine.store, site).await?;
    Asked { object, who, words, from, to, after, limit }.lines(engine, Some(site.id)).await
}

/// Who changed what in the whole service, the last changes first.
#[utoipa::path(operation_id = "changes_of_service", context_path = "/api/v1", tag = "changes",
    responses((status = 200, body = Page<ChangeLine>), (status = "default", body = lantern_api::Problem)))]
#[get("/changes?<object>&<who>&<words>&<from>&<to>&<after>&<limit>")]
#[allow(clippy::too_many_arguments, reason = "one for each parameter of the address")]
async fn of_service(
    engine: &State<Arc<Engine>>,
    _access: Access,
    object: Option<&str>,
    who: Option<&str>,
    words: Option<&str>,
    from: Option<&str>,
    to: Option<&str>,
    after: Option<&str>,
    limit: Option<&str>,
) -> Answer<Page<ChangeLine>> {
    Asked { object, who, words, from, to, after, limit }.lines(engine, None).await
}

/// Where a request comes from.
struct Origin(String);

#[async_trait]
impl<'r> FromRequest<'r> for Origin {
    type Error = Infallible;

    async fn from_request(request: &'r Request<'_>) -> Outcome<Self, Infallible> {
        Outcome::Success(Self(origin(request)))
    }
}

/// Make an object again what it was before a change. Gives the line that tells of it.
#[utoipa::path(operation_id = "changes_undo", context_path = "/api/v1", tag = "changes",
    responses((status = 200, body = ChangeLine), (status = "default", body = lantern_api::Problem)))]
#[post("/sites/<site>/changes/<id>/undo")]
async fn undo(engine: &State<Arc<Engine>>, change: Change, from: Origin, site: &str, id: i64) -> Answer<ChangeLine> {
    let site = found::site(&engine.store, site).await?;
    let doer = change.0.doer(from.0)?;
    Ok(Json(engine.records.undo(&site, id, &doer, &change.0.standing).await?))
}
