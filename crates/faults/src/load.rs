//! Who sends and listens meanwhile: devices over HTTP and MQTT, and a display.

use crate::ledger::Ledger;
use anyhow::Result;
use rumqttc::v5::mqttbytes::QoS;
use rumqttc::v5::mqttbytes::v5::{Packet, PubAckReason, PubRecReason};
use rumqttc::v5::{AsyncClient, Event, MqttOptions};
use serde_json::json;
use std::collections::BTreeSet;
use std::sync::{Arc, Mutex, PoisonError};
use std::time::Duration;
use tokio::sync::{mpsc, watch};
use tokio::task::JoinHandle;
use tokio::time::{sleep, timeout};

/// Time of a sender's first reading: 2026-05-01 12:00 UTC.
pub(crate) const BEGIN_S: f64 = 1_777_636_800.0;
/// Seconds between the times of its readings.
pub(crate) const STEP_S: f64 = 0.5;
/// Readings of a sender between one turn of its flag and the next.
const TURN: u64 = 400;
/// Between two readings of a sender.
const PACE: Duration = Duration::from_millis(4);
/// After something went wrong.
const REST: Duration = Duration::from_millis(30);
/// The longest a sender waits for an answer.
const ANSWER: Duration = Duration::from_secs(60);

/// Whether a sender's flag is raised with a reading.
const fn is_wrong(number: u64) -> bool {
    (number / TURN) % 2 == 1
}

/// How a sender sends.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Way {
    /// Over HTTP, with times of its own.
    Http,
    /// Over HTTP, without: the service gives each the time it came at.
    HttpUntimed,
    /// Over MQTT at QoS 1, with times of its own.
    Qos1,
    /// Over MQTT at QoS 2, without: nothing but the protocol keeps a reading from being doubled.
    Qos2,
}

impl Way {
    pub(crate) fn is_timed(self) -> bool {
        matches!(self, Self::Http | Self::Qos1)
    }

    pub(crate) fn is_mqtt(self) -> bool {
        matches!(self, Self::Qos1 | Self::Qos2)
    }
}

/// A device that sends numbers one after the other.
#[derive(Debug, Clone)]
pub(crate) struct Sender {
    pub(crate) device: String,
    pub(crate) key: String,
    pub(crate) way: Way,
    pub(crate) ledger: Ledger,
}

/// Where the service is.
#[derive(Debug, Clone)]
pub(crate) struct Place {
    pub(crate) url: String,
    pub(crate) mqtt: u16,
}

impl Place {
    /// The port of HTTP.
    pub(crate) fn http(&self) -> Option<u16> {
        self.url.rsplit(':').next().and_then(|port| port.parse().ok())
    }
}

impl Sender {
    /// Sends until it is told to stop.
    pub(crate) fn start(&self, place: &Place, stop: watch::Receiver<bool>) -> JoinHandle<Result<()>> {
        let (sender, place) = (self.clone(), place.clone());
        tokio::spawn(async move {
            if sender.way.is_mqtt() { sender.publish(&place, stop).await } else { sender.post(&place, stop).await }
        })
    }

    fn body(&self, number: u64) -> String {
        if self.way.is_timed() {
            let at = BEGIN_S + number as f64 * STEP_S;
            json!({"count": number, "wrong": is_wrong(number), "at": at}).to_string()
        } else {
            json!({"count": number}).to_string()
        }
    }

    async fn post(self, place: &Place, stop: watch::Receiver<bool>) -> Result<()> {
        let client = reqwest::Client::builder().timeout(Duration::from_secs(5)).build()?;
        while !*stop.borrow() {
            let number = self.ledger.next();
            let request = client.post(format!("{}/in", place.url)).bearer_auth(&self.key).body(self.body(number));
            match request.send().await {
                Ok(answer) if answer.status().is_success() => self.ledger.acknowledge(number),
                // Not acknowledged: it may be kept or not, and is not sent again.
                _ => sleep(REST).await,
            }
            sleep(PACE).await;
        }
        Ok(())
    }

    async fn publish(self, place: &Place, stop: watch::Receiver<bool>) -> Result<()> {
        let (client, mut answers, link) = connect(&self.device, &self.key, place, |packet| match packet {
            Packet::PubAck(ack) => {
                Some(matches!(ack.reason, PubAckReason::Success | PubAckReason::NoMatchingSubscribers))
            }
            Packet::PubRec(rec) => {
                let is_taken = matches!(rec.reason, PubRecReason::Success | PubRecReason::NoMatchingSubscribers);
                (!is_taken).then_some(false)
            }
            Packet::PubComp(_) => Some(true),
            _ => None,
        });
        let qos = if self.way == Way::Qos1 { QoS::AtLeastOnce } else { QoS::ExactlyOnce };
        while !*stop.borrow() {
            let number = self.ledger.next();
            client.publish(format!("marlbeck/{}/in", self.device), qos, false, self.body(number)).await?;
            // The library sends it again until it is answered.
            match timeout(ANSWER, answers.recv()).await {
                Ok(Some(true)) => self.ledger.acknowledge(number),
                Ok(_) => sleep(REST).await,
                Err(_) => anyhow::bail!("{}: no answer to {number} for {ANSWER:?}", self.device),
            }
            sleep(PACE).await;
        }
        link.abort();
        Ok(())
    }
}

/// Connects with a session that is kept, again and again, and gives on what the function makes of
/// the packets that come.
fn connect<T: Send + 'static>(
    id: &str,
    key: &str,
    place: &Place,
    mut answer: impl FnMut(Packet) -> Option<T> + Send + 'static,
) -> (AsyncClient, mpsc::UnboundedReceiver<T>, JoinHandle<()>) {
    let mut options = MqttOptions::new(id, "localhost", place.mqtt);
    options.set_credentials("", key).set_clean_start(false).set_keep_alive(Duration::from_secs(5));
    options.set_session_expiry_interval(Some(86_400)).set_connection_timeout(5);
    let (client, mut events) = AsyncClient::new(options, 10);
    let (sender, receiver) = mpsc::unbounded_channel();
    let link = tokio::spawn(async move {
        loop {
            match events.poll().await {
                Ok(Event::Incoming(packet)) => {
                    if answer(packet).is_some_and(|answer| sender.send(answer).is_err()) {
                        return;
                    }
                }
                Ok(Event::Outgoing(_)) => {}
                Err(_) => sleep(REST).await,
            }
        }
    });
    (client, receiver, link)
}

/// What a display has heard, by device.
pub(crate) type Heard = Arc<Mutex<Vec<(String, u64)>>>;

/// What happened to a display's connection.
enum Said {
    /// It is connected; whether its session was there.
    Connected(bool),
    Subscribed,
}

/// Subscribes to what devices send over MQTT, with a session that is kept, and waits until that is
/// granted.
pub(crate) async fn listen(key: &str, place: &Place) -> Result<Heard> {
    let heard = Heard::default();
    let into = heard.clone();
    let (client, mut answers, _link) = connect("display", key, place, move |packet| match packet {
        Packet::ConnAck(ack) => Some(Said::Connected(ack.session_present)),
        Packet::SubAck(_) => Some(Said::Subscribed),
        Packet::Publish(publish) => {
            let topic = String::from_utf8_lossy(&publish.topic).into_owned();
            let device = topic.split('/').nth(1).unwrap_or_default().to_owned();
            let number = serde_json::from_slice::<serde_json::Value>(&publish.payload)
                .ok()
                .and_then(|body| body["count"].as_u64());
            if let Some(number) = number {
                into.lock().unwrap_or_else(PoisonError::into_inner).push((device, number));
            }
            None
        }
        _ => None,
    });
    let (subscribed, is_subscribed) = tokio::sync::oneshot::channel();
    tokio::spawn(async move {
        let mut subscribed = Some(subscribed);
        while let Some(said) = answers.recv().await {
            match said {
                Said::Connected(true) => {}
                Said::Connected(false) => {
                    if client.subscribe("marlbeck/+/in", QoS::AtLeastOnce).await.is_err() {
                        return;
                    }
                }
                Said::Subscribed => {
                    let _ = subscribed.take().map(|subscribed| subscribed.send(()));
                }
            }
        }
    });
    timeout(ANSWER, is_subscribed).await??;
    Ok(heard)
}

/// The numbers of a device that a display has heard.
pub(crate) fn heard_of(heard: &Heard, device: &str) -> BTreeSet<u64> {
    let heard = heard.lock().unwrap_or_else(PoisonError::into_inner);
    heard.iter().filter(|(of, _)| of == device).map(|(_, number)| *number).collect()
}
