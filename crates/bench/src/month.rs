//! A month of twenty signals, asked for over HTTP.

use crate::service::{Service, client};
use crate::store_data::{BEGIN, fill_plain_rows, slow};
use crate::{Entry, median};
use anyhow::{Context, Result, ensure};
use std::fmt::Write;
use std::time::Instant;

/// Signals of the first device that are used.
const SIGNALS: usize = 20;
/// A reading every 10 s for 30 days.
const TIMES: usize = 259_200;
/// Times in one delivery.
const DELIVERY: usize = 200;

fn value(signal: usize, time: usize) -> f64 {
    ((time / 30 + signal * 7) % 300 + (time * 13 + signal) % 5) as f64 / 10.0
}

async fn fill(service: &Service) -> Result<()> {
    let client = client()?;
    for start in (0..TIMES).step_by(DELIVERY) {
        let mut body = String::from("[");
        for time in start..start + DELIVERY {
            let comma = if time == start { "" } else { "," };
            let _ = write!(body, "{comma}{{\"at\":{}", BEGIN / 1_000_000 + 10 * time as i64);
            for signal in 0..SIGNALS {
                let _ = write!(body, ",\"s{signal}\":{}", value(signal, time));
            }
            body.push('}');
        }
        body.push(']');
        let request = client.post(format!("{}/in", service.url)).bearer_auth(&service.keys[0]).body(body);
        let text = request.send().await?.text().await?;
        ensure!(text == format!("ok {}\n", DELIVERY * SIGNALS), "the service answered {text}");
    }
    Ok(())
}

/// Twenty signals over a month in 500 buckets, in one request. Limit: 50 ms.
pub(crate) async fn chart_20(rounds: u8) -> Result<Entry> {
    asked("store-chart-20", "summary", "buckets=500", rounds).await
}

/// Figures by day of twenty signals over a month, in one request, with median and the quantiles beside it, hours
/// above a limit and degree hours. Limit: 50 ms.
pub(crate) async fn figures(rounds: u8) -> Result<Entry> {
    asked("figures-month", "figures", "by=day&quantiles=0.05,0.5,0.95&above=15&base=18", rounds).await
}

/// How long a request for all signals over the month takes.
async fn asked(name: &'static str, what: &str, how: &str, rounds: u8) -> Result<Entry> {
    let dir = tempfile::tempdir()?;
    let service = Service::start(dir.path()).await?;
    fill(&service).await?;
    let signals: Vec<String> = (0..SIGNALS).map(|signal| format!("d0/s{signal}")).collect();
    let (from, to) = (BEGIN / 1_000_000, BEGIN / 1_000_000 + 10 * TIMES as i64);
    let path = format!("sites/bench/{what}?signals={}&from={from}&to={to}&{how}", signals.join(","));
    let mut figures = Vec::new();
    for _ in 0..=rounds.max(5) {
        let started = Instant::now();
        let text = service.get(&path).await?.text().await?;
        figures.push(started.elapsed().as_secs_f64() * 1e3);
        let table: serde_json::Value = serde_json::from_str(&text)?;
        let buckets = table["signals"][SIGNALS - 1]["buckets"].as_array().context("no buckets")?;
        let count: u64 = buckets.iter().filter_map(|bucket| bucket["count"].as_u64()).sum();
        ensure!(count == TIMES as u64, "{count} readings in the buckets");
    }
    let figure = median(figures.split_off(1));
    Ok(Entry { name, figure, unit: "ms", limit: 50.0, ratio: 50.0 / figure })
}

/// The month of twenty signals as CSV, each signal by itself, and its memory.
/// Limit: the same rows read from a plain table and written as numbers.
pub(crate) async fn scan(rounds: u8) -> Result<Entry> {
    let dir = tempfile::tempdir()?;
    let mut service = Service::start(dir.path()).await?;
    fill(&service).await?;
    // What taking the readings in needed is no part of it.
    service.restart(dir.path())?;
    let before = service.peak_memory()?;
    let mut plain =
        fill_plain_rows(&dir.path().join("plain"), (0..4).map(|seed| (seed, slow(seed as u64, 259_000).collect())))
            .await?;
    let (from, to) = (BEGIN / 1_000_000, BEGIN / 1_000_000 + 10 * TIMES as i64);
    let (mut figures, mut limits) = (Vec::new(), Vec::new());
    for _ in 0..rounds {
        let started = Instant::now();
        let mut rows = 0;
        for signal in 0..4 {
            let path = format!("sites/bench/export?signals=d0/s{signal}&from={from}&to={to}");
            let mut response = service.get(&path).await?;
            while let Some(chunk) = response.chunk().await? {
                rows += chunk.iter().filter(|byte| **byte == b'\n').count();
            }
        }
        ensure!(rows == 4 * (TIMES + 1), "{rows} lines");
        figures.push((4 * TIMES) as f64 / started.elapsed().as_secs_f64());
        limits.push(read_plain(&mut plain).await?);
    }
    let memory = service.peak_memory()?;
    println!(
        "{:24} the service held {:.0} MB at the most ({:.0} MB before the first export)",
        "",
        memory / 1e6,
        before / 1e6
    );
    let (figure, limit) = (median(figures), median(limits));
    Ok(Entry { name: "store-scan", figure, unit: "readings/s", limit, ratio: figure / limit })
}

/// The month of twenty signals as one Parquet file, and the memory it takes. Limit: two million readings a second.
pub(crate) async fn parquet(rounds: u8) -> Result<Entry> {
    const LIMIT: f64 = 2e6;
    let dir = tempfile::tempdir()?;
    let mut service = Service::start(dir.path()).await?;
    fill(&service).await?;
    service.restart(dir.path())?;
    let before = service.peak_memory()?;
    let signals: Vec<String> = (0..SIGNALS).map(|signal| format!("d0/s{signal}")).collect();
    let (from, to) = (BEGIN / 1_000_000, BEGIN / 1_000_000 + 10 * TIMES as i64);
    let path = format!("sites/bench/export?format=parquet&signals={}&from={from}&to={to}", signals.join(","));
    let (mut figures, mut bytes) = (Vec::new(), 0);
    for _ in 0..rounds {
        let started = Instant::now();
        let mut response = service.get(&path).await?;
        let mut last = Vec::new();
        bytes = 0;
        while let Some(chunk) = response.chunk().await? {
            bytes += chunk.len();
            last = chunk.to_vec();
        }
        figures.push((SIGNALS * TIMES) as f64 / started.elapsed().as_secs_f64());
        ensure!(last.ends_with(b"PAR1"), "the file has no end");
    }
    let memory = service.peak_memory()?;
    println!(
        "{:24} {:.2} bytes a reading; the service held {:.0} MB at the most ({:.0} MB before the first export)",
        "",
        bytes as f64 / (SIGNALS * TIMES) as f64,
        memory / 1e6,
        before / 1e6
    );
    let figure = median(figures);
    Ok(Entry { name: "export-parquet", figure, unit: "readings/s", limit: LIMIT, ratio: figure / LIMIT })
}

async fn read_plain(connection: &mut sqlx::SqliteConnection) -> Result<f64> {
    use sqlx::Row;
    let started = Instant::now();
    let (mut rows, mut bytes) = (0, 0);
    for signal in 0..4_i64 {
        let mut last = i64::MIN;
        loop {
            let page =
                sqlx::query("SELECT at, value FROM reading WHERE signal_id = ? AND at > ? ORDER BY at LIMIT 5000")
                    .bind(signal)
                    .bind(last)
                    .fetch_all(&mut *connection)
                    .await?;
            let mut text = String::new();
            for row in &page {
                last = row.try_get(0)?;
                let value: f64 = row.try_get(1)?;
                let _ = writeln!(text, "{last},{value}");
            }
            rows += page.len();
            bytes += text.len();
            if page.len() < 5_000 {
                break;
            }
        }
    }
    ensure!(bytes > rows, "{bytes} bytes of {rows} rows");
    Ok(rows as f64 / started.elapsed().as_secs_f64())
}
