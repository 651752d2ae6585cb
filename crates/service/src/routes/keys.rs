//! Keys of devices.

use super::body::Body;
use super::sites::check_note;
use super::{Answer, query};
use crate::app::App;
use crate::auth::{self, Access, Change};
use crate::problem::Problem;
use crate::{clock, translate};
use lantern_api::{IssuedKey, Key, NewKey, Page};
use rocket::http::Status;
use rocket::serde::json::Json;
use rocket::{Route, State, delete, get, post, routes};
use std::sync::Arc;

/// Characters of a key that are kept to tell it from others.
const HINT: usize = 4;

pub(super) fn routes() -> Vec<Route> {
    routes![list, issue, revoke]
}

/// The keys of a device, revoked ones too, newest first.
#[utoipa::path(context_path = "/api/v1", tag = "keys",
    responses((status = 200, body = Page<Key>), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/devices/<device>/keys?<after>&<limit>")]
async fn list(
    app: &State<Arc<App>>,
    _access: Access,
    site: &str,
    device: &str,
    after: Option<&str>,
    limit: Option<&str>,
) -> Answer<Page<Key>> {
    let limit = query::limit(limit)?;
    let before = query::number("after", after, i64::MAX, 0, i64::MAX)?;
    let (_, device) = app.device(site, device).await?;
    app.heard.flush(&app.store).await?;
    let keys = app.store.keys(device.id, before, limit + 1).await?;
    Ok(Json(query::page(keys, limit, |key| key.id.to_string(), translate::key)))
}

/// Issue a key. The answer is the only place where its secret is shown.
#[utoipa::path(context_path = "/api/v1", tag = "keys", request_body = NewKey,
    responses((status = 201, body = IssuedKey), (status = "default", body = lantern_api::Problem)))]
#[post("/sites/<site>/devices/<device>/keys", data = "<body>")]
async fn issue(
    app: &State<Arc<App>>,
    _change: Change,
    site: &str,
    device: &str,
    body: Body<NewKey>,
) -> Result<(Status, Json<IssuedKey>), Problem> {
    let note = check_note(&body.0.note)?;
    let (site, device) = app.device(site, device).await?;
    let secret = auth::new_key();
    let hint = &secret[secret.len() - HINT..];
    let key = app.store.add_key(device.id, &auth::hash(&secret), hint, note, clock::now()).await?;
    app.hub.change(site.id, "key", Some(&device.code));
    let details = translate::key(key);
    Ok((Status::Created, Json(IssuedKey { key: secret, details })))
}

/// Revoke a key: it sends nothing from now on.
#[utoipa::path(context_path = "/api/v1", tag = "keys",
    responses((status = 200, body = Key), (status = "default", body = lantern_api::Problem)))]
#[delete("/sites/<site>/devices/<device>/keys/<key>")]
async fn revoke(app: &State<Arc<App>>, _change: Change, site: &str, device: &str, key: &str) -> Answer<Key> {
    let id = query::number("key", Some(key), 0i64, 0, i64::MAX)?;
    let (site, device) = app.device(site, device).await?;
    let revoked = app
        .store
        .revoke_key(device.id, id, clock::now())
        .await
        .map_err(|e| Problem::missing(e, "key", &id.to_string()))?;
    app.plans.forget(device.id);
    app.hub.change(site.id, "key", Some(&device.code));
    Ok(Json(translate::key(revoked)))
}
