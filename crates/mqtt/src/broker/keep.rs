//! How sessions and retained messages are kept durably.
//!
//! Each piece is CBOR under a key of site, client id, part and item. A client id
//! is never empty, so that the empty one holds what is the site's.

use super::flight::{Flight, Phase, Queued};
use super::parcel::Parcel;
use crate::codec::{Retained, Subscription};
use crate::message::{Carried, Message, QoS};
use lantern_core::state::{StateChange, StateKey};
use lantern_core::{Moment, SiteId};
use minicbor::{Decode, Encode};
use std::sync::Arc;

pub(super) const SESSION: &str = "session";
pub(super) const FILTER: &str = "filter";
pub(super) const MESSAGE: &str = "message";
pub(super) const RECEIVED: &str = "received";
pub(super) const RETAINED: &str = "retained";
/// Messages that wait for several sessions; they are the site's.
pub(super) const BODY: &str = "body";

#[derive(Encode, Decode)]
#[cbor(map)]
pub(super) struct KeptSession {
    #[n(0)]
    pub(super) expiry_s: u32,
    #[n(1)]
    pub(super) will: Option<KeptMessage>,
    #[n(2)]
    pub(super) will_delay_s: u32,
    /// When it ends, in microseconds since 1970; missing while connected.
    #[n(3)]
    pub(super) ends_at: Option<i64>,
    /// What its holder was last admitted by.
    #[n(4)]
    #[cbor(with = "minicbor::bytes")]
    pub(super) credential: Vec<u8>,
    /// Whose it is.
    #[n(5)]
    #[cbor(with = "minicbor::bytes")]
    pub(super) lineage: Option<Vec<u8>>,
}

#[derive(Encode, Decode)]
#[cbor(map)]
pub(super) struct KeptMessage {
    #[n(0)]
    topic: String,
    #[n(1)]
    #[cbor(with = "minicbor::bytes")]
    payload: Vec<u8>,
    #[n(2)]
    qos: u8,
    #[n(3)]
    retain: bool,
    #[n(4)]
    expires_at: Option<i64>,
    #[n(5)]
    is_text: bool,
    #[n(6)]
    content_type: Option<String>,
    #[n(7)]
    response_topic: Option<String>,
    #[n(8)]
    #[cbor(with = "minicbor::bytes")]
    correlation: Option<Vec<u8>>,
    #[n(9)]
    user: Vec<(String, String)>,
    #[n(10)]
    publisher: Option<String>,
    #[n(11)]
    token: Option<i64>,
}

#[derive(Encode, Decode)]
#[cbor(map)]
pub(super) struct KeptEntry {
    #[n(0)]
    pub(super) packet: Option<u16>,
    /// QoS 2: the receiver has taken it, and the identifier is to be let go.
    #[n(1)]
    pub(super) is_released: bool,
    #[n(2)]
    qos: u8,
    #[n(3)]
    retain: bool,
    #[n(4)]
    subscriptions: Vec<u32>,
    /// The message, if nobody else waits for it.
    #[n(5)]
    message: Option<KeptMessage>,
    /// Otherwise, under which number it is kept.
    #[n(6)]
    body: Option<u64>,
}

#[derive(Encode, Decode)]
#[cbor(map)]
struct KeptFilter {
    #[n(0)]
    options: u8,
    #[n(1)]
    id: Option<u32>,
}

fn encode(value: &impl Encode<()>) -> Vec<u8> {
    // Writing to memory does not fail.
    minicbor::to_vec(value).unwrap_or_default()
}

fn moment(micros: i64) -> Option<Moment> {
    Moment::from_micros(micros)
}

impl KeptMessage {
    pub(super) fn of(message: &Message) -> Self {
        let carried = &message.carried;
        Self {
            topic: message.topic.to_string(),
            payload: message.payload.to_vec(),
            qos: message.qos as u8,
            retain: message.retain,
            expires_at: message.expires_at.map(Moment::as_micros),
            is_text: carried.is_text,
            content_type: carried.content_type.clone(),
            response_topic: carried.response_topic.clone(),
            correlation: carried.correlation.as_ref().map(|data| data.to_vec()),
            user: carried.user.clone(),
            publisher: message.publisher.as_deref().map(str::to_owned),
            token: message.token,
        }
    }

    pub(super) fn restore(self) -> Option<Message> {
        Some(Message {
            topic: self.topic.into(),
            payload: self.payload.into(),
            qos: QoS::from_number(self.qos)?,
            retain: self.retain,
            expires_at: self.expires_at.and_then(moment),
            carried: Carried {
                is_text: self.is_text,
                content_type: self.content_type,
                response_topic: self.response_topic,
                correlation: self.correlation.map(Into::into),
                user: self.user,
            },
            publisher: self.publisher.map(Into::into),
            token: self.token,
        })
    }
}

/// A number as an item, so that items are in its order.
fn numbered(number: u64) -> String {
    format!("{number:016x}")
}

/// Whose a piece is.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) struct Owner {
    pub(super) site: SiteId,
    /// The client id; empty for what is the site's.
    pub(super) client: Arc<str>,
}

impl Owner {
    fn key(&self, part: &'static str, item: String) -> StateKey {
        StateKey { site: self.site, owner: self.client.clone(), part, item }
    }

    fn entry(&self, number: u64) -> StateKey {
        self.key(MESSAGE, numbered(number))
    }
}

/// The session itself: that it is there, and its will.
pub(super) fn session(owner: &Owner, kept: &KeptSession) -> StateChange {
    StateChange::Put(owner.key(SESSION, String::new()), encode(kept))
}

/// Nothing of a session is kept any longer.
pub(super) fn gone(owner: &Owner) -> StateChange {
    StateChange::RemoveAll { site: owner.site, owner: owner.client.clone() }
}

pub(super) fn filter(owner: &Owner, written: &str, options: Subscription) -> StateChange {
    let byte = options.qos as u8
        | u8::from(options.no_local) << 2
        | u8::from(options.as_published) << 3
        | (options.retained as u8) << 4;
    let kept = KeptFilter { options: byte, id: options.id };
    StateChange::Put(owner.key(FILTER, written.to_owned()), encode(&kept))
}

pub(super) fn filter_gone(owner: &Owner, written: &str) -> StateChange {
    StateChange::Remove(owner.key(FILTER, written.to_owned()))
}

pub(super) fn restore_filter(bytes: &[u8]) -> Option<Subscription> {
    let kept: KeptFilter = minicbor::decode(bytes).ok()?;
    let retained = match kept.options >> 4 & 3 {
        0 => Retained::Send,
        1 => Retained::IfNew,
        _ => Retained::Keep,
    };
    Some(Subscription {
        qos: QoS::from_number(kept.options & 3)?,
        no_local: kept.options & 4 != 0,
        as_published: kept.options & 8 != 0,
        retained,
        id: kept.id,
    })
}

fn entry(queued: &Queued, packet: Option<u16>, is_released: bool) -> Vec<u8> {
    encode(&KeptEntry {
        packet,
        is_released,
        qos: queued.qos as u8,
        retain: queued.retain,
        subscriptions: queued.subscriptions.clone(),
        message: queued.parcel.body.is_none().then(|| KeptMessage::of(queued.message())),
        body: queued.parcel.body,
    })
}

pub(super) fn waiting(owner: &Owner, queued: &Queued) -> StateChange {
    StateChange::Put(owner.entry(queued.number), entry(queued, None, false))
}

pub(super) fn flight(owner: &Owner, flight: &Flight) -> StateChange {
    let is_released = flight.phase == Phase::Released;
    StateChange::Put(owner.entry(flight.queued.number), entry(&flight.queued, Some(flight.packet), is_released))
}

pub(super) fn entry_gone(owner: &Owner, number: u64) -> StateChange {
    StateChange::Remove(owner.entry(number))
}

/// A number under which a piece is kept.
pub(super) fn number(item: &str) -> Option<u64> {
    u64::from_str_radix(item, 16).ok()
}

/// A message for a session, its packet identifier and whether its receiver has taken it. `parcel`
/// finds the message, which is kept with it or under a number.
pub(super) fn restore_entry(
    item: &str,
    bytes: &[u8],
    parcel: impl FnOnce(Option<Message>, Option<u64>) -> Option<Arc<Parcel>>,
) -> Option<(Queued, Option<u16>, bool)> {
    let kept: KeptEntry = minicbor::decode(bytes).ok()?;
    let queued = Queued {
        number: number(item)?,
        parcel: parcel(kept.message.and_then(KeptMessage::restore), kept.body)?,
        qos: QoS::from_number(kept.qos)?,
        retain: kept.retain,
        subscriptions: kept.subscriptions,
    };
    Some((queued, kept.packet, kept.is_released))
}

pub(super) fn received(owner: &Owner, packet: u16) -> StateChange {
    StateChange::Put(owner.key(RECEIVED, packet.to_string()), Vec::new())
}

pub(super) fn received_gone(owner: &Owner, packet: u16) -> StateChange {
    StateChange::Remove(owner.key(RECEIVED, packet.to_string()))
}

fn of_site(site: SiteId) -> Owner {
    Owner { site, client: Arc::from("") }
}

/// A message that waits for several sessions.
pub(super) fn body(site: SiteId, number: u64, message: &Message) -> StateChange {
    StateChange::Put(of_site(site).key(BODY, numbered(number)), encode(&KeptMessage::of(message)))
}

/// It waits for none any longer.
pub(super) fn body_gone(site: SiteId, number: u64) -> StateChange {
    StateChange::Remove(of_site(site).key(BODY, numbered(number)))
}

/// A retained message, or that there is none any more.
pub(super) fn retained(site: SiteId, message: &Message) -> StateChange {
    let key = of_site(site).key(RETAINED, message.topic.to_string());
    if message.payload.is_empty() {
        StateChange::Remove(key)
    } else {
        StateChange::Put(key, encode(&KeptMessage::of(message)))
    }
}

pub(super) fn restore_message(bytes: &[u8]) -> Option<Message> {
    minicbor::decode::<KeptMessage>(bytes).ok()?.restore()
}

pub(super) fn restore_session(bytes: &[u8]) -> Option<KeptSession> {
    minicbor::decode(bytes).ok()
}
