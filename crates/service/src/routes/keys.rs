//! Keys of devices and sites.

use super::body::Body;
use super::{Answer, query};
use crate::app::App;
use crate::auth::{self, Access, Change};
use crate::base::Base;
use crate::checks::check_note;
use crate::problem::Problem;
use crate::{clock, translate};
use lantern_api::{IssuedKey, Key, KeyReplacement, NewKey, Page};
use lantern_core::{DeviceId, Moment};
use lantern_store::{self as store, Site};
use rocket::http::Status;
use rocket::serde::json::Json;
use rocket::{Route, State, delete, get, post, routes};
use std::sync::Arc;
use tokio_rustls::rustls::pki_types::CertificateDer;
use tokio_rustls::rustls::pki_types::pem::PemObject;

/// Characters of a key that are kept to tell it from others.
const HINT: usize = 4;
/// How long a replaced key is still taken if nobody says it, in seconds: a week.
const OVERLAP_S: f64 = 604_800.0;
/// The longest it can be, in seconds: a year.
const MAX_OVERLAP_S: f64 = 31_622_400.0;

pub(super) fn routes() -> Vec<Route> {
    routes![list, issue, revoke, replace, site_list, site_issue, site_revoke, site_replace]
}

/// Whose keys: a device's, or the site's own.
struct Owner {
    site: Site,
    device: Option<(DeviceId, String)>,
}

impl Owner {
    async fn device(app: &App, site: &str, device: &str) -> Result<Self, Problem> {
        let (site, device) = app.device(site, device).await?;
        Ok(Self { site, device: Some((device.id, device.code)) })
    }

    async fn site(app: &App, site: &str) -> Result<Self, Problem> {
        Ok(Self { site: app.site(site).await?, device: None })
    }

    fn id(&self) -> Option<DeviceId> {
        self.device.as_ref().map(|(id, _)| *id)
    }

    async fn list(self, app: &App, after: Option<&str>, limit: Option<&str>) -> Answer<Page<Key>> {
        let limit = query::limit(limit)?;
        let before = query::number("after", after, i64::MAX, 0, i64::MAX)?;
        app.heard.flush(&app.store).await?;
        let keys = app.store.keys(self.site.id, self.id(), before, limit + 1).await?;
        Ok(Json(query::page(keys, limit, |key| key.id.to_string(), translate::key)))
    }

    async fn issue(self, app: &App, new: &NewKey, base: &Base) -> Result<(Status, Json<IssuedKey>), Problem> {
        let grants = new.grants.as_deref().map_or(store::Grants::SEND, translate::from_grants);
        if grants == store::Grants::default() {
            return Err(Problem::invalid("grants", "at least one of send, read, command"));
        }
        let expires_at = new.expires_at.as_deref().map(check_end).transpose()?;
        let note = check_note(&new.note)?;
        match &new.certificate {
            None => self.keep(app, note, grants, expires_at, base).await,
            Some(pem) => self.keep_certificate(app, pem, note, grants, expires_at, base).await,
        }
    }

    /// Takes a certificate as a key: who proves to have it by TLS needs no secret.
    async fn keep_certificate(
        self,
        app: &App,
        pem: &str,
        note: &str,
        grants: store::Grants,
        expires_at: Option<Moment>,
        base: &Base,
    ) -> Result<(Status, Json<IssuedKey>), Problem> {
        let der = CertificateDer::from_pem_slice(pem.as_bytes())
            .map_err(|e| Problem::invalid("certificate", format_args!("it is no certificate in PEM: {e}")))?;
        let hash = auth::hash_certificate(&der);
        let hint = format!("certificate {}", auth::fingerprint(&der));
        let new = store::NewKey { secret_hash: &hash, hint: &hint, note, grants, expires_at };
        let added = app.store.add_key(self.site.id, self.id(), new, clock::now()).await;
        let key = added.map_err(|e| Problem::taken(e, "key of the certificate", &hint))?;
        self.changed(app);
        let address = format!("{}/in", base.of(app));
        Ok((
            Status::Created,
            Json(IssuedKey { address, mqtt_address: base.mqtt(app), key: String::new(), details: translate::key(key) }),
        ))
    }

    async fn keep(
        self,
        app: &App,
        note: &str,
        grants: store::Grants,
        expires_at: Option<Moment>,
        base: &Base,
    ) -> Result<(Status, Json<IssuedKey>), Problem> {
        let secret = auth::new_key();
        let hash = auth::hash(&secret);
        let hint = &secret[secret.len() - HINT..];
        let new = store::NewKey { secret_hash: &hash, hint, note, grants, expires_at };
        let key = app.store.add_key(self.site.id, self.id(), new, clock::now()).await?;
        self.changed(app);
        let address = format!("{}/in/{secret}", base.of(app));
        let user = self.device.as_ref().map_or("any", |(_, code)| code.as_str());
        let mqtt_address = base.mqtt(app).map(|at| at.replacen("://", &format!("://{user}:{secret}@"), 1));
        Ok((Status::Created, Json(IssuedKey { address, mqtt_address, key: secret, details: translate::key(key) })))
    }

    async fn find(&self, app: &App, key: &str) -> Result<store::Key, Problem> {
        let id = query::number("key", Some(key), 0i64, 0, i64::MAX)?;
        app.store.key(self.site.id, self.id(), id).await.map_err(|e| Problem::missing(e, "key", &id.to_string()))
    }

    async fn revoke(self, app: &App, key: &str) -> Answer<Key> {
        let key = self.find(app, key).await?;
        let revoked = app.store.revoke_key(key.id, clock::now()).await?;
        self.changed(app);
        app.outward.recheck(app).await;
        Ok(Json(translate::key(revoked)))
    }

    async fn replace(
        self,
        app: &App,
        key: &str,
        order: &KeyReplacement,
        base: &Base,
    ) -> Result<(Status, Json<IssuedKey>), Problem> {
        let overlap_s = order.overlap_s.unwrap_or(OVERLAP_S);
        if !(0.0..=MAX_OVERLAP_S).contains(&overlap_s) {
            return Err(Problem::invalid("overlap_s", "seconds, from 0 to 31,622,400 (a year)"));
        }
        let old = self.find(app, key).await?;
        if old.revoked_at.is_some() {
            return Err(Problem::invalid("key", "a revoked key cannot be replaced; issue a new one"));
        }
        app.store.expire_key(old.id, clock::now().plus_seconds(overlap_s)).await?;
        self.keep(app, &old.note, old.grants, None, base).await
    }

    fn changed(&self, app: &App) {
        match &self.device {
            Some((id, _)) => app.plans.forget(*id),
            None => app.plans.forget_all(),
        }
        app.hub.change(self.site.id, "key", self.device.as_ref().map(|(_, code)| code.as_str()));
    }
}

fn check_end(text: &str) -> Result<Moment, Problem> {
    match Moment::parse(text) {
        Ok(end) if end > clock::now() => Ok(end),
        Ok(_) => Err(Problem::invalid("expires_at", "it must be in the future")),
        Err(e) => Err(Problem::invalid("expires_at", e)),
    }
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
    Owner::device(app, site, device).await?.list(app, after, limit).await
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
    base: Base,
    body: Body<NewKey>,
) -> Result<(Status, Json<IssuedKey>), Problem> {
    Owner::device(app, site, device).await?.issue(app, &body.0, &base).await
}

/// Revoke a key: it opens nothing from now on.
#[utoipa::path(context_path = "/api/v1", tag = "keys",
    responses((status = 200, body = Key), (status = "default", body = lantern_api::Problem)))]
#[delete("/sites/<site>/devices/<device>/keys/<key>")]
async fn revoke(app: &State<Arc<App>>, _change: Change, site: &str, device: &str, key: &str) -> Answer<Key> {
    Owner::device(app, site, device).await?.revoke(app, key).await
}

/// Replace a key by a new one with the same grants. Both are taken for the time
/// of the overlap, so that the sender can be changed without losing readings.
#[utoipa::path(context_path = "/api/v1", tag = "keys", request_body = KeyReplacement,
    responses((status = 201, body = IssuedKey), (status = "default", body = lantern_api::Problem)))]
#[post("/sites/<site>/devices/<device>/keys/<key>/replace", data = "<body>")]
async fn replace(
    app: &State<Arc<App>>,
    _change: Change,
    site: &str,
    device: &str,
    key: &str,
    base: Base,
    body: Body<KeyReplacement>,
) -> Result<(Status, Json<IssuedKey>), Problem> {
    Owner::device(app, site, device).await?.replace(app, key, &body.0, &base).await
}

/// The keys of the site itself, revoked ones too, newest first.
#[utoipa::path(context_path = "/api/v1", tag = "keys",
    responses((status = 200, body = Page<Key>), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/keys?<after>&<limit>")]
async fn site_list(
    app: &State<Arc<App>>,
    _access: Access,
    site: &str,
    after: Option<&str>,
    limit: Option<&str>,
) -> Answer<Page<Key>> {
    Owner::site(app, site).await?.list(app, after, limit).await
}

/// Issue a key of the site. With `send`, what comes with it names its device, and
/// devices nobody has declared wait as arrivals; with `read`, a program can read
/// back all the site has.
#[utoipa::path(context_path = "/api/v1", tag = "keys", request_body = NewKey,
    responses((status = 201, body = IssuedKey), (status = "default", body = lantern_api::Problem)))]
#[post("/sites/<site>/keys", data = "<body>")]
async fn site_issue(
    app: &State<Arc<App>>,
    _change: Change,
    site: &str,
    base: Base,
    body: Body<NewKey>,
) -> Result<(Status, Json<IssuedKey>), Problem> {
    Owner::site(app, site).await?.issue(app, &body.0, &base).await
}

/// Revoke a key of the site.
#[utoipa::path(context_path = "/api/v1", tag = "keys",
    responses((status = 200, body = Key), (status = "default", body = lantern_api::Problem)))]
#[delete("/sites/<site>/keys/<key>")]
async fn site_revoke(app: &State<Arc<App>>, _change: Change, site: &str, key: &str) -> Answer<Key> {
    Owner::site(app, site).await?.revoke(app, key).await
}

/// Replace a key of the site by a new one with the same grants.
#[utoipa::path(context_path = "/api/v1", tag = "keys", request_body = KeyReplacement,
    responses((status = 201, body = IssuedKey), (status = "default", body = lantern_api::Problem)))]
#[post("/sites/<site>/keys/<key>/replace", data = "<body>")]
async fn site_replace(
    app: &State<Arc<App>>,
    _change: Change,
    site: &str,
    key: &str,
    base: Base,
    body: Body<KeyReplacement>,
) -> Result<(Status, Json<IssuedKey>), Problem> {
    Owner::site(app, site).await?.replace(app, key, &body.0, &base).await
}
