//! Sessions of the clients that speak MQTT.

use super::{Answer, query};
use crate::auth::{Access, Change};
use crate::failure::Failure;
use crate::found;
use lantern_api::{MqttSession, Page};
use lantern_engine::Engine;
use lantern_engine::Problem;
use lantern_engine::publish::ClientSession;
use lantern_store::Lineage;
use rocket::http::Status;
use rocket::serde::json::Json;
use rocket::{Route, State, delete, get, routes};
use std::sync::Arc;

pub(super) fn routes() -> Vec<Route> {
    routes![list, end]
}

async fn shown(engine: &Engine, session: ClientSession) -> Result<MqttSession, Problem> {
    let (device, key) = match session.lineage {
        // A device that was removed a moment ago has no code any more.
        Some(Lineage::Device(device)) => (engine.plans.device(device).await.ok().map(|plan| plan.code.clone()), None),
        Some(Lineage::Site(key)) => (None, Some(key.0)),
        None => (None, None),
    };
    Ok(MqttSession {
        client: session.client.to_string(),
        device,
        key,
        connected: session.is_connected,
        kept: session.is_kept,
        ends_at: session.ends_at.map(|at| at.to_string()),
        subscriptions: session.subscriptions as u64,
        waiting: session.waiting as u64,
        waiting_bytes: session.waiting_bytes as u64,
        given_up: session.given_up,
    })
}

/// Sessions of a site's clients, in order of client id: who is connected, and what waits for whom.
#[utoipa::path(operation_id = "mqtt_sessions_list", context_path = "/api/v1", tag = "keys",
    responses((status = 200, body = Page<MqttSession>), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/mqtt-sessions?<after>&<limit>")]
async fn list(
    engine: &State<Arc<Engine>>,
    _access: Access,
    site: &str,
    after: Option<&str>,
    limit: Option<&str>,
) -> Answer<Page<MqttSession>> {
    let limit = query::limit(limit)?;
    let site = found::site(&engine.store, site).await?;
    let sessions = engine.publisher.sessions(site.id, after.unwrap_or_default(), limit as usize + 1);
    let page = query::page(sessions, limit, |session| session.client.to_string(), |session| session);
    let mut items = Vec::with_capacity(page.items.len());
    for session in page.items {
        items.push(shown(engine, session).await?);
    }
    Ok(Json(Page { items, next: page.next }))
}

/// End the session of a client: its connection is closed, and its subscriptions and what waits for it are forgotten.
#[utoipa::path(operation_id = "mqtt_sessions_end", context_path = "/api/v1", tag = "keys",
    responses((status = 204), (status = "default", body = lantern_api::Problem)))]
#[delete("/sites/<site>/mqtt-sessions/<client>")]
async fn end(engine: &State<Arc<Engine>>, person: Change, site: &str, client: &str) -> Result<Status, Failure> {
    let site = found::site(&engine.store, site).await?;
    let why = format!("The session was ended by {}.", person.0.name());
    engine.publisher.end_session(site.id, client, &why).await?;
    Ok(Status::NoContent)
}
