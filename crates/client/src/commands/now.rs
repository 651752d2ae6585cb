//! `lantern now`.

use super::Context;
use crate::args::NowArgs;
use crate::output::table;
use crate::server::{Server, segment};
use crate::{show, time};
use anyhow::Result;
use lantern_api::{DeviceNow, SignalNow};

pub(crate) async fn run(context: &Context, args: NowArgs) -> Result<()> {
    let server = context.server()?;
    let devices = match args.device {
        Some(device) => vec![server.get(&server.device_path(&device, "/now").await?, &[]).await?],
        None => all(&server).await?,
    };
    context.output.print(&devices, |devices| {
        if devices.is_empty() {
            return "No device yet. Make one with: lantern device add NAME --signal CODE:UNIT".to_owned();
        }
        text(devices)
    })
}

/// All devices of the site in use.
pub(crate) async fn all(server: &Server) -> Result<Vec<DeviceNow>> {
    server.list(&format!("sites/{}/now", segment(&server.site_code().await?)), &[]).await
}

/// One row for each signal.
pub(crate) fn text(devices: &[DeviceNow]) -> String {
    let mut rows = Vec::new();
    for device in devices {
        if device.signals.is_empty() {
            rows.push(row(device, None));
        }
        rows.extend(device.signals.iter().map(|signal| row(device, Some(signal))));
    }
    table(&["signal", "value", "unit", "change", "age", "presence"], &[1, 4], rows)
}

fn row(device: &DeviceNow, signal: Option<&SignalNow>) -> Vec<String> {
    let presence = show::presence(device.presence).to_owned();
    let Some(signal) = signal else {
        return vec![device.device.clone(), "—".to_owned(), String::new(), String::new(), String::new(), presence];
    };
    vec![
        format!("{}/{}", device.device, signal.signal),
        signal.last.as_ref().map_or_else(|| "—".to_owned(), |last| show::value(&last.value, signal.decimals)),
        signal.symbol.clone(),
        show::trend(signal.trend, &signal.symbol),
        signal.age_s.map(time::age).unwrap_or_default(),
        presence,
    ]
}
