//! What is left when everything is well again.

use crate::ledger::Differences;
use crate::load::{BEGIN_S, Heard, STEP_S, Sender, heard_of};
use crate::service::Service;
use anyhow::{Context, Result, ensure};
use reqwest::Method;
use serde_json::Value;
use std::time::{Duration, Instant};
use tokio::time::sleep;

/// Readings of a page.
pub(crate) const PAGE: u32 = 5_000;
/// A time after all readings, also those that came while the clock was wrong: the year 2096.
pub(crate) const FAR_S: u64 = 4_000_000_000;
/// Seconds of a bucket.
const BUCKET_S: f64 = 600.0;
/// How long a display may take to hear what was taken while it was away.
const DRAIN: Duration = Duration::from_secs(60);

/// What is wrong with a sender's readings.
#[derive(Debug, Clone)]
pub(crate) struct Verdict {
    pub(crate) differences: Differences,
    /// Summaries that are not what their readings give.
    pub(crate) wrong_summaries: u64,
    /// Acknowledged, but not heard by the display.
    pub(crate) unheard: Vec<u64>,
}

impl Verdict {
    pub(crate) fn is_clean(&self) -> bool {
        let Differences { lost, doubled, strange, .. } = &self.differences;
        let is_whole = lost.is_empty() && self.unheard.is_empty();
        is_whole && [*doubled, *strange, self.wrong_summaries].iter().all(|count| *count == 0)
    }
}

pub(crate) async fn check(service: &Service, sender: &Sender, heard: &Heard) -> Result<Verdict> {
    let numbers = numbers(service, &sender.device).await?;
    Ok(Verdict {
        differences: sender.ledger.compare(&numbers),
        wrong_summaries: if sender.way.is_timed() { wrong_summaries(service, sender, &numbers).await? } else { 0 },
        unheard: if sender.way.is_mqtt() { unheard(sender, heard).await } else { Vec::new() },
    })
}

async fn numbers(service: &Service, device: &str) -> Result<Vec<u64>> {
    let path = format!("sites/marlbeck/devices/{device}/signals/count/readings?from=0&to={FAR_S}&limit={PAGE}");
    let readings = service.list(&path).await?;
    readings.iter().map(|item| Ok(item["value"].as_f64().context("no number")? as u64)).collect()
}

/// Compares summaries with what the readings themselves give.
async fn wrong_summaries(service: &Service, sender: &Sender, numbers: &[u64]) -> Result<u64> {
    let Some(last) = numbers.iter().max() else { return Ok(0) };
    let buckets = ((*last + 1) as f64 * STEP_S / BUCKET_S).ceil() as u64;
    let to = BEGIN_S + buckets as f64 * BUCKET_S;
    let path = format!(
        "sites/marlbeck/devices/{}/signals/count/summary?from={BEGIN_S}&to={to}&buckets={buckets}",
        sender.device
    );
    let answer = service.call(Method::GET, &path, None).await?;
    let found = answer["buckets"].as_array().context("no buckets")?;
    let total: u64 = found.iter().filter_map(|bucket| bucket["count"].as_u64()).sum();
    ensure!(!found.is_empty() || numbers.is_empty(), "no buckets over {} readings", numbers.len());
    let wrong = found.iter().filter(|bucket| !is_right(bucket, numbers)).count() as u64;
    Ok(wrong + u64::from(total != numbers.len() as u64))
}

fn is_right(bucket: &Value, numbers: &[u64]) -> bool {
    let number = |name: &str| bucket[name].as_f64().unwrap_or(f64::NAN);
    let (from, to) = (number("start_ms"), number("end_ms"));
    let at_ms = |number: u64| (BEGIN_S + number as f64 * STEP_S) * 1_000.0;
    let within: Vec<f64> = numbers.iter().filter(|n| (from..to).contains(&at_ms(**n))).map(|n| *n as f64).collect();
    let mean = within.iter().sum::<f64>() / within.len() as f64;
    let (least, most) = within.iter().fold((f64::MAX, f64::MIN), |(least, most), n| (least.min(*n), most.max(*n)));
    let is_near = |a: f64, b: f64| (a - b).abs() <= 1e-6 * b.abs().max(1.0);
    number("count") == within.len() as f64
        && number("min") == least
        && number("max") == most
        && is_near(number("mean"), mean)
}

/// Waits until the display has heard all that was acknowledged, and counts what it has not.
async fn unheard(sender: &Sender, heard: &Heard) -> Vec<u64> {
    let acknowledged = sender.ledger.acknowledged();
    let begun = Instant::now();
    loop {
        let missing: Vec<u64> = acknowledged.difference(&heard_of(heard, &sender.device)).copied().collect();
        if missing.is_empty() || begun.elapsed() > DRAIN {
            return missing;
        }
        sleep(Duration::from_millis(100)).await;
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use serde_json::json;

    #[test]
    fn a_bucket_must_be_what_its_readings_give() {
        let start_ms = BEGIN_S * 1_000.0;
        let bucket = |count: u64, mean: f64, max: f64| json!({"start_ms": start_ms, "end_ms": start_ms + 2_000.0, "count": count, "min": 0.0, "max": max, "mean": mean});
        // Four readings fall into two seconds.
        let numbers = [0, 1, 2, 3, 4, 5];
        assert!(is_right(&bucket(4, 1.5, 3.0), &numbers));
        for wrong in [bucket(5, 1.5, 3.0), bucket(4, 1.6, 3.0), bucket(4, 1.5, 4.0)] {
            assert!(!is_right(&wrong, &numbers));
        }
    }
}
