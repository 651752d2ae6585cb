//! Sessions, subscriptions, retained messages and wills of all sites, as a value:
//! no sockets, no clock, no files.
//!
//! What must be durable before it takes effect comes back as changes with
//! tickets. After the changes were kept the tickets are redeemed
//! ([`Broker::redeem`]), and only then anything is sent; if they could not be
//! kept, the tickets are given back ([`Broker::withdraw`]).

mod flight;
mod keep;
mod opening;
mod output;
mod routing;
mod session;
mod subscribing;
mod tree;

use crate::codec::{Ack, Outgoing, Reason};
use crate::message::Message;
use flight::{Flight, Phase, Queued};
use keep::Owner;
use lantern_core::state::{KeptState, StateChange};
use lantern_core::{Moment, SiteId};
use output::Outputs;
use session::{Received, Session, Testament};
use std::collections::{BTreeMap, HashMap, HashSet};
use std::sync::Arc;
use tree::Tree;

pub use opening::{Ending, Opened, Will};
pub use output::Output;

/// A connection's hold on its session. It holds until another connection takes
/// the session over.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub struct Link {
    session: u64,
    number: u64,
}

/// What is to be kept, and what is to be done once it has been.
#[derive(Debug, Default)]
pub struct Outcome {
    /// To be made durable, in this order.
    pub changes: Vec<StateChange>,
    /// To be redeemed afterwards.
    pub tickets: Vec<Ticket>,
    /// Sessions a message goes to.
    pub receivers: usize,
}

/// Something that waits for its changes to be durable.
#[derive(Debug)]
pub struct Ticket(Promise);

#[derive(Debug)]
enum Promise {
    /// What was noted of a message for a kept session is durable.
    Noted { session: u64, number: u64 },
    /// A message for a session that needs nothing noted.
    Deliver { session: u64, queued: Queued },
    /// A retained message.
    Retain { site: SiteId, message: Arc<Message> },
}

/// What was found out about a message of QoS 2 that came in.
#[derive(Debug, PartialEq, Eq)]
pub enum Receipt {
    /// It is new; the change is to be kept together with it.
    New(Option<StateChange>),
    /// It came before and has been taken.
    Taken,
    /// It came before and is being taken; its answer will come.
    Underway,
}

/// A summary of a session, for people.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SessionView {
    /// Client id.
    pub client: Arc<str>,
    /// Whether it has a connection.
    pub is_connected: bool,
    /// Messages that wait for it.
    pub waiting: usize,
    /// What it is subscribed to.
    pub filters: usize,
}

#[derive(Debug, Default)]
struct Realm {
    clients: HashMap<Arc<str>, u64>,
    tree: Tree,
    retained: BTreeMap<Arc<str>, Arc<Message>>,
    retained_bytes: usize,
}

/// All sessions of all sites.
#[derive(Debug, Default)]
pub struct Broker {
    realms: HashMap<SiteId, Realm>,
    sessions: HashMap<u64, Session>,
    outputs: Outputs,
    last_session: u64,
    last_link: u64,
    last_assigned: u64,
}

impl Broker {
    /// Restores what was kept when the service last ran.
    #[must_use]
    pub fn restore(kept: &[KeptState], now: Moment) -> Self {
        let mut broker = Self::default();
        for piece in kept {
            if piece.part == keep::SESSION {
                broker.restore_session(piece, now);
            } else if piece.part == keep::RETAINED
                && let Some(message) = keep::restore_message(&piece.value)
            {
                broker.put_retained(piece.site, Arc::new(message));
            }
        }
        for piece in kept {
            broker.restore_piece(piece);
        }
        for session in broker.sessions.values_mut() {
            session.flights.make_contiguous().sort_by_key(|flight| flight.queued.number);
            session.waiting.make_contiguous().sort_by_key(|queued| queued.number);
        }
        broker
    }

    fn restore_session(&mut self, piece: &KeptState, now: Moment) {
        let Some(kept) = keep::restore_session(&piece.value) else { return };
        let id = self.add_session(piece.site, piece.owner.as_str().into(), kept.principal.into());
        let Some(session) = self.sessions.get_mut(&id) else { return };
        session.expiry_s = kept.expiry_s;
        let ends_at = || opening::after(now, kept.expiry_s);
        session.ends_at = kept.ends_at.map_or_else(ends_at, Moment::from_micros);
        let delay_s = kept.will_delay_s;
        session.will = kept.will.and_then(keep::KeptMessage::restore).map(|message| Testament {
            message: Arc::new(message),
            delay_s,
            due_at: Some(now.plus_seconds(delay_s.into())),
        });
    }

    fn restore_piece(&mut self, piece: &KeptState) {
        let Some(realm) = self.realms.get_mut(&piece.site) else { return };
        let Some(&id) = realm.clients.get(piece.owner.as_str()) else { return };
        let Some(session) = self.sessions.get_mut(&id) else { return };
        match piece.part.as_str() {
            keep::FILTER => {
                let filter = crate::Filter::parse(&piece.item).ok();
                if let Some((filter, options)) = filter.zip(keep::restore_filter(&piece.value)) {
                    realm.tree.insert(&filter, tree::Entry { session: id, options });
                    session.filters.insert(filter.written, options);
                }
            }
            keep::MESSAGE => {
                let Some((queued, packet, is_released)) = keep::restore_entry(&piece.item, &piece.value) else {
                    return;
                };
                session.next_number = session.next_number.max(queued.number);
                let weight = queued.message.weight();
                match packet {
                    Some(packet) => {
                        session.flight_bytes += weight;
                        let phase = if is_released { Phase::Released } else { Phase::Unsent { dup: true } };
                        session.flights.push_back(Flight { queued, packet, phase, is_durable: true });
                    }
                    None => {
                        session.waiting_bytes += weight;
                        session.waiting.push_back(queued);
                    }
                }
            }
            keep::RECEIVED => {
                if let Ok(packet) = piece.item.parse() {
                    session.received.insert(packet, Received { is_durable: true, is_asked_again: false });
                }
            }
            _ => {}
        }
    }

    fn add_session(&mut self, site: SiteId, client: Arc<str>, principal: Arc<[u8]>) -> u64 {
        self.last_session += 1;
        let id = self.last_session;
        self.realms.entry(site).or_default().clients.insert(client.clone(), id);
        self.sessions.insert(id, Session::new(Owner { site, client }, principal));
        id
    }

    /// Forgets a session. What was kept of it is another matter.
    fn drop_session(&mut self, id: u64) -> Option<Session> {
        let session = self.sessions.remove(&id)?;
        if let Some(realm) = self.realms.get_mut(&session.owner.site) {
            for written in session.filters.keys() {
                if let Ok(filter) = crate::Filter::parse(written) {
                    realm.tree.remove(&filter, id);
                }
            }
            if realm.clients.get(&session.owner.client) == Some(&id) {
                realm.clients.remove(&session.owner.client);
            }
        }
        Some(session)
    }

    /// The session of a connection, if the connection still holds it.
    fn held(&mut self, link: Link) -> Option<&mut Session> {
        self.held_with_outputs(link).map(|(session, _)| session)
    }

    /// The same, and where it sends.
    fn held_with_outputs(&mut self, link: Link) -> Option<(&mut Session, &mut Outputs)> {
        let session = self.sessions.get_mut(&link.session).filter(|session| session.link == link.number)?;
        Some((session, &mut self.outputs))
    }

    /// What is next for a connection. To be asked after each call until there is nothing more.
    pub fn poll_output(&mut self) -> Option<(Link, Output)> {
        self.outputs.next()
    }

    /// Sends a packet to a connection, after everything that was sent to it before.
    pub fn send(&mut self, link: Link, packet: Outgoing) {
        self.outputs.send(link, packet);
    }

    /// A client id for a client without one; no two are the same.
    pub fn assign(&mut self, now: Moment) -> Arc<str> {
        self.last_assigned += 1;
        format!("assigned-{:x}-{:x}", now.as_micros(), self.last_assigned).into()
    }

    /// A client's answer about a message it was sent. Says which of the host's
    /// messages it has taken by that.
    pub fn acknowledged(
        &mut self,
        link: Link,
        ack: Ack,
        packet: u16,
        reason: u8,
        now: Moment,
    ) -> (Outcome, Option<i64>) {
        let mut outcome = Outcome::default();
        let Some((session, outputs)) = self.held_with_outputs(link) else { return (outcome, None) };
        let known = session.flights.iter().find(|flight| flight.packet == packet).map(|f| (f.queued.qos, f.phase));
        let mut token = None;
        match (ack, known) {
            (Ack::PubRec, Some((_, Phase::Sent | Phase::Unsent { .. } | Phase::Released))) if reason < 0x80 => {
                token = session.flights.iter().find(|f| f.packet == packet).and_then(|f| f.queued.message.token);
                if let Some(number) = session.release(packet) {
                    if session.is_kept() {
                        let flight = session.flights.iter().find(|flight| flight.packet == packet);
                        outcome.changes.extend(flight.map(|flight| keep::flight(&session.owner, flight)));
                        outcome.tickets.push(Ticket(Promise::Noted { session: link.session, number }));
                    } else {
                        session.send(Outgoing::Ack(Ack::PubRel, packet, Reason::Success, None), outputs);
                    }
                }
            }
            (Ack::PubRec, None) if reason < 0x80 => {
                // Of a session that has ended; let it go.
                session.send(Outgoing::Ack(Ack::PubRel, packet, Reason::PacketIdentifierNotFound, None), outputs);
            }
            (Ack::PubAck | Ack::PubRec | Ack::PubComp, Some(_)) => {
                if let Some(flight) = session.land(packet) {
                    token = flight.queued.message.token.filter(|_| ack != Ack::PubComp && reason < 0x80);
                    if session.is_kept() {
                        outcome.changes.push(keep::entry_gone(&session.owner, flight.queued.number));
                    }
                }
            }
            _ => {}
        }
        let numbers = session.pump(now, &mut outcome.changes);
        session.flush(&mut outcome.changes, outputs);
        let noted = |number| Ticket(Promise::Noted { session: link.session, number });
        outcome.tickets.extend(numbers.into_iter().map(noted));
        (outcome, token)
    }

    /// A message of QoS 2 has come with a packet identifier.
    pub fn receive(&mut self, link: Link, packet: u16) -> Receipt {
        let Some(session) = self.held(link) else { return Receipt::Underway };
        if let Some(received) = session.received.get_mut(&packet) {
            received.is_asked_again |= !received.is_durable;
            return if received.is_durable { Receipt::Taken } else { Receipt::Underway };
        }
        session.received.insert(packet, Received::default());
        Receipt::New(session.is_kept().then(|| keep::received(&session.owner, packet)))
    }

    /// A message of QoS 2 has been taken, or refused: then its identifier is free
    /// again. If it came again meanwhile on another connection, that is answered.
    pub fn received(&mut self, link: Link, packet: u16, is_taken: bool) {
        let Some(session) = self.sessions.get_mut(&link.session) else { return };
        let Some(received) = session.received.get_mut(&packet) else { return };
        let is_asked_again = std::mem::take(&mut received.is_asked_again);
        received.is_durable = true;
        if !is_taken {
            session.received.remove(&packet);
        }
        if is_asked_again && session.link != link.number {
            let reason = if is_taken { Reason::Success } else { Reason::Unspecified };
            session.send(Outgoing::Ack(Ack::PubRec, packet, reason, None), &mut self.outputs);
        }
    }

    /// A client lets a packet identifier go. Says whether it was known, and the
    /// change to keep before it is told.
    pub fn released(&mut self, link: Link, packet: u16) -> (bool, Option<StateChange>) {
        let Some(session) = self.held(link) else { return (false, None) };
        let is_known = session.received.remove(&packet).is_some();
        (is_known, (is_known && session.is_kept()).then(|| keep::received_gone(&session.owner, packet)))
    }

    /// How many messages of QoS 2 a client has not let go.
    pub(crate) fn unreleased(&self, link: Link) -> usize {
        self.sessions.get(&link.session).map_or(0, |session| session.received.len())
    }

    /// Ends connections whose session the closure picks by its principal.
    pub fn close_where(&mut self, reason: Reason, text: &str, mut picks: impl FnMut(SiteId, &[u8]) -> bool) {
        for session in self.sessions.values() {
            if let Some(attached) = &session.attached
                && picks(session.owner.site, &session.principal)
            {
                self.outputs.close(attached.link, reason, text);
            }
        }
    }

    /// Whose the sessions with a connection are, each once.
    #[must_use]
    pub fn principals(&self) -> HashSet<Arc<[u8]>> {
        let connected = self.sessions.values().filter(|session| session.attached.is_some());
        connected.map(|session| session.principal.clone()).collect()
    }

    /// Everything of a site is gone: its connections end, its sessions and retained
    /// messages are forgotten. What was kept is removed with the site.
    pub fn forget_site(&mut self, site: SiteId) {
        let ids: Vec<u64> = self.sessions.iter().filter(|(_, s)| s.owner.site == site).map(|(id, _)| *id).collect();
        for id in ids {
            if let Some(session) = self.drop_session(id)
                && let Some(attached) = session.attached
            {
                self.outputs.close(attached.link, Reason::AdministrativeAction, "The site was removed.");
            }
        }
        self.realms.remove(&site);
    }

    /// The sessions of a site in order of client id, after the given one.
    #[must_use]
    pub fn sessions(&self, site: SiteId, after: &str, limit: usize) -> Vec<SessionView> {
        let Some(realm) = self.realms.get(&site) else { return Vec::new() };
        let mut clients: Vec<_> = realm.clients.iter().filter(|(client, _)| client.as_ref() > after).collect();
        clients.sort_unstable();
        let view = |(client, id): (&Arc<str>, &u64)| {
            let session = self.sessions.get(id)?;
            Some(SessionView {
                client: client.clone(),
                is_connected: session.attached.is_some(),
                waiting: session.waiting.len() + session.flights.len(),
                filters: session.filters.len(),
            })
        };
        clients.into_iter().take(limit).filter_map(view).collect()
    }
}
