//! The description of the interface, made from the code, and the health page.

use super::description;
use super::{
    account, alarms, arrivals, bursts, called, callouts, changes, commands, commissioning, compare, contacts, coverage,
    devices, documents, everyone, export, figures, inlet, jobs, keys, kinds, lamp, links, live, meaning, members,
    mqtt_sessions, notes, now, people, pickup, readings, removed, sending, signals, sites, storage, summaries, views,
};
use crate::auth::Change;
use crate::failure::Failure;
use lantern_api::Health;
use lantern_engine::Engine;
use rocket::State;
use rocket::http::{ContentType, Status};
use rocket::serde::json::Json;
use rocket::{Route, get, post, routes};
use serde_json::Value;
use std::sync::Arc;
use utoipa::openapi::security::{ApiKey, ApiKeyValue, HttpAuthScheme, HttpBuilder, SecurityScheme};
use utoipa::{Modify, OpenApi};

pub(super) fn routes() -> Vec<Route> {
    routes![document, health, confirm_clock]
}

#[derive(OpenApi)]
#[openapi(
    info(title = "Key Lantern", description = "Receives what sensors send, keeps it and shows it live and in history."),
    paths(
        inlet::post, inlet::post_key, inlet::get, inlet::get_key,
        pickup::collect, pickup::collect_key, pickup::answer, pickup::answer_key, pickup::answer_get,
        people::set_up_state, people::set_up, people::log_in, people::log_out, people::me,
        people::invited, people::come_in, people::accept,
        account::show, account::change, account::password, account::sessions, account::end_session,
        account::make_token, account::offer_second, account::begin_second, account::end_second, account::leave,
        members::list, members::change, members::remove, members::invitations, members::invite, members::withdraw,
        everyone::list, everyone::change, everyone::remove, everyone::new_password, everyone::invitations,
        everyone::invite, everyone::withdraw,
        changes::of_site, changes::file, changes::of_service, changes::undo,
        sites::list, sites::add, sites::show, sites::change, sites::extent, sites::remove,
        devices::list, devices::add, devices::show, devices::change, devices::extent, devices::remove,
        removed::sites, removed::restore_site, removed::list, removed::restore_device, removed::restore_signal,
        keys::add_several,
        signals::list, signals::add, signals::show, signals::change, signals::extent, signals::remove, signals::join_position,
        keys::list, keys::issue, keys::revoke, keys::replace,
        keys::site_list, keys::site_issue, keys::site_revoke, keys::site_replace,
        mqtt_sessions::list, mqtt_sessions::end,
        kinds::list, kinds::add, kinds::show, kinds::revise, kinds::remove, kinds::revisions, kinds::followers,
        kinds::move_to,
        documents::export, documents::apply,
        arrivals::list, arrivals::claim, arrivals::ignore, arrivals::unignore, arrivals::waiting,
        arrivals::claim_device,
        contacts::of_device, contacts::of_site, contacts::unknown, contacts::why_device, contacts::why_signal,
        contacts::presence,
        commissioning::show, commissioning::report, commissioning::ask_dummy, commissioning::begin_soak,
        commissioning::end_soak, commissioning::go_live, commissioning::begin_trial,
        commands::list, commands::give, commands::show, commands::withdraw,
        links::of_device, links::carried, links::joining, links::open, links::close,
        lamp::of_site, lamp::of_device,
        sending::show_recipes, sending::try_out, sending::enter, sending::entered,
        alarms::watches, alarms::add, alarms::show_watch, alarms::change, alarms::remove, alarms::press, alarms::try_out, alarms::list,
        alarms::counts, alarms::figures, alarms::show, alarms::answer,
        callouts::rosters, callouts::add, callouts::show_roster, callouts::change, callouts::remove,
        callouts::signing_key, callouts::test, callouts::list, callouts::show,
        called::called_for, called::acknowledge, called::text_reply,
        notes::list, notes::add, notes::show, notes::change, notes::remove, notes::marks,
        views::list, views::show, views::keep, views::remove,
        now::site_now, now::device_now,
        bursts::bursts, bursts::stays,
        readings::readings, readings::reading_at, readings::origin, readings::span, readings::gaps, readings::delete_readings,
        summaries::summary, summaries::table, summaries::curve,
        figures::figures, coverage::of_site,
        storage::signal_retention, storage::set_signal_retention, storage::reset_signal_retention,
        storage::kind_retention, storage::set_kind_retention, storage::reset_kind_retention,
        storage::storage, storage::backup,
        meaning::show, meaning::set, meaning::versions, meaning::preview, meaning::dry_run, meaning::calibration,
        meaning::quality,
        jobs::reconvert, jobs::list, jobs::show, jobs::cancel,
        compare::compare,
        export::export,
        live::live,
        document, health, confirm_clock,
    ),
    modifiers(&Security),
    security(("token" = []), ("session" = []))
)]
struct Document;

struct Security;

impl Modify for Security {
    fn modify(&self, document: &mut utoipa::openapi::OpenApi) {
        let components = document.components.get_or_insert_default();
        let bearer = |text: &str| {
            SecurityScheme::Http(HttpBuilder::new().scheme(HttpAuthScheme::Bearer).description(Some(text)).build())
        };
        components.add_security_scheme("token", bearer("A person's token"));
        components.add_security_scheme("key", bearer("A device's key"));
        let cookie = ApiKeyValue::with_description(
            crate::auth::SESSION_COOKIE,
            "A browser's session; changes also need the header X-CSRF-Token",
        );
        components.add_security_scheme("session", SecurityScheme::ApiKey(ApiKey::Cookie(cookie)));
    }
}

/// This document.
#[utoipa::path(operation_id = "openapi_document", context_path = "/api/v1", tag = "service", security(()),
    responses((status = 200, content_type = "application/json", body = Object)))]
#[get("/openapi.json")]
fn document() -> (ContentType, String) {
    (ContentType::JSON, description().to_string())
}

/// The description of the whole interface (OpenAPI 3.1).
pub(crate) fn description() -> Value {
    let mut description = serde_json::to_value(Document::openapi()).unwrap_or_default();
    description::make_exact(&mut description);
    description
}

/// Whether the service is well, part by part. The status is 503 if it is not.
#[utoipa::path(operation_id = "openapi_health", context_path = "/api/v1", tag = "service", security(()),
    responses((status = 200, body = Health), (status = 503, body = Health)))]
#[get("/health")]
async fn health(engine: &State<Arc<Engine>>) -> (Status, Json<Health>) {
    let health = engine.healths.now().await;
    let status = if health.status == "ok" { Status::Ok } else { Status::ServiceUnavailable };
    (status, Json(health))
}

/// Believe the clock although it has leapt ahead: what is too old by it is deleted from now on.
#[utoipa::path(operation_id = "openapi_confirm_clock", context_path = "/api/v1", tag = "service",
    responses((status = 204), (status = "default", body = lantern_api::Problem)))]
#[post("/clock/confirm")]
async fn confirm_clock(engine: &State<Arc<Engine>>, _change: Change) -> Result<Status, Failure> {
    engine.trusted.confirm().await?;
    Ok(Status::NoContent)
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::collections::BTreeSet;

    /// Every route under `/api` and `/in` is described, and nothing else is.
    #[test]
    fn the_document_and_the_routes_are_the_same() {
        let rocket = super::super::mount(rocket::custom(rocket::Config::default()));
        let routes: BTreeSet<String> = rocket
            .routes()
            .filter(|route| {
                route.uri.path().starts_with("/api/")
                    || ["/in", "/do"].iter().any(|way| route.uri.path().starts_with(way))
            })
            .map(|route| {
                let path = route.uri.path().replace('<', "{").replace('>', "}");
                format!("{} {path}", route.method)
            })
            .collect();
        let document = description();
        let described: BTreeSet<String> = document["paths"]
            .as_object()
            .unwrap()
            .iter()
            .flat_map(|(path, item)| {
                item.as_object().unwrap().keys().map(move |method| format!("{} {path}", method.to_uppercase()))
            })
            .collect();
        assert_eq!(described, routes);
        assert!(routes.len() > 25, "{routes:?}");
    }

    /// Every route of the interface says which right it asks for, apart from those that are open to
    /// anybody, and no row is for a route that is not there.
    #[test]
    fn every_route_asks_for_a_right_or_is_open() {
        const OPEN: [&str; 10] = [
            "GET /health",
            "GET /openapi.json",
            "GET /set-up",
            "POST /set-up",
            "POST /log-in",
            "POST /invited",
            "POST /come-in",
            "POST /called-for",
            "POST /called-for/acknowledge",
            "POST /text-replies/<key>",
        ];
        let document = description();
        let described: BTreeSet<String> = document["paths"]
            .as_object()
            .unwrap()
            .iter()
            .filter_map(|(path, item)| Some((path.strip_prefix("/api/v1")?, item)))
            .flat_map(|(path, item)| {
                let path = path.replace('{', "<").replace('}', ">");
                let methods = item.as_object().unwrap().keys().map(|method| method.to_uppercase()).collect::<Vec<_>>();
                methods.into_iter().map(move |method| format!("{method} {path}"))
            })
            .collect();
        let rows: Vec<String> =
            crate::auth::rights::rows().map(|(method, path, _)| format!("{method} {path}")).collect();
        let named: BTreeSet<String> = rows.iter().cloned().chain(OPEN.map(str::to_owned)).collect();
        assert_eq!(named, described);
        assert_eq!(named.len(), rows.len() + OPEN.len(), "a route has two rows");
    }
}
