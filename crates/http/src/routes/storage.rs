//! What is kept for how long, how much room it takes, and taking it all away.

use super::Answer;
use super::body::Body;
use super::query;
use crate::Settings;
use crate::auth::{Access, Change};
use crate::failure::Failure;
use crate::found;
use lantern_api::{RetentionEffect, RetentionState, Storage};
use lantern_core::retention::Retention;
use lantern_engine::Engine;
use lantern_engine::Problem;
use lantern_engine::clock;
use lantern_engine::problem::Class;
use lantern_store::{Forgotten, Keeper};
use rocket::http::{ContentType, Header, Status};
use rocket::serde::json::Json;
use rocket::tokio::fs::File;
use rocket::{Responder, Route, State, delete, get, put, routes};
use std::path::PathBuf;
use std::sync::Arc;
use tokio::sync::Semaphore;

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
#[utoipa::path(operation_id = "storage_signal_retention", context_path = "/api/v1", tag = "storage",
    responses((status = 200, body = RetentionState), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/devices/<device>/signals/<signal>/retention")]
async fn signal_retention(
    engine: &State<Arc<Engine>>,
    _access: Access,
    site: &str,
    device: &str,
    signal: &str,
) -> Answer<RetentionState> {
    let (_, _, signal) = found::signal(&engine.store, site, device, signal).await?;
    let own = engine.store.retention(Keeper::Signal(signal.id)).await?;
    let effective = engine.store.retention_of(signal.id).await?.unwrap_or_default();
    Ok(Json(RetentionState { own, effective }))
}

/// Set how long readings of a signal are kept, whatever its kind says. With
/// `dry_run=true` the answer only says what it would do.
#[utoipa::path(operation_id = "storage_set_signal_retention", context_path = "/api/v1", tag = "storage", request_body = Retention,
    responses((status = 200, body = RetentionEffect), (status = "default", body = lantern_api::Problem)))]
#[put("/sites/<site>/devices/<device>/signals/<signal>/retention?<dry_run>", data = "<body>")]
async fn set_signal_retention(
    engine: &State<Arc<Engine>>,
    _change: Change,
    site: &str,
    device: &str,
    signal: &str,
    dry_run: Option<&str>,
    body: Body<Retention>,
) -> Answer<RetentionEffect> {
    let (_, _, signal) = found::signal(&engine.store, site, device, signal).await?;
    set(engine, Keeper::Signal(signal.id), body.0, dry_run).await
}

/// Let a signal be kept as its kind says, or for ever.
#[utoipa::path(operation_id = "storage_reset_signal_retention", context_path = "/api/v1", tag = "storage",
    responses((status = 204), (status = "default", body = lantern_api::Problem)))]
#[delete("/sites/<site>/devices/<device>/signals/<signal>/retention")]
async fn reset_signal_retention(
    engine: &State<Arc<Engine>>,
    _change: Change,
    site: &str,
    device: &str,
    signal: &str,
) -> Result<Status, Failure> {
    let (_, _, signal) = found::signal(&engine.store, site, device, signal).await?;
    engine.store.set_retention(Keeper::Signal(signal.id), None).await?;
    Ok(Status::NoContent)
}

/// How long readings of devices of a kind are kept.
#[utoipa::path(operation_id = "storage_kind_retention", context_path = "/api/v1", tag = "storage",
    responses((status = 200, body = RetentionState), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/kinds/<kind>/retention")]
async fn kind_retention(
    engine: &State<Arc<Engine>>,
    _access: Access,
    site: &str,
    kind: &str,
) -> Answer<RetentionState> {
    let (_, kind) = found::kind(&engine.store, site, kind).await?;
    let own = engine.store.retention(Keeper::Kind(kind.id)).await?;
    Ok(Json(RetentionState { own, effective: own.unwrap_or_default() }))
}

/// Set how long readings of devices of a kind are kept, where a signal has
/// nothing of its own. With `dry_run=true` the answer only says what it would do.
#[utoipa::path(operation_id = "storage_set_kind_retention", context_path = "/api/v1", tag = "storage", request_body = Retention,
    responses((status = 200, body = RetentionEffect), (status = "default", body = lantern_api::Problem)))]
#[put("/sites/<site>/kinds/<kind>/retention?<dry_run>", data = "<body>")]
async fn set_kind_retention(
    engine: &State<Arc<Engine>>,
    _change: Change,
    site: &str,
    kind: &str,
    dry_run: Option<&str>,
    body: Body<Retention>,
) -> Answer<RetentionEffect> {
    let (_, kind) = found::kind(&engine.store, site, kind).await?;
    set(engine, Keeper::Kind(kind.id), body.0, dry_run).await
}

/// Let what devices of a kind send be kept for ever.
#[utoipa::path(operation_id = "storage_reset_kind_retention", context_path = "/api/v1", tag = "storage",
    responses((status = 204), (status = "default", body = lantern_api::Problem)))]
#[delete("/sites/<site>/kinds/<kind>/retention")]
async fn reset_kind_retention(
    engine: &State<Arc<Engine>>,
    _change: Change,
    site: &str,
    kind: &str,
) -> Result<Status, Failure> {
    let (_, kind) = found::kind(&engine.store, site, kind).await?;
    engine.store.set_retention(Keeper::Kind(kind.id), None).await?;
    Ok(Status::NoContent)
}

async fn set(engine: &Engine, keeper: Keeper, wanted: Retention, dry_run: Option<&str>) -> Answer<RetentionEffect> {
    let is_dry = query::flag("dry_run", dry_run)?;
    wanted.check().map_err(|error| Problem::invalid("retention", error))?;
    let mut forgotten = Forgotten::default();
    let signals = engine.store.kept_signals(keeper).await?;
    for signal in &signals {
        forgotten += engine.store.would_forget(*signal, wanted, clock::now()).await?;
    }
    if !is_dry {
        engine.store.set_retention(keeper, Some(wanted)).await?;
    }
    Ok(Json(RetentionEffect {
        signals: signals.len(),
        readings: forgotten.readings,
        summarized: forgotten.summarized,
        bytes: forgotten.bytes,
        set: !is_dry,
    }))
}

/// How much room everything takes.
#[utoipa::path(operation_id = "storage_storage", context_path = "/api/v1", tag = "storage",
    responses((status = 200, body = Storage), (status = "default", body = lantern_api::Problem)))]
#[get("/storage")]
async fn storage(engine: &State<Arc<Engine>>, _access: Access) -> Answer<Storage> {
    let usage = engine.store.disk_use().await?;
    Ok(Json(Storage {
        used_bytes: usage.used,
        budget_bytes: (usage.budget > 0).then_some(usage.budget),
        nearly_full: usage.is_nearly_full(),
    }))
}

/// Backups being written.
static ONE_AT_A_TIME: Semaphore = Semaphore::const_new(1);

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
#[utoipa::path(operation_id = "storage_backup", context_path = "/api/v1", tag = "storage",
    responses((status = 200, content_type = "application/vnd.sqlite3", body = Vec<u8>),
        (status = "default", body = lantern_api::Problem)))]
#[get("/backup")]
async fn backup(engine: &State<Arc<Engine>>, settings: &State<Settings>, access: Access) -> Result<Download, Failure> {
    // Each holds a reader of the database and as much disk as everything there is.
    let Ok(_turn) = ONE_AT_A_TIME.try_acquire() else {
        let mut problem = Problem::new(
            Class::Conflict,
            "backup-running",
            "A backup is being written",
            "Somebody is taking a backup just now.",
            "Try again when it is done.",
        );
        problem.retry_after = Some(30);
        return Err(problem.into());
    };
    let now = clock::now();
    let passing = Passing(settings.data.join(format!("backup-{}.sqlite", now.as_micros())));
    let checked = engine.store.back_up(&passing.0).await?;
    tracing::info!(person = access.name(), readings = checked.readings, "a backup was written and checked");
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
