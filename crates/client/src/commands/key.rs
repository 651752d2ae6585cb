//! `lantern key`.

use super::{Context, zone};
use crate::args::KeyCommand;
use crate::output::table;
use crate::time;
use anyhow::Result;
use jiff::tz::TimeZone;
use lantern_api::{IssuedKey, Key, NewKey};

pub(crate) async fn run(context: &Context, command: KeyCommand) -> Result<()> {
    let server = context.server()?;
    match command {
        KeyCommand::Issue { device, note } => {
            let path = server.device_path(&device, "/keys").await?;
            let issued: IssuedKey = server.post(&path, &NewKey { note }).await?;
            context.output.print(&issued, |issued| {
                format!(
                    "{}\n\nThis is the only time the key is shown. Try it:\n  curl {}/in/{} -d '{{\"test\": 1}}'",
                    issued.key,
                    server.url(),
                    issued.key
                )
            })
        }
        KeyCommand::List { device } => {
            let keys: Vec<Key> = server.list(&server.device_path(&device, "/keys").await?, &[]).await?;
            let zone = zone(&server).await?;
            context.output.print(&keys, |keys| list(keys, &zone))
        }
        KeyCommand::Revoke { device, id } => {
            let key: Key = server.delete(&server.device_path(&device, &format!("/keys/{id}")).await?, &[]).await?;
            context.output.print(&key, |key| format!("key …{} of {device} revoked", key.hint))
        }
    }
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
            time::local(&key.created_at, zone),
            at(&key.last_used_at),
            at(&key.revoked_at),
        ]
    };
    table(&["id", "key", "note", "issued", "last used", "revoked"], &[0], keys.iter().map(row).collect())
}
