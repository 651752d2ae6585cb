//! The description of the interface, made from the code, and the health page.

use super::description;
use super::{
    arrivals, bursts, commands, commissioning, compare, contacts, coverage, devices, documents, export, figures, inlet,
    jobs, keys, kinds, lamp, links, live, meaning, notes, now, people, pickup, readings, removed, sending, signals,
    sites, storage, summaries, views,
};
use lantern_api::Health;
use lantern_engine::clock;
use rocket::http::ContentType;
use rocket::serde::json::Json;
use rocket::{Route, get, routes};
use serde_json::Value;
use utoipa::openapi::security::{ApiKey, ApiKeyValue, HttpAuthScheme, HttpBuilder, SecurityScheme};
use utoipa::{Modify, OpenApi};

pub(super) fn routes() -> Vec<Route> {
    routes![document, health]
}

#[derive(OpenApi)]
#[openapi(
    info(title = "Key Lantern", description = "Receives what sensors send, keeps it and shows it live and in history."),
    paths(
        inlet::post, inlet::post_key, inlet::get, inlet::get_key,
        pickup::collect, pickup::collect_key, pickup::answer, pickup::answer_key, pickup::answer_get,
        people::set_up_state, people::set_up, people::log_in, people::log_out, people::me,
        sites::list, sites::add, sites::show, sites::change, sites::extent, sites::remove,
        devices::list, devices::add, devices::show, devices::change, devices::extent, devices::remove,
        removed::list, removed::restore_device, removed::restore_signal,
        keys::add_several,
        signals::list, signals::add, signals::show, signals::change, signals::extent, signals::remove, signals::join_position,
        keys::list, keys::issue, keys::revoke, keys::replace,
        keys::site_list, keys::site_issue, keys::site_revoke, keys::site_replace,
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
        document, health,
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

/// Whether the service is well.
#[utoipa::path(operation_id = "openapi_health", context_path = "/api/v1", tag = "service", security(()),
    responses((status = 200, body = Health)))]
#[get("/health")]
fn health() -> Json<Health> {
    Json(Health {
        status: "ok".to_owned(),
        version: env!("CARGO_PKG_VERSION").to_owned(),
        now: clock::now().to_string(),
    })
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
}
