//! What is kept for how long, how much room it takes, and taking it all away.

use super::Answer;
use super::body::Body;
use super::query;
use crate::app::App;
use crate::auth::{Access, Change};
use crate::clock;
use crate::problem::Problem;
use lantern_api::{RetentionEffect, RetentionState, Storage};
use lantern_core::retention::Retention;
use lantern_store::{Forgotten, Keeper};
use rocket::http::{ContentType, Header, Status};
use rocket::serde::json::Json;
use rocket::tokio::fs::File;
use rocket::{Responder, Route, State, delete, get, put, routes};
use std::path::PathBuf;
use std::sync::Arc;

pub(super) fn routes() -> Vec<Route> {
    routes![
        signal_retention,
        set_signal_retention,
        reset_signal_retention,
        kind_retention,
        set_kind_retention,
        reset_kind_retention,
        storage,
        backup
    ]
}

/// How long readings of a signal are kept.
#[utoipa::path(context_path = "/api/v1", tag = "storage",
    responses((status = 200, body = RetentionState), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/devices/<device>/signals/<signal>/retention")]
async fn signal_retention(
    app: &State<Arc<App>>,
    _access: Access,
    site: &str,
    device: &str,
    signal: &str,
) -> Answer<RetentionState> {
    let (_, _, signal) = app.signal(site, device, signal).await?;
    let own = app.store.retention(Keeper::Signal(signal.id)).await?;
    let effective = app.store.retention_of(signal.id).await?.unwrap_or_default();
    Ok(Json(RetentionState { own: own.map(to_api), effective: to_api(effective) }))
}

/// Set how long readings of a signal are kept, whatever its kind says. With
/// `dry_run=true` the answer only says what it would do.
#[utoipa::path(context_path = "/api/v1", tag = "storage", request_body = lantern_api::Retention,
    responses((status = 200, body = RetentionEffect), (status = "default", body = lantern_api::Problem)))]
#[put("/sites/<site>/devices/<device>/signals/<signal>/retention?<dry_run>", data = "<body>")]
async fn set_signal_retention(
    app: &State<Arc<App>>,
    _change: Change,
    site: &str,
    device: &str,
    signal: &str,
    dry_run: Option<&str>,
    body: Body<lantern_api::Retention>,
) -> Answer<RetentionEffect> {
    let (_, _, signal) = app.signal(site, device, signal).await?;
    set(app, Keeper::Signal(signal.id), body.0, dry_run).await
}

/// Let a signal be kept as its kind says, or for ever.
#[utoipa::path(context_path = "/api/v1", tag = "storage",
    responses((status = 204), (status = "default", body = lantern_api::Problem)))]
#[delete("/sites/<site>/devices/<device>/signals/<signal>/retention")]
async fn reset_signal_retention(
    app: &State<Arc<App>>,
    _change: Change,
    site: &str,
    device: &str,
    signal: &str,
) -> Result<Status, Problem> {
    let (_, _, signal) = app.signal(site, device, signal).await?;
    app.store.set_retention(Keeper::Signal(signal.id), None).await?;
    Ok(Status::NoContent)
}

/// How long readings of devices of a kind are kept.
#[utoipa::path(context_path = "/api/v1", tag = "storage",
    responses((status = 200, body = RetentionState), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/kinds/<kind>/retention")]
async fn kind_retention(app: &State<Arc<App>>, _access: Access, site: &str, kind: &str) -> Answer<RetentionState> {
    let (_, kind) = app.kind(site, kind).await?;
    let own = app.store.retention(Keeper::Kind(kind.id)).await?;
    Ok(Json(RetentionState { own: own.map(to_api), effective: to_api(own.unwrap_or_default()) }))
}

/// Set how long readings of devices of a kind are kept, where a signal has
/// nothing of its own. With `dry_run=true` the answer only says what it would do.
#[utoipa::path(context_path = "/api/v1", tag = "storage", request_body = lantern_api::Retention,
    responses((status = 200, body = RetentionEffect), (status = "default", body = lantern_api::Problem)))]
#[put("/sites/<site>/kinds/<kind>/retention?<dry_run>", data = "<body>")]
async fn set_kind_retention(
    app: &State<Arc<App>>,
    _change: Change,
    site: &str,
    kind: &str,
    dry_run: Option<&str>,
    body: Body<lantern_api::Retention>,
) -> Answer<RetentionEffect> {
    let (_, kind) = app.kind(site, kind).await?;
    set(app, Keeper::Kind(kind.id), body.0, dry_run).await
}

/// Let what devices of a kind send be kept for ever.
#[utoipa::path(context_path = "/api/v1", tag = "storage",
    responses((status = 204), (status = "default", body = lantern_api::Problem)))]
#[delete("/sites/<site>/kinds/<kind>/retention")]
async fn reset_kind_retention(
    app: &State<Arc<App>>,
    _change: Change,
    site: &str,
    kind: &str,
) -> Result<Status, Problem> {
    let (_, kind) = app.kind(site, kind).await?;
    app.store.set_retention(Keeper::Kind(kind.id), None).await?;
    Ok(Status::NoContent)
}

async fn set(
    app: &App,
    keeper: Keeper,
    wanted: lantern_api::Retention,
    dry_run: Option<&str>,
) -> Answer<RetentionEffect> {
    let is_dry = query::flag("dry_run", dry_run)?;
    let retention = from_api(wanted);
    retention.check().map_err(|error| Problem::invalid("retention", error))?;
    let mut forgotten = Forgotten::default();
    let signals = app.store.kept_signals(keeper).await?;
    for signal in &signals {
        forgotten += app.store.would_forget(*signal, retention, clock::now()).await?;
    }
    if !is_dry {
        app.store.set_retention(keeper, Some(retention)).await?;
    }
    Ok(Json(RetentionEffect {
        signals: signals.len(),
        readings: forgotten.readings,
        summarized: forgotten.summarized,
        bytes: forgotten.bytes,
        set: !is_dry,
    }))
}

const fn to_api(kept: Retention) -> lantern_api::Retention {
    lantern_api::Retention { raw_s: kept.raw_s, minute_s: kept.minute_s, hour_s: kept.hour_s, day_s: kept.day_s }
}

const fn from_api(kept: lantern_api::Retention) -> Retention {
    Retention { raw_s: kept.raw_s, minute_s: kept.minute_s, hour_s: kept.hour_s, day_s: kept.day_s }
}

/// How much room everything takes.
#[utoipa::path(context_path = "/api/v1", tag = "storage",
    responses((status = 200, body = Storage), (status = "default", body = lantern_api::Problem)))]
#[get("/storage")]
async fn storage(app: &State<Arc<App>>, _access: Access) -> Answer<Storage> {
    let usage = app.store.disk_use().await?;
    Ok(Json(Storage {
        used_bytes: usage.used,
        budget_bytes: (usage.budget > 0).then_some(usage.budget),
        nearly_full: usage.is_nearly_full(),
    }))
}

/// A file that goes when it has been sent, or when nobody waits for it any more.
struct Passing(PathBuf);

impl Drop for Passing {
    fn drop(&mut self) {
        let _ = std::fs::remove_file(&self.0);
    }
}

/// A file to be saved.
#[derive(Responder)]
struct Download {
    file: File,
    content_type: ContentType,
    disposition: Header<'static>,
}

/// Everything there is, as it is at one moment: a database file, checked after
/// writing. The service goes on meanwhile. Restore it with `key-lantern restore`.
#[utoipa::path(context_path = "/api/v1", tag = "storage",
    responses((status = 200, content_type = "application/vnd.sqlite3", body = Vec<u8>),
        (status = "default", body = lantern_api::Problem)))]
#[get("/backup")]
async fn backup(app: &State<Arc<App>>, access: Access) -> Result<Download, Problem> {
    if access.person.role != "owner" {
        return Err(Problem::new(
            Status::Forbidden,
            "not-allowed",
            "Not allowed",
            "A backup holds all sites, and what proves who is who; only an owner may take it.",
            "Ask an owner.",
        ));
    }
    let now = clock::now();
    let passing = Passing(app.settings.data.join(format!("backup-{}.sqlite", now.as_micros())));
    let checked = app.store.back_up(&passing.0).await?;
    tracing::info!(person = access.person.name, readings = checked.readings, "a backup was written and checked");
    let file = File::open(&passing.0).await.map_err(|error| {
        tracing::error!(%error, "a backup cannot be read");
        Problem::storage()
    })?;
    // It is open: its name may go at once, and its room goes with the last reader.
    drop(passing);
    let date = now.to_string().chars().take(10).collect::<String>();
    Ok(Download {
        file,
        content_type: ContentType::new("application", "vnd.sqlite3"),
        disposition: Header::new("Content-Disposition", format!("attachment; filename=\"key-lantern-{date}.sqlite\"")),
    })
}
