//! `lantern device`.

use super::{Context, remove, zone};
use crate::args::DeviceCommand;
use crate::output::{facts, table};
use crate::server::{Server, segment};
use crate::{show, time};
use anyhow::Result;
use jiff::tz::TimeZone;
use lantern_api::{Device, DeviceChange, NewDevice};

pub(crate) async fn run(context: &Context, command: DeviceCommand) -> Result<()> {
    let server = context.server()?;
    let devices = format!("sites/{}/devices", segment(&server.site_code().await?));
    let path = |code: &str| format!("{devices}/{}", segment(code));
    let zone = zone(&server).await?;
    let device: Device = match command {
        DeviceCommand::List => {
            let list_of: Vec<Device> = server.list(&devices, &[]).await?;
            return context.output.print(&list_of, |d| list(d, &zone));
        }
        DeviceCommand::Remove { device, confirm } => {
            return remove(context, &server, &path(&device), "device", &device, &confirm).await;
        }
        DeviceCommand::Add { name, code, every, note, signals, place } => {
            let new = NewDevice { code, name, note, interval_s: every, position: place.at, signals };
            server.post(&devices, &new).await?
        }
        DeviceCommand::Show { device } => return show_one(context, &server, &path(&device), &zone).await,
        DeviceCommand::Edit { device, name, every, note, place } => {
            let change = DeviceChange { name, note, interval_s: every, position: place.change() };
            server.patch(&path(&device), &change).await?
        }
    };
    context.output.print(&device, |d| one(d, &zone))
}

async fn show_one(context: &Context, server: &Server, path: &str, zone: &TimeZone) -> Result<()> {
    let device: Device = server.get(path, &[]).await?;
    let signals: Vec<lantern_api::Signal> = server.list(&format!("{path}/signals"), &[]).await?;
    let mut whole = serde_json::to_value(&device)?;
    whole["signals"] = serde_json::to_value(&signals)?;
    context.output.print(&whole, |_| format!("{}\n\n{}", one(&device, zone), super::signal::list(&signals)))
}

fn last_heard(device: &Device, zone: &TimeZone) -> String {
    device.last_heard_at.as_deref().map(|at| time::local(at, zone)).unwrap_or_default()
}

fn list(devices: &[Device], zone: &TimeZone) -> String {
    if devices.is_empty() {
        return "No device yet. Make one with: lantern device add NAME --signal CODE:UNIT".to_owned();
    }
    let row = |d: &Device| {
        let presence = show::presence(d.presence).to_owned();
        vec![d.code.clone(), d.name.clone(), presence, last_heard(d, zone), d.interval_s.to_string()]
    };
    table(&["code", "name", "presence", "last heard", "every s"], &[4], devices.iter().map(row).collect())
}

fn one(device: &Device, zone: &TimeZone) -> String {
    let since = device.since.as_deref().map(|at| format!(" since {}", time::local(at, zone))).unwrap_or_default();
    facts(&[
        ("code", device.code.clone()),
        ("name", device.name.clone()),
        ("note", device.note.clone()),
        ("presence", format!("{}{since}", show::presence(device.presence))),
        ("last heard", last_heard(device, zone)),
        ("every", format!("{} s", device.interval_s)),
        ("position", show::position(device.position)),
    ])
}
