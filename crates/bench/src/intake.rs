//! The way in.

use crate::service::{Service, client};
use crate::work::{DELIVERIES, DEVICES, READINGS, SIGNALS, TIMES, at_s, body, code, value};
use crate::{Entry, median, plain_rows};
use anyhow::{Result, ensure};
use jiff::tz::TimeZone;
use lantern_core::decode::Times;
use lantern_core::intake::{Plan, PlannedSignal, understand};
use lantern_core::{Moment, Reading, SignalId, Value, ValueType, decode};
use lantern_store::{NewDevice, NewSignal, NewSite, Store};
use std::sync::Arc;
use std::time::Instant;

/// The ratio is the median of those of each round, whose two halves saw the same of what
/// else the machine did.
fn entry(name: &'static str, figures: Vec<f64>, limits: Vec<f64>) -> Entry {
    let ratio = median(figures.iter().zip(&limits).map(|(figure, limit)| figure / limit).collect());
    Entry { name, figure: median(figures), unit: "readings/s", limit: median(limits), ratio }
}

/// A million readings over 200 signals in JSON requests of a thousand over 8
/// connections, each answered when it is durable. Limit: the same rows inserted
/// by plain SQL, 8,000 a transaction.
pub(crate) async fn batch_1000(rounds: u8) -> Result<Entry> {
    let bodies: Arc<Vec<Vec<String>>> =
        Arc::new((0..DEVICES).map(|device| (0..DELIVERIES).map(|delivery| body(device, delivery)).collect()).collect());
    let (mut figures, mut limits) = (Vec::new(), Vec::new());
    for _ in 0..rounds {
        let dir = tempfile::tempdir()?;
        let service = Service::start(dir.path()).await?;
        let started = Instant::now();
        deliver(&service, &bodies).await?;
        figures.push(READINGS as f64 / started.elapsed().as_secs_f64());
        drop(service);
        limits.push(plain_rows::insert(tempfile::tempdir()?.path()).await?);
    }
    Ok(entry("intake-batch-1000", figures, limits))
}

/// How many times as many requests conversions are measured with.
const MORE: usize = 3;

/// Such requests, each value of them with a meaning. Limit: without. There are three
/// times as many as usual, so that both also seal what came.
pub(crate) async fn with_meaning(name: &'static str, meaning: &serde_json::Value, rounds: u8) -> Result<Entry> {
    let bodies: Arc<Vec<Vec<String>>> =
        Arc::new((0..DEVICES).map(|device| (0..MORE * DELIVERIES).map(|d| body(device, d)).collect()).collect());
    let (mut figures, mut limits) = (Vec::new(), Vec::new());
    for _ in 0..rounds {
        for is_meant in [false, true] {
            let dir = tempfile::tempdir()?;
            let service = Service::start(dir.path()).await?;
            if is_meant {
                for (device, signal) in (0..DEVICES).flat_map(|device| (0..SIGNALS).map(move |s| (device, s))) {
                    service.give_meaning(device, &code(signal), meaning).await?;
                }
            }
            let started = Instant::now();
            deliver(&service, &bodies).await?;
            let figure = (MORE * READINGS) as f64 / started.elapsed().as_secs_f64();
            if is_meant { figures.push(figure) } else { limits.push(figure) }
        }
    }
    Ok(entry(name, figures, limits))
}

/// Devices whose signals are watched: a thousand signals in all.
const WATCHED: usize = 1_000 / SIGNALS;
/// Watches on each signal: ten thousand in all.
const WATCHES: usize = 10;

/// The same requests with ten thousand watches over a thousand signals. Limit: without.
pub(crate) async fn watched(rounds: u8) -> Result<Entry> {
    let bodies: Arc<Vec<Vec<String>>> =
        Arc::new((0..DEVICES).map(|device| (0..MORE * DELIVERIES).map(|d| body(device, d)).collect()).collect());
    let (mut figures, mut limits) = (Vec::new(), Vec::new());
    for _ in 0..rounds {
        for is_watched in [false, true] {
            let dir = tempfile::tempdir()?;
            let service = Service::start_with(dir.path(), WATCHED, SIGNALS).await?;
            if is_watched {
                for (signal, number) in (0..SIGNALS).flat_map(|signal| (0..WATCHES).map(move |number| (signal, number)))
                {
                    service.add_watch(&code(signal), number).await?;
                }
            }
            let started = Instant::now();
            deliver(&service, &bodies).await?;
            let figure = (MORE * READINGS) as f64 / started.elapsed().as_secs_f64();
            if is_watched { figures.push(figure) } else { limits.push(figure) }
        }
    }
    Ok(entry("watches-intake", figures, limits))
}

/// Three steps.
pub(crate) fn converted() -> serde_json::Value {
    serde_json::json!({"conversion": {"steps": [
        {"step": "counts", "bits": 12, "reference_v": 5.0},
        {"step": "two-point", "points": [[0.5, 0.0], [4.5, 20.0]]},
        {"step": "scale", "factor": 1.02, "offset": -0.1},
    ]}})
}

/// The same, and a screen that remembers what came before.
pub(crate) fn screened() -> serde_json::Value {
    let mut meaning = converted();
    meaning["screen"] = serde_json::json!({"possible": {"low": -1e6, "high": 1e6}, "fastest_per_s": 1e6});
    meaning
}

/// Sends all bodies, each device over a connection of its own.
async fn deliver(service: &Service, bodies: &Arc<Vec<Vec<String>>>) -> Result<()> {
    let connections: Vec<_> = (0..DEVICES)
        .map(|device| tokio::spawn(send(service.url.clone(), service.keys[device].clone(), bodies.clone(), device)))
        .collect();
    for connection in connections {
        connection.await??;
    }
    Ok(())
}

async fn send(url: String, key: String, bodies: Arc<Vec<Vec<String>>>, device: usize) -> Result<()> {
    let client = client()?;
    for body in &bodies[device] {
        let answer = client.post(format!("{url}/in")).bearer_auth(&key).body(body.clone()).send().await?;
        let text = answer.text().await?;
        ensure!(text == format!("ok {}\n", SIGNALS * TIMES), "the service answered {text}");
    }
    Ok(())
}

/// Decoding and matching alone, on one thread. Limit: a general JSON library
/// reading the same bodies into its own tree.
pub(crate) async fn decode(rounds: u8) -> Result<Entry> {
    let bodies: Vec<String> = (0..DELIVERIES).map(|delivery| body(0, delivery)).collect();
    let mut plan = Plan::default();
    for signal in 0..SIGNALS {
        let id = SignalId(signal as i64);
        plan.insert(code(signal), PlannedSignal::declared(id, ValueType::Number));
    }
    let now = Moment::from_epoch(at_s(DELIVERIES, 0) as f64)?;
    let times = Times::new(now, TimeZone::UTC);
    let (mut figures, mut limits) = (Vec::new(), Vec::new());
    for _ in 0..rounds {
        let started = Instant::now();
        let mut count = 0;
        for body in &bodies {
            let decoded = decode::json(body.as_bytes(), &times).map_err(|r| anyhow::anyhow!(r.detail))?;
            count += understand(&plan, decoded, now).readings.len();
        }
        figures.push(count as f64 / started.elapsed().as_secs_f64());
        let started = Instant::now();
        let mut values = 0;
        for body in &bodies {
            let tree: serde_json::Value = serde_json::from_str(body)?;
            values += tree.as_array().map_or(0, Vec::len) * SIGNALS;
        }
        limits.push(values as f64 / started.elapsed().as_secs_f64());
        ensure!(count == values, "{count} readings decoded of {values}");
    }
    Ok(entry("intake-decode", figures, limits))
}

/// Recording alone: 8 tasks hand readings to the store a thousand at a time.
/// Limit: the same rows inserted by plain SQL, 8,000 a transaction.
pub(crate) async fn record(rounds: u8) -> Result<Entry> {
    let (mut figures, mut limits) = (Vec::new(), Vec::new());
    for _ in 0..rounds {
        let dir = tempfile::tempdir()?;
        let store = Arc::new(Store::open(dir.path()).await?);
        let signals = make_signals(&store).await?;
        let deliveries: Vec<Vec<Arc<Vec<Reading>>>> =
            (0..DEVICES).map(|device| (0..DELIVERIES).map(|d| delivery(&signals, device, d)).collect()).collect();
        let started = Instant::now();
        let tasks: Vec<_> = deliveries
            .into_iter()
            .map(|deliveries| {
                let store = store.clone();
                tokio::spawn(async move {
                    for readings in deliveries {
                        store.record(readings.clone(), readings[0].at).await?;
                    }
                    anyhow::Ok(())
                })
            })
            .collect();
        for task in tasks {
            task.await??;
        }
        figures.push(READINGS as f64 / started.elapsed().as_secs_f64());
        store.close().await;
        limits.push(plain_rows::insert(tempfile::tempdir()?.path()).await?);
    }
    Ok(entry("intake-record", figures, limits))
}

async fn make_signals(store: &Store) -> Result<Vec<SignalId>> {
    let now = Moment::from_epoch(0.0)?;
    let site = store.add_site(NewSite { code: "bench", name: "bench", zone: "UTC", position: None }, now).await?;
    let mut signals = Vec::new();
    for device in 0..DEVICES {
        let name = format!("d{device}");
        let new = NewDevice { code: &name, name: &name, interval_s: 10.0, ..NewDevice::default() };
        let device = store.add_device(site.id, new, now).await?;
        for signal in 0..SIGNALS {
            let code = code(signal);
            signals.push(store.add_signal(device.id, NewSignal::number(&code, None), now).await?.id);
        }
    }
    Ok(signals)
}

fn delivery(signals: &[SignalId], device: usize, delivery: usize) -> Arc<Vec<Reading>> {
    let mut readings = Vec::with_capacity(TIMES * SIGNALS);
    for time in 0..TIMES {
        let at_s = at_s(delivery, time);
        let Some(at) = Moment::from_micros(at_s * 1_000_000) else { continue };
        for signal in 0..SIGNALS {
            let id = signals[device * SIGNALS + signal];
            readings.push(Reading::good(id, at, Value::Number(value(device, signal, at_s))));
        }
    }
    Arc::new(readings)
}
