//! Bytes to packets.

use super::fault::Fault;
use super::packet::{Ack, Connect, ConnectWill, Incoming, Publish, Retained, Subscription, Version};
use super::{MAX_PACKET, Reason, properties};
use crate::message::{Carried, QoS};
use bytes::Bytes;
use mqtt_protocol_core::mqtt::common::Cursor;
use mqtt_protocol_core::mqtt::connection::{PacketBuildResult, PacketBuilder, PacketData, RawPacket};
use mqtt_protocol_core::mqtt::packet::{MqttBinary, MqttString, Properties, Property};
use std::collections::HashMap;
use std::sync::Arc;

/// Topic aliases a client may use.
pub(crate) const ALIASES: u16 = 64;
/// Bytes of a CONNECT: nothing is known yet of who sends it.
const MAX_CONNECT: u32 = 128 << 10;

/// Cuts a stream of bytes into packets. The first must be a CONNECT; its version
/// holds from then on.
pub struct Reader {
    builder: PacketBuilder,
    version: Option<Version>,
    aliases: HashMap<u16, Arc<str>>,
}

impl Default for Reader {
    fn default() -> Self {
        Self { builder: PacketBuilder::with_maximum_packet_size(MAX_CONNECT), version: None, aliases: HashMap::new() }
    }
}

impl Reader {
    /// The version of the connection, once it is known.
    #[must_use]
    pub fn version(&self) -> Option<Version> {
        self.version
    }

    /// Takes bytes from the front of `data` up to the end of a packet. `None`
    /// when all were taken and the packet goes on.
    ///
    /// # Errors
    /// [`Fault`]; the connection cannot go on then.
    pub fn read(&mut self, data: &mut &[u8]) -> Result<Option<Incoming>, Fault> {
        let mut cursor = Cursor::new(*data);
        let built = self.builder.feed(&mut cursor);
        let used = usize::try_from(cursor.position()).unwrap_or(usize::MAX).min(data.len());
        *data = &data[used..];
        match built {
            PacketBuildResult::Incomplete => Ok(None),
            PacketBuildResult::Error(error) => Err(error.into()),
            PacketBuildResult::Complete(packet) => self.packet(&packet).map(Some),
        }
    }

    fn packet(&mut self, packet: &RawPacket) -> Result<Incoming, Fault> {
        let kind = packet.packet_type();
        let Some(version) = self.version else {
            if kind != 1 {
                return Err(Fault::protocol("the first packet must be CONNECT"));
            }
            flags(packet, 0)?;
            let connect = connect(packet.data_as_slice())?;
            self.version = Some(connect.version);
            self.builder = PacketBuilder::with_maximum_packet_size(MAX_PACKET);
            return Ok(Incoming::Connect(Box::new(connect)));
        };
        if kind == 3 {
            return self.publish(packet, version).map(Incoming::Publish);
        }
        flags(packet, if matches!(kind, 6 | 8 | 10) { 0b0010 } else { 0 })?;
        let mut body = Body { rest: packet.data_as_slice(), version };
        let incoming = match kind {
            1 => return Err(Fault::protocol("a second CONNECT")),
            4 => body.ack(Ack::PubAck)?,
            5 => body.ack(Ack::PubRec)?,
            6 => body.ack(Ack::PubRel)?,
            7 => body.ack(Ack::PubComp)?,
            8 => body.subscribe()?,
            10 => body.unsubscribe()?,
            12 => Incoming::Ping,
            14 => body.disconnect()?,
            15 if version == Version::V5 => return Ok(Incoming::Auth),
            _ => return Err(Fault::protocol("a packet only a server sends")),
        };
        if body.rest.is_empty() { Ok(incoming) } else { Err(Fault::malformed("bytes after its end")) }
    }

    fn publish(&mut self, packet: &RawPacket, version: Version) -> Result<Publish, Fault> {
        let flags = packet.flags();
        let qos = QoS::from_number(flags >> 1 & 3).ok_or_else(|| Fault::malformed("QoS 3"))?;
        let dup = flags & 8 != 0;
        if dup && qos == QoS::AtMostOnce {
            return Err(Fault::malformed("the duplicate flag with QoS 0"));
        }
        let mut body = Body { rest: packet.data_as_slice(), version };
        let topic = body.string()?;
        let id = if qos == QoS::AtMostOnce { None } else { Some(body.id()?) };
        let properties = body.properties(properties::PUBLISH)?;
        let (mut alias, mut expiry_s) = (None, None);
        for property in &properties {
            match property {
                Property::TopicAlias(number) => alias = Some(number.val()),
                Property::MessageExpiryInterval(seconds) => expiry_s = Some(seconds.val()),
                _ => {}
            }
        }
        let payload = payload(packet, body.rest);
        let carried = properties::carried(&properties);
        if carried.is_text && std::str::from_utf8(&payload).is_err() {
            return Err(Fault::new(Reason::PayloadFormatInvalid, "The payload is said to be UTF-8, and is not."));
        }
        Ok(Publish {
            dup,
            qos,
            retain: flags & 1 != 0,
            id,
            topic: self.topic(topic, alias)?,
            payload,
            expiry_s,
            carried,
        })
    }

    /// The topic of a PUBLISH: as it stands there, or what its alias stands for.
    fn topic(&mut self, topic: &str, alias: Option<u16>) -> Result<Arc<str>, Fault> {
        if alias.is_some_and(|number| number == 0 || number > ALIASES) {
            let text = format!("Topic aliases go from 1 to {ALIASES}.");
            return Err(Fault::new(Reason::TopicAliasInvalid, text));
        }
        match alias {
            Some(number) if topic.is_empty() => self
                .aliases
                .get(&number)
                .cloned()
                .ok_or_else(|| Fault::protocol("a topic alias that was not given a topic")),
            alias => {
                crate::check_name(topic)
                    .map_err(|error| Fault::new(Reason::TopicNameInvalid, format!("`{topic}`: {error}.")))?;
                let topic: Arc<str> = topic.into();
                if let Some(number) = alias {
                    self.aliases.insert(number, topic.clone());
                }
                Ok(topic)
            }
        }
    }
}

fn flags(packet: &RawPacket, expected: u8) -> Result<(), Fault> {
    if packet.flags() == expected { Ok(()) } else { Err(Fault::malformed("reserved flags are set")) }
}

/// The end of a packet, without copying it.
fn payload(packet: &RawPacket, rest: &[u8]) -> Bytes {
    match &packet.data {
        PacketData::Publish(data) if !rest.is_empty() => {
            let start = data.len() - rest.len();
            Bytes::from_owner(data.clone()).slice(start..)
        }
        _ => Bytes::copy_from_slice(rest),
    }
}

fn connect(data: &[u8]) -> Result<Connect, Fault> {
    let mut body = Body { rest: data, version: Version::V3 };
    let version = body.version_of_protocol()?;
    body.version = version;
    let flags = body.byte()?;
    let bit = |place: u8| flags & 1 << place != 0;
    let (has_user, has_password, will_retain, has_will, clean_start) = (bit(7), bit(6), bit(5), bit(2), bit(1));
    let will_qos = QoS::from_number(flags >> 3 & 3).ok_or_else(|| Fault::malformed("a will of QoS 3"))?;
    if bit(0) || !has_will && (will_retain || will_qos != QoS::AtMostOnce) {
        return Err(Fault::malformed("connect flags that contradict each other"));
    }
    if version == Version::V3 && has_password && !has_user {
        return Err(Fault::malformed("a password without a user name"));
    }
    let keep_alive_s = body.number()?;
    let properties = body.properties(properties::CONNECT)?;
    let client_id = body.string()?.to_owned();
    let will = if has_will { Some(body.will(will_qos, will_retain)?) } else { None };
    let user_name = if has_user { Some(body.string()?.to_owned()) } else { None };
    let password = if has_password { Some(Bytes::copy_from_slice(body.binary()?)) } else { None };
    if !body.rest.is_empty() {
        return Err(Fault::malformed("bytes after its end"));
    }
    // A session of 3.1.1 that is not clean outlives its connection until it is cleaned.
    let outlives = version == Version::V3 && !clean_start;
    let mut connect = Connect {
        version,
        clean_start,
        keep_alive_s,
        client_id,
        will,
        user_name,
        password,
        session_expiry_s: if outlives { u32::MAX } else { 0 },
        receive_maximum: u16::MAX,
        maximum_packet: u32::MAX,
        alias_maximum: 0,
        wants_problems: true,
        has_method: false,
    };
    take_properties(&mut connect, &properties)?;
    Ok(connect)
}

/// Takes the properties of a CONNECT over.
fn take_properties(connect: &mut Connect, properties: &Properties) -> Result<(), Fault> {
    for property in properties {
        match property {
            Property::SessionExpiryInterval(seconds) => connect.session_expiry_s = seconds.val(),
            Property::ReceiveMaximum(number) => connect.receive_maximum = number.val(),
            Property::MaximumPacketSize(bytes) => connect.maximum_packet = bytes.val(),
            Property::TopicAliasMaximum(number) => connect.alias_maximum = number.val(),
            Property::RequestProblemInformation(wants) => connect.wants_problems = wants.val() == 1,
            Property::AuthenticationMethod(_) => connect.has_method = true,
            _ => {}
        }
    }
    let has_data = properties.iter().any(|property| matches!(property, Property::AuthenticationData(_)));
    if has_data && !connect.has_method {
        return Err(Fault::protocol("authentication data without a method"));
    }
    Ok(())
}

/// What is left of a packet's body.
struct Body<'a> {
    rest: &'a [u8],
    version: Version,
}

impl<'a> Body<'a> {
    /// The name and level of the protocol, with which a CONNECT begins.
    fn version_of_protocol(&mut self) -> Result<Version, Fault> {
        match (self.string()?, self.byte()?) {
            ("MQTT", 4) => Ok(Version::V3),
            ("MQTT", 5) => Ok(Version::V5),
            ("MQTT" | "MQIsdp", level) => Err(Fault::new(
                Reason::UnsupportedVersion,
                format!("Protocol level {level} is not spoken here; use MQTT 3.1.1 (4) or 5.0 (5)."),
            )),
            _ => Err(Fault::protocol("the protocol name is not MQTT")),
        }
    }

    fn take(&mut self, length: usize) -> Result<&'a [u8], Fault> {
        let (taken, rest) = self.rest.split_at_checked(length).ok_or_else(|| Fault::malformed("it is cut short"))?;
        self.rest = rest;
        Ok(taken)
    }

    fn byte(&mut self) -> Result<u8, Fault> {
        Ok(self.take(1)?[0])
    }

    fn number(&mut self) -> Result<u16, Fault> {
        let bytes = self.take(2)?;
        Ok(u16::from_be_bytes([bytes[0], bytes[1]]))
    }

    fn id(&mut self) -> Result<u16, Fault> {
        match self.number()? {
            0 => Err(Fault::malformed("packet identifier 0")),
            id => Ok(id),
        }
    }

    /// A string; the codec checks that it is UTF-8.
    fn string(&mut self) -> Result<&'a str, Fault> {
        let (_, length) = MqttString::decode(self.rest)?;
        let bytes = &self.take(length)?[2..];
        let text = std::str::from_utf8(bytes).map_err(|_| Fault::malformed("a string that is not UTF-8"))?;
        if properties::no_null(text) { Ok(text) } else { Err(Fault::malformed("a string with a null character")) }
    }

    fn binary(&mut self) -> Result<&'a [u8], Fault> {
        let (_, length) = MqttBinary::decode(self.rest)?;
        Ok(&self.take(length)?[2..])
    }

    /// Properties, which 3.1.1 does not have.
    fn properties(&mut self, allowed: &[mqtt_protocol_core::mqtt::packet::PropertyId]) -> Result<Properties, Fault> {
        if self.version == Version::V3 {
            return Ok(Properties::new());
        }
        let (properties, length) = properties::read(self.rest, allowed)?;
        self.take(length)?;
        Ok(properties)
    }

    fn will(&mut self, qos: QoS, retain: bool) -> Result<ConnectWill, Fault> {
        let properties = self.properties(properties::WILL)?;
        let topic = self.string()?.to_owned();
        let payload = Bytes::copy_from_slice(self.binary()?);
        let (mut delay_s, mut expiry_s) = (0, None);
        for property in &properties {
            match property {
                Property::WillDelayInterval(seconds) => delay_s = seconds.val(),
                Property::MessageExpiryInterval(seconds) => expiry_s = Some(seconds.val()),
                _ => {}
            }
        }
        crate::check_name(&topic)
            .map_err(|error| Fault::new(Reason::TopicNameInvalid, format!("The will's topic `{topic}`: {error}.")))?;
        let carried: Carried = properties::carried(&properties);
        if carried.is_text && std::str::from_utf8(&payload).is_err() {
            return Err(Fault::new(Reason::PayloadFormatInvalid, "The will is said to be UTF-8, and is not."));
        }
        Ok(ConnectWill { topic, payload, qos, retain, delay_s, expiry_s, carried })
    }

    fn ack(&mut self, ack: Ack) -> Result<Incoming, Fault> {
        let id = self.id()?;
        let mut reason = 0;
        if self.version == Version::V5 && !self.rest.is_empty() {
            reason = self.byte()?;
            if !self.rest.is_empty() {
                self.properties(properties::ACK)?;
            }
        }
        Ok(Incoming::Ack(ack, id, reason))
    }

    fn subscribe(&mut self) -> Result<Incoming, Fault> {
        let id = self.id()?;
        let properties = self.properties(properties::SUBSCRIBE)?;
        let number = properties.iter().find_map(|property| match property {
            Property::SubscriptionIdentifier(number) => Some(number.val()),
            _ => None,
        });
        let mut filters = Vec::new();
        while !self.rest.is_empty() {
            let filter = self.string()?.to_owned();
            let options = self.byte()?;
            filters.push((filter, self.options(options, number)?));
        }
        if filters.is_empty() {
            return Err(Fault::protocol("no filter to subscribe to"));
        }
        Ok(Incoming::Subscribe { id, filters })
    }

    fn options(&self, byte: u8, id: Option<u32>) -> Result<Subscription, Fault> {
        let reserved = if self.version == Version::V5 { 0b1100_0000 } else { 0b1111_1100 };
        let qos = QoS::from_number(byte & 3).filter(|_| byte & reserved == 0);
        let retained = match byte >> 4 & 3 {
            0 => Some(Retained::Send),
            1 => Some(Retained::IfNew),
            2 => Some(Retained::Keep),
            _ => None,
        };
        let (Some(qos), Some(retained)) = (qos, retained) else {
            return Err(Fault::malformed("subscription options that do not exist"));
        };
        Ok(Subscription { qos, no_local: byte & 4 != 0, as_published: byte & 8 != 0, retained, id })
    }

    fn unsubscribe(&mut self) -> Result<Incoming, Fault> {
        let id = self.id()?;
        self.properties(properties::UNSUBSCRIBE)?;
        let mut filters = Vec::new();
        while !self.rest.is_empty() {
            filters.push(self.string()?.to_owned());
        }
        if filters.is_empty() {
            Err(Fault::protocol("no filter to unsubscribe from"))
        } else {
            Ok(Incoming::Unsubscribe { id, filters })
        }
    }

    fn disconnect(&mut self) -> Result<Incoming, Fault> {
        let mut reason = 0;
        let mut session_expiry_s = None;
        if self.version == Version::V5 && !self.rest.is_empty() {
            reason = self.byte()?;
            if !self.rest.is_empty() {
                for property in &self.properties(properties::DISCONNECT)? {
                    if let Property::SessionExpiryInterval(seconds) = property {
                        session_expiry_s = Some(seconds.val());
                    }
                }
            }
        }
        Ok(Incoming::Disconnect { with_will: reason != 0, session_expiry_s })
    }
}
