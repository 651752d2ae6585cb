//! A site of a thousand devices: how it is now.

use crate::service::Service;
use crate::{Entry, median};
use anyhow::{Result, ensure};
use futures::{StreamExt, TryStreamExt};
use jiff::Timestamp;
use std::time::Instant;

/// Devices of the site.
const DEVICES: usize = 1_000;
/// Signals of each.
const SIGNALS: usize = 3;
/// A reading of each signal every two minutes, for two hours.
const TIMES: usize = 60;
/// How long it may take, in milliseconds.
const LIMIT_MS: f64 = 60.0;

/// Last values, presence and traces of a thousand devices over HTTP, in two pages, while a
/// reading comes in between any two requests.
pub(crate) async fn now_1000(rounds: u8) -> Result<Entry> {
    let dir = tempfile::tempdir()?;
    let service = Service::start_with(dir.path(), DEVICES, SIGNALS).await?;
    let begin = Timestamp::now().as_second() - 120 * TIMES as i64;
    futures::stream::iter(service.keys.iter().enumerate())
        .map(|(device, key)| past(&service, key, device, begin))
        .buffer_unordered(8)
        .try_collect::<()>()
        .await?;
    let mut figures = Vec::new();
    // The first one reads what is kept.
    for round in 0..=10 * u32::from(rounds) {
        let body = format!(r#"{{"s0":{}}}"#, f64::from(round) / 10.0);
        service.send(&service.keys[round as usize % DEVICES], body).await?;
        let started = Instant::now();
        ask(&service).await?;
        if round > 0 {
            figures.push(started.elapsed().as_secs_f64() * 1e3);
        } else {
            eprintln!("the first took {:.0} ms", started.elapsed().as_secs_f64() * 1e3);
        }
    }
    let figure = median(figures);
    Ok(Entry { name: "now-1000", figure, unit: "ms", limit: LIMIT_MS, ratio: LIMIT_MS / figure })
}

async fn past(service: &Service, key: &str, device: usize, begin: i64) -> Result<()> {
    let line = |time: usize| {
        let at = begin + 120 * time as i64;
        let value = |signal: usize| ((time + device + signal) % 40) as f64 / 10.0;
        format!(r#"{{"at":{at},"s0":{},"s1":{},"s2":{}}}"#, value(0), value(1), value(2))
    };
    service.send(key, format!("[{}]", (0..TIMES).map(line).collect::<Vec<_>>().join(","))).await
}

async fn ask(service: &Service) -> Result<()> {
    let mut after = String::new();
    let mut devices = 0;
    loop {
        let text = service.get(&format!("sites/bench/now?trace=true&limit=500&after={after}")).await?.text().await?;
        // What it takes to look into the answer is not the service's.
        let next =
            text.rfind("\"next\":").and_then(|at| text[at + 7..].trim_matches(['}', ':', '"']).split('"').next());
        devices += text.matches("\"device\":").count();
        match next.filter(|next| !next.is_empty() && *next != "null") {
            Some(next) => after = next.to_owned(),
            None => break,
        }
    }
    ensure!(devices == DEVICES, "{devices} devices were shown");
    Ok(())
}
