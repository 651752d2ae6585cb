//! How sessions begin, go on and end.

use super::keep::{self, Owner};
use super::session::{Attached, Session, Testament};
use super::{Broker, Link, Outcome, Promise, Ticket};
use crate::codec::{Connect, ConnectWill, Outgoing, Reason, Welcome};
use crate::host::Holder;
use crate::message::Message;
use lantern_core::state::StateChange;
use lantern_core::{Moment, SiteId};
use std::sync::{Arc, Weak};

/// Sessions a site may have.
const MAX_SESSIONS: usize = 20_000;
/// Seconds a session is kept without its client, at most: 30 days.
const MAX_EXPIRY_S: u32 = 30 * 86_400;

/// A session that is about to go on.
#[derive(Debug)]
pub struct Opened {
    /// The connection's hold on it.
    pub link: Link,
    /// Whether it was there before.
    pub is_present: bool,
    /// After how many seconds without its client it ends, if that is sooner than was asked for.
    pub session_expiry_s: Option<u32>,
    /// To be made durable before the client is told.
    pub changes: Vec<StateChange>,
    /// To be published now.
    pub wills: Vec<Will>,
}

/// A will whose time has come.
#[derive(Debug)]
pub struct Will {
    /// Of which site.
    pub site: SiteId,
    /// What its owner was last admitted by.
    pub credential: Arc<[u8]>,
    /// The message.
    pub message: Arc<Message>,
}

/// How a connection ended.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Ending {
    /// The client said goodbye: its will is void.
    Goodbye {
        /// A new session expiry in seconds.
        session_expiry_s: Option<u32>,
    },
    /// It broke, or was closed for a fault.
    Broken {
        /// A new session expiry in seconds, if the client said goodbye and wants its
        /// will published.
        session_expiry_s: Option<u32>,
    },
}

/// How long a session is kept without its client, of what was asked for.
pub(super) const fn bounded(expiry_s: u32) -> u32 {
    if expiry_s > MAX_EXPIRY_S { MAX_EXPIRY_S } else { expiry_s }
}

fn of_another(client: &str) -> String {
    let shown = &client[..client.floor_char_boundary(80)];
    format!(
        "The client id `{shown}` has a session of another key's; give each client an id of its own, such as its device's code, or end that session."
    )
}

fn testament(will: &ConnectWill, client: &Arc<str>) -> Testament {
    Testament {
        message: Arc::new(Message {
            topic: will.topic.as_str().into(),
            payload: will.payload.clone(),
            qos: will.qos,
            retain: will.retain,
            // Counted from 1970 until it is published.
            expires_at: will.expiry_s.map(|seconds| Moment::EPOCH.plus_seconds(seconds.into())),
            carried: will.carried.clone(),
            publisher: Some(client.clone()),
            token: None,
        }),
        delay_s: will.delay_s,
        due_at: None,
    }
}

fn will_of(session: &Session, testament: &Testament, now: Moment) -> Will {
    // What a will lives counts from its publication (section 3.1.3.2.4).
    let mut message = testament.message.clone();
    if let Some(end) = message.expires_at {
        let lives_s = end.seconds_since(Moment::EPOCH);
        Arc::make_mut(&mut message).expires_at = Some(now.plus_seconds(lives_s));
    }
    Will { site: session.owner.site, credential: session.credential.clone(), message }
}

impl Broker {
    /// Begins or resumes the session of a client id. Another connection that has it
    /// ends.
    ///
    /// # Errors
    /// The reason and a sentence: the id is another holder's, or there are as many sessions as
    /// may be. Nothing has changed then.
    pub fn open(
        &mut self,
        site: SiteId,
        client: &Arc<str>,
        holder: &Holder,
        connect: &Connect,
        now: Moment,
    ) -> Result<Opened, (Reason, String)> {
        let expiry_s = bounded(connect.session_expiry_s);
        let mut changes = Vec::new();
        let mut wills = Vec::new();
        let known = self.realms.get(&site).and_then(|realm| realm.clients.get(client)).copied();
        if let Some(session) = known.and_then(|id| self.sessions.get(&id))
            && !session.lineage.is_empty()
            && !session.is_of(holder)
        {
            return Err((Reason::ClientIdentifierNotValid, of_another(client)));
        }
        if known.is_none() {
            self.make_room(site, holder, expiry_s > 0, now, &mut changes, &mut wills)?;
        }
        let resumed = known.and_then(|id| self.take_over(id, connect, holder, now, &mut wills));
        let is_present = resumed.is_some();
        if known.is_some() && (!is_present || expiry_s == 0) {
            // Whatever was kept of an earlier session is void, or ends with this connection.
            changes.push(keep::gone(&Owner { site, client: client.clone() }));
        }
        let id = resumed.unwrap_or_else(|| {
            self.add_session(site, client.clone(), holder.lineage.clone(), holder.credential.clone()).0
        });
        self.last_link += 1;
        let link = Link { session: id, number: self.last_link };
        if let Some(session) = self.sessions.get_mut(&id) {
            session.link = link.number;
            session.credential = holder.credential.clone();
            session.expiry_s = expiry_s;
            session.ends_at = None;
            session.will = connect.will.as_ref().map(|will| testament(will, client));
            if session.is_kept() {
                changes.push(session.kept());
            }
        }
        let session_expiry_s = (expiry_s != connect.session_expiry_s).then_some(expiry_s);
        Ok(Opened { link, is_present, session_expiry_s, changes, wills })
    }

    /// Makes sure that a holder may have one more session. Of those that are kept, the one
    /// gives way that has been away the longest.
    fn make_room(
        &mut self,
        site: SiteId,
        holder: &Holder,
        is_kept: bool,
        now: Moment,
        changes: &mut Vec<StateChange>,
        wills: &mut Vec<Will>,
    ) -> Result<(), (Reason, String)> {
        let Some(realm) = self.realms.get(&site) else { return Ok(()) };
        if realm.clients.len() >= MAX_SESSIONS {
            let text = format!("The site has as many sessions as it may ({MAX_SESSIONS}); end some first.");
            return Err((Reason::QuotaExceeded, text));
        }
        let held = realm.holdings.get(&holder.lineage).map_or(0, Weak::strong_count);
        if !is_kept || held < holder.most_kept {
            return Ok(());
        }
        let of_holder = |id: &&u64| {
            self.sessions.get(id).is_some_and(|session| session.is_kept() && session.lineage == holder.lineage)
        };
        let kept: Vec<u64> = realm.clients.values().filter(of_holder).copied().collect();
        if kept.len() < holder.most_kept {
            return Ok(());
        }
        let ends_at = |id: &u64| self.sessions.get(id).and_then(|session| session.ends_at);
        let Some(longest) = kept.iter().filter(|id| ends_at(id).is_some()).min_by_key(|id| ends_at(id)).copied() else {
            let text = format!(
                "There are as many sessions of this key as may be kept ({}), all of them connected; end some first.",
                holder.most_kept
            );
            return Err((Reason::QuotaExceeded, text));
        };
        if let Some(session) = self.drop_session(longest) {
            wills.extend(session.will.as_ref().map(|will| will_of(&session, will, now)));
            changes.push(keep::gone(&session.owner));
        }
        Ok(())
    }

    /// Ends what holds a session, and says its id if it can go on.
    fn take_over(
        &mut self,
        id: u64,
        connect: &Connect,
        holder: &Holder,
        now: Moment,
        wills: &mut Vec<Will>,
    ) -> Option<u64> {
        let session = self.sessions.get_mut(&id)?;
        let attached = session.attached.take();
        let was_connected = attached.is_some();
        if let Some(attached) = attached {
            self.outputs.close(
                attached.link,
                Reason::SessionTakenOver,
                "Another connection with the same client id took the session over; give each client an id of its own.",
            );
        }
        // One that was kept before holders were known with it is adopted.
        let is_adopted = session.lineage.is_empty();
        let is_resumed = !connect.clean_start && session.is_kept() && session.is_of(holder);
        let will = session.will.take();
        let is_due = |will: &Testament| was_connected && will.delay_s == 0 || !is_resumed;
        if let Some(will) = will.filter(is_due) {
            wills.push(will_of(session, &will, now));
        }
        if !is_resumed {
            self.drop_session(id);
            return None;
        }
        if is_adopted {
            session.lineage = holder.lineage.clone();
            session.holding = self.realms.entry(session.owner.site).or_default().holding(&holder.lineage);
        }
        Some(id)
    }

    /// Tells the client that it is connected, and sends what waits for it. `false`
    /// if another connection was faster.
    pub fn attach(&mut self, link: Link, connect: &Connect, welcome: Welcome, now: Moment) -> Option<Outcome> {
        let (session, outputs) = self.held_with_outputs(link)?;
        let mut outcome = Outcome::default();
        outputs.send(link, Outgoing::Welcome(Box::new(welcome)));
        session.attached = Some(Attached {
            link,
            version: connect.version,
            receive_maximum: connect.receive_maximum,
            maximum_packet: connect.maximum_packet,
        });
        session.rewind(outputs);
        session.flush(&mut outcome.changes, outputs);
        let numbers = session.pump(now, &mut outcome.changes);
        session.flush(&mut outcome.changes, outputs);
        let noted = |number| Ticket(Promise::Noted { session: link.session, number });
        outcome.tickets.extend(numbers.into_iter().map(noted));
        Some(outcome)
    }

    /// A session that was opened could not be made durable: a new one is forgotten.
    pub fn abandon(&mut self, link: Link, is_present: bool) {
        if self.held(link).is_some() && !is_present {
            self.drop_session(link.session);
        }
    }

    /// A connection is gone. Says whether it held its session until now.
    pub fn detach(&mut self, link: Link, ending: Ending, now: Moment) -> (bool, Vec<StateChange>, Option<Will>) {
        let Some(session) = self.held(link) else { return (false, Vec::new(), None) };
        let was_attached = session.attached.take_if(|attached| attached.link == link).is_some();
        let (Ending::Goodbye { session_expiry_s } | Ending::Broken { session_expiry_s }) = ending;
        if let Some(seconds) = session_expiry_s {
            session.expiry_s = bounded(seconds);
        }
        if matches!(ending, Ending::Goodbye { .. }) {
            session.will = None;
        }
        let waits_s = session.will.as_ref().map_or(0, |will| will.delay_s.min(session.expiry_s));
        let mut due = None;
        if waits_s == 0 {
            due = session.will.take().map(|will| will_of(session, &will, now));
        } else if let Some(will) = &mut session.will {
            will.due_at = Some(now.plus_seconds(waits_s.into()));
        }
        if session.is_kept() {
            session.ends_at = Some(now.plus_seconds(session.expiry_s.into()));
            let changes = vec![session.kept()];
            return (was_attached, changes, due);
        }
        let gone = keep::gone(&session.owner);
        // Nothing was kept of a session that was to end with its connection, unless
        // its client changed its mind.
        let changes = if session_expiry_s.is_some() { vec![gone] } else { Vec::new() };
        self.drop_session(link.session);
        (was_attached, changes, due)
    }

    /// Time has passed: gives back the wills that are due, and the changes for what has ended.
    /// Sessions end by the `believed` time only: a clock that has leapt ahead ends none.
    pub fn tick(&mut self, now: Moment, believed: Option<Moment>) -> (Vec<Will>, Vec<StateChange>) {
        let mut wills = Vec::new();
        let mut changes = Vec::new();
        let mut ended = Vec::new();
        for (id, session) in self.sessions.iter_mut().filter(|(_, session)| session.attached.is_none()) {
            let is_ended = session.ends_at.zip(believed).is_some_and(|(end, now)| end <= now);
            let is_due = |will: &mut Testament| will.due_at.is_some_and(|due| due <= now || is_ended);
            if let Some(will) = session.will.take_if(is_due) {
                wills.push(will_of(session, &will, now));
                changes.push(session.kept());
            }
            if is_ended {
                ended.push(*id);
            }
        }
        for id in ended {
            if let Some(session) = self.drop_session(id) {
                changes.push(keep::gone(&session.owner));
            }
        }
        for (site, realm) in &mut self.realms {
            changes.extend(realm.sweep().into_iter().map(|number| keep::body_gone(*site, number)));
            let is_expired = |message: &Arc<Message>| message.is_expired(now);
            let expired: Vec<Arc<str>> =
                realm.retained.iter().filter(|(_, m)| is_expired(m)).map(|(topic, _)| topic.clone()).collect();
            for topic in expired {
                if let Some(message) = realm.retained.remove(&topic) {
                    realm.retained_bytes -= message.weight();
                    changes.push(keep::retained(*site, &Message { payload: Default::default(), ..(*message).clone() }));
                }
            }
        }
        (wills, changes)
    }
}
