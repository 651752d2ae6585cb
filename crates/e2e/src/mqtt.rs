//! MQTT clients of a library that is not ours, in both versions.

use crate::{PATIENCE, Service};
use rumqttc::{mqttbytes, v5};
use std::time::Duration;
use tokio::sync::mpsc;
use tokio::task::AbortHandle;

/// How long nothing must come.
const QUIET: Duration = Duration::from_millis(200);

/// A message that came.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Came {
    /// Its topic.
    pub topic: String,
    /// Its payload as text.
    pub payload: String,
    /// Whether it stood on its topic.
    pub retain: bool,
    /// QoS.
    pub qos: u8,
}

/// What happened on a connection.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Event {
    /// Connected; whether the session was there.
    Connected(bool),
    /// A subscription was answered; whether it was granted.
    Subscribed(bool),
    /// A message.
    Came(Came),
    /// A message of ours was taken; the reason code and string (0 in 3.1.1).
    Taken(u8, String),
    /// The connection ended, or never came about.
    Ended(String),
}

/// A client in one of the versions.
pub enum Mqtt {
    /// 3.1.1.
    Old(rumqttc::AsyncClient, mpsc::UnboundedReceiver<Event>, AbortHandle),
    /// 5.0.
    New(v5::AsyncClient, mpsc::UnboundedReceiver<Event>, AbortHandle),
}

fn qos(number: u8) -> mqttbytes::QoS {
    mqttbytes::qos(number).unwrap()
}

fn qos5(number: u8) -> v5::mqttbytes::QoS {
    v5::mqttbytes::qos(number).unwrap()
}

/// How a client connects.
#[derive(Clone)]
pub struct Dial {
    /// 4 or 5.
    pub version: u8,
    /// Client id.
    pub id: String,
    /// User name.
    pub user: String,
    /// The key.
    pub key: String,
    /// Whether the session outlives the connection.
    pub is_kept: bool,
    /// Topic and payload of a will.
    pub will: Option<(String, String)>,
    /// Host and port; the service's MQTT port if absent.
    pub port: Option<u16>,
    /// For TLS.
    pub tls: Option<std::sync::Arc<rustls::ClientConfig>>,
}

impl Dial {
    /// With a key.
    pub fn new(version: u8, id: &str, key: &str) -> Self {
        Self {
            version,
            id: id.to_owned(),
            // In 3.1.1 there is no password without one.
            user: if version == 4 { id.to_owned() } else { String::new() },
            key: key.to_owned(),
            is_kept: false,
            will: None,
            port: None,
            tls: None,
        }
    }

    /// Connects and waits until it is.
    pub async fn connect(self, service: &Service) -> Mqtt {
        let mut mqtt = self.dial(service);
        let event = mqtt.next().await;
        assert!(matches!(event, Event::Connected(_)), "{event:?}");
        mqtt
    }

    /// Begins to connect.
    pub fn dial(self, service: &Service) -> Mqtt {
        let port = self.port.unwrap_or(service.mqtt);
        let transport =
            self.tls.clone().map(|config| rumqttc::Transport::Tls(rumqttc::TlsConfiguration::Rustls(config)));
        if self.version == 4 { self.old(port, transport) } else { self.new_version(port, transport) }
    }

    fn old(self, port: u16, transport: Option<rumqttc::Transport>) -> Mqtt {
        let mut options = rumqttc::MqttOptions::new(self.id, "localhost", port);
        options.set_credentials(self.user, self.key).set_clean_session(!self.is_kept);
        options.set_keep_alive(Duration::from_secs(30)).set_inflight(100);
        options.set_max_packet_size(2 << 20, 2 << 20);
        if let Some((topic, payload)) = self.will {
            options.set_last_will(rumqttc::LastWill::new(topic, payload, qos(1), false));
        }
        if let Some(transport) = transport {
            options.set_transport(transport);
        }
        let (client, mut events) = rumqttc::AsyncClient::new(options, 1_000);
        let (sender, receiver) = mpsc::unbounded_channel();
        let task = tokio::spawn(async move {
            loop {
                let event = match events.poll().await {
                    Ok(rumqttc::Event::Incoming(packet)) => old_event(packet),
                    Ok(rumqttc::Event::Outgoing(_)) => None,
                    Err(error) => {
                        let _ = sender.send(Event::Ended(error.to_string()));
                        return;
                    }
                };
                if event.is_some_and(|event| sender.send(event).is_err()) {
                    return;
                }
            }
        });
        Mqtt::Old(client, receiver, task.abort_handle())
    }

    fn new_version(self, port: u16, transport: Option<rumqttc::Transport>) -> Mqtt {
        let mut options = v5::MqttOptions::new(self.id, "localhost", port);
        options.set_credentials(self.user, self.key).set_clean_start(!self.is_kept);
        options.set_keep_alive(Duration::from_secs(30)).set_outgoing_inflight_upper_limit(100);
        if self.is_kept {
            options.set_session_expiry_interval(Some(3_600));
        }
        if let Some((topic, payload)) = self.will {
            options.set_last_will(v5::mqttbytes::v5::LastWill::new(topic, payload, qos5(1), false, None));
        }
        if let Some(transport) = transport {
            options.set_transport(transport);
        }
        let (client, mut events) = v5::AsyncClient::new(options, 1_000);
        let (sender, receiver) = mpsc::unbounded_channel();
        let task = tokio::spawn(async move {
            loop {
                let event = match events.poll().await {
                    Ok(v5::Event::Incoming(packet)) => new_event(packet),
                    Ok(v5::Event::Outgoing(_)) => None,
                    Err(error) => {
                        let _ = sender.send(Event::Ended(error.to_string()));
                        return;
                    }
                };
                if event.is_some_and(|event| sender.send(event).is_err()) {
                    return;
                }
            }
        });
        Mqtt::New(client, receiver, task.abort_handle())
    }
}

fn old_event(packet: rumqttc::Packet) -> Option<Event> {
    use rumqttc::{Packet, SubscribeReasonCode};
    Some(match packet {
        Packet::ConnAck(ack) => Event::Connected(ack.session_present),
        Packet::SubAck(ack) => Event::Subscribed(!ack.return_codes.contains(&SubscribeReasonCode::Failure)),
        Packet::PubAck(_) | Packet::PubComp(_) => Event::Taken(0, String::new()),
        Packet::Publish(publish) => Event::Came(Came {
            topic: publish.topic,
            payload: String::from_utf8_lossy(&publish.payload).into_owned(),
            retain: publish.retain,
            qos: publish.qos as u8,
        }),
        _ => return None,
    })
}

fn new_event(packet: v5::mqttbytes::v5::Packet) -> Option<Event> {
    use v5::mqttbytes::v5::{Packet, PubAckReason, SubscribeReasonCode};
    Some(match packet {
        Packet::ConnAck(ack) => Event::Connected(ack.session_present),
        Packet::SubAck(ack) => {
            Event::Subscribed(ack.return_codes.iter().all(|code| matches!(code, SubscribeReasonCode::Success(_))))
        }
        Packet::PubAck(ack) => {
            let code = match ack.reason {
                PubAckReason::Success | PubAckReason::NoMatchingSubscribers => 0,
                PubAckReason::NotAuthorized => 0x87,
                PubAckReason::PayloadFormatInvalid => 0x99,
                PubAckReason::QuotaExceeded => 0x97,
                PubAckReason::TopicNameInvalid => 0x90,
                _ => 0x80,
            };
            Event::Taken(code, ack.properties.and_then(|p| p.reason_string).unwrap_or_default())
        }
        Packet::PubComp(_) => Event::Taken(0, String::new()),
        Packet::Publish(publish) => Event::Came(Came {
            topic: String::from_utf8_lossy(&publish.topic).into_owned(),
            payload: String::from_utf8_lossy(&publish.payload).into_owned(),
            retain: publish.retain,
            qos: publish.qos as u8,
        }),
        Packet::Disconnect(disconnect) => Event::Ended(format!("{:?}", disconnect.reason_code)),
        _ => return None,
    })
}

impl Mqtt {
    fn events(&mut self) -> &mut mpsc::UnboundedReceiver<Event> {
        match self {
            Self::Old(_, events, _) | Self::New(_, events, _) => events,
        }
    }

    /// The next thing that happens.
    pub async fn next(&mut self) -> Event {
        tokio::time::timeout(PATIENCE, self.events().recv())
            .await
            .expect("something happens")
            .expect("the client lives")
    }

    /// The next message.
    pub async fn came(&mut self) -> Came {
        match self.next().await {
            Event::Came(came) => came,
            other => panic!("a message should have come, but {other:?}"),
        }
    }

    /// Nothing happens for a moment.
    pub async fn quiet(&mut self) {
        if let Ok(event) = tokio::time::timeout(QUIET, self.events().recv()).await {
            panic!("nothing should happen, but {event:?}");
        }
    }

    /// Waits for the end of the connection.
    pub async fn ended(&mut self) -> String {
        loop {
            if let Event::Ended(why) = self.next().await {
                return why;
            }
        }
    }

    /// Subscribes, and says whether that was granted.
    pub async fn subscribe(&mut self, filter: &str, most: u8) -> bool {
        match self {
            Self::Old(client, ..) => client.subscribe(filter, qos(most)).await.unwrap(),
            Self::New(client, ..) => client.subscribe(filter, qos5(most)).await.unwrap(),
        }
        match self.next().await {
            Event::Subscribed(granted) => granted,
            other => panic!("{other:?}"),
        }
    }

    /// Publishes without waiting.
    pub async fn publish(&self, topic: &str, payload: impl Into<Vec<u8>>, with: u8) {
        self.publish_retained(topic, payload, with, false).await;
    }

    /// Publishes, to stay on the topic or not.
    pub async fn publish_retained(&self, topic: &str, payload: impl Into<Vec<u8>>, with: u8, retain: bool) {
        match self {
            Self::Old(client, ..) => client.publish(topic, qos(with), retain, payload).await.unwrap(),
            Self::New(client, ..) => client.publish(topic, qos5(with), retain, payload.into()).await.unwrap(),
        }
    }

    /// Publishes with QoS 1 or 2 and waits for the answer.
    pub async fn tell(&mut self, topic: &str, payload: impl Into<Vec<u8>>, with: u8) -> (u8, String) {
        self.publish(topic, payload, with).await;
        self.taken().await
    }

    /// The next answer to a message of ours.
    pub async fn taken(&mut self) -> (u8, String) {
        match self.next().await {
            Event::Taken(reason, text) => (reason, text),
            other => panic!("{other:?}"),
        }
    }

    /// Publishes in 5.0 with a content type.
    pub async fn tell_as(&mut self, topic: &str, payload: impl Into<Vec<u8>>, content_type: &str) -> (u8, String) {
        let Self::New(client, ..) = self else { panic!("only 5.0 has content types") };
        let properties = v5::mqttbytes::v5::PublishProperties {
            content_type: Some(content_type.to_owned()),
            ..v5::mqttbytes::v5::PublishProperties::default()
        };
        client.publish_with_properties(topic, qos5(1), false, payload.into(), properties).await.unwrap();
        self.taken().await
    }

    /// Breaks the connection off without a word.
    pub fn break_off(self) {
        match self {
            Self::Old(.., task) | Self::New(.., task) => task.abort(),
        }
    }

    /// Says goodbye.
    pub async fn goodbye(mut self) {
        match &self {
            Self::Old(client, ..) => client.disconnect().await.unwrap(),
            Self::New(client, ..) => client.disconnect().await.unwrap(),
        }
        self.ended().await;
    }
}
