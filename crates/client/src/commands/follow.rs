//! `lantern follow`: values as they come in.

use super::chosen::{Chosen, line};
use super::{Context, follow_mqtt, zone};
use crate::args::FollowArgs;
use crate::commands::now;
use crate::live::Live;
use crate::output::{Form, emit};
use crate::screen::{Screen, wants_end};
use crate::server::Server;
use anyhow::{Result, bail};
use jiff::tz::TimeZone;
use lantern_api::{DeviceNow, ReadingsEvent};
use std::collections::HashMap;
use std::sync::Arc;
use std::time::Duration;

pub(crate) async fn run(context: &Context, args: FollowArgs) -> Result<()> {
    let chosen = Chosen(args.what);
    if let Some(address) = &args.mqtt {
        let key = args.key.as_deref().unwrap_or_default();
        return follow_mqtt::run(context, address, key, &chosen).await;
    }
    let server = Arc::new(context.server()?);
    let zone = zone(&server).await?;
    let devices = chosen.of(now::all(&server).await?);
    if devices.is_empty() {
        bail!("nothing to follow: no device or signal of that name; see `lantern now`");
    }
    if context.output.terminal && context.output.form == Form::Table {
        in_place(server, &chosen, devices, &zone).await
    } else {
        line_by_line(server, &chosen, (&devices, &zone), context.output.form).await
    }
}

async fn line_by_line(
    server: Arc<Server>,
    chosen: &Chosen,
    (devices, zone): (&[DeviceNow], &TimeZone),
    form: Form,
) -> Result<()> {
    let symbols: HashMap<(String, String), String> = devices
        .iter()
        .flat_map(|d| d.signals.iter().map(|s| ((d.device.clone(), s.signal.clone()), s.symbol.clone())))
        .collect();
    let mut live = Live::open(server).await?;
    while let Some((name, data)) = live.recv().await {
        if name != "readings" {
            continue;
        }
        let event: ReadingsEvent = serde_json::from_str(&data)?;
        for reading in event.readings.iter().filter(|r| chosen.has(&r.device, &r.signal)) {
            let symbol = symbols.get(&(reading.device.clone(), reading.signal.clone())).map_or("", String::as_str);
            emit(&match form {
                Form::Json => serde_json::to_string(reading)?,
                Form::Table => line(reading, symbol, zone),
            })?;
        }
    }
    Ok(())
}

async fn in_place(server: Arc<Server>, chosen: &Chosen, mut devices: Vec<DeviceNow>, zone: &TimeZone) -> Result<()> {
    let mut live = Live::open(server.clone()).await?;
    let mut screen = Screen::new()?;
    let mut second = tokio::time::interval(Duration::from_secs(1));
    let mut keys = tokio::time::interval(Duration::from_millis(50));
    let mut asked_at = tokio::time::Instant::now();
    screen.draw(&page(&devices, 0.0, zone))?;
    loop {
        tokio::select! {
            _ = live.recv() => {
                // Value, change and age come from one place, so they agree.
                if let Ok(all) = now::all(&server).await {
                    devices = chosen.of(all);
                    asked_at = tokio::time::Instant::now();
                }
                screen.draw(&page(&devices, 0.0, zone))?;
            }
            _ = second.tick() => screen.draw(&page(&devices, asked_at.elapsed().as_secs_f64(), zone))?,
            _ = keys.tick() => if wants_end()? { return Ok(()) },
        }
    }
}

fn page(devices: &[DeviceNow], seconds_ago: f64, zone: &TimeZone) -> String {
    let mut aged = devices.to_vec();
    for signal in aged.iter_mut().flat_map(|d| &mut d.signals) {
        signal.age_s = signal.age_s.map(|age| age + seconds_ago);
    }
    format!("{}\n\nq ends", now::text(&aged, zone))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn devices_and_signals_can_be_chosen() {
        let chosen = Chosen(vec!["tower".into(), "larder/temp".into()]);
        assert!(chosen.has("tower", "level") && chosen.has("larder", "temp"));
        assert!(!chosen.has("larder", "door") && !chosen.has("mast", "wind"));
        assert!(Chosen(vec![]).has("anything", "at-all"));
    }
}
