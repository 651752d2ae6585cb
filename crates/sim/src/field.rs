//! The senders and listeners that speak MQTT, which know the service only by
//! address and key.

use crate::railway::{Railway, next_train};
use crate::rolling::{RADIO_S, RADIOS, Sorrel};
use crate::site::{Memory, SITE};
use anyhow::{Context, Result};
use rumqttc::v5::mqttbytes::QoS;
use rumqttc::v5::mqttbytes::v5::{LastWill, Packet, Publish};
use rumqttc::v5::{AsyncClient, Event, MqttOptions};
use serde_json::{Value, json};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::Duration;
use tokio::task::JoinSet;
use tokio::time::{Instant, interval};

/// Seconds between the reports of the locomotive and of the points.
const SORREL_S: f64 = 2.0;
/// When the crew presses its button, in seconds after the demo is up: somebody is called.
const PRESSED_S: std::ops::Range<u64> = 20..30;
const POINTS_S: f64 = 60.0;
/// Seconds after which the display looks at its clock again.
const BOARD_S: f64 = 20.0;
/// How long the heater takes to say that it is warm.
const WARMING: Duration = Duration::from_millis(900);

/// What all of them know.
#[derive(Clone)]
pub(crate) struct Field {
    pub(crate) railway: Railway,
    pub(crate) memory: Memory,
    /// Host and port.
    pub(crate) address: (String, u16),
    pub(crate) speed: f64,
    began: Instant,
    story_s: f64,
}

impl Field {
    /// From a time of the story on.
    pub(crate) fn new(railway: Railway, memory: Memory, address: &str, story_s: f64, speed: f64) -> Result<Self> {
        let (host, port) = address.rsplit_once(':').context("no port in the address for MQTT")?;
        let address = (host.to_owned(), port.parse()?);
        Ok(Self { railway, memory, address, speed, began: Instant::now(), story_s })
    }

    fn story(&self) -> f64 {
        self.story_s + self.began.elapsed().as_secs_f64() * self.speed
    }

    fn pace(&self, seconds: f64) -> tokio::time::Interval {
        interval(Duration::from_secs_f64((seconds / self.speed).max(0.1)))
    }

    fn options(&self, device: &str) -> MqttOptions {
        let mut options = MqttOptions::new(device, self.address.0.clone(), self.address.1);
        options.set_credentials(device, self.memory.key(device)).set_keep_alive(Duration::from_secs(20));
        options
    }

    /// Runs them all until they are dropped.
    pub(crate) async fn run(self) {
        let mut tasks = JoinSet::new();
        tasks.spawn(self.clone().sorrel());
        tasks.spawn(self.clone().gateway());
        tasks.spawn(self.clone().points());
        tasks.spawn(self.board());
        while tasks.join_next().await.is_some() {}
    }

    async fn sorrel(self) {
        let mut options = self.options("sorrel");
        let topic = format!("{SITE}/sorrel/in");
        options.set_last_will(LastWill::new(format!("{topic}/crew"), "false", QoS::AtLeastOnce, false, None));
        let (client, events) = AsyncClient::new(options, 100);
        tokio::spawn(listen(events, |_| {}));
        let mut tick = self.pace(SORREL_S);
        let mut was_pressed = false;
        loop {
            tick.tick().await;
            let is_pressed = PRESSED_S.contains(&self.began.elapsed().as_secs());
            let message = match self.railway.sorrel(self.story()) {
                Some(sorrel) => Sorrel { crew: sorrel.crew || is_pressed, ..sorrel }.message(),
                None if is_pressed != was_pressed => json!({"crew": is_pressed}),
                None => continue,
            };
            was_pressed = is_pressed;
            let _ = client.publish(topic.as_str(), QoS::AtLeastOnce, false, message.to_string()).await;
        }
    }

    /// Passes on each line of the radio as it comes.
    async fn gateway(self) {
        let (client, events) = AsyncClient::new(self.options("shed-gw"), 100);
        tokio::spawn(listen(events, |_| {}));
        let mut tick = self.pace(RADIO_S as f64 / RADIOS.len() as f64);
        let mut turn = 0;
        loop {
            tick.tick().await;
            turn = (turn + 1) % RADIOS.len();
            let story = (self.story() / RADIO_S as f64).floor() * RADIO_S as f64;
            if let Some(line) = line(self.railway, turn, story, 0) {
                let _ = client.publish(format!("{SITE}/shed-gw/in"), QoS::AtLeastOnce, false, line).await;
            }
        }
    }

    /// Heated points: report the rail, do what they are told, and say so.
    async fn points(self) {
        let (client, events) = AsyncClient::new(self.options("points-7"), 100);
        let is_heated = Arc::new(AtomicBool::new(false));
        let doing = client.clone();
        let heated = is_heated.clone();
        tokio::spawn(listen(events, move |publish| {
            let (doing, heated) = (doing.clone(), heated.clone());
            tokio::spawn(async move { act(&doing, &heated, &publish).await });
        }));
        let _ = client.subscribe(format!("{SITE}/points-7/do/+"), QoS::AtLeastOnce).await;
        let mut tick = self.pace(POINTS_S);
        loop {
            tick.tick().await;
            let heater = is_heated.load(Ordering::Relaxed);
            let message = json!({"rail": self.railway.rail(self.story(), heater), "heater": heater});
            let topic = format!("{SITE}/points-7/in");
            let _ = client.publish(topic, QoS::AtLeastOnce, false, message.to_string()).await;
        }
    }

    /// The display at the platform: shows the lamp and the next train, and reports what it
    /// shows whenever that is something else.
    async fn board(self) {
        let (client, events) = AsyncClient::new(self.options("board-1"), 100);
        let (told, mut lamp) = tokio::sync::watch::channel(String::new());
        tokio::spawn(listen(events, move |publish| {
            told.send_replace(String::from_utf8_lossy(&publish.payload).into_owned());
        }));
        let _ = client.subscribe(format!("{SITE}/lamp"), QoS::AtMostOnce).await;
        let mut tick = self.pace(BOARD_S);
        let mut shown = String::new();
        loop {
            tokio::select! {
                _ = tick.tick() => {}
                changed = lamp.changed() => if changed.is_err() { return },
            }
            let text = board_text(&lamp.borrow(), self.story());
            if text != shown {
                let topic = format!("{SITE}/board-1/in/shown");
                let _ = client.publish(topic, QoS::AtLeastOnce, false, text.clone()).await;
                shown = text;
            }
        }
    }
}

/// What the display shows.
fn board_text(lamp: &str, story_s: f64) -> String {
    let minutes = (next_train(story_s) * 60.0).round() as u32;
    let train = format!("next train {:02}:{:02}", minutes / 60, minutes % 60);
    if lamp.is_empty() { train } else { format!("{train}, line {lamp}") }
}

/// A line of the radio: who, number, temperature, humidity, battery, link, how many
/// seconds ago.
pub(crate) fn line(railway: Railway, index: usize, story_s: f64, ago_s: i64) -> Option<String> {
    let radio = railway.radio(index, story_s)?;
    let called = RADIOS[index].1;
    Some(format!("{called} {} {} {} {} {} {ago_s}", radio.count, radio.temp, radio.hum, radio.supply, radio.rssi))
}

/// Does what a command says, after the time it takes.
async fn act(client: &AsyncClient, is_heated: &AtomicBool, publish: &Publish) {
    let topic = String::from_utf8_lossy(&publish.topic).into_owned();
    let Ok(order) = serde_json::from_slice::<Value>(&publish.payload) else { return };
    let command = topic.rsplit('/').next().unwrap_or_default();
    let answer = match command {
        "heater" => {
            tokio::time::sleep(WARMING).await;
            let on = order["state"].as_bool().unwrap_or(false);
            is_heated.store(on, Ordering::Relaxed);
            json!({"id": order["id"], "ok": true, "text": if on { "warming" } else { "off" }})
        }
        "target" => json!({"id": order["id"], "ok": true}),
        // The motor's contact is broken: it never answers.
        "throw" => return,
        _ => json!({"id": order["id"], "ok": false, "text": "locked by the signal box"}),
    };
    let done = topic.replace("/do/", "/done/");
    let _ = client.publish(done, QoS::AtLeastOnce, false, answer.to_string()).await;
}

/// Looks after a connection, which comes back by itself; gives on what comes.
async fn listen(mut events: rumqttc::v5::EventLoop, came: impl Fn(Publish)) {
    loop {
        match events.poll().await {
            Ok(Event::Incoming(Packet::Publish(publish))) => came(publish),
            Ok(_) => {}
            Err(_) => tokio::time::sleep(Duration::from_secs(1)).await,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_display_shows_the_next_train_and_the_lamp() {
        for (hour, lamp, expected) in [
            (8.0, "calm", "next train 09:54, line calm"),
            (9.95, "alarm", "next train 11:30, line alarm"),
            (23.0, "", "next train 09:54"),
            (24.0 * 3.0 + 14.0, "look", "next train 14:48, line look"),
        ] {
            assert_eq!(board_text(lamp, hour * 3_600.0), expected);
        }
    }
}
