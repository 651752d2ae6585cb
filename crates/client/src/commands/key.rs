//! `lantern key`.

use super::{Context, zone};
use crate::args::{KeyCommand, KeyOwner};
use crate::output::table;
use crate::server::{Server, segment};
use crate::time;
use anyhow::{Context as _, Result};
use jiff::tz::TimeZone;
use lantern_api::{Grant, IssuedKey, Key, KeyReplacement, NewKey};

/// Path of a device's keys, or of the site's own.
async fn path(server: &Server, owner: &KeyOwner) -> Result<String> {
    match &owner.device {
        Some(device) => server.device_path(device, "/keys").await,
        None => Ok(format!("sites/{}/keys", segment(&server.site_code().await?))),
    }
}

pub(crate) async fn run(context: &Context, command: KeyCommand) -> Result<()> {
    let server = context.server()?;
    let zone = zone(&server).await?;
    match command {
        KeyCommand::Issue { owner, note, grants, expires, certificate } => {
            let grants = (!grants.is_empty()).then(|| grants.into_iter().map(Into::into).collect());
            let expires_at = expires.map(|at| time::moment(&at, &zone)).transpose()?.map(|at| at.to_string());
            let read = |file: std::path::PathBuf| {
                std::fs::read_to_string(&file).with_context(|| format!("cannot read {}", file.display()))
            };
            let certificate = certificate.map(read).transpose()?;
            let new = NewKey { note, grants, expires_at, certificate };
            let issued: IssuedKey = server.post(&path(&server, &owner).await?, &new).await?;
            context.output.print(&issued, |issued| shown(issued, owner.device.as_deref()))
        }
        KeyCommand::List { owner } => {
            let keys: Vec<Key> = server.list(&path(&server, &owner).await?, &[]).await?;
            context.output.print(&keys, |keys| list(keys, &zone))
        }
        KeyCommand::Replace { owner, id, overlap } => {
            let path = format!("{}/{id}/replace", path(&server, &owner).await?);
            let order = KeyReplacement { overlap_s: Some(overlap as f64) };
            let issued: IssuedKey = server.post(&path, &order).await?;
            context.output.print(&issued, |issued| shown(issued, owner.device.as_deref()))
        }
        KeyCommand::Revoke { owner, id } => {
            let path = format!("{}/{id}", path(&server, &owner).await?);
            let key: Key = server.delete(&path, &[]).await?;
            context.output.print(&key, |key| format!("key …{} revoked", key.hint))
        }
    }
}

fn shown(issued: &IssuedKey, device: Option<&str>) -> String {
    if issued.key.is_empty() {
        return format!(
            "The {} is a key now: who proves to have it by TLS needs no other.\nDeliver to {}",
            issued.details.hint, issued.address
        );
    }
    let next = match device {
        Some(device) => format!("Ready-made instructions: lantern recipe {device}"),
        None => format!("Name the device when sending: {}?device=CODE", issued.address),
    };
    let mqtt = issued.mqtt_address.as_ref().map(|address| format!("\n  {address}")).unwrap_or_default();
    format!(
        "{}\n\nThis is the only time the key is shown. One line that holds all:\n  {}{mqtt}\n{next}",
        issued.key, issued.address
    )
}

fn grants(key: &Key) -> String {
    let word = |grant: &Grant| match grant {
        Grant::Send => "send",
        Grant::Read => "read",
        Grant::Command => "command",
    };
    key.grants.iter().map(word).collect::<Vec<_>>().join(" ")
}

fn list(keys: &[Key], zone: &TimeZone) -> String {
    if keys.is_empty() {
        return "No key yet. Issue one with: lantern key issue DEVICE".to_owned();
    }
    let row = |key: &Key| {
        let at = |at: &Option<String>| at.as_deref().map(|at| time::local(at, zone)).unwrap_or_default();
        vec![
            key.id.to_string(),
            format!("…{}", key.hint),
            key.note.clone(),
            grants(key),
            time::local(&key.created_at, zone),
            at(&key.last_used_at),
            key.last_used_from.clone().unwrap_or_default(),
            at(&key.expires_at),
            at(&key.revoked_at),
        ]
    };
    table(
        &["id", "key", "note", "for", "issued", "last used", "from", "ends", "revoked"],
        &[0],
        keys.iter().map(row).collect(),
    )
}
