//! The way in, dialect by dialect, against decoding alone.

use crate::service::{Service, client};
use crate::work::{DELIVERIES, DEVICES, SIGNALS, TIMES, at_s, code, value};
use crate::{Entry, median};
use anyhow::{Result, ensure};
use jiff::tz::TimeZone;
use lantern_core::decode::{self, Times};
use lantern_core::intake::{Plan, PlannedSignal, understand};
use lantern_core::{Moment, Refusal, SignalId, Value, ValueType, decode::Decoded, senml};
use std::fmt::Write;
use std::sync::Arc;
use std::time::Instant;

/// Samples of one waveform.
const SAMPLES: usize = 5_000;
/// Waveforms of one device, so that each has as many readings as of the others.
const WAVES: usize = DELIVERIES * SIGNALS * TIMES / SAMPLES;

/// A way of writing a million readings.
struct Dialect {
    name: &'static str,
    content_type: &'static str,
    deliveries: usize,
    body: fn(usize, usize) -> Vec<u8>,
    decode: for<'a> fn(&'a [u8], &Times) -> Result<Decoded<'a>, Refusal>,
}

fn senml_cbor(device: usize, delivery: usize) -> Vec<u8> {
    let mut body = vec![0x9f];
    for time in 0..TIMES {
        let at_s = at_s(delivery, time);
        let Some(at) = Moment::from_micros(at_s * 1_000_000) else { continue };
        for signal in 0..SIGNALS {
            body.extend(senml::to_cbor(&code(signal), None, at, &Value::Number(value(device, signal, at_s))));
        }
    }
    body.push(0xff);
    body
}

fn csv(device: usize, delivery: usize) -> Vec<u8> {
    let mut body = String::from("at");
    (0..SIGNALS).for_each(|signal| body.push_str(&format!(",{}", code(signal))));
    for time in 0..TIMES {
        let at = at_s(delivery, time);
        let _ = write!(body, "\n{at}");
        (0..SIGNALS).for_each(|signal| body.push_str(&format!(",{}", value(device, signal, at))));
    }
    body.into_bytes()
}

fn waveform(device: usize, delivery: usize) -> Vec<u8> {
    let at = at_s(0, 0) + 20 * delivery as i64;
    let samples: Vec<String> = (0..SAMPLES).map(|i| value(device, 0, at + i as i64).to_string()).collect();
    format!("{{\"at\":{at},\"every\":0.004,\"s0\":[{}]}}", samples.join(",")).into_bytes()
}

const DIALECTS: [Dialect; 3] = [
    Dialect {
        name: "intake-senml-cbor",
        content_type: "application/senml+cbor",
        deliveries: DELIVERIES,
        body: senml_cbor,
        decode: |body, times| senml::decode(senml::from_cbor(body)?, times.now),
    },
    Dialect {
        name: "intake-csv",
        content_type: "text/csv",
        deliveries: DELIVERIES,
        body: csv,
        decode: |body, times| decode::csv(body, times),
    },
    Dialect {
        name: "intake-waveform",
        content_type: "application/json",
        deliveries: WAVES,
        body: waveform,
        decode: |body, times| decode::json(body, times),
    },
];

/// A million readings in one dialect over 8 connections, each answered when it is
/// durable. Limit: the same bodies decoded and matched alone, on one thread.
pub(crate) async fn measure(name: &str, rounds: u8) -> Result<Entry> {
    let [senml, csv, waveform] = DIALECTS;
    let dialect = [senml, csv, waveform].into_iter().find(|dialect| dialect.name == name);
    let Some(dialect) = dialect else { anyhow::bail!("there is no dialect {name}") };
    let bodies: Arc<Vec<Vec<Vec<u8>>>> = Arc::new(
        (0..DEVICES).map(|device| (0..dialect.deliveries).map(|d| (dialect.body)(device, d)).collect()).collect(),
    );
    let (mut figures, mut limits) = (Vec::new(), Vec::new());
    for _ in 0..rounds {
        figures.push(through_the_service(&dialect, &bodies).await?);
        limits.push(decoding_alone(&dialect, &bodies[0])?);
    }
    let (figure, limit) = (median(figures), median(limits));
    Ok(Entry { name: dialect.name, figure, unit: "readings/s", limit, ratio: figure / limit })
}

async fn through_the_service(dialect: &Dialect, bodies: &Arc<Vec<Vec<Vec<u8>>>>) -> Result<f64> {
    let dir = tempfile::tempdir()?;
    let service = Service::start(dir.path()).await?;
    let started = Instant::now();
    let connections: Vec<_> = (0..DEVICES)
        .map(|device| {
            let (url, key, bodies) = (service.url.clone(), service.keys[device].clone(), bodies.clone());
            tokio::spawn(send(url, key, bodies, device, dialect.content_type))
        })
        .collect();
    let mut kept = 0;
    for connection in connections {
        kept += connection.await??;
    }
    Ok(kept as f64 / started.elapsed().as_secs_f64())
}

async fn send(
    url: String,
    key: String,
    bodies: Arc<Vec<Vec<Vec<u8>>>>,
    device: usize,
    content_type: &'static str,
) -> Result<u64> {
    let client = client()?;
    let mut kept = 0;
    for body in &bodies[device] {
        let request = client.post(format!("{url}/in")).bearer_auth(&key).header("Content-Type", content_type);
        let text = request.body(body.clone()).send().await?.text().await?;
        let count = text.trim().strip_prefix("ok ").and_then(|count| count.parse::<u64>().ok());
        ensure!(count.is_some(), "the service answered {text}");
        kept += count.unwrap_or(0);
    }
    Ok(kept)
}

fn decoding_alone(dialect: &Dialect, bodies: &[Vec<u8>]) -> Result<f64> {
    let mut plan = Plan::default();
    for signal in 0..SIGNALS {
        plan.insert(code(signal), PlannedSignal::declared(SignalId(signal as i64), ValueType::Number));
    }
    let now = Moment::from_epoch(at_s(DELIVERIES, 0) as f64)?;
    let times = Times::new(now, TimeZone::UTC);
    let started = Instant::now();
    let mut count = 0;
    for body in bodies {
        let decoded = (dialect.decode)(body, &times).map_err(|refusal| anyhow::anyhow!(refusal.detail))?;
        count += understand(&plan, decoded, now).readings.len();
    }
    ensure!(count == DELIVERIES * SIGNALS * TIMES, "{count} readings decoded");
    Ok(count as f64 / started.elapsed().as_secs_f64())
}
