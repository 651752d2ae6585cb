//! `lantern now`.

use super::{Context, zone};
use crate::args::NowArgs;
use crate::output::table;
use crate::server::{Server, segment};
use crate::{show, time};
use anyhow::Result;
use jiff::tz::TimeZone;
use lantern_api::{Attention, Concern, DeviceNow, Presence, SignalNow, attention_sentence};

pub(crate) async fn run(context: &Context, args: NowArgs) -> Result<()> {
    let server = context.server()?;
    let zone = zone(&server).await?;
    let devices = match args.device {
        Some(device) => vec![server.get(&server.device_path(&device, "/now").await?, &[]).await?],
        None => all(&server).await?,
    };
    context.output.print(&devices, |devices| {
        if devices.is_empty() {
            return "No device yet. Make one with: lantern device add NAME --signal CODE:UNIT".to_owned();
        }
        text(devices, &zone)
    })
}

/// All devices of the site in use, what needs attention first.
pub(crate) async fn all(server: &Server) -> Result<Vec<DeviceNow>> {
    let path = format!("sites/{}/now", segment(&server.site_code().await?));
    let mut devices: Vec<DeviceNow> = server.list(&path, &[]).await?;
    devices.sort_by_key(|device| most_urgent(device).map_or(Concern::ALL.len(), |concern| concern as usize));
    Ok(devices)
}

fn most_urgent(device: &DeviceNow) -> Option<Concern> {
    Some(device.attention.first()?.concern)
}

/// A sentence about all devices, and one row for each signal.
pub(crate) fn text(devices: &[DeviceNow], zone: &TimeZone) -> String {
    let urgent: Vec<_> = devices.iter().map(most_urgent).collect();
    let silent = devices.iter().filter(|device| most_urgent(device) == Some(Concern::Silent));
    let silent_since = silent.filter_map(|device| device.since.as_deref()).min().map(|at| time::local(at, zone));
    let mut rows = Vec::new();
    for device in devices {
        let state = state(device, zone);
        if device.signals.is_empty() {
            rows.push(row(device, None, state));
            continue;
        }
        // What holds for the device stands beside its first signal.
        let states = std::iter::once(state).chain(std::iter::repeat(String::new()));
        rows.extend(device.signals.iter().zip(states).map(|(signal, state)| row(device, Some(signal), state)));
    }
    let table = table(&["signal", "value", "unit", "change", "age", "device"], &[1, 4], rows);
    // Of one device its own line says all.
    if devices.len() == 1 {
        return table;
    }
    format!("{}\n\n{table}", attention_sentence(&urgent, silent_since.as_deref()))
}

/// How a device is doing, with all that needs attention.
pub(crate) fn state(device: &DeviceNow, zone: &TimeZone) -> String {
    let since = device.since.as_deref().map(|at| time::local(at, zone));
    let reason = |attention: &Attention| match (attention.concern, &since) {
        (Concern::Silent | Concern::Late, Some(since)) => format!("{} since {since}", attention.text),
        _ => attention.text.clone(),
    };
    let mut parts: Vec<String> = device.attention.iter().map(reason).collect();
    if device.presence == Presence::Fresh {
        parts.insert(0, "fresh".to_owned());
    }
    parts.extend(
        device.connection.as_ref().map(|line| if line.is_up { "connected" } else { "not connected" }.to_owned()),
    );
    parts.extend(device.carries.map(|carries| format!("carries {}, {} fresh", carries.devices, carries.fresh)));
    parts.join("; ")
}

fn row(device: &DeviceNow, signal: Option<&SignalNow>, state: String) -> Vec<String> {
    let Some(signal) = signal else {
        return vec![device.device.clone(), "—".to_owned(), String::new(), String::new(), String::new(), state];
    };
    vec![
        format!("{}/{}", device.device, signal.signal),
        signal.last.as_ref().map_or_else(|| "—".to_owned(), |last| show::value(&last.value, signal.decimals)),
        signal.symbol.clone(),
        show::trend(signal.trend, &signal.symbol),
        signal.age_s.map(time::age).unwrap_or_default(),
        state,
    ]
}
