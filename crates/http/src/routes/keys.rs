//! Keys of devices and sites.

use super::body::Body;
use super::inlet::From;
use super::{Answer, query};
use crate::auth::{Access, Change};
use crate::base::Base;
use crate::failure::Failure;
use crate::found;
use lantern_api::{IssuedKey, Key, KeyReplacement, MadeDevice, NewDevices, NewKey, Page};
use lantern_core::{KeyId, Moment};
use lantern_engine::Engine;
use lantern_engine::Problem;
use lantern_engine::setting_up::KeyHolder;
use lantern_engine::{clock, shown};
use lantern_store::{self as store, Grants, Store};
use rocket::http::Status;
use rocket::serde::json::Json;
use rocket::{Route, State, delete, get, post, routes};
use rustls_pki_types::CertificateDer;
use rustls_pki_types::pem::PemObject;
use std::sync::Arc;

pub(super) fn routes() -> Vec<Route> {
    routes![add_several, list, issue, revoke, replace, site_list, site_issue, site_revoke, site_replace]
}

async fn of_device(store: &Store, site: &str, device: &str) -> Result<KeyHolder, Problem> {
    Ok(KeyHolder::Device(Box::new(found::device(store, site, device).await?.1)))
}

async fn of_site(store: &Store, site: &str) -> Result<KeyHolder, Problem> {
    Ok(KeyHolder::Site(Box::new(found::site(store, site).await?)))
}

async fn page_of(engine: &Engine, holder: KeyHolder, after: Option<&str>, limit: Option<&str>) -> Answer<Page<Key>> {
    let limit = query::limit(limit)?;
    let before = query::number("after", after, i64::MAX, 0, i64::MAX)?;
    engine.heard.flush().await?;
    let keys = engine.store.keys(holder.site(), holder.device(), before, limit + 1).await?;
    Ok(Json(query::page(keys, limit, |key| key.id.to_string(), shown::key)))
}

type Issued = Result<(Status, Json<IssuedKey>), Failure>;

async fn issue_to(engine: &Engine, holder: KeyHolder, new: &NewKey, base: &Base) -> Issued {
    let grants = new.grants.as_deref().map_or(Grants::SEND, shown::from_grants);
    let expires_at = new.expires_at.as_deref().map(check_end).transpose()?;
    let Some(pem) = &new.certificate else {
        let (key, secret) = engine.set_up.issue_key(&holder, &new.note, grants, expires_at).await?;
        return Ok(issued(&holder, key, secret, base));
    };
    let der = CertificateDer::from_pem_slice(pem.as_bytes())
        .map_err(|e| Problem::invalid("certificate", format_args!("it is no certificate in PEM: {e}")))?;
    let key = engine.set_up.issue_certificate(&holder, &der, &new.note, grants, expires_at).await?;
    let address = format!("{}/in", base.shown());
    let details = shown::key(key);
    Ok((Status::Created, Json(IssuedKey { address, mqtt_address: base.mqtt(), key: String::new(), details })))
}

fn issued(holder: &KeyHolder, key: store::Key, secret: String, base: &Base) -> (Status, Json<IssuedKey>) {
    let address = format!("{}/in/{secret}", base.shown());
    let user = holder.user_name();
    let mqtt_address = base.mqtt().map(|at| at.replacen("://", &format!("://{user}:{secret}@"), 1));
    (Status::Created, Json(IssuedKey { address, mqtt_address, key: secret, details: shown::key(key) }))
}

async fn revoke_of(engine: &Engine, holder: KeyHolder, key: &str) -> Answer<Key> {
    Ok(Json(shown::key(engine.set_up.revoke_key(&holder, key_id(key)?).await?)))
}

async fn replace_of(engine: &Engine, holder: KeyHolder, key: &str, order: &KeyReplacement, base: &Base) -> Issued {
    let (key, secret) = engine.set_up.replace_key(&holder, key_id(key)?, order.overlap_s).await?;
    Ok(issued(&holder, key, secret, base))
}

fn key_id(text: &str) -> Result<KeyId, Problem> {
    query::number("key", Some(text), 0i64, 0, i64::MAX).map(KeyId)
}

fn check_end(text: &str) -> Result<Moment, Problem> {
    match Moment::parse(text) {
        Ok(end) if end > clock::now() => Ok(end),
        Ok(_) => Err(Problem::invalid("expires_at", "it must be in the future")),
        Err(e) => Err(Problem::invalid("expires_at", e)),
    }
}

/// The keys of a device, revoked ones too, newest first.
#[utoipa::path(operation_id = "keys_list", context_path = "/api/v1", tag = "keys",
    responses((status = 200, body = Page<Key>), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/devices/<device>/keys?<after>&<limit>")]
async fn list(
    engine: &State<Arc<Engine>>,
    _access: Access,
    site: &str,
    device: &str,
    after: Option<&str>,
    limit: Option<&str>,
) -> Answer<Page<Key>> {
    page_of(engine, of_device(&engine.store, site, device).await?, after, limit).await
}

/// Make several devices, with a key each if `keys` is set: all of them or none.
#[utoipa::path(operation_id = "keys_add_several", context_path = "/api/v1", tag = "devices", request_body = NewDevices,
    responses((status = 201, body = Vec<MadeDevice>), (status = "default", body = lantern_api::Problem)))]
#[post("/sites/<site>/devices/several", data = "<body>")]
async fn add_several(
    engine: &State<Arc<Engine>>,
    person: Change,
    site: &str,
    base: Base,
    from: From,
    body: Body<NewDevices>,
) -> Result<(Status, Json<Vec<MadeDevice>>), Failure> {
    let site = found::site(&engine.store, site).await?;
    let NewDevices { devices, keys } = body.0;
    let made = engine.set_up.add_devices(&site, devices, keys, &person.0.name()).await?;
    let (devices, keys): (Vec<_>, Vec<_>) = made.into_iter().unzip();
    let new = devices.iter().map(|device| (format!("devices/{}", device.code), None)).collect();
    engine.records.write_each(&person.0.doer(from.0)?, &site, &new).await;
    let key_of = |(device, key): (&store::Device, Option<(store::Key, String)>)| {
        let holder = KeyHolder::Device(Box::new(device.clone()));
        key.map(|(key, secret)| issued(&holder, key, secret, &base).1.into_inner())
    };
    let keys: Vec<Option<IssuedKey>> = devices.iter().zip(keys).map(key_of).collect();
    let shown = super::devices::all_shown(engine, devices).await?;
    let made = shown.into_iter().zip(keys).map(|(device, key)| MadeDevice { device, key });
    Ok((Status::Created, Json(made.collect())))
}

/// Issue a key. The answer is the only place where its secret is shown.
#[utoipa::path(operation_id = "keys_issue", context_path = "/api/v1", tag = "keys", request_body = NewKey,
    responses((status = 201, body = IssuedKey), (status = "default", body = lantern_api::Problem)))]
#[post("/sites/<site>/devices/<device>/keys", data = "<body>")]
async fn issue(
    engine: &State<Arc<Engine>>,
    _change: Change,
    site: &str,
    device: &str,
    base: Base,
    body: Body<NewKey>,
) -> Issued {
    issue_to(engine, of_device(&engine.store, site, device).await?, &body.0, &base).await
}

/// Revoke a key: it opens nothing from now on.
#[utoipa::path(operation_id = "keys_revoke", context_path = "/api/v1", tag = "keys",
    responses((status = 200, body = Key), (status = "default", body = lantern_api::Problem)))]
#[delete("/sites/<site>/devices/<device>/keys/<key>")]
async fn revoke(engine: &State<Arc<Engine>>, _change: Change, site: &str, device: &str, key: &str) -> Answer<Key> {
    revoke_of(engine, of_device(&engine.store, site, device).await?, key).await
}

/// Replace a key by a new one with the same grants. Both are taken for the time
/// of the overlap, so that the sender can be changed without losing readings.
#[utoipa::path(operation_id = "keys_replace", context_path = "/api/v1", tag = "keys", request_body = KeyReplacement,
    responses((status = 201, body = IssuedKey), (status = "default", body = lantern_api::Problem)))]
#[post("/sites/<site>/devices/<device>/keys/<key>/replace", data = "<body>")]
async fn replace(
    engine: &State<Arc<Engine>>,
    _change: Change,
    site: &str,
    device: &str,
    key: &str,
    base: Base,
    body: Body<KeyReplacement>,
) -> Issued {
    replace_of(engine, of_device(&engine.store, site, device).await?, key, &body.0, &base).await
}

/// The keys of the site itself, revoked ones too, newest first.
#[utoipa::path(operation_id = "keys_site_list", context_path = "/api/v1", tag = "keys",
    responses((status = 200, body = Page<Key>), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/keys?<after>&<limit>")]
async fn site_list(
    engine: &State<Arc<Engine>>,
    _access: Access,
    site: &str,
    after: Option<&str>,
    limit: Option<&str>,
) -> Answer<Page<Key>> {
    page_of(engine, of_site(&engine.store, site).await?, after, limit).await
}

/// Issue a key of the site. With `send`, what comes with it names its device, and
/// devices nobody has declared wait as arrivals; with `read`, a program can read
/// back all the site has.
#[utoipa::path(operation_id = "keys_site_issue", context_path = "/api/v1", tag = "keys", request_body = NewKey,
    responses((status = 201, body = IssuedKey), (status = "default", body = lantern_api::Problem)))]
#[post("/sites/<site>/keys", data = "<body>")]
async fn site_issue(
    engine: &State<Arc<Engine>>,
    _change: Change,
    site: &str,
    base: Base,
    body: Body<NewKey>,
) -> Issued {
    issue_to(engine, of_site(&engine.store, site).await?, &body.0, &base).await
}

/// Revoke a key of the site.
#[utoipa::path(operation_id = "keys_site_revoke", context_path = "/api/v1", tag = "keys",
    responses((status = 200, body = Key), (status = "default", body = lantern_api::Problem)))]
#[delete("/sites/<site>/keys/<key>")]
async fn site_revoke(engine: &State<Arc<Engine>>, _change: Change, site: &str, key: &str) -> Answer<Key> {
    revoke_of(engine, of_site(&engine.store, site).await?, key).await
}

/// Replace a key of the site by a new one with the same grants.
#[utoipa::path(operation_id = "keys_site_replace", context_path = "/api/v1", tag = "keys", request_body = KeyReplacement,
    responses((status = 201, body = IssuedKey), (status = "default", body = lantern_api::Problem)))]
#[post("/sites/<site>/keys/<key>/replace", data = "<body>")]
async fn site_replace(
    engine: &State<Arc<Engine>>,
    _change: Change,
    site: &str,
    key: &str,
    base: Base,
    body: Body<KeyReplacement>,
) -> Issued {
    replace_of(engine, of_site(&engine.store, site).await?, key, &body.0, &base).await
}
