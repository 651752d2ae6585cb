//! What a sender needs to begin: recipes, and trying out a payload; and readings
//! that people enter by hand.

use super::body::Body;
use super::{Answer, query};
use crate::auth::{Access, Change};
use crate::base::Base;
use crate::failure::Failure;
use crate::found;
use lantern_api::{HandReading, NewHandReading, Page, Reading, Recipes, Tried, Trying};
use lantern_core::series::Point;
use lantern_engine::intake::{self, Said, TryOut};
use lantern_engine::plans::DeclaredSignal;
use lantern_engine::recipes::{Place, Sample, recipes};
use lantern_engine::{Engine, Problem, shown};
use rocket::http::Status;
use rocket::serde::json::Json;
use rocket::{Route, State, get, post, routes};
use std::sync::Arc;

pub(super) fn routes() -> Vec<Route> {
    routes![show_recipes, try_out, enter, entered]
}

/// Sending instructions for a device and its signals, with `KEY` where its key
/// belongs.
#[utoipa::path(operation_id = "sending_show_recipes", context_path = "/api/v1", tag = "sending",
    responses((status = 200, body = Recipes), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/devices/<device>/recipes")]
async fn show_recipes(
    engine: &State<Arc<Engine>>,
    _access: Access,
    site: &str,
    device: &str,
    base: Base,
) -> Answer<Recipes> {
    let (site, device) = found::device(&engine.store, site, device).await?;
    let mut samples = Vec::new();
    // What is worked out is not sent.
    let is_sent = |of: &&DeclaredSignal| {
        of.signal.value_type.is_some() && of.meaning.as_ref().is_none_or(|meaning| meaning.formula.is_none())
    };
    for of in engine.plans.signals(device.id).await?.iter().filter(is_sent) {
        let (last, _) = engine.now.last(site.id, of).await?;
        samples.extend(Sample::of(of, last.good.last().map(Point::sent)));
    }
    let mut place = Place::new(base.shown());
    place.mqtt = base.mqtt();
    Ok(Json(recipes(&device.name, (&site.code, &device.code), &samples, &place)))
}

/// Try out a payload: what each of its values would become, and what is wrong.
/// Nothing is kept.
#[utoipa::path(operation_id = "sending_try_out", context_path = "/api/v1", tag = "sending", request_body = Trying,
    responses((status = 200, body = Tried), (status = "default", body = lantern_api::Problem)))]
#[post("/sites/<site>/try", data = "<body>")]
async fn try_out(engine: &State<Arc<Engine>>, _access: Access, site: &str, body: Body<Trying>) -> Answer<Tried> {
    let Body(trying) = body;
    let sample = match (&trying.sample, &trying.sample_base64) {
        (Some(text), None) => text.clone().into_bytes(),
        (None, Some(text)) => {
            data_encoding::BASE64.decode(text.trim().as_bytes()).map_err(|e| Problem::invalid("sample_base64", e))?
        }
        _ => return Err(Failure::from(Problem::invalid("sample", "give a sample, either as text or as base64"))),
    };
    let site = found::site(&engine.store, site).await?;
    let sample = intake::Sample { bytes: &sample, said: Said::from_header(trying.content_type.as_deref()) };
    let against = TryOut {
        device: trying.device.as_deref(),
        decoder: trying.decoder.as_ref(),
        signals: trying.signals.as_deref(),
    };
    Ok(Json(engine.intake.try_out(&site, &sample, &against).await?))
}

/// Enter a reading by hand. A signal that is reserved for its device refuses it.
#[utoipa::path(operation_id = "sending_enter", context_path = "/api/v1", tag = "sending", request_body = NewHandReading,
    responses((status = 201, body = Reading), (status = "default", body = lantern_api::Problem)))]
#[post("/sites/<site>/devices/<device>/signals/<signal>/readings", data = "<body>")]
async fn enter(
    engine: &State<Arc<Engine>>,
    change: Change,
    site: &str,
    device: &str,
    signal: &str,
    body: Body<NewHandReading>,
) -> Result<(Status, Json<Reading>), Failure> {
    let (_, device, signal) = found::signal(&engine.store, site, device, signal).await?;
    let point = engine.by_hand.enter(&device, &signal, body.0, &change.0.name()).await?;
    Ok((Status::Created, Json(shown::reading_of(device.state, point))))
}

/// Who entered readings of a signal by hand, from `from` to `to` (excluded; by
/// default the last day), in order of time.
#[utoipa::path(operation_id = "sending_entered", context_path = "/api/v1", tag = "sending",
    responses((status = 200, body = Page<HandReading>), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/devices/<device>/signals/<signal>/hand-readings?<from>&<to>&<after>&<limit>")]
#[allow(clippy::too_many_arguments, reason = "the parameters of the request")]
async fn entered(
    engine: &State<Arc<Engine>>,
    _access: Access,
    site: &str,
    device: &str,
    signal: &str,
    from: Option<&str>,
    to: Option<&str>,
    after: Option<&str>,
    limit: Option<&str>,
) -> Answer<Page<HandReading>> {
    let limit = query::limit(limit)?;
    let (mut from, to) = query::span(from, to)?;
    if let Some(after) = query::moment("after", after)? {
        from = from.max(after.next());
    }
    let (_, _, signal) = found::signal(&engine.store, site, device, signal).await?;
    let readings = engine.store.hand_readings(signal.id, from, to, limit + 1).await?;
    Ok(Json(query::page(readings, limit, |hand| hand.at.to_string(), shown::hand_reading)))
}
