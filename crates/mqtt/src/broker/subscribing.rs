//! Subscribing and unsubscribing.

use super::{Broker, Link, Outcome, keep, tree};
use crate::codec::{Reason, Retained, Subscription};
use crate::message::{Message, QoS};
use crate::topic::Filter;
use lantern_core::Moment;
use lantern_core::state::StateChange;
use std::sync::Arc;

/// Subscriptions a session may have.
const MAX_FILTERS: usize = 1_000;

impl Broker {
    /// Makes or changes a subscription. Says what is granted, and whether messages
    /// that stand on their topics are to be sent.
    pub fn subscribe(
        &mut self,
        link: Link,
        filter: &Filter,
        options: Subscription,
        changes: &mut Vec<StateChange>,
    ) -> (Reason, bool) {
        let Some(session) = self.held(link) else { return (Reason::SessionTakenOver, false) };
        if session.filters.len() >= MAX_FILTERS && !session.filters.contains_key(&filter.written) {
            return (Reason::QuotaExceeded, false);
        }
        session.filters.insert(filter.written.clone(), options);
        if session.is_kept() {
            changes.push(keep::filter(&session.owner, &filter.written, options));
        }
        let site = session.owner.site;
        let entry = tree::Entry { session: link.session, options };
        let is_new = self.realms.entry(site).or_default().tree.insert(filter, entry);
        let wants = match options.retained {
            Retained::Send => true,
            Retained::IfNew => is_new,
            Retained::Keep => false,
        };
        let granted = match options.qos {
            QoS::AtMostOnce => Reason::Success,
            QoS::AtLeastOnce => Reason::GrantedQos1,
            QoS::ExactlyOnce => Reason::GrantedQos2,
        };
        (granted, wants && filter.group().is_none())
    }

    /// Sends what stands on the topics of a new subscription: what was retained,
    /// and what the host adds.
    pub fn send_standing(
        &mut self,
        link: Link,
        filter: &Filter,
        options: Subscription,
        of_host: Vec<Message>,
        now: Moment,
    ) -> Outcome {
        let Some(session) = self.held(link) else { return Outcome::default() };
        let site = session.owner.site;
        let mut messages = self.retained(site, filter.pattern());
        messages.extend(of_host.into_iter().map(Arc::new));
        self.deliver_standing(link.session, options, &messages, now)
    }

    /// Ends a subscription.
    pub fn unsubscribe(&mut self, link: Link, filter: &str, changes: &mut Vec<StateChange>) -> Reason {
        let Ok(filter) = Filter::parse(filter) else { return Reason::TopicFilterInvalid };
        let Some(session) = self.held(link) else { return Reason::SessionTakenOver };
        if session.filters.remove(&filter.written).is_none() {
            return Reason::NoSubscriptionExisted;
        }
        if session.is_kept() {
            changes.push(keep::filter_gone(&session.owner, &filter.written));
        }
        let site = session.owner.site;
        if let Some(realm) = self.realms.get_mut(&site) {
            realm.tree.remove(&filter, link.session);
        }
        Reason::Success
    }
}
