//! The simulated senders, which know the service only by address and key.

use crate::devices::{SOUNDER_M, foot_of_the_tower};
use crate::field::line;
use crate::railway::{CROSSING_RATE, Railway, are_probes_bonded, round};
use crate::rolling::{RADIO_S, RADIOS};
use crate::service::{Api, checked};
use crate::site::{Memory, SITE};
use anyhow::Result;
use indicatif::ProgressBar;
use lantern_api::{Job, NewMeaning, NewReconversion, SignalMeaning};
use reqwest::{Client, RequestBuilder};
use serde_json::{Value, json};
use std::time::Duration;
use tokio::time::{Instant, Interval, interval};

/// The intervals of the senders, in seconds.
const TOWER_S: i64 = 30;
const LARDER_S: i64 = 60;
const TUNNEL_S: i64 = 15;
const SHED_S: i64 = 60;
/// Messages sent in one request when history is delivered.
const BATCH: usize = 2_000;
/// How much of the past the viaduct's waveforms are delivered for, in seconds.
const CROSSINGS_S: i64 = 2 * 86_400;
/// The interval of the locomotive in the past, and in the two days before now, in seconds.
const SORREL_LONG_AGO_S: i64 = 20;
const SORREL_S: i64 = 4;
const SORREL_FINE_S: i64 = 2 * 86_400;
/// How long the new shed has been in trial when the demo begins, in seconds.
const TRIAL_S: i64 = 7_200;

/// All senders of the demo.
#[derive(Clone)]
pub(crate) struct Senders {
    pub(crate) client: Client,
    pub(crate) url: String,
    pub(crate) railway: Railway,
    pub(crate) memory: Memory,
}

/// When the forgotten factor was found, in seconds after the beginning.
const MENDED_S: i64 = 2 * 86_400;

/// Puts the sensor at the foot of the tower right, and what it had said until then.
async fn mend(api: &Api, began_s: i64) -> Result<()> {
    let signal = format!("sites/{SITE}/devices/tower/signals/level-p");
    let new = NewMeaning { meaning: Some(foot_of_the_tower()) };
    let _: SignalMeaning = api.put(&format!("{signal}/meaning"), &new).await?;
    let order = NewReconversion { from: began_s.to_string(), to: None };
    let _: Job = api.post(&format!("{signal}/reconversions"), &order).await?;
    Ok(())
}

impl Senders {
    fn tower(&self, story_s: f64) -> Value {
        let tower = self.railway.tower(story_s);
        // Sound takes its time there and back, at the speed it has in air of that warmth.
        let speed = 331.3 * (1.0 + tower.air / 273.15).sqrt();
        let echo_us = round(2.0 * (SOUNDER_M - tower.level) / speed * 1e6, 0);
        let kpa = round(9.80665 * tower.pressure_level, 2);
        let mut message = json!({"level": echo_us, "level-p": kpa, "air": tower.air});
        if let Some(supply) = tower.supply {
            message["supply"] = supply.into();
        }
        message
    }

    fn larder(&self, story_s: f64) -> Value {
        let larder = self.railway.larder(story_s);
        json!({"temp": larder.temp, "door": larder.door})
    }

    fn tunnel(&self, story_s: f64) -> Option<Value> {
        let tunnel = self.railway.tunnel(story_s)?;
        Some(json!({"co": tunnel.co, "hum": tunnel.hum, "supply": tunnel.supply}))
    }

    fn shed(&self, story_s: f64) -> Value {
        let shed = self.railway.shed(story_s);
        json!({"temp": shed.temp, "hum": shed.hum})
    }

    /// A waveform of one second.
    fn crossing(&self, story_s: f64) -> Option<Value> {
        let crossing = self.railway.viaduct(story_s)?;
        let every = 1.0 / CROSSING_RATE as f64;
        Some(
            json!({"every": every, "accel": crossing.accel, "strain": crossing.strain, "bonded": are_probes_bonded(story_s)}),
        )
    }

    /// Messages there are to deliver between two times, in seconds since 1970.
    pub(crate) fn history_size(from_s: i64, to_s: i64) -> u64 {
        let count = |interval: i64| (to_s - from_s).max(0).unsigned_abs() / interval.unsigned_abs();
        count(TOWER_S) + count(LARDER_S) + count(TUNNEL_S)
    }

    /// Delivers the past between two times, in seconds since 1970.
    pub(crate) async fn history(&self, api: &Api, from_s: i64, to_s: i64, progress: &ProgressBar) -> Result<()> {
        let story = |at: i64| (at - self.memory.began_s) as f64;
        let mended_s = self.memory.began_s + MENDED_S;
        if from_s < mended_s {
            self.past("tower", TOWER_S, BATCH, from_s, mended_s, |at| Some(self.tower(story(at))), progress).await?;
            mend(api, self.memory.began_s).await?;
        }
        let tower_s = from_s.max(mended_s);
        self.past("tower", TOWER_S, BATCH, tower_s, to_s, |at| Some(self.tower(story(at))), progress).await?;
        self.past("larder", LARDER_S, BATCH, from_s, to_s, |at| Some(self.larder(story(at))), progress).await?;
        self.past("tunnel", TUNNEL_S, BATCH, from_s, to_s, |at| self.tunnel(story(at)), progress).await?;
        let hidden = ProgressBar::hidden();
        let began_s = from_s;
        let from_s = began_s.max(to_s - TRIAL_S);
        self.past("shed-5", SHED_S, BATCH, from_s, to_s, |at| Some(self.shed(story(at))), &hidden).await?;
        let fine_s = began_s.max(to_s - SORREL_FINE_S);
        self.past_sorrel(SORREL_LONG_AGO_S, began_s, fine_s).await?;
        self.past_sorrel(SORREL_S, fine_s, to_s).await?;
        self.past_radio(began_s, to_s).await?;
        self.past("points-7", SHED_S, BATCH, began_s, to_s, |at| Some(self.points(story(at))), &hidden).await?;
        let from_s = began_s.max(to_s - CROSSINGS_S);
        // A request holds ten thousand readings: nineteen seconds of two signals.
        self.past("viaduct", 1, 19, from_s, to_s, |at| self.crossing(story(at)), &hidden).await
    }

    fn points(&self, story_s: f64) -> Value {
        // Frosty mornings: the heater keeps the rail free.
        let is_heated = self.railway.rail(story_s, false) < 3.0;
        json!({"rail": self.railway.rail(story_s, is_heated), "heater": is_heated})
    }

    async fn past_sorrel(&self, interval_s: i64, from_s: i64, to_s: i64) -> Result<()> {
        let message = |at: i64| Some(self.railway.sorrel((at - self.memory.began_s) as f64)?.message());
        // A request holds ten thousand readings, and a message has ten.
        self.past("sorrel", interval_s, 1_000, from_s, to_s, message, &ProgressBar::hidden()).await
    }

    /// The lines of the radio, as a gateway that kept them while it had no network.
    async fn past_radio(&self, from_s: i64, to_s: i64) -> Result<()> {
        let mut lines = Vec::new();
        let mut at = from_s.div_euclid(RADIO_S) * RADIO_S + RADIO_S;
        while at <= to_s || !lines.is_empty() {
            if at <= to_s {
                let story = (at - self.memory.began_s) as f64;
                lines.extend((0..RADIOS.len()).filter_map(|index| line(self.railway, index, story, to_s - at)));
                at += RADIO_S;
            }
            if lines.len() >= 1_500 || at > to_s {
                let request = self.post("shed-gw").header("Content-Type", "text/plain").body(lines.join("\n"));
                checked(request.send().await?).await?;
                lines.clear();
            }
        }
        Ok(())
    }

    #[allow(clippy::too_many_arguments, reason = "who, how often, how many at once, when, what")]
    async fn past(
        &self,
        device: &str,
        interval: i64,
        batch_size: usize,
        from_s: i64,
        to_s: i64,
        message: impl Fn(i64) -> Option<Value>,
        progress: &ProgressBar,
    ) -> Result<()> {
        let mut batch = Vec::with_capacity(batch_size);
        let mut at = from_s.div_euclid(interval) * interval + interval;
        while at <= to_s || !batch.is_empty() {
            if at <= to_s {
                if let Some(mut object) = message(at) {
                    object["at"] = at.into();
                    batch.push(object);
                }
                at += interval;
            }
            if batch.len() == batch_size || (at > to_s && !batch.is_empty()) {
                let request = self.post(device).json(&batch);
                checked(request.header("Accept", "application/json").send().await?).await?;
                progress.inc(batch.len() as u64);
                batch.clear();
            }
        }
        Ok(())
    }

    fn post(&self, device: &str) -> RequestBuilder {
        self.client.post(format!("{}/in", self.url)).bearer_auth(self.memory.key(device))
    }

    /// What a modem does: fetches an address with the values in it.
    fn fetch_tunnel(&self, story_s: f64, count: u64) -> Option<RequestBuilder> {
        let tunnel = self.railway.tunnel(story_s)?;
        let (key, co, supply) = (self.memory.key("tunnel"), tunnel.co, tunnel.supply);
        // Now and then the humidity sensor does not answer its board in time.
        let hum = if count % 23 == 1 { "err".to_owned() } else { tunnel.hum.to_string() };
        Some(self.client.get(format!("{}/in/{key}?co={co}&hum={hum}&supply={supply}", self.url)))
    }

    /// Sends for ever, `speed` times as fast as the story's clock.
    pub(crate) async fn live(self, now_s: i64, speed: f64) {
        self.strangers().await;
        let story_s = (now_s - self.memory.began_s) as f64;
        let started = Instant::now();
        let story = move || story_s + started.elapsed().as_secs_f64() * speed;
        let pace = |seconds: i64| -> Interval { interval(Duration::from_secs_f64((seconds as f64 / speed).max(0.1))) };
        let (mut tower, mut larder, mut tunnel) = (pace(TOWER_S), pace(LARDER_S), pace(TUNNEL_S));
        let mut fetched = 0;
        let (mut shed, mut viaduct, mut stranger) = (pace(SHED_S), pace(1), pace(LARDER_S));
        loop {
            let sent = tokio::select! {
                _ = tower.tick() => Some(self.post("tower").json(&self.tower(story()))),
                _ = larder.tick() => {
                    let reading = self.railway.larder(story());
                    let form = format!("temp={}&door={}", reading.temp, u8::from(reading.door));
                    let request = self.post("larder").header("Content-Type", "application/x-www-form-urlencoded");
                    Some(request.body(form))
                }
                _ = tunnel.tick() => {
                    fetched += 1;
                    self.fetch_tunnel(story(), fetched)
                }
                _ = viaduct.tick() => self.crossing(story()).map(|crossing| self.post("viaduct").json(&crossing)),
                _ = shed.tick() => {
                    let shed = self.railway.shed(story());
                    let line = format!("T={} H={}", shed.temp, shed.hum);
                    Some(self.post("shed-5").header("Content-Type", "text/plain").body(line))
                }
                _ = stranger.tick() => {
                    let shed = self.railway.shed(story() + 1e6);
                    let message = json!({"device": "bay-07", "temp": shed.temp, "hum": shed.hum});
                    Some(self.post("site").json(&message))
                }
            };
            let Some(request) = sent else { continue };
            let outcome = match request.send().await {
                Ok(response) => checked(response).await.map(drop),
                Err(error) => Err(error.into()),
            };
            if let Err(error) = outcome {
                // As a board in the field would: say so and go on.
                eprintln!("demo: a sender was not heard: {error:#}");
            }
        }
    }

    /// A sender whose key was typed wrong.
    async fn strangers(&self) {
        let request = self.client.post(format!("{}/in/0123456789", self.url)).body("temp=7.4");
        // It is refused, as it should be.
        let _ = request.send().await;
    }
}
