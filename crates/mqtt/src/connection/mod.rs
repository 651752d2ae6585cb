//! One connection as a value: what its packets mean, in which order they are answered, and
//! when it is over. No sockets and no clock; what the time is, is handed in.
//!
//! Whoever runs it calls `handle_…` with what happened, then begins what
//! [`Connection::poll_action`] asks for, sends what
//! [`Broker::poll_output`](crate::Broker::poll_output) gives, and wakes up again at
//! [`Connection::poll_timeout`].

mod end;
mod hello;
mod work;

#[cfg(test)]
mod tests;

pub use end::End;
pub(crate) use hello::{check, welcome};
pub use work::{Action, Done, Work};

use crate::broker::{Broker, Link, Receipt, Ticket};
use crate::codec::{Ack, Connect, Fault, Incoming, Outgoing, Publish, Reason, Version};
use crate::host::Refused;
use crate::message::{Message, QoS};
use lantern_core::Moment;
use std::collections::VecDeque;
use std::sync::Arc;
use std::time::{Duration, Instant};

/// Messages of QoS 1 and 2 a client may send unacknowledged.
pub(crate) const RECEIVE_MAXIMUM: u16 = 256;
/// Works that may be under way at once: more than [`RECEIVE_MAXIMUM`], so that a client
/// that does not keep to it is noticed.
const MAX_UNDERWAY: usize = 2 * RECEIVE_MAXIMUM as usize;

/// An admitted connection.
#[derive(Debug)]
pub struct Connection {
    link: Link,
    client: Arc<str>,
    version: Version,
    /// How long nothing may come.
    keep_alive: Option<Duration>,
    heard_at: Instant,
    last_arrived: Moment,
    /// Whether the session was to outlive the connection from its beginning.
    is_kept: bool,
    /// Messages of QoS 1 whose answer is not sent.
    unanswered: usize,
    underway: usize,
    actions: VecDeque<Action>,
}

impl Connection {
    /// The connection of a client that was just admitted and attached to its session.
    #[must_use]
    pub fn new(link: Link, client: Arc<str>, connect: &Connect, now: Instant) -> Self {
        // Section 3.1.2.10: one and a half times what was asked for.
        let keep_alive = Duration::from_millis(u64::from(connect.keep_alive_s) * 1_500);
        Self {
            link,
            client,
            version: connect.version,
            keep_alive: Some(keep_alive).filter(|limit| !limit.is_zero()),
            heard_at: now,
            last_arrived: Moment::EPOCH,
            is_kept: connect.session_expiry_s > 0,
            unanswered: 0,
            underway: 0,
            actions: VecDeque::new(),
        }
    }

    /// What is to be begun next.
    pub fn poll_action(&mut self) -> Option<Action> {
        self.actions.pop_front()
    }

    /// When [`handle_timeout`](Self::handle_timeout) is to be called; `None` for never.
    #[must_use]
    pub fn poll_timeout(&self) -> Option<Instant> {
        self.keep_alive.map(|limit| self.heard_at + limit)
    }

    /// Whether enough is under way for now: no packet is to be handed in until some of it is
    /// done.
    #[must_use]
    pub fn is_full(&self) -> bool {
        self.underway >= MAX_UNDERWAY
    }

    /// Bytes have come.
    pub fn handle_heard(&mut self, now: Instant) {
        self.heard_at = now;
    }

    /// Time has passed.
    ///
    /// # Errors
    /// [`End::KeepAlive`] if nothing came for too long.
    pub fn handle_timeout(&self, now: Instant) -> Result<(), End> {
        if self.poll_timeout().is_some_and(|end| end <= now) { Err(End::KeepAlive) } else { Ok(()) }
    }

    /// A packet has come.
    ///
    /// # Errors
    /// Why the connection is over.
    pub fn handle_packet(&mut self, broker: &mut Broker, packet: Incoming, now: Moment) -> Result<(), End> {
        match packet {
            Incoming::Publish(publish) => {
                self.count(broker, publish.qos)?;
                self.published(broker, publish, now);
            }
            Incoming::Ack(Ack::PubRel, packet, _) => {
                let (is_known, change) = broker.released(self.link, packet);
                self.begin(Work::Release { packet, is_known, change });
            }
            Incoming::Ack(ack, packet, reason) => self.acknowledged(broker, ack, packet, reason, now),
            Incoming::Subscribe { id, filters } => {
                if filters.iter().any(|(filter, options)| options.no_local && filter.starts_with("$share/")) {
                    return Err(wrong("A shared subscription cannot leave out the client's own messages."));
                }
                self.begin(Work::Subscribe(id, filters));
            }
            Incoming::Unsubscribe { id, filters } => {
                let mut changes = Vec::new();
                let end = |filter: &String| broker.unsubscribe(self.link, filter, &mut changes);
                let reasons = filters.iter().map(end).collect();
                self.begin(Work::Unsubscribe(id, reasons, changes));
            }
            Incoming::Ping => broker.send(self.link, Outgoing::Pong),
            Incoming::Disconnect { with_will, session_expiry_s } => {
                if !self.is_kept && session_expiry_s.is_some_and(|seconds| seconds > 0) {
                    return Err(wrong("A session that ends with its connection cannot be kept at the end."));
                }
                return Err(End::Goodbye { with_will, session_expiry_s });
            }
            Incoming::Auth => return Err(wrong("No authentication method is in use.")),
            Incoming::Connect(_) => return Err(End::Broken),
        }
        Ok(())
    }

    /// The work whose turn it is has come to something.
    ///
    /// # Errors
    /// Why the connection is over.
    pub fn handle_done(&mut self, broker: &mut Broker, done: Done, now: Moment) -> Result<(), End> {
        self.underway -= 1;
        match done {
            Done::Taken { qos, packet, result } => self.taken(broker, qos, packet, result, now)?,
            Done::Again(packet) => broker.send(self.link, Outgoing::Ack(Ack::PubRec, packet, Reason::Success, None)),
            Done::Released { packet, is_known, is_durable: false } => {
                if is_known {
                    broker.hold(self.link, packet);
                }
                return Err(End::Closed(Reason::ServerBusy, "The session's state could not be written.".to_owned()));
            }
            Done::Released { packet, is_known, .. } => {
                let reason = if is_known { Reason::Success } else { Reason::PacketIdentifierNotFound };
                broker.send(self.link, Outgoing::Ack(Ack::PubComp, packet, reason, None));
            }
            Done::Noted(tickets) => self.redeem(broker, tickets, now),
            Done::Answered(packets, tickets) => {
                packets.into_iter().for_each(|packet| broker.send(self.link, packet));
                self.redeem(broker, tickets, now);
            }
        }
        Ok(())
    }

    fn begin(&mut self, work: Work) {
        self.underway += 1;
        self.actions.push_back(Action::Begin(work));
    }

    /// Counts a message against the receive maximum that was announced.
    fn count(&mut self, broker: &Broker, qos: QoS) -> Result<(), End> {
        let more = match qos {
            QoS::AtMostOnce => return Ok(()),
            QoS::AtLeastOnce => {
                self.unanswered += 1;
                0
            }
            QoS::ExactlyOnce => 1,
        };
        // 3.1.1 has no such limit: there reading just stops for a while.
        let is_over = self.unanswered + broker.unreleased(self.link) + more > usize::from(RECEIVE_MAXIMUM);
        if is_over && self.version == Version::V5 {
            let text = format!("At most {RECEIVE_MAXIMUM} messages may be unacknowledged.");
            return Err(Fault::new(Reason::ReceiveMaximumExceeded, text).into());
        }
        Ok(())
    }

    fn published(&mut self, broker: &mut Broker, publish: Publish, now: Moment) {
        // Two messages never come at the same moment: their readings would be taken for one.
        let arrived = now.max(self.last_arrived.next());
        self.last_arrived = arrived;
        let packet = publish.id.unwrap_or_default();
        let mut receipt = None;
        if publish.qos == QoS::ExactlyOnce {
            match broker.receive(self.link, packet) {
                Receipt::New(change) => receipt = change,
                Receipt::Taken => return self.begin(Work::Ready(Done::Again(packet))),
                Receipt::Underway => return,
            }
        }
        let message = Arc::new(Message {
            topic: publish.topic,
            payload: publish.payload,
            qos: publish.qos,
            retain: publish.retain,
            expires_at: publish.expiry_s.map(|seconds| arrived.plus_seconds(seconds.into())),
            carried: publish.carried,
            publisher: Some(self.client.clone()),
            token: None,
        });
        self.begin(Work::Take { packet, message, arrived, receipt });
    }

    fn acknowledged(&mut self, broker: &mut Broker, ack: Ack, packet: u16, reason: u8, now: Moment) {
        let (outcome, token) = broker.acknowledged(self.link, ack, packet, reason, now);
        self.actions.extend(token.map(Action::Delivered));
        if !outcome.changes.is_empty() {
            self.begin(Work::Note(outcome.changes, outcome.tickets));
        }
    }

    /// A message was taken or refused: it is answered. A sender of 3.1.1 that is to send it
    /// again cannot be told otherwise than by ending the connection.
    fn taken(
        &mut self,
        broker: &mut Broker,
        qos: QoS,
        packet: u16,
        result: Result<Vec<Ticket>, Refused>,
        now: Moment,
    ) -> Result<(), End> {
        let ack = match qos {
            QoS::AtMostOnce => None,
            QoS::AtLeastOnce => {
                self.unanswered -= 1;
                Some(Ack::PubAck)
            }
            QoS::ExactlyOnce => {
                broker.received(self.link, packet, result.is_ok());
                Some(Ack::PubRec)
            }
        };
        let (reason, text) = match result {
            Ok(tickets) => {
                self.redeem(broker, tickets, now);
                (Reason::Success, None)
            }
            Err(refused) if self.version == Version::V5 => (refused.reason, Some(refused.text)),
            Err(refused) if refused.is_passing && ack.is_some() => {
                return Err(End::Closed(Reason::ServerBusy, refused.text));
            }
            // 3.1.1 has no way to say no (section 3.3.5); the contact log has it.
            Err(_) => (Reason::Success, None),
        };
        if let Some(ack) = ack {
            broker.send(self.link, Outgoing::Ack(ack, packet, reason, text));
        }
        Ok(())
    }

    fn redeem(&mut self, broker: &mut Broker, tickets: Vec<Ticket>, now: Moment) {
        if tickets.is_empty() {
            return;
        }
        let changes = broker.redeem(tickets, now);
        if !changes.is_empty() {
            self.begin(Work::Note(changes, Vec::new()));
        }
    }
}

fn wrong(text: &str) -> End {
    Fault::new(Reason::ProtocolError, text).into()
}
