//! Sessions, subscriptions, retained messages and wills of all sites, as a value:
//! no sockets, no clock, no files.
//!
//! What must be durable before it takes effect comes back as changes with
//! tickets. After the changes were kept the tickets are redeemed
//! ([`Broker::redeem`]), and only then anything is sent; if they could not be
//! kept, the tickets are given back ([`Broker::withdraw`]).

mod administering;
mod flight;
mod keep;
mod opening;
mod output;
mod parcel;
mod restoring;
mod routing;
mod session;
mod subscribing;
mod tree;

use crate::codec::{Ack, Outgoing, Reason};
use crate::message::Message;
use flight::{Phase, Queued};
use keep::Owner;
use lantern_core::state::StateChange;
use lantern_core::{Moment, SiteId};
use output::Outputs;
use parcel::{Holding, Load, Parcel};
use session::{Received, Session};
use std::collections::{BTreeMap, HashMap};
use std::sync::{Arc, Weak};
use tree::Tree;

pub use administering::SessionView;
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

#[derive(Debug, Default)]
struct Realm {
    clients: HashMap<Arc<str>, u64>,
    tree: Tree,
    retained: BTreeMap<Arc<str>, Arc<Message>>,
    retained_bytes: usize,
    /// What waits for its sessions.
    load: Load,
    /// Messages that wait for several sessions, by the numbers under which they are kept.
    bodies: HashMap<u64, Weak<Parcel>>,
    last_body: u64,
    /// What sessions of one holder share, by lineage.
    holdings: HashMap<Arc<[u8]>, Weak<Holding>>,
}

impl Realm {
    /// What the sessions of a holder share.
    fn holding(&mut self, lineage: &Arc<[u8]>) -> Arc<Holding> {
        if let Some(holding) = self.holdings.get(lineage).and_then(Weak::upgrade) {
            return holding;
        }
        let holding = Arc::new(Holding);
        self.holdings.insert(lineage.clone(), Arc::downgrade(&holding));
        holding
    }

    /// A message that is to be kept on its own, because it waits for several sessions.
    fn body(&mut self, message: &Arc<Message>) -> (u64, Arc<Parcel>) {
        self.last_body += 1;
        let parcel = self.load.parcel(message.clone(), Some(self.last_body));
        self.bodies.insert(self.last_body, Arc::downgrade(&parcel));
        (self.last_body, parcel)
    }

    /// Forgets what nothing holds any longer, and says which messages those were.
    fn sweep(&mut self) -> Vec<u64> {
        self.holdings.retain(|_, holding| holding.strong_count() > 0);
        self.bodies.extract_if(|_, parcel| parcel.strong_count() == 0).map(|(number, _)| number).collect()
    }
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
    fn add_session(
        &mut self,
        site: SiteId,
        client: Arc<str>,
        lineage: Arc<[u8]>,
        credential: Arc<[u8]>,
    ) -> (u64, &mut Session) {
        self.last_session += 1;
        let id = self.last_session;
        let realm = self.realms.entry(site).or_default();
        realm.clients.insert(client.clone(), id);
        let holding = realm.holding(&lineage);
        let session = Session::new(Owner { site, client }, lineage, credential, holding);
        (id, self.sessions.entry(id).insert_entry(session).into_mut())
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
                token = session.flights.iter().find(|f| f.packet == packet).and_then(|f| f.queued.message().token);
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
                    token = flight.queued.message().token.filter(|_| ack != Ack::PubComp && reason < 0x80);
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

    /// That a packet identifier was let go could not be kept: it is held still, so that letting it go
    /// again is kept, and no later message is taken for the one it was of.
    pub(crate) fn hold(&mut self, link: Link, packet: u16) {
        if let Some(session) = self.sessions.get_mut(&link.session) {
            session.received.insert(packet, Received { is_durable: true, is_asked_again: false });
        }
    }

    /// How many messages of QoS 2 a client has not let go.
    pub(crate) fn unreleased(&self, link: Link) -> usize {
        self.sessions.get(&link.session).map_or(0, |session| session.received.len())
    }
}
