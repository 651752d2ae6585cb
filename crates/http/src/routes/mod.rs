//! The HTTP interface, one file per resource.

mod account;
mod alarms;
mod arrivals;
mod body;
mod bursts;
mod called;
mod callouts;
mod catch;
mod changes;
mod commands;
mod commissioning;
mod compare;
mod console;
mod contacts;
mod coverage;
mod description;
mod devices;
mod division;
mod documents;
mod everyone;
mod export;
mod figures;
mod in_answer;
mod inlet;
mod jobs;
mod keys;
mod kinds;
mod lamp;
mod links;
mod listed;
mod live;
mod meaning;
mod members;
mod mqtt_sessions;
mod notes;
mod now;
mod openapi;
mod people;
mod pickup;
mod query;
mod readings;
mod removed;
mod request_log;
mod sending;
mod signals;
mod sites;
mod storage;
mod summaries;
mod unpack;
mod views;
mod zoned_times;

use rocket::serde::json::Json;
use rocket::{Build, Rocket};

/// The description of the whole interface (OpenAPI 3.1), as the service answers it at
/// `/api/v1/openapi.json`.
#[must_use]
pub fn openapi_document() -> serde_json::Value {
    openapi::description()
}

/// An answer in JSON, or a problem.
type Answer<T> = Result<Json<T>, crate::failure::Failure>;

/// Adds all routes.
pub(crate) fn mount(rocket: Rocket<Build>) -> Rocket<Build> {
    rocket
        .mount("/", inlet::routes())
        .mount("/", pickup::routes())
        .mount("/", crate::websocket::routes())
        .mount("/", console::routes())
        .mount("/api/v1", api())
        .register("/", catch::catchers())
        .attach(request_log::RequestLog)
        .attach(crate::auth::Recording)
        .attach(crate::headers::SafeHeaders)
}

fn api() -> Vec<rocket::Route> {
    [
        people::routes(),
        account::routes(),
        members::routes(),
        everyone::routes(),
        changes::routes(),
        sites::routes(),
        devices::routes(),
        removed::routes(),
        signals::routes(),
        keys::routes(),
        mqtt_sessions::routes(),
        kinds::routes(),
        documents::routes(),
        arrivals::routes(),
        contacts::routes(),
        commissioning::routes(),
        commands::routes(),
        links::routes(),
        lamp::routes(),
        sending::routes(),
        notes::routes(),
        alarms::routes(),
        called::routes(),
        callouts::routes(),
        views::routes(),
        now::routes(),
        bursts::routes(),
        readings::routes(),
        summaries::routes(),
        figures::routes(),
        coverage::routes(),
        meaning::routes(),
        jobs::routes(),
        compare::routes(),
        storage::routes(),
        export::routes(),
        live::routes(),
        openapi::routes(),
    ]
    .concat()
}
