//! `lantern arrivals`, `lantern claim`, `lantern ignore`.

use super::Context;
use crate::args::{ClaimArgs, IgnoreArgs};
use crate::output::table;
use crate::server::{Server, segment};
use crate::{show, time};
use anyhow::{Context as _, Result, bail};
use jiff::tz::TimeZone;
use lantern_api::{Arrival, Claim, ClaimInto, Claimed, Device, DeviceClaim, NewSignal, WaitingDevice};
use serde::Serialize;

/// All that waits.
#[derive(Serialize)]
struct Waiting {
    devices: Vec<WaitingDevice>,
    names: Vec<Arrival>,
}

pub(crate) async fn list(context: &Context, ignored: bool) -> Result<()> {
    let server = context.server()?;
    let site = server.site().await?;
    let zone = TimeZone::get(&site.zone)?;
    let waiting = waiting(&server, &site.code, ignored).await?;
    context.output.print(&waiting, |waiting| text(waiting, ignored, &zone))
}

async fn waiting(server: &Server, site: &str, ignored: bool) -> Result<Waiting> {
    let path = format!("sites/{}", segment(site));
    let mut names: Vec<Arrival> = server.list(&format!("{path}/arrivals"), &[("ignored", ignored.to_string())]).await?;
    let devices: Vec<WaitingDevice> =
        if ignored { Vec::new() } else { server.list(&format!("{path}/waiting"), &[]).await? };
    // Names of waiting devices are with their devices.
    names.retain(|arrival| devices.iter().all(|device| device.code != arrival.device));
    Ok(Waiting { devices, names })
}

fn text(waiting: &Waiting, ignored: bool, zone: &TimeZone) -> String {
    let mut parts = Vec::new();
    if !waiting.devices.is_empty() {
        let row = |device: &WaitingDevice| {
            let names: Vec<&str> = device.names.iter().map(|name| name.name.as_str()).collect();
            vec![
                device.code.clone(),
                device.identity.clone().unwrap_or_default(),
                device.carrier.clone().unwrap_or_default(),
                device.last_heard_at.as_deref().map(|at| time::local(at, zone)).unwrap_or_default(),
                names.join(", "),
            ]
        };
        let headings = ["device", "calls itself", "carried by", "last heard", "sends"];
        parts.push(table(&headings, &[], waiting.devices.iter().map(row).collect()));
    }
    if !waiting.names.is_empty() {
        let headings = ["arrival", "looks like", "last value", "at", "readings"];
        let rows = waiting.names.iter().map(|arrival| row(arrival, zone)).collect();
        parts.push(table(&headings, &[2, 4], rows));
    }
    match (parts.is_empty(), ignored) {
        (true, true) => "Nothing is ignored.".to_owned(),
        (true, false) => "No arrivals: everything that came in was declared.".to_owned(),
        (false, _) => parts.join("\n\n"),
    }
}

fn row(arrival: &Arrival, zone: &TimeZone) -> Vec<String> {
    let (at, value) = match arrival.last.first() {
        Some(last) => (time::local(&last.at, zone), show::plain(&last.value)),
        None => (String::new(), String::new()),
    };
    let unit = arrival.unit.as_ref().map(|unit| format!(", maybe {unit}")).unwrap_or_default();
    vec![
        format!("{}/{}", arrival.device, arrival.name),
        format!("{}{unit}", arrival.value_type.as_str()),
        value,
        at,
        arrival.readings.to_string(),
    ]
}

pub(crate) async fn claim(context: &Context, args: ClaimArgs) -> Result<()> {
    let server = context.server()?;
    let site = server.site_code().await?;
    let Some((device, name)) = args.what.split_once('/') else {
        let path = format!("sites/{}/waiting/{}/claim", segment(&site), segment(&args.what));
        let claim = DeviceClaim { code: args.code, name: args.name, kind: args.kind };
        let device: Device = server.post(&path, &claim).await?;
        return context.output.print(&device, |device| {
            format!("device {} is in trial; see `lantern commission {}`", device.code, device.code)
        });
    };
    if args.kind.is_some() {
        bail!("only a waiting device can be of a kind");
    }
    let claim = match args.into {
        Some(into) => Claim::Into(ClaimInto { into }),
        None => {
            let waiting = waiting(&server, &site, false).await?;
            let looks = waiting
                .names
                .iter()
                .find(|arrival| arrival.device == device && arrival.name == name)
                .with_context(|| format!("`{}` does not wait; see `lantern arrivals`", args.what))?;
            let value_type = args.value_type.map_or(looks.value_type, Into::into);
            Claim::New(NewSignal {
                code: args.code.unwrap_or_else(|| name.to_owned()),
                name: args.name,
                value_type,
                unit: args.unit,
                ..NewSignal::default()
            })
        }
    };
    let path = server.device_path(device, &format!("/arrivals/{}/claim", segment(name))).await?;
    let claimed: Claimed = server.post(&path, &claim).await?;
    context.output.print(&claimed, |claimed| {
        let left = if claimed.left == 0 {
            String::new()
        } else {
            format!("; {} could not be of its type and stay with the ignored arrival", claimed.left)
        };
        format!("{} is {device}/{} now, with {} readings{left}", args.what, claimed.signal, claimed.moved)
    })
}

pub(crate) async fn ignore(context: &Context, args: IgnoreArgs) -> Result<()> {
    let server = context.server()?;
    let rest = format!("/arrivals/{}/ignored", segment(&args.arrival.signal));
    let path = server.device_path(&args.arrival.device, &rest).await?;
    let arrival: Arrival = if args.undo { server.delete(&path, &[]).await? } else { server.put(&path, &()).await? };
    context.output.print(&arrival, |_| match args.undo {
        true => format!("{} waits again", args.arrival),
        false => format!("{} is ignored from now on; what came before is kept", args.arrival),
    })
}
