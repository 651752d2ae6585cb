//! Making the past again.

use crate::intake::screened;
use crate::service::{Service, client};
use crate::work::code;
use crate::{Entry, median};
use anyhow::{Result, ensure};
use std::time::Instant;

const READINGS: usize = 2_000_000;
const DELIVERY: usize = 10_000;

/// Two million readings of one signal converted in three steps and screened back in
/// time. Limit: delivering them, as a waveform.
pub(crate) async fn measure(rounds: u8) -> Result<Entry> {
    let (mut figures, mut limits) = (Vec::new(), Vec::new());
    let client = client()?;
    for _ in 0..rounds.min(3) {
        let dir = tempfile::tempdir()?;
        let service = Service::start(dir.path()).await?;
        let started = Instant::now();
        for delivery in 0..READINGS / DELIVERY {
            let values: Vec<usize> = (0..DELIVERY).map(|i| (delivery * 7 + i * 13) % 4_096).collect();
            let at = 1_777_636_800.0 + (delivery * DELIVERY) as f64 * 0.004;
            let body = serde_json::json!({"at": at, "every": 0.004, code(0): values});
            let answer = client.post(format!("{}/in", service.url)).bearer_auth(&service.keys[0]).json(&body);
            let text = answer.send().await?.text().await?;
            ensure!(text == format!("ok {DELIVERY}\n"), "the service answered {text}");
        }
        limits.push(READINGS as f64 / started.elapsed().as_secs_f64());
        service.give_meaning(0, &code(0), &screened()).await?;
        let started = Instant::now();
        service.reconvert(0, &code(0)).await?;
        figures.push(READINGS as f64 / started.elapsed().as_secs_f64());
    }
    let (figure, limit) = (median(figures), median(limits));
    Ok(Entry { name: "meaning-reconvert", figure, unit: "readings/s", limit, ratio: figure / limit })
}
