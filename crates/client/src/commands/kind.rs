//! `lantern kind`.

use super::{Context, apply, zone};
use crate::args::KindCommand;
use crate::output::table;
use crate::server::segment;
use crate::{document, time};
use anyhow::{Context as _, Result, bail};
use jiff::tz::TimeZone;
use lantern_api::{Follower, Kind, KindDescription, Move, Removal, Revision};

pub(crate) async fn run(context: &Context, command: KindCommand) -> Result<()> {
    let server = context.server()?;
    let kinds = format!("sites/{}/kinds", segment(&server.site_code().await?));
    let path = |code: &str| format!("{kinds}/{}", segment(code));
    match command {
        KindCommand::Add { file } => {
            let kind: Kind = server.post(&kinds, &document::read::<KindDescription>(&file)?).await?;
            context.output.print(&kind, said)
        }
        KindCommand::Revise { kind, file } => {
            let kind: Kind = server.put(&path(&kind), &document::read::<KindDescription>(&file)?).await?;
            context.output.print(&kind, said)
        }
        KindCommand::List => {
            let found: Vec<Kind> = server.list(&kinds, &[]).await?;
            let zone = zone(&server).await?;
            context.output.print(&found, |kinds| list(kinds, &zone))
        }
        KindCommand::Show { kind, revision: None } => {
            let kind: Kind = server.get(&path(&kind), &[]).await?;
            let text = document::to_toml(&kind.newest.description)?;
            context.output.print(&kind, |_| text)
        }
        KindCommand::Show { kind, revision: Some(number) } => {
            let revisions: Vec<Revision> = server.list(&format!("{}/revisions", path(&kind)), &[]).await?;
            let revision = revisions.iter().find(|r| r.revision == number);
            let revision = revision.with_context(|| format!("{kind} has no revision {number}"))?;
            let text = document::to_toml(&revision.description)?;
            context.output.print(revision, |_| text)
        }
        KindCommand::Revisions { kind } => {
            let revisions: Vec<Revision> = server.list(&format!("{}/revisions", path(&kind)), &[]).await?;
            let zone = zone(&server).await?;
            context.output.print(&revisions, |revisions| made(revisions, &zone))
        }
        KindCommand::Devices { kind } => {
            let devices: Vec<Follower> = server.list(&format!("{}/devices", path(&kind)), &[]).await?;
            context.output.print(&devices, |devices| followers(devices, &kind))
        }
        KindCommand::Move { kind, devices, revision, dry_run, yes } => {
            let path = format!("{}/move", path(&kind));
            let devices = (!devices.is_empty()).then_some(devices);
            let (server, path, devices) = (&server, &path, &devices);
            let post =
                |dry_run| async move { server.post(path, &Move { devices: devices.clone(), revision, dry_run }).await };
            apply(context, dry_run, yes, post).await
        }
        KindCommand::Remove { kind, confirm } => {
            if confirm.confirm.is_some_and(|code| code != kind) {
                bail!("--confirm is not its code; nothing was removed");
            }
            let removal: Removal = server.delete(&path(&kind), &[]).await?;
            context.output.print(&removal, |_| format!("kind {kind} removed; its devices stay"))
        }
    }
}

fn made(revisions: &[Revision], zone: &TimeZone) -> String {
    let row = |r: &Revision| vec![r.revision.to_string(), time::local(&r.made_at, zone), r.made_by.clone()];
    table(&["revision", "made", "by"], &[0], revisions.iter().map(row).collect())
}

fn followers(devices: &[Follower], kind: &str) -> String {
    if devices.is_empty() {
        return format!("No device yet. Make one with: lantern device add NAME --kind {kind}");
    }
    let row = |f: &Follower| vec![f.device.clone(), f.name.clone(), f.revision.to_string()];
    table(&["device", "name", "revision"], &[2], devices.iter().map(row).collect())
}

fn said(kind: &Kind) -> String {
    let behind = if kind.devices == 0 { String::new() } else { format!("; {} devices follow it", kind.devices) };
    format!("kind {} is at revision {}{behind}", kind.code, kind.newest.revision)
}

fn list(kinds: &[Kind], zone: &TimeZone) -> String {
    if kinds.is_empty() {
        return "No kind yet. Make one with: lantern kind add FILE".to_owned();
    }
    let row = |kind: &Kind| {
        vec![
            kind.code.clone(),
            kind.newest.description.name.clone(),
            kind.newest.revision.to_string(),
            time::local(&kind.newest.made_at, zone),
            kind.newest.made_by.clone(),
            kind.devices.to_string(),
        ]
    };
    table(&["code", "name", "revision", "made", "by", "devices"], &[2, 5], kinds.iter().map(row).collect())
}
