//! The simulated senders, which know the service only by address and key.

use crate::railway::Railway;
use crate::service::checked;
use crate::site::Memory;
use anyhow::Result;
use indicatif::ProgressBar;
use reqwest::Client;
use serde_json::{Value, json};
use std::time::Duration;
use tokio::time::Instant;

/// The interval of the tower, in seconds.
const TOWER_S: i64 = 30;
/// The interval of the fridge, in seconds.
const LARDER_S: i64 = 60;
/// Messages sent in one request when history is delivered.
const BATCH: usize = 2_000;

/// All senders of the demo.
#[derive(Clone)]
pub(crate) struct Senders {
    pub(crate) client: Client,
    pub(crate) url: String,
    pub(crate) railway: Railway,
    pub(crate) memory: Memory,
}

impl Senders {
    fn tower(&self, story_s: f64) -> Value {
        let tower = self.railway.tower(story_s);
        let mut message = json!({"level": tower.level, "level-p": tower.pressure_level, "air": tower.air});
        if let Some(supply) = tower.supply {
            message["supply"] = supply.into();
        }
        message
    }

    fn larder(&self, story_s: f64) -> Value {
        let larder = self.railway.larder(story_s);
        json!({"temp": larder.temp, "door": larder.door})
    }

    /// Messages there are to deliver between two times, in seconds since 1970.
    pub(crate) fn history_size(from_s: i64, to_s: i64) -> u64 {
        let count = |interval: i64| (to_s - from_s).max(0).unsigned_abs() / interval.unsigned_abs();
        count(TOWER_S) + count(LARDER_S)
    }

    /// Delivers the past between two times, in seconds since 1970.
    pub(crate) async fn history(&self, from_s: i64, to_s: i64, progress: &ProgressBar) -> Result<()> {
        let tower = |at: i64| self.tower((at - self.memory.began_s) as f64);
        let larder = |at: i64| self.larder((at - self.memory.began_s) as f64);
        self.past(&self.memory.tower_key, TOWER_S, from_s, to_s, tower, progress).await?;
        self.past(&self.memory.larder_key, LARDER_S, from_s, to_s, larder, progress).await
    }

    async fn past(
        &self,
        key: &str,
        interval: i64,
        from_s: i64,
        to_s: i64,
        message: impl Fn(i64) -> Value,
        progress: &ProgressBar,
    ) -> Result<()> {
        let first = from_s.div_euclid(interval) * interval + interval;
        let mut batch = Vec::with_capacity(BATCH);
        let mut at = first;
        while at <= to_s || !batch.is_empty() {
            if at <= to_s {
                let mut object = message(at);
                object["at"] = at.into();
                batch.push(object);
                at += interval;
            }
            if batch.len() == BATCH || at > to_s {
                let request = self.client.post(format!("{}/in", self.url)).bearer_auth(key).json(&batch);
                checked(request.header("Accept", "application/json").send().await?).await?;
                progress.inc(batch.len() as u64);
                batch.clear();
            }
        }
        Ok(())
    }

    /// Sends for ever, `speed` times as fast as the story's clock.
    pub(crate) async fn live(self, now_s: i64, speed: f64) {
        let story_s = (now_s - self.memory.began_s) as f64;
        let started = Instant::now();
        let story = move || story_s + started.elapsed().as_secs_f64() * speed;
        let pace = |interval: i64| Duration::from_secs_f64((interval as f64 / speed).max(0.1));
        let mut tower = tokio::time::interval(pace(TOWER_S));
        let mut larder = tokio::time::interval(pace(LARDER_S));
        loop {
            let sent = tokio::select! {
                _ = tower.tick() => {
                    let message = self.tower(story());
                    self.client.post(format!("{}/in", self.url)).bearer_auth(&self.memory.tower_key).json(&message)
                }
                _ = larder.tick() => {
                    let reading = self.railway.larder(story());
                    let form = format!("temp={}&door={}", reading.temp, u8::from(reading.door));
                    self.client
                        .post(format!("{}/in", self.url))
                        .bearer_auth(&self.memory.larder_key)
                        .header("Content-Type", "application/x-www-form-urlencoded")
                        .body(form)
                }
            };
            let outcome = match sent.send().await {
                Ok(response) => checked(response).await.map(drop),
                Err(error) => Err(error.into()),
            };
            if let Err(error) = outcome {
                // As a board in the field would: say so and go on.
                eprintln!("demo: a sender was not heard: {error:#}");
            }
        }
    }
}
