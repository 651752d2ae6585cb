//! Messages on their way through the server.

use bytes::Bytes;
use lantern_core::Moment;
use std::sync::Arc;

/// How surely a message is delivered.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
#[repr(u8)]
pub enum QoS {
    /// At most once.
    AtMostOnce = 0,
    /// At least once.
    AtLeastOnce = 1,
    /// Exactly once.
    ExactlyOnce = 2,
}

impl QoS {
    /// From its number; `None` for 3 and more.
    #[must_use]
    pub const fn from_number(number: u8) -> Option<Self> {
        match number {
            0 => Some(Self::AtMostOnce),
            1 => Some(Self::AtLeastOnce),
            2 => Some(Self::ExactlyOnce),
            _ => None,
        }
    }
}

/// What a message of MQTT 5.0 carries beside its payload, passed on unaltered.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Carried {
    /// The payload is said to be UTF-8.
    pub is_text: bool,
    /// What the payload is.
    pub content_type: Option<String>,
    /// Where an answer is expected.
    pub response_topic: Option<String>,
    /// What the answer must carry.
    pub correlation: Option<Bytes>,
    /// Names and values of the sender's own, in its order.
    pub user: Vec<(String, String)>,
}

/// An application message.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Message {
    /// Where it was published.
    pub topic: Arc<str>,
    /// Its bytes.
    pub payload: Bytes,
    /// The QoS it was published with.
    pub qos: QoS,
    /// Whether it stays on its topic.
    pub retain: bool,
    /// When nobody wants it any more.
    pub expires_at: Option<Moment>,
    /// What it carries beside the payload.
    pub carried: Carried,
    /// The client id of its publisher; `None` for the service itself.
    pub publisher: Option<Arc<str>>,
    /// Told to the host when the receiver has acknowledged it.
    pub token: Option<i64>,
}

impl Message {
    /// A message of the service's own.
    #[must_use]
    pub fn own(topic: impl Into<Arc<str>>, payload: impl Into<Bytes>) -> Self {
        Self {
            topic: topic.into(),
            payload: payload.into(),
            qos: QoS::AtLeastOnce,
            retain: false,
            expires_at: None,
            carried: Carried::default(),
            publisher: None,
            token: None,
        }
    }

    /// Whether its time is over.
    #[must_use]
    pub fn is_expired(&self, now: Moment) -> bool {
        self.expires_at.is_some_and(|end| end <= now)
    }

    /// About how many bytes it takes.
    pub(crate) fn weight(&self) -> usize {
        let user: usize = self.carried.user.iter().map(|(name, value)| name.len() + value.len() + 48).sum();
        self.topic.len() + self.payload.len() + user + 200
    }
}
