//! Packets, free of the differences between the versions.

use super::Reason;
use crate::message::{Carried, Message, QoS};
use bytes::Bytes;
use std::sync::Arc;

/// A version of the protocol.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Version {
    /// 3.1.1, protocol level 4.
    V3,
    /// 5.0, protocol level 5.
    V5,
}

/// What a client sends.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Incoming {
    /// The first packet of a connection.
    Connect(Box<Connect>),
    /// A message.
    Publish(Publish),
    /// One of the four answers about a message.
    Ack(Ack, u16, u8),
    /// Asks for messages.
    Subscribe {
        /// Packet identifier.
        id: u16,
        /// What for, as written, and how.
        filters: Vec<(String, Subscription)>,
    },
    /// Asks for them no longer.
    Unsubscribe {
        /// Packet identifier.
        id: u16,
        /// The filters, as written.
        filters: Vec<String>,
    },
    /// Is there anybody?
    Ping,
    /// The last packet of a connection.
    Disconnect {
        /// Whether the will is wanted all the same (reason 0x04).
        with_will: bool,
        /// A new session expiry in seconds.
        session_expiry_s: Option<u32>,
    },
    /// An exchange of an authentication method, which none is offered of.
    Auth,
}

/// Which answer about a message.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Ack {
    /// QoS 1: taken.
    PubAck,
    /// QoS 2: taken.
    PubRec,
    /// QoS 2: the identifier can be let go.
    PubRel,
    /// QoS 2: it has been.
    PubComp,
}

/// CONNECT.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Connect {
    /// The version spoken from here on.
    pub version: Version,
    /// Whether an earlier session is to be forgotten.
    pub clean_start: bool,
    /// Seconds between packets, at most; 0 for no limit.
    pub keep_alive_s: u16,
    /// Empty if the server is to choose.
    pub client_id: String,
    /// To be published if the client goes without a word.
    pub will: Option<ConnectWill>,
    /// User name.
    pub user_name: Option<String>,
    /// Password.
    pub password: Option<Bytes>,
    /// Seconds the session outlives its connection; `u32::MAX` for ever.
    pub session_expiry_s: u32,
    /// Messages of QoS 1 and 2 the client takes unacknowledged.
    pub receive_maximum: u16,
    /// Bytes of the largest packet the client takes.
    pub maximum_packet: u32,
    /// Topic aliases the client takes.
    pub alias_maximum: u16,
    /// Whether it wants reason strings beside any answer.
    pub wants_problems: bool,
    /// Whether it asks for an authentication method.
    pub has_method: bool,
}

/// The will in a CONNECT.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ConnectWill {
    /// Topic.
    pub topic: String,
    /// Payload.
    pub payload: Bytes,
    /// QoS.
    pub qos: QoS,
    /// Whether it is retained.
    pub retain: bool,
    /// Seconds to wait before it is published.
    pub delay_s: u32,
    /// Seconds it lives after it was published.
    pub expiry_s: Option<u32>,
    /// What it carries.
    pub carried: Carried,
}

/// PUBLISH, as a client sends it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Publish {
    /// It may have been sent before.
    pub dup: bool,
    /// QoS.
    pub qos: QoS,
    /// Whether it stays on its topic.
    pub retain: bool,
    /// Packet identifier, for QoS 1 and 2.
    pub id: Option<u16>,
    /// The topic, aliases resolved.
    pub topic: Arc<str>,
    /// Payload.
    pub payload: Bytes,
    /// Seconds it lives.
    pub expiry_s: Option<u32>,
    /// What it carries.
    pub carried: Carried,
}

/// How retained messages are sent when a subscription is made.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Retained {
    /// Always.
    Send,
    /// If the subscription is new.
    IfNew,
    /// Not at all.
    Keep,
}

/// The options of a subscription.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Subscription {
    /// The most sure delivery wanted.
    pub qos: QoS,
    /// Not the client's own messages.
    pub no_local: bool,
    /// Retain flag as published.
    pub as_published: bool,
    /// When retained messages are sent.
    pub retained: Retained,
    /// The number the client gave it.
    pub id: Option<u32>,
}

/// What the server sends.
#[derive(Debug, Clone, PartialEq)]
pub enum Outgoing {
    /// CONNACK.
    Welcome(Box<Welcome>),
    /// PUBLISH.
    Publish {
        /// The message.
        message: Arc<Message>,
        /// It may have been sent before.
        dup: bool,
        /// QoS of this delivery.
        qos: QoS,
        /// Retain flag.
        retain: bool,
        /// Packet identifier, for QoS 1 and 2.
        id: Option<u16>,
        /// Numbers of the subscriptions it matched.
        subscriptions: Vec<u32>,
    },
    /// One of the four answers about a message.
    Ack(Ack, u16, Reason, Option<String>),
    /// SUBACK.
    SubAck(u16, Vec<Reason>, Option<String>),
    /// UNSUBACK.
    UnsubAck(u16, Vec<Reason>),
    /// PINGRESP.
    Pong,
    /// DISCONNECT; in 3.1.1 the connection is just closed.
    Disconnect(Reason, String),
}

/// CONNACK.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Welcome {
    /// Whether the client may connect.
    pub reason: Reason,
    /// Why not, in words.
    pub text: Option<String>,
    /// Whether an earlier session goes on.
    pub session_present: bool,
    /// The client id the server chose.
    pub assigned: Option<Arc<str>>,
    /// The keep-alive the server wants instead.
    pub keep_alive_s: Option<u16>,
    /// Session expiry, where it is another than was asked for.
    pub session_expiry_s: Option<u32>,
    /// Messages of QoS 1 and 2 the server takes unacknowledged.
    pub receive_maximum: u16,
    /// Topic aliases the server takes.
    pub alias_maximum: u16,
}
