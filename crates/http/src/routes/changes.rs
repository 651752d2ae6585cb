//! The record of who changed what.

use super::{Answer, query};
use crate::auth::{Access, Change, origin};
use crate::found;
use lantern_api::{ChangeLine, Page};
use lantern_core::SiteId;
use lantern_engine::{Engine, Problem};
use lantern_store::RecordFilter;
use rocket::request::{FromRequest, Outcome, Request};
use rocket::serde::json::Json;
use rocket::{Route, State, async_trait, get, post, routes};
use std::convert::Infallible;
use std::sync::Arc;

/// Characters that are searched for, at most.
const MOST_WORDS: usize = 200;

pub(super) fn routes() -> Vec<Route> {
    routes![of_site, of_service, undo]
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
    async fn lines(&self, engine: &Engine, site: Option<SiteId>) -> Answer<Page<ChangeLine>> {
        let limit = query::limit(self.limit)?;
        let before = query::number("after", self.after, i64::MAX, 0, i64::MAX)?;
        if self.words.is_some_and(|words| words.chars().count() > MOST_WORDS) {
            return Err(Problem::invalid("words", format_args!("at most {MOST_WORDS} characters")).into());
        }
        let filter = RecordFilter {
            site,
            object: self.object,
            who: self.who,
            words: self.words,
            from: query::moment("from", self.from)?,
            to: query::moment("to", self.to)?,
        };
        let lines = engine.records.lines(&filter, Some(before), limit + 1).await?;
        Ok(Json(query::page(lines, limit, |line| line.id.to_string(), |line| line)))
    }
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
