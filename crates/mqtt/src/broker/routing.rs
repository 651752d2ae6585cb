//! Where messages go.

use super::flight::Queued;
use super::parcel::Parcel;
use super::session::Session;
use super::tree::{Entry, Matched};
use super::{Broker, Outcome, Promise, Ticket, keep};
use crate::codec::{Reason, Subscription};
use crate::message::{Message, QoS};
use lantern_core::state::StateChange;
use lantern_core::{Moment, SiteId};
use std::ops::Bound;
use std::sync::Arc;

/// Retained messages a site may have.
const MAX_RETAINED: usize = 10_000;
/// Bytes of them.
const MAX_RETAINED_BYTES: usize = 64 << 20;

impl Broker {
    /// Whether a message may stay on its topic.
    ///
    /// # Errors
    /// The reason and a sentence.
    pub fn may_retain(&self, site: SiteId, message: &Message) -> Result<(), (Reason, String)> {
        let Some(realm) = self.realms.get(&site).filter(|_| message.retain && !message.payload.is_empty()) else {
            return Ok(());
        };
        let is_full = realm.retained.len() >= MAX_RETAINED && !realm.retained.contains_key(&message.topic);
        if is_full || realm.retained_bytes + message.weight() > MAX_RETAINED_BYTES {
            let text = format!(
                "The site has as many retained messages as it may ({MAX_RETAINED}, {} MiB); clear some first.",
                MAX_RETAINED_BYTES >> 20
            );
            return Err((Reason::QuotaExceeded, text));
        }
        Ok(())
    }

    /// Finds whom a message goes to and notes it for kept sessions. Nothing is
    /// sent before the tickets are redeemed.
    pub fn publish(&mut self, site: SiteId, message: &Arc<Message>) -> Outcome {
        let mut outcome = Outcome::default();
        if message.retain {
            outcome.changes.push(keep::retained(site, message));
            outcome.tickets.push(Ticket(Promise::Retain { site, message: message.clone() }));
        }
        let Some(realm) = self.realms.get_mut(&site) else { return outcome };
        if realm.tree.is_empty() {
            return outcome;
        }
        let mut matched = realm.tree.matching(&message.topic);
        self.choose(&mut matched);
        let is_own = |entry: &Entry| {
            entry.options.no_local
                && message.publisher.is_some()
                && self.sessions.get(&entry.session).map(|session| &session.owner.client) == message.publisher.as_ref()
        };
        matched.each.retain(|entry| !is_own(entry));
        matched.each.sort_by_key(|entry| entry.session);
        let parcel = self.parcel(site, &matched.each, message, &mut outcome.changes);
        for entries in matched.each.chunk_by(|a, b| a.session == b.session) {
            outcome.receivers += 1;
            self.deliver(entries, &parcel, false, &mut outcome);
        }
        outcome
    }

    /// The message as it waits for these subscriptions, in order of session: kept on its own if
    /// more than one session is to keep it.
    fn parcel(
        &mut self,
        site: SiteId,
        entries: &[Entry],
        message: &Arc<Message>,
        changes: &mut Vec<StateChange>,
    ) -> Arc<Parcel> {
        let realm = self.realms.entry(site).or_default();
        let is_noted = |entry: &&Entry| {
            entry.options.qos.min(message.qos) > QoS::AtMostOnce
                && self.sessions.get(&entry.session).is_some_and(Session::is_kept)
        };
        let mut noted = entries.iter().filter(is_noted).map(|entry| entry.session);
        let first = noted.next();
        if noted.all(|session| Some(session) == first) {
            return realm.load.parcel(message.clone(), None);
        }
        let (number, parcel) = realm.body(message);
        changes.push(keep::body(site, number, message));
        parcel
    }

    /// Whether anybody would get a message on a topic.
    #[must_use]
    pub fn is_heard(&mut self, site: SiteId, topic: &str) -> bool {
        let Some(realm) = self.realms.get_mut(&site) else { return false };
        if realm.tree.is_empty() {
            return false;
        }
        let matched = realm.tree.matching(topic);
        !matched.each.is_empty() || !matched.one_of.is_empty()
    }

    /// Whether a site has any subscription at all.
    #[must_use]
    pub fn has_listeners(&self, site: SiteId) -> bool {
        self.realms.get(&site).is_some_and(|realm| !realm.tree.is_empty())
    }

    /// Picks one of each group that shares a subscription: the next that is
    /// connected, or the next at all.
    fn choose(&self, matched: &mut Matched) {
        for members in std::mem::take(&mut matched.one_of) {
            let is_connected =
                |entry: &&Entry| self.sessions.get(&entry.session).is_some_and(|session| session.attached.is_some());
            matched.each.extend(members.iter().find(is_connected).or(members.first()));
        }
    }

    /// Brings a message to one session, once, however many of its subscriptions
    /// it matches.
    fn deliver(&mut self, entries: &[Entry], parcel: &Arc<Parcel>, is_kept_message: bool, outcome: &mut Outcome) {
        let Some(first) = entries.first() else { return };
        let message = &parcel.message;
        let best = entries.iter().map(|entry| entry.options.qos).max().unwrap_or(QoS::AtMostOnce);
        let queued = Queued {
            number: 0,
            parcel: parcel.clone(),
            qos: best.min(message.qos),
            retain: is_kept_message || message.retain && entries.iter().any(|entry| entry.options.as_published),
            subscriptions: entries.iter().filter_map(|entry| entry.options.id).collect(),
        };
        let id = first.session;
        let Some(session) = self.sessions.get_mut(&id) else { return };
        if queued.qos == QoS::AtMostOnce || !session.is_kept() {
            outcome.tickets.push(Ticket(Promise::Deliver { session: id, queued }));
        } else if let Some(number) = session.enqueue(queued, &mut outcome.changes) {
            outcome.tickets.push(Ticket(Promise::Noted { session: id, number }));
        }
    }

    /// Brings messages that stand on their topics to a session that has just
    /// subscribed.
    pub(super) fn deliver_standing(
        &mut self,
        session: u64,
        options: Subscription,
        messages: &[Arc<Message>],
        now: Moment,
    ) -> Outcome {
        let mut outcome = Outcome::default();
        let Some(site) = self.sessions.get(&session).map(|session| session.owner.site) else { return outcome };
        for message in messages.iter().filter(|message| !message.is_expired(now)) {
            let parcel = self.realms.entry(site).or_default().load.parcel(message.clone(), None);
            self.deliver(&[Entry { session, options }], &parcel, true, &mut outcome);
        }
        outcome
    }

    /// What the tickets waited for is durable: sends.
    pub fn redeem(&mut self, tickets: Vec<Ticket>, now: Moment) -> Vec<StateChange> {
        let mut changes = Vec::new();
        for Ticket(promise) in tickets {
            match promise {
                Promise::Retain { site, message } => self.put_retained(site, message),
                Promise::Noted { session, number } => {
                    if let Some(session) = self.sessions.get_mut(&session) {
                        session.mark_durable(number, &mut self.outputs);
                        session.flush(&mut changes, &mut self.outputs);
                    }
                }
                Promise::Deliver { session, queued } => {
                    let Some(session) = self.sessions.get_mut(&session) else { continue };
                    if queued.message().is_expired(now) {
                    } else if queued.qos == QoS::AtMostOnce {
                        session.send_now(queued, &mut self.outputs);
                    } else {
                        session.enqueue(queued, &mut changes);
                        session.flush(&mut changes, &mut self.outputs);
                    }
                }
            }
        }
        changes
    }

    /// The changes of these tickets could not be kept: what they promised is taken back.
    pub fn withdraw(&mut self, tickets: Vec<Ticket>) {
        for Ticket(promise) in tickets {
            if let Promise::Noted { session, number } = promise
                && let Some(session) = self.sessions.get_mut(&session)
            {
                session.withdraw(number);
            }
        }
    }

    pub(super) fn put_retained(&mut self, site: SiteId, message: Arc<Message>) {
        let realm = self.realms.entry(site).or_default();
        let topic = message.topic.clone();
        let weight = message.weight();
        let old = if message.payload.is_empty() {
            realm.retained.remove(&topic)
        } else {
            realm.retained_bytes += weight;
            realm.retained.insert(topic, message)
        };
        realm.retained_bytes -= old.map_or(0, |old| old.weight());
    }

    /// Retained messages whose topic matches a filter.
    pub(super) fn retained(&self, site: SiteId, pattern: &str) -> Vec<Arc<Message>> {
        let Some(realm) = self.realms.get(&site) else { return Vec::new() };
        // All before the first wildcard is the beginning of each topic that matches.
        let literal = &pattern[..pattern.find(['+', '#']).unwrap_or(pattern.len())];
        let literal = literal.strip_suffix('/').unwrap_or(literal);
        realm
            .retained
            .range::<str, _>((Bound::Included(literal), Bound::Unbounded))
            .take_while(|(topic, _)| topic.starts_with(literal))
            .filter(|(topic, _)| crate::matches(pattern, topic))
            .map(|(_, message)| message.clone())
            .collect()
    }
}
