//! One session: what it is subscribed to and what is on its way to it.

use super::Link;
use super::flight::{Flight, Phase, Queued};
use super::keep::{self, KeptMessage, KeptSession, Owner};
use super::output::Outputs;
use super::parcel::Holding;
use crate::codec::{Ack, Outgoing, Reason, Subscription, Version, publish_size};
use crate::host::Holder;
use crate::message::{Message, QoS};
use lantern_core::Moment;
use lantern_core::state::StateChange;
use std::collections::{HashMap, VecDeque};
use std::sync::Arc;

/// Messages sent and not acknowledged, whatever more the client would take.
const WINDOW: usize = 256;
/// Bytes of them: a slow reader of large messages must not hold much memory.
const WINDOW_BYTES: usize = 4 << 20;
/// Messages that wait for a client that is away or slow; the oldest go first.
const MAX_WAITING: usize = 10_000;
/// Bytes of them.
const MAX_WAITING_BYTES: usize = 16 << 20;

/// The connection of a session.
#[derive(Debug)]
pub(super) struct Attached {
    pub(super) link: Link,
    pub(super) version: Version,
    pub(super) receive_maximum: u16,
    pub(super) maximum_packet: u32,
}

/// A will that has not been published.
#[derive(Debug, Clone)]
pub(super) struct Testament {
    pub(super) message: Arc<Message>,
    pub(super) delay_s: u32,
    /// When it is published, once the connection is gone.
    pub(super) due_at: Option<Moment>,
}

/// How far the reception of a QoS 2 message is.
#[derive(Debug, Clone, Copy, Default)]
pub(super) struct Received {
    pub(super) is_durable: bool,
    /// It came again meanwhile and waits for its answer.
    pub(super) is_asked_again: bool,
}

#[derive(Debug)]
pub(super) struct Session {
    pub(super) owner: Owner,
    /// Whose it is; empty if that was not known when it was last kept.
    pub(super) lineage: Arc<[u8]>,
    /// What its holder was last admitted by.
    pub(super) credential: Arc<[u8]>,
    /// What it shares with the holder's other sessions.
    pub(super) holding: Arc<Holding>,
    pub(super) attached: Option<Attached>,
    /// The connection that is being made, or was last.
    pub(super) link: u64,
    pub(super) expiry_s: u32,
    /// When it ends; `None` while connected.
    pub(super) ends_at: Option<Moment>,
    pub(super) will: Option<Testament>,
    pub(super) filters: HashMap<Arc<str>, Subscription>,
    pub(super) waiting: VecDeque<Queued>,
    pub(super) waiting_bytes: usize,
    pub(super) flights: VecDeque<Flight>,
    pub(super) flight_bytes: usize,
    pub(super) received: HashMap<u16, Received>,
    pub(super) next_number: u64,
    pub(super) last_packet: u16,
    /// Messages that were given up since the service started, for want of room.
    pub(super) given_up: u64,
}

impl Session {
    pub(super) fn new(owner: Owner, lineage: Arc<[u8]>, credential: Arc<[u8]>, holding: Arc<Holding>) -> Self {
        Self {
            owner,
            lineage,
            credential,
            holding,
            attached: None,
            link: 0,
            expiry_s: 0,
            ends_at: None,
            will: None,
            filters: HashMap::new(),
            waiting: VecDeque::new(),
            waiting_bytes: 0,
            flights: VecDeque::new(),
            flight_bytes: 0,
            received: HashMap::new(),
            next_number: 0,
            last_packet: 0,
            given_up: 0,
        }
    }

    /// Whether it outlives its connection, and so a crash.
    pub(super) fn is_kept(&self) -> bool {
        self.expiry_s > 0
    }

    /// Whether it belongs to a holder. One of which only the credential is known belongs to
    /// whoever brings that, or to whoever takes it over.
    pub(super) fn is_of(&self, holder: &Holder) -> bool {
        if self.lineage.is_empty() { self.credential == holder.credential } else { self.lineage == holder.lineage }
    }

    /// The change that keeps it.
    pub(super) fn kept(&self) -> StateChange {
        let kept = KeptSession {
            expiry_s: self.expiry_s,
            will: self.will.as_ref().map(|will| KeptMessage::of(&will.message)),
            will_delay_s: self.will.as_ref().map_or(0, |will| will.delay_s),
            ends_at: self.ends_at.map(Moment::as_micros),
            credential: self.credential.to_vec(),
            lineage: Some(self.lineage.to_vec()).filter(|lineage| !lineage.is_empty()),
        };
        keep::session(&self.owner, &kept)
    }

    /// Takes a message of QoS 1 or 2 in. Says under which number, if anything
    /// about it must become durable before it is sent.
    pub(super) fn enqueue(&mut self, mut queued: Queued, changes: &mut Vec<StateChange>) -> Option<u64> {
        if self.is_too_large(&queued) || !self.has_room(&queued, changes) {
            return None;
        }
        self.next_number += 1;
        queued.number = self.next_number;
        let number = queued.number;
        if self.waiting.is_empty() && self.has_window() {
            self.take_off(queued, changes);
        } else {
            if self.is_kept() {
                changes.push(keep::waiting(&self.owner, &queued));
            }
            self.waiting_bytes += queued.weight();
            self.waiting.push_back(queued);
            self.trim(changes);
        }
        self.is_kept().then_some(number)
    }

    fn is_too_large(&self, queued: &Queued) -> bool {
        self.attached.as_ref().is_some_and(|attached| {
            publish_size(queued.message(), attached.version, queued.subscriptions.len())
                > attached.maximum_packet as usize
        })
    }

    fn has_window(&self) -> bool {
        let Some(attached) = &self.attached else { return false };
        self.flights.len() < WINDOW.min(attached.receive_maximum.into())
            && (self.flight_bytes < WINDOW_BYTES.min(self.holding.share()) || self.flights.is_empty())
    }

    /// Gives a message its packet identifier.
    fn take_off(&mut self, queued: Queued, changes: &mut Vec<StateChange>) {
        let packet = self.free_packet();
        self.flight_bytes += queued.weight();
        let flight = Flight { queued, packet, phase: Phase::Unsent { dup: false }, is_durable: !self.is_kept() };
        if self.is_kept() {
            changes.push(keep::flight(&self.owner, &flight));
        }
        self.flights.push_back(flight);
    }

    fn free_packet(&mut self) -> u16 {
        loop {
            // The window is far smaller than the numbers there are.
            self.last_packet = self.last_packet.checked_add(1).unwrap_or(1);
            if self.flights.iter().all(|flight| flight.packet != self.last_packet) {
                return self.last_packet;
            }
        }
    }

    /// Gives up the oldest that waits until what waits is within its bounds.
    fn trim(&mut self, changes: &mut Vec<StateChange>) {
        let most = MAX_WAITING_BYTES.min(self.holding.share());
        while (self.waiting.len() > MAX_WAITING || self.waiting_bytes > most) && self.give_up_oldest(changes) {}
    }

    /// Whether the site has room for one more message, once the oldest that waits here was
    /// given up for it.
    fn has_room(&mut self, queued: &Queued, changes: &mut Vec<StateChange>) -> bool {
        while queued.parcel.is_over() {
            if !self.give_up_oldest(changes) {
                self.given_up += 1;
                return false;
            }
        }
        true
    }

    fn give_up_oldest(&mut self, changes: &mut Vec<StateChange>) -> bool {
        let Some(oldest) = self.waiting.pop_front() else { return false };
        self.given_up += 1;
        self.waiting_bytes -= oldest.weight();
        if self.is_kept() {
            changes.push(keep::entry_gone(&self.owner, oldest.number));
        }
        true
    }

    /// Moves what waits into the window. Says which numbers must become durable.
    pub(super) fn pump(&mut self, now: Moment, changes: &mut Vec<StateChange>) -> Vec<u64> {
        let mut numbers = Vec::new();
        while self.has_window() {
            let Some(queued) = self.waiting.pop_front() else { break };
            self.waiting_bytes -= queued.weight();
            if queued.message().is_expired(now) || self.is_too_large(&queued) {
                if self.is_kept() {
                    changes.push(keep::entry_gone(&self.owner, queued.number));
                }
                continue;
            }
            numbers.push(queued.number);
            self.take_off(queued, changes);
        }
        if self.is_kept() { numbers } else { Vec::new() }
    }

    /// Sends what may be sent, in order.
    pub(super) fn flush(&mut self, changes: &mut Vec<StateChange>, outputs: &mut Outputs) {
        let Some(attached) = &self.attached else { return };
        let mut too_large = Vec::new();
        let outstanding = usize::from(attached.receive_maximum);
        for (place, flight) in self.flights.iter_mut().enumerate() {
            if !flight.is_durable || place >= outstanding {
                break;
            }
            let Phase::Unsent { dup } = flight.phase else { continue };
            let queued = &flight.queued;
            if publish_size(queued.message(), attached.version, queued.subscriptions.len())
                > attached.maximum_packet as usize
            {
                too_large.push(flight.packet);
                continue;
            }
            flight.phase = Phase::Sent;
            let publish = Outgoing::Publish {
                message: queued.message().clone(),
                dup,
                qos: queued.qos,
                retain: queued.retain,
                id: Some(flight.packet),
                subscriptions: queued.subscriptions.clone(),
            };
            outputs.send(attached.link, publish);
        }
        for packet in too_large {
            if let Some(flight) = self.land(packet)
                && self.is_kept()
            {
                changes.push(keep::entry_gone(&self.owner, flight.queued.number));
            }
        }
    }

    /// Sends a message of QoS 0, if there is anybody.
    pub(super) fn send_now(&self, queued: Queued, outputs: &mut Outputs) {
        let publish = Outgoing::Publish {
            message: queued.parcel.message.clone(),
            dup: false,
            qos: QoS::AtMostOnce,
            retain: queued.retain,
            id: None,
            subscriptions: queued.subscriptions,
        };
        self.send(publish, outputs);
    }

    /// What has been noted of a message is durable now.
    pub(super) fn mark_durable(&mut self, number: u64, outputs: &mut Outputs) {
        let Some(flight) = self.flights.iter_mut().find(|flight| flight.queued.number == number) else { return };
        flight.is_durable = true;
        if flight.phase == Phase::Released {
            let packet = flight.packet;
            self.send(Outgoing::Ack(Ack::PubRel, packet, Reason::Success, None), outputs);
        }
    }

    /// Sends a packet, if there is a connection.
    pub(super) fn send(&self, packet: Outgoing, outputs: &mut Outputs) {
        if let Some(attached) = &self.attached {
            outputs.send(attached.link, packet);
        }
    }

    /// Takes a message back that could not be made durable.
    pub(super) fn withdraw(&mut self, number: u64) {
        self.waiting.retain(|queued| queued.number != number);
        self.flights.retain(|flight| flight.queued.number != number);
        self.waiting_bytes = self.waiting.iter().map(|queued| queued.weight()).sum();
        self.flight_bytes = self.flights.iter().map(|flight| flight.queued.weight()).sum();
    }

    /// The delivery of a message has ended.
    pub(super) fn land(&mut self, packet: u16) -> Option<Flight> {
        let place = self.flights.iter().position(|flight| flight.packet == packet)?;
        let flight = self.flights.remove(place)?;
        self.flight_bytes -= flight.queued.weight();
        Some(flight)
    }

    /// QoS 2: the receiver has taken a message. Says its number.
    pub(super) fn release(&mut self, packet: u16) -> Option<u64> {
        let is_kept = self.is_kept();
        let flight = self.flights.iter_mut().find(|flight| flight.packet == packet)?;
        flight.phase = Phase::Released;
        flight.is_durable = !is_kept;
        Some(flight.queued.number)
    }

    /// A new connection: what was sent on an earlier one is sent again.
    pub(super) fn rewind(&mut self, outputs: &mut Outputs) {
        for flight in &mut self.flights {
            if flight.phase == Phase::Sent {
                flight.phase = Phase::Unsent { dup: true };
            }
        }
        for flight in self.flights.iter().filter(|flight| flight.phase == Phase::Released && flight.is_durable) {
            self.send(Outgoing::Ack(Ack::PubRel, flight.packet, Reason::Success, None), outputs);
        }
    }
}
