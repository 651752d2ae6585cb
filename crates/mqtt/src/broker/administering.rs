//! What is done to sessions from outside: they are listed, ended and closed.

use super::Broker;
use super::keep;
use crate::codec::Reason;
use lantern_core::state::StateChange;
use lantern_core::{Moment, SiteId};
use std::collections::HashSet;
use std::sync::Arc;

/// A summary of a session, for people.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SessionView {
    /// Client id.
    pub client: Arc<str>,
    /// Whose it is; empty if that is not known.
    pub lineage: Arc<[u8]>,
    /// Whether it has a connection.
    pub is_connected: bool,
    /// Whether it outlives its connection.
    pub is_kept: bool,
    /// When it ends if its client does not come back.
    pub ends_at: Option<Moment>,
    /// Messages that wait for it.
    pub waiting: usize,
    /// Bytes of them.
    pub waiting_bytes: usize,
    /// Messages that were given up since the service started, for want of room.
    pub given_up: u64,
    /// What it is subscribed to.
    pub filters: usize,
}

impl Broker {
    /// Ends connections whose session the closure picks by site and credential.
    pub fn close_where(&mut self, reason: Reason, text: &str, mut picks: impl FnMut(SiteId, &[u8]) -> bool) {
        for session in self.sessions.values() {
            if let Some(attached) = &session.attached
                && picks(session.owner.site, &session.credential)
            {
                self.outputs.close(attached.link, reason, text);
            }
        }
    }

    /// What the clients with a connection were admitted by, each once.
    #[must_use]
    pub fn credentials(&self) -> HashSet<Arc<[u8]>> {
        let connected = self.sessions.values().filter(|session| session.attached.is_some());
        connected.map(|session| session.credential.clone()).collect()
    }

    /// Whose the sessions are that wait for their clients, each once, with its site.
    #[must_use]
    pub fn lineages_away(&self) -> HashSet<(SiteId, Arc<[u8]>)> {
        let away = self.sessions.values().filter(|session| session.attached.is_none() && !session.lineage.is_empty());
        away.map(|session| (session.owner.site, session.lineage.clone())).collect()
    }

    /// Ends the session of a client id, and its connection. `None` if there is none.
    pub fn end(&mut self, site: SiteId, client: &str, text: &str) -> Option<StateChange> {
        let id = *self.realms.get(&site)?.clients.get(client)?;
        let session = self.drop_session(id)?;
        if let Some(attached) = session.attached {
            self.outputs.close(attached.link, Reason::AdministrativeAction, text);
        }
        Some(keep::gone(&session.owner))
    }

    /// Ends all sessions of a holder that wait for their clients.
    pub fn end_away(&mut self, site: SiteId, lineage: &[u8]) -> Vec<StateChange> {
        let is_its = |session: &super::Session| {
            session.owner.site == site && session.attached.is_none() && *session.lineage == *lineage
        };
        let ids: Vec<u64> = self.sessions.iter().filter(|(_, session)| is_its(session)).map(|(id, _)| *id).collect();
        ids.into_iter().filter_map(|id| self.drop_session(id)).map(|session| keep::gone(&session.owner)).collect()
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

    /// How many sessions there are.
    #[must_use]
    pub fn count(&self) -> usize {
        self.sessions.len()
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
                lineage: session.lineage.clone(),
                is_connected: session.attached.is_some(),
                is_kept: session.is_kept(),
                ends_at: session.ends_at,
                waiting: session.waiting.len() + session.flights.len(),
                waiting_bytes: session.waiting_bytes + session.flight_bytes,
                given_up: session.given_up,
                filters: session.filters.len(),
            })
        };
        clients.into_iter().take(limit).filter_map(view).collect()
    }
}
