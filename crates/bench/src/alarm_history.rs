//! A long history of alarms.

use crate::service::Service;
use crate::{Entry, median};
use anyhow::{Result, ensure};
use serde_json::Value;
use std::time::{Duration, Instant};

/// Alarms there are.
const ALARMS: usize = 100_000;
/// Readings of a delivery.
const BATCH: usize = 5_000;
/// How long it may take, in milliseconds.
const LIMIT_MS: f64 = 50.0;
/// Time of the first reading: 2026-05-01 12:00 UTC.
const BEGIN_S: usize = 1_777_636_800;
const SPAN: &str = "from=1777636800&to=1777900000";

/// A hundred thousand alarms: the newest hundred listed and all summed up, as the pages of alarms ask.
pub(crate) async fn measure(rounds: u8) -> Result<Entry> {
    let dir = tempfile::tempdir()?;
    let service = Service::start(dir.path()).await?;
    service.watch_above("s24", 0.0).await?;
    for begin in (0..2 * ALARMS).step_by(BATCH) {
        let rows: Vec<String> = (begin..begin + BATCH)
            .map(|number| format!(r#"{{"s24":{},"at":{}}}"#, if number % 2 == 0 { 1 } else { -1 }, BEGIN_S + number))
            .collect();
        service.send(&service.keys[0], format!("[{}]", rows.join(","))).await?;
    }
    let figures = format!("sites/bench/alarms/figures?{SPAN}");
    let deadline = Instant::now() + Duration::from_secs(300);
    loop {
        let found: Value = service.get(&figures).await?.json().await?;
        if found["count"] == ALARMS {
            break;
        }
        ensure!(Instant::now() < deadline, "only {} alarms", found["count"]);
        tokio::time::sleep(Duration::from_millis(500)).await;
    }
    let mut took = Vec::new();
    for round in 0..usize::from(rounds.max(5)) {
        one_more(&service, BEGIN_S + 2 * (ALARMS + round)).await?;
        let started = Instant::now();
        for path in ["sites/bench/alarms?limit=100", &figures] {
            service.get(path).await?.text().await?;
        }
        took.push(started.elapsed().as_secs_f64() * 1e3);
    }
    let figure = median(took);
    Ok(Entry { name: "alarms-history", figure, unit: "ms", limit: LIMIT_MS, ratio: LIMIT_MS / figure })
}

/// Raises an alarm, so that what is known of them is not all there is.
async fn one_more(service: &Service, at: usize) -> Result<()> {
    let newest = async || -> Result<Value> {
        let page: Value = service.get("sites/bench/alarms?limit=1").await?.json().await?;
        Ok(page["items"][0]["id"].clone())
    };
    let before = newest().await?;
    service.send(&service.keys[0], format!(r#"[{{"s24":1,"at":{at}}},{{"s24":-1,"at":{}}}]"#, at + 1)).await?;
    let deadline = Instant::now() + Duration::from_secs(10);
    while newest().await? == before {
        ensure!(Instant::now() < deadline, "no alarm was raised");
        tokio::time::sleep(Duration::from_millis(20)).await;
    }
    Ok(())
}
