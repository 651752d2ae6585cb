//! From a reading sent to it on an open live stream, while much else comes in.

use crate::Entry;
use crate::mqtt::{connect, packet, text};
use crate::service::{Service, client};
use anyhow::{Context, Result, ensure};
use futures::StreamExt;
use serde_json::Value;
use std::collections::HashSet;
use std::time::{Duration, Instant};
use tokio::io::{AsyncReadExt, AsyncWriteExt};
use tokio::task::JoinSet;

/// How long it may take at the 99th percentile, in milliseconds.
const LIMIT_MS: f64 = 150.0;
/// The same of alarms.
const ALARM_LIMIT_MS: f64 = 250.0;
/// Readings that are watched.
const WATCHED: usize = 100;
/// Between two of them: when much comes at once, the stream brings the newest reading of each
/// signal, and each of these is to be that for a while.
const EVERY: Duration = Duration::from_millis(210);
/// Readings a second that come in meanwhile, half of them by HTTP and half by MQTT.
const LOAD: usize = 20_000;
/// Readings of a delivery by HTTP.
const BATCH: usize = 500;
/// Readings of a message by MQTT.
const MESSAGE: usize = 50;
/// Signals that a row of them has.
const ROW: usize = 10;

/// One sender whose readings are watched on the stream, among others.
pub(crate) async fn measure() -> Result<Entry> {
    let dir = tempfile::tempdir()?;
    let service = Service::start(dir.path()).await?;
    let begun = Instant::now();
    let stream = service.get("live?site=bench").await?;
    let watching = tokio::spawn(watch(stream, begun));
    let mut load = much_else(&service, begun);
    let mut tick = tokio::time::interval(EVERY);
    for _ in 0..WATCHED {
        tick.tick().await;
        let body = format!(r#"{{"s24":{}}}"#, begun.elapsed().as_micros());
        service.send(&service.keys[0], body).await?;
    }
    let late = tokio::time::timeout(Duration::from_secs(30), watching).await.context("readings were missed")???;
    load.abort_all();
    Ok(entry("live-latency", late, LIMIT_MS))
}

/// From a reading that is wrong to its alarm on an open live stream, among the same others.
pub(crate) async fn alarms() -> Result<Entry> {
    let dir = tempfile::tempdir()?;
    let service = Service::start(dir.path()).await?;
    service.watch_above("s24", 0.0).await?;
    let begun = Instant::now();
    let stream = service.get("live?site=bench").await?;
    let watching = tokio::spawn(watch_alarms(stream, begun));
    let mut load = much_else(&service, begun);
    let mut tick = tokio::time::interval(EVERY / 2);
    for _ in 0..WATCHED {
        for is_wrong in [true, false] {
            tick.tick().await;
            let value = if is_wrong { begun.elapsed().as_micros().to_string() } else { "-1".to_owned() };
            service.send(&service.keys[0], format!(r#"{{"s24":{value}}}"#)).await?;
        }
    }
    let late = tokio::time::timeout(Duration::from_secs(30), watching).await.context("alarms were missed")???;
    load.abort_all();
    Ok(entry("watches-latency", late, ALARM_LIMIT_MS))
}

fn entry(name: &'static str, mut late: Vec<f64>, limit: f64) -> Entry {
    late.sort_by(f64::total_cmp);
    let figure = late[late.len() * 99 / 100];
    eprintln!("median {:.1} ms, most {:.1} ms", late[late.len() / 2], late[late.len() - 1]);
    Entry { name, figure, unit: "ms (p99)", limit, ratio: limit / figure }
}

/// Others that send much.
fn much_else(service: &Service, begun: Instant) -> JoinSet<Result<()>> {
    let mut load = JoinSet::new();
    for sender in 0..2 {
        load.spawn(by_http(service.url.clone(), service.keys[1 + sender].clone(), begun));
        load.spawn(by_mqtt(service.mqtt, sender + 3, service.keys[sender + 3].clone(), begun));
    }
    load
}

/// How late each alarm is on the stream, in milliseconds: its value is when its reading was sent.
async fn watch_alarms(response: reqwest::Response, begun: Instant) -> Result<Vec<f64>> {
    let mut bytes = response.bytes_stream();
    let (mut buffer, mut late, mut known) = (Vec::new(), Vec::new(), HashSet::new());
    while late.len() < WATCHED {
        buffer.extend_from_slice(&bytes.next().await.context("the stream ended")??);
        let now = begun.elapsed().as_micros() as f64;
        while let Some(end) = buffer.iter().position(|byte| *byte == b'\n') {
            let line: Vec<u8> = buffer.drain(..=end).collect();
            ensure!(!line.starts_with(b"event:reset"), "events were missed");
            let Some(data) = line.strip_prefix(b"data:") else { continue };
            if !data.windows(11).any(|part| part == b"\"raised_at\"") {
                continue;
            }
            let alarm: Value = serde_json::from_slice(data)?;
            let id = alarm["id"].as_i64().context("an alarm without a number")?;
            if known.insert(id) {
                late.push((now - alarm["value"].as_f64().context("no value")?) / 1e3);
            }
        }
    }
    Ok(late)
}

/// How late each watched reading is on the stream, in milliseconds.
async fn watch(response: reqwest::Response, begun: Instant) -> Result<Vec<f64>> {
    let mut bytes = response.bytes_stream();
    let (mut buffer, mut late) = (Vec::new(), Vec::new());
    let mut seen = 0;
    while late.len() < WATCHED {
        buffer.extend_from_slice(&bytes.next().await.context("the stream ended")??);
        let now = begun.elapsed().as_micros() as f64;
        while let Some(end) = buffer[seen..].iter().position(|byte| *byte == b'\n') {
            let line: Vec<u8> = buffer.drain(..seen + end + 1).collect();
            seen = 0;
            ensure!(!line.starts_with(b"event:reset"), "events were missed");
            let Some(data) = line.strip_prefix(b"data:") else { continue };
            if !data.windows(5).any(|part| part == b"\"s24\"") {
                continue;
            }
            let event: Value = serde_json::from_slice(data)?;
            let readings = event["readings"].as_array().into_iter().flatten();
            let watched = readings.filter(|reading| reading["device"] == "d0" && reading["signal"] == "s24");
            late.extend(watched.filter_map(|reading| Some((now - reading["value"].as_f64()?) / 1e3)));
        }
        seen = buffer.len();
    }
    Ok(late)
}

/// Rows of readings whose times no other delivery of that sender has.
fn rows(readings: usize, number: usize) -> String {
    let row = |row: usize| {
        let at = 1_777_593_600.0 + (number * readings + row) as f64 / 100.0;
        let values: Vec<String> = (0..ROW).map(|signal| format!(r#""s{signal}":{}.5"#, (number + row) % 40)).collect();
        format!(r#"{{"at":{at},{}}}"#, values.join(","))
    };
    format!("[{}]", (0..readings / ROW).map(row).collect::<Vec<_>>().join(","))
}

async fn by_http(url: String, key: String, begun: Instant) -> Result<()> {
    let client = client()?;
    let mut tick = tokio::time::interval(Duration::from_secs_f64(4.0 * BATCH as f64 / LOAD as f64));
    for number in begun.elapsed().subsec_micros() as usize.. {
        tick.tick().await;
        let request = client.post(format!("{url}/in")).bearer_auth(&key).header("Content-Type", "application/json");
        request.body(rows(BATCH, number)).send().await?.error_for_status()?;
    }
    Ok(())
}

async fn by_mqtt(address: std::net::SocketAddr, device: usize, key: String, begun: Instant) -> Result<()> {
    let name = format!("d{device}");
    let mut stream = connect(address, &name, &name, &key).await?;
    let topic = text(&format!("bench/{name}/in"));
    let mut tick = tokio::time::interval(Duration::from_secs_f64(4.0 * MESSAGE as f64 / LOAD as f64));
    for number in begun.elapsed().subsec_micros() as usize.. {
        tick.tick().await;
        let id = (number % 65_535 + 1) as u16;
        let body = [&topic[..], &id.to_be_bytes(), rows(MESSAGE, number).as_bytes()].concat();
        stream.write_all(&packet(0x32, &body)).await?;
        let mut ack = [0; 4];
        stream.read_exact(&mut ack).await?;
        ensure!(ack[0] == 0x40, "answered {ack:?}");
    }
    Ok(())
}
