//! What an object is, in JSON, without secrets.

use super::Records;
use crate::problem::{Class, Problem};
use crate::setting_up::{Described, declaration, parse_kind};
use crate::{documents, find, shown};
use lantern_core::callout::Roster;
use lantern_core::retention::Retention;
use lantern_core::watch::Watch;
use lantern_core::{DeviceId, KeyId, NoteId};
use lantern_store::{Device, Keeper, Site};
use serde::Serialize;
use serde_json::{Value, json};

impl Records {
    /// What an object of a site is now; none if there is no such object, or it is of a sort that has no
    /// picture.
    ///
    /// # Errors
    /// A [`Problem`] if the database fails.
    pub async fn picture(&self, site: &Site, object: &str) -> Result<Option<Value>, Problem> {
        match self.found(site, object).await {
            Ok(picture) => Ok(picture),
            Err(problem) if problem.class == Class::Missing => Ok(None),
            Err(problem) => Err(problem),
        }
    }

    async fn found(&self, site: &Site, object: &str) -> Result<Option<Value>, Problem> {
        let store = &*self.store;
        let parts: Vec<&str> = object.split('/').filter(|part| !part.is_empty()).collect();
        Ok(match parts.as_slice() {
            [] => Some(json!({
                "name": site.name,
                "zone": site.zone,
                "decimal_mark": site.decimal_mark,
                "position": site.position,
            })),
            ["devices", device, "keys", key] => {
                let device = find::device(store, site, device).await?;
                self.key(site, Some(device.id), key).await?
            }
            ["keys", key] => self.key(site, None, key).await?,
            ["devices", device] => {
                let device = find::device(store, site, device).await?;
                Some(self.device(&device).await?)
            }
            ["devices", device, "signals", signal] => {
                let device = find::device(store, site, device).await?;
                let signal = find::signal(store, &device, signal).await?;
                let retention = store.retention(Keeper::Signal(signal.id)).await?;
                Some(kept_for(written(&declaration(signal).0), retention))
            }
            ["kinds", kind] => {
                let kind = find::kind(store, site, kind).await?;
                let retention = store.retention(Keeper::Kind(kind.id)).await?;
                Some(kept_for(written(&parse_kind(&kind.newest)?), retention))
            }
            ["notes", id] => {
                let id = id.parse().map_err(|_| Problem::invalid("id", "a number"))?;
                let note = shown::note(self.notes.find(site, NoteId(id)).await?);
                Some(json!({"about": note.about, "from": note.from, "to": note.to, "text": note.text}))
            }
            ["views", name] => {
                let view = store.view(site.id, name).await.map_err(|e| Problem::missing(e, "view", name))?;
                Some(json!({"query": view.query}))
            }
            ["rosters", roster] => {
                let row = store.roster(site.id, roster).await.map_err(|e| Problem::missing(e, "roster", roster))?;
                Some(written(&documents::read::<Roster>(&row.body)?))
            }
            ["watches", watch] => {
                let row = store.watch(site.id, watch).await.map_err(|e| Problem::missing(e, "watch", watch))?;
                Some(written(&documents::read::<Watch>(&row.body)?))
            }
            ["people", name] => Some(json!({"role": self.people.member(site, name).await?})),
            _ => None,
        })
    }

    /// A device without its signals, which are objects of their own.
    async fn device(&self, device: &Device) -> Result<Value, Problem> {
        let section = Described::of(&self.store, device).await?.section;
        let mut picture = written(&section);
        if let Some(fields) = picture.as_object_mut() {
            fields.remove("signals");
            fields.insert("state".to_owned(), written(&device.state));
            fields.insert("keeps_payload".to_owned(), Value::Bool(device.keeps_payload));
        }
        Ok(picture)
    }

    /// A key without its secret, which is kept nowhere.
    async fn key(&self, site: &Site, device: Option<DeviceId>, id: &str) -> Result<Option<Value>, Problem> {
        let Ok(number) = id.parse() else { return Ok(None) };
        let key = self.store.key(site.id, device, KeyId(number)).await.map_err(|e| Problem::missing(e, "key", id))?;
        Ok(Some(json!({
            "note": key.note,
            "send": key.grants.send,
            "read": key.grants.read,
            "command": key.grants.command,
            "revoked": key.revoked_at.is_some(),
            "expires_at": key.expires_at.map(|at| at.to_string()),
        })))
    }
}

/// A picture with how long readings are kept, if the object says so itself.
fn kept_for(mut picture: Value, retention: Option<Retention>) -> Value {
    if let (Some(fields), Some(retention)) = (picture.as_object_mut(), retention) {
        fields.insert("retention".to_owned(), written(&retention));
    }
    picture
}

/// A value as JSON. All that is pictured can be written so.
fn written(value: &impl Serialize) -> Value {
    serde_json::to_value(value).unwrap_or_default()
}
