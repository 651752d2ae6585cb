//! `lantern device`.

use super::{Context, now, remove, zone};
use crate::args::{DeviceCommand, DeviceEdit, NewDeviceArgs, expand};
use crate::document;
use crate::output::{facts, table};
use crate::server::{Server, segment};
use crate::{show, time};
use anyhow::{Context as _, Result, bail};
use jiff::tz::TimeZone;
use lantern_api::{
    CommandDeclaration, Connection, Device, DeviceChange, DeviceNow, DeviceState, MadeDevice, NewDevice, NewDevices,
    Page, Position, PresenceChange,
};
use serde::Deserialize;
use std::collections::HashMap;
use std::path::Path;

pub(crate) async fn run(context: &Context, command: DeviceCommand) -> Result<()> {
    let server = context.server()?;
    let devices = format!("sites/{}/devices", segment(&server.site_code().await?));
    let path = |code: &str| format!("{devices}/{}", segment(code));
    let zone = zone(&server).await?;
    let device: Device = match command {
        DeviceCommand::List => {
            let listed: Vec<Device> = server.list(&devices, &[]).await?;
            let now = now::all(&server).await?;
            return context.output.print(&listed, |listed| list(listed, &now, &zone));
        }
        DeviceCommand::Restore { device } => {
            let restored: Device = server.post(&format!("{}/restore", path(&device)), &()).await?;
            return context.output.print(&restored, |device| format!("device {} is back", device.code));
        }
        DeviceCommand::Remove { device, confirm } => {
            return remove(context, &server, &path(&device), "device", &device, &confirm).await;
        }
        DeviceCommand::Add(args) => return add(context, &server, &devices, *args, &zone).await,
        DeviceCommand::Presence { device } => {
            let path = format!("{}/presence", path(&device));
            let page: Page<PresenceChange> = server.get(&path, &[]).await?;
            return context.output.print(&page.items, |changes| {
                let row = |c: &PresenceChange| vec![time::local(&c.at, &zone), show::presence(c.presence).to_owned()];
                table(&["since", "presence"], &[], changes.iter().map(row).collect())
            });
        }
        DeviceCommand::Show { device } => return show_one(context, &server, &path(&device), &zone).await,
        DeviceCommand::Edit(edit) => server.patch(&path(&edit.device), &change(*edit)?).await?,
    };
    context.output.print(&device, |d| one(d, &zone))
}

/// What is to be changed, with the files it names read.
fn change(edit: DeviceEdit) -> Result<DeviceChange> {
    let or_none = |text: String| (!text.is_empty()).then_some(text);
    let decoder = edit.decoder.map(|file| or_none(file).map(|file| document::read(Path::new(&file))).transpose());
    let topics = edit.topics;
    Ok(DeviceChange {
        name: edit.name,
        note: edit.note,
        place: edit.stands,
        interval_s: edit.every,
        position: edit.place.change(),
        decoder: decoder.transpose()?,
        late_after: edit.late_after.map(Some),
        silent_after: edit.silent_after.map(Some),
        carrier: edit.carrier.map(or_none),
        identity: edit.identity.map(or_none),
        topics: (!topics.is_empty()).then(|| topics.into_iter().filter(|topic| !topic.is_empty()).collect()),
        commands: match edit.commands {
            Some(file) if file.is_empty() => Some(Vec::new()),
            Some(file) => Some(declared_commands(Path::new(&file))?),
            None => None,
        },
        keeps_payload: edit.keep_payload,
    })
}

/// Makes all devices that are named or listed, or none of them.
async fn add(context: &Context, server: &Server, path: &str, args: NewDeviceArgs, zone: &TimeZone) -> Result<()> {
    let with_keys = args.keys;
    let mut devices = wanted(args)?;
    if let (1, false) = (devices.len(), with_keys) {
        let device: Device = server.post(path, &devices.remove(0)).await?;
        return context.output.print(&device, |device| one(device, zone));
    }
    let new = NewDevices { devices, keys: with_keys };
    let made: Vec<MadeDevice> = server.post(&format!("{path}/several"), &new).await?;
    context.output.print(&made, |made| {
        let key = |device: &MadeDevice| device.key.as_ref().map(|key| (key.key.clone(), key.address.clone()));
        let row = |device: &MadeDevice| {
            let (key, address) = key(device).unwrap_or_default();
            vec![device.device.code.clone(), device.device.name.clone(), key, address]
        };
        if with_keys {
            let table = table(&["code", "name", "key", "address"], &[], made.iter().map(row).collect());
            return format!("{table}\n\nThe keys are shown only now. Keep this list.");
        }
        let devices: Vec<Device> = made.iter().map(|made| made.device.clone()).collect();
        list(&devices, &[], zone)
    })
}

/// What the arguments ask for, device by device.
fn wanted(args: NewDeviceArgs) -> Result<Vec<NewDevice>> {
    let names: Vec<Vec<String>> = args.names.iter().map(|name| expand(name)).collect::<Result<_>>()?;
    let names = names.concat();
    let one = NewDevice {
        code: args.code,
        name: String::new(),
        note: args.note,
        place: args.stands,
        interval_s: args.every,
        position: args.place.at,
        signals: args.signals,
        kind: args.kind,
        decoder: args.decoder.as_deref().map(document::read).transpose()?,
        late_after: None,
        silent_after: None,
        carrier: args.carrier,
        identity: args.identity,
        topics: args.topics,
        commands: args.commands.as_deref().map(declared_commands).transpose()?.unwrap_or_default(),
        state: if args.live { DeviceState::Live } else { DeviceState::Trial },
    };
    if names.len() > 1 && (one.code.is_some() || one.identity.is_some()) {
        bail!("several devices cannot share one code or identity; leave it out, or use --list");
    }
    match &args.list {
        Some(file) => listed(file, &one),
        None => Ok(names.into_iter().map(|name| NewDevice { name, ..one.clone() }).collect()),
    }
}

/// A file of commands: `[[commands]]` in TOML, `{"commands": [...]}` in JSON.
#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Commands {
    commands: Vec<CommandDeclaration>,
}

fn declared_commands(file: &Path) -> Result<Vec<CommandDeclaration>> {
    Ok(document::read::<Commands>(file)?.commands)
}

/// One line of a list of devices.
#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Listed {
    name: String,
    #[serde(default)]
    code: Option<String>,
    #[serde(default)]
    note: Option<String>,
    #[serde(default)]
    place: Option<String>,
    #[serde(default)]
    latitude: Option<f64>,
    #[serde(default)]
    longitude: Option<f64>,
    #[serde(default)]
    altitude: Option<f64>,
    #[serde(default)]
    identity: Option<String>,
}

fn listed(file: &Path, one: &NewDevice) -> Result<Vec<NewDevice>> {
    let reader = csv::ReaderBuilder::new().trim(csv::Trim::All).from_path(file);
    let mut reader = reader.with_context(|| format!("cannot read {}", file.display()))?;
    let mut devices = Vec::new();
    for line in reader.deserialize() {
        let line: Listed = line.with_context(|| format!("{} is not right", file.display()))?;
        let position = match (line.latitude, line.longitude) {
            (Some(latitude), Some(longitude)) => Some(Position { latitude, longitude, altitude_m: line.altitude }),
            (None, None) => one.position,
            _ => bail!("{}: `{}` has a latitude or a longitude, but not both", file.display(), line.name),
        };
        devices.push(NewDevice {
            name: line.name,
            code: line.code,
            note: line.note.unwrap_or_else(|| one.note.clone()),
            place: line.place.unwrap_or_else(|| one.place.clone()),
            identity: line.identity,
            position,
            ..one.clone()
        });
    }
    Ok(devices)
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

fn list(devices: &[Device], now: &[DeviceNow], zone: &TimeZone) -> String {
    if devices.is_empty() {
        return "No device yet. Make one with: lantern device add NAME --signal CODE:UNIT".to_owned();
    }
    let now: HashMap<&str, &DeviceNow> = now.iter().map(|device| (device.device.as_str(), device)).collect();
    let row = |d: &Device| {
        let standing = now.get(d.code.as_str());
        let standing = standing.map_or_else(|| show::presence(d.presence).to_owned(), |now| now::state(now, zone));
        let kind = d.kind.as_ref().map(|k| format!("{k} r{}", d.revision.unwrap_or(0))).unwrap_or_default();
        vec![d.code.clone(), d.name.clone(), last_heard(d, zone), d.interval_s.to_string(), kind, standing]
    };
    table(&["code", "name", "last heard", "every s", "kind", "state"], &[3], devices.iter().map(row).collect())
}

fn state(state: DeviceState) -> &'static str {
    match state {
        DeviceState::Waiting => "waiting",
        DeviceState::Trial => "trial",
        DeviceState::Live => "live",
    }
}

fn one(device: &Device, zone: &TimeZone) -> String {
    let since = device.since.as_deref().map(|at| format!(" since {}", time::local(at, zone))).unwrap_or_default();
    facts(&[
        ("code", device.code.clone()),
        ("name", device.name.clone()),
        ("note", device.note.clone()),
        ("place", device.place.clone()),
        ("presence", format!("{}{since}", show::presence(device.presence))),
        ("last heard", last_heard(device, zone)),
        ("every", format!("{} s", device.interval_s)),
        ("position", show::position(device.position)),
        ("state", state(device.state).to_owned()),
        (
            "kind",
            device.kind.as_ref().map(|k| format!("{k}, revision {}", device.revision.unwrap_or(0))).unwrap_or_default(),
        ),
        ("carried by", device.carrier.clone().unwrap_or_default()),
        ("calls itself", device.identity.clone().unwrap_or_default()),
        ("connection", device.connection.as_ref().map(|c| connection(c, zone)).unwrap_or_default()),
        ("topics", device.topics.join("  ")),
        ("commands", device.commands.iter().map(|c| c.name.as_str()).collect::<Vec<_>>().join(", ")),
        ("decoder", device.decoder.as_ref().and_then(|d| d["form"].as_str()).unwrap_or_default().to_owned()),
        ("clock", device.clock_offset_s.map(clock).unwrap_or_default()),
    ])
}

/// How a connection is, in a sentence.
fn connection(connection: &Connection, zone: &TimeZone) -> String {
    let since = time::local(&connection.since, zone);
    match &connection.ended {
        _ if connection.is_up => format!("by {} since {since}, from {}", connection.protocol, connection.from),
        Some(ended) => format!("none since {since}: {ended}"),
        None => format!("none since {since}"),
    }
}

/// How a device's clock goes.
fn clock(offset_s: f64) -> String {
    match offset_s {
        s if s.abs() <= 30.0 => "right".to_owned(),
        s if s > 0.0 => format!("{} behind", time::age(s)),
        s => format!("{} ahead", time::age(-s)),
    }
}
