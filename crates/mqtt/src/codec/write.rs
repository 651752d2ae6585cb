//! Packets to bytes.

use super::packet::{Ack, Outgoing, Version, Welcome};
use super::{MAX_PACKET, Reason};
use crate::message::Message;
use bytes::{BufMut, BytesMut};
use lantern_core::Moment;
use std::collections::HashMap;
use std::sync::Arc;

/// What a client is told it can have.
const SESSION_EXPIRY: u8 = 17;
const ASSIGNED_CLIENT: u8 = 18;
const SERVER_KEEP_ALIVE: u8 = 19;
const REASON_STRING: u8 = 31;
const RECEIVE_MAXIMUM: u8 = 33;
const ALIAS_MAXIMUM: u8 = 34;
const ALIAS: u8 = 35;
const USER: u8 = 38;
const MAXIMUM_PACKET: u8 = 39;
const PAYLOAD_FORMAT: u8 = 1;
const EXPIRY: u8 = 2;
const CONTENT_TYPE: u8 = 3;
const RESPONSE_TOPIC: u8 = 8;
const CORRELATION: u8 = 9;
const SUBSCRIPTION: u8 = 11;

/// Writes packets in the version of one connection, within the limits its client
/// set.
#[derive(Debug)]
pub struct Writer {
    version: Version,
    maximum_packet: u32,
    wants_problems: bool,
    alias_maximum: u16,
    aliases: HashMap<Arc<str>, u16>,
    scratch: BytesMut,
}

impl Writer {
    /// A writer for a client that speaks `version` and takes packets and topic
    /// aliases up to a limit.
    #[must_use]
    pub fn new(version: Version, maximum_packet: u32, alias_maximum: u16, wants_problems: bool) -> Self {
        Self {
            version,
            maximum_packet,
            wants_problems,
            alias_maximum,
            aliases: HashMap::new(),
            scratch: BytesMut::new(),
        }
    }

    /// Appends a packet to `out`, or nothing if the client would not take it.
    pub fn write(&mut self, packet: &Outgoing, now: Moment, out: &mut BytesMut) {
        self.scratch.clear();
        let first = self.body(packet, now, self.wants_problems);
        let Some(first) = first else { return };
        if self.is_too_large() {
            // What is said for people only is left out first.
            if matches!(packet, Outgoing::Publish { .. })
                || self.body(packet, now, false).is_none()
                || self.is_too_large()
            {
                return;
            }
        }
        out.reserve(self.scratch.len() + 5);
        out.put_u8(first);
        put_length(out, self.scratch.len());
        out.extend_from_slice(&self.scratch);
        if self.scratch.capacity() > 16_384 {
            self.scratch = BytesMut::new();
        }
    }

    fn is_too_large(&self) -> bool {
        self.scratch.len() + 1 + length_of(self.scratch.len()) > self.maximum_packet as usize
    }

    /// Writes the body and says the first byte. `None` for what the version does
    /// not have.
    fn body(&mut self, packet: &Outgoing, now: Moment, with_text: bool) -> Option<u8> {
        self.scratch.clear();
        match packet {
            Outgoing::Welcome(welcome) => return self.welcome(welcome, with_text),
            Outgoing::Publish { message, dup, qos, retain, id, subscriptions } => {
                self.publish(message, *id, subscriptions, now);
                return Some(0x30 | u8::from(*dup) << 3 | (*qos as u8) << 1 | u8::from(*retain));
            }
            Outgoing::Ack(ack, id, reason, text) => {
                self.scratch.put_u16(*id);
                if self.version == Version::V5 && *reason != Reason::Success {
                    self.scratch.put_u8(reason.number());
                    self.put_text(text.as_deref().filter(|_| with_text));
                }
                return Some(match ack {
                    Ack::PubAck => 0x40,
                    Ack::PubRec => 0x50,
                    Ack::PubRel => 0x62,
                    Ack::PubComp => 0x70,
                });
            }
            Outgoing::SubAck(id, reasons, text) => {
                self.scratch.put_u16(*id);
                if self.version == Version::V5 {
                    self.put_text(text.as_deref().filter(|_| with_text));
                }
                for reason in reasons {
                    let is_old_failure = self.version == Version::V3 && reason.is_failure();
                    self.scratch.put_u8(if is_old_failure { 0x80 } else { reason.number() });
                }
                return Some(0x90);
            }
            Outgoing::UnsubAck(id, reasons) => {
                self.scratch.put_u16(*id);
                if self.version == Version::V5 {
                    self.put_text(None);
                    reasons.iter().for_each(|reason| self.scratch.put_u8(reason.number()));
                }
                return Some(0xB0);
            }
            Outgoing::Pong => return Some(0xD0),
            Outgoing::Disconnect(reason, text) => {
                if self.version == Version::V3 {
                    return None;
                }
                self.scratch.put_u8(reason.number());
                self.put_text(Some(text.as_str()).filter(|_| with_text));
            }
        }
        Some(0xE0)
    }

    /// Properties that are a reason string, or none.
    fn put_text(&mut self, text: Option<&str>) {
        match text {
            Some(text) => {
                let text = cut(text);
                put_length(&mut self.scratch, text.len() + 3);
                put_string(&mut self.scratch, REASON_STRING, text);
            }
            None => self.scratch.put_u8(0),
        }
    }

    fn welcome(&mut self, welcome: &Welcome, with_text: bool) -> Option<u8> {
        let out = &mut self.scratch;
        out.put_u8(u8::from(welcome.session_present));
        if self.version == Version::V3 {
            out.put_u8(welcome.reason.return_code()?);
            return Some(0x20);
        }
        out.put_u8(welcome.reason.number());
        let mut properties = BytesMut::new();
        if !welcome.reason.is_failure() {
            if let Some(seconds) = welcome.session_expiry_s {
                properties.put_u8(SESSION_EXPIRY);
                properties.put_u32(seconds);
            }
            if let Some(id) = &welcome.assigned {
                put_string(&mut properties, ASSIGNED_CLIENT, id);
            }
            if let Some(seconds) = welcome.keep_alive_s {
                properties.put_u8(SERVER_KEEP_ALIVE);
                properties.put_u16(seconds);
            }
            properties.put_u8(RECEIVE_MAXIMUM);
            properties.put_u16(welcome.receive_maximum);
            properties.put_u8(ALIAS_MAXIMUM);
            properties.put_u16(welcome.alias_maximum);
            properties.put_u8(MAXIMUM_PACKET);
            properties.put_u32(MAX_PACKET);
        }
        if let Some(text) = welcome.text.as_deref().filter(|_| with_text) {
            put_string(&mut properties, REASON_STRING, cut(text));
        }
        put_length(&mut self.scratch, properties.len());
        self.scratch.extend_from_slice(&properties);
        Some(0x20)
    }

    fn publish(&mut self, message: &Message, id: Option<u16>, subscriptions: &[u32], now: Moment) {
        if self.version == Version::V3 {
            put_bytes(&mut self.scratch, message.topic.as_bytes());
            if let Some(id) = id {
                self.scratch.put_u16(id);
            }
            self.scratch.extend_from_slice(&message.payload);
            return;
        }
        // An alias is of use only to a message that is sent; one given to a message
        // too large would never reach the client.
        let is_small = publish_size(message, Version::V5, subscriptions.len()) <= self.maximum_packet as usize;
        let known = self.aliases.get(&message.topic).copied();
        let fresh = match known {
            None if is_small && self.aliases.len() < usize::from(self.alias_maximum) => {
                let number = self.aliases.len() as u16 + 1;
                self.aliases.insert(message.topic.clone(), number);
                Some(number)
            }
            _ => None,
        };
        put_bytes(&mut self.scratch, if known.is_some() { &[] } else { message.topic.as_bytes() });
        if let Some(id) = id {
            self.scratch.put_u16(id);
        }
        let mut properties = BytesMut::new();
        if let Some(alias) = known.or(fresh) {
            properties.put_u8(ALIAS);
            properties.put_u16(alias);
        }
        put_carried(&mut properties, message, subscriptions, now);
        put_length(&mut self.scratch, properties.len());
        self.scratch.extend_from_slice(&properties);
        self.scratch.extend_from_slice(&message.payload);
    }
}

fn put_carried(out: &mut BytesMut, message: &Message, subscriptions: &[u32], now: Moment) {
    let carried = &message.carried;
    if carried.is_text {
        out.put_slice(&[PAYLOAD_FORMAT, 1]);
    }
    if let Some(end) = message.expires_at {
        out.put_u8(EXPIRY);
        // A part of a second counts as a whole one, a thousandth does not.
        let left_s = (end.seconds_since(now) - 0.001).clamp(0.0, f64::from(u32::MAX));
        out.put_u32(left_s.ceil() as u32);
    }
    if let Some(text) = &carried.content_type {
        put_string(out, CONTENT_TYPE, text);
    }
    if let Some(topic) = &carried.response_topic {
        put_string(out, RESPONSE_TOPIC, topic);
    }
    if let Some(data) = &carried.correlation {
        out.put_u8(CORRELATION);
        put_bytes(out, data);
    }
    for id in subscriptions {
        out.put_u8(SUBSCRIPTION);
        put_length(out, *id as usize);
    }
    for (name, value) in &carried.user {
        put_string(out, USER, name);
        put_bytes(out, value.as_bytes());
    }
}

/// Bytes a PUBLISH takes at most, with identifier and without alias.
pub(crate) fn publish_size(message: &Message, version: Version, subscriptions: usize) -> usize {
    let base = message.topic.len() + message.payload.len() + 2 + 2;
    let body = match version {
        Version::V3 => base,
        Version::V5 => {
            let carried = &message.carried;
            let text = |text: &Option<String>| text.as_ref().map_or(0, |text| text.len() + 3);
            let user: usize = carried.user.iter().map(|(name, value)| name.len() + value.len() + 5).sum();
            let properties = text(&carried.content_type)
                + text(&carried.response_topic)
                + carried.correlation.as_ref().map_or(0, |data| data.len() + 3)
                + user
                + subscriptions * 5
                + 2
                + 5
                + 3;
            base + properties + length_of(properties)
        }
    };
    body + 1 + length_of(body)
}

fn length_of(value: usize) -> usize {
    match value {
        0..0x80 => 1,
        0x80..0x4000 => 2,
        0x4000..0x20_0000 => 3,
        _ => 4,
    }
}

/// A variable byte integer (section 1.5.5).
fn put_length(out: &mut BytesMut, mut value: usize) {
    loop {
        let byte = (value & 0x7F) as u8;
        value >>= 7;
        out.put_u8(if value > 0 { byte | 0x80 } else { byte });
        if value == 0 {
            return;
        }
    }
}

fn put_bytes(out: &mut BytesMut, bytes: &[u8]) {
    // What is written came from packets or is ours: never over 65,535.
    let length = u16::try_from(bytes.len()).unwrap_or(u16::MAX);
    out.put_u16(length);
    out.extend_from_slice(&bytes[..usize::from(length)]);
}

fn put_string(out: &mut BytesMut, id: u8, text: &str) {
    out.put_u8(id);
    put_bytes(out, text.as_bytes());
}

/// Enough of a text to be read on a small display.
fn cut(text: &str) -> &str {
    &text[..text.floor_char_boundary(500)]
}
