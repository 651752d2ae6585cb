//! A site of a thousand devices: how it is now.

use crate::service::Service;
use crate::thousand::{self, DEVICES};
use crate::{Entry, median};
use anyhow::{Result, ensure};
use std::time::Instant;

/// How long it may take, in milliseconds.
const LIMIT_MS: f64 = 60.0;

/// Last values, presence and traces of a thousand devices over HTTP, in two pages, while a
/// reading comes in between any two requests.
pub(crate) async fn now_1000(rounds: u8) -> Result<Entry> {
    let dir = tempfile::tempdir()?;
    let service = thousand::start(dir.path()).await?;
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
