//! Does what a connection asks for and cannot do itself: it waits for storage or the host.

use super::Server;
use crate::broker::{Link, Outcome};
use crate::codec::{Outgoing, Reason, Subscription};
use crate::connection::{Done, Work};
use crate::host::{Client, Refused};
use crate::topic::Filter;
use futures::future::BoxFuture;
use lantern_core::state::StateChange;
use std::sync::Arc;

/// Does the works of one connection.
#[derive(Clone)]
pub(super) struct Worker {
    pub(super) server: Arc<Server>,
    pub(super) client: Arc<dyn Client>,
    pub(super) client_id: Arc<str>,
    pub(super) link: Link,
}

impl Worker {
    /// Begins a work.
    pub(super) fn begin(&self, work: Work) -> BoxFuture<'static, Done> {
        let worker = self.clone();
        match work {
            Work::Take { packet, message, arrived, receipt } => Box::pin(async move {
                let result = worker.server.take(&*worker.client, &message, arrived, receipt).await;
                Done::Taken { qos: message.qos, packet, result }
            }),
            Work::Release { packet, is_known, change } => Box::pin(async move {
                let is_durable = worker.server.keep(change.into_iter().collect()).await.is_ok();
                Done::Released { packet, is_known, is_durable }
            }),
            Work::Note(changes, tickets) => Box::pin(async move {
                worker.note(changes).await;
                Done::Noted(tickets)
            }),
            Work::Subscribe(id, filters) => Box::pin(async move { worker.subscribe(id, filters).await }),
            Work::Unsubscribe(id, reasons, changes) => Box::pin(async move {
                worker.note(changes).await;
                Done::Answered(vec![Outgoing::UnsubAck(id, reasons)], Vec::new())
            }),
            Work::Ready(done) => Box::pin(std::future::ready(done)),
        }
    }

    /// Makes the state of the session durable. The messages themselves are; should this not
    /// be, they are sent again after a crash.
    async fn note(&self, changes: Vec<StateChange>) {
        if let Err(refused) = self.server.keep(changes).await {
            tracing::warn!(text = %refused.text, "the state of a session was not written");
        }
    }

    /// Makes subscriptions, and sends what stands on their topics.
    async fn subscribe(&self, id: u16, filters: Vec<(String, Subscription)>) -> Done {
        let mut reasons = Vec::with_capacity(filters.len());
        let mut changes = Vec::new();
        let mut made = Vec::new();
        let mut text = None;
        for (written, options) in filters {
            let (reason, standing) = match self.admit(&written).await {
                Ok(filter) => {
                    let granted = self.server.broker().subscribe(self.link, &filter, options, &mut changes);
                    if granted.0 == Reason::QuotaExceeded {
                        text = Some("A session may have 1,000 subscriptions; end some first.".to_owned());
                    }
                    (granted.0, Some((filter, options, granted.1)))
                }
                Err(refused) => {
                    text = Some(refused.text);
                    (refused.reason, None)
                }
            };
            reasons.push(reason);
            made.extend(standing);
        }
        if let Err(refused) = self.server.keep(changes).await {
            return self.unmade(id, reasons.len(), made, refused);
        }
        let mut tickets = Vec::new();
        for (filter, options, _) in made.into_iter().filter(|(.., wants)| *wants) {
            let of_host = self.client.standing(&filter).await;
            let now = self.server.host.now();
            let Outcome { changes, tickets: more, .. } =
                self.server.broker().send_standing(self.link, &filter, options, of_host, now);
            match self.server.keep(changes).await {
                Ok(()) => tickets.extend(more),
                Err(_) => self.server.broker().withdraw(more),
            }
        }
        Done::Answered(vec![Outgoing::SubAck(id, reasons, text)], tickets)
    }

    async fn admit(&self, written: &str) -> Result<Filter, Refused> {
        let invalid = |text: String| Refused { reason: Reason::TopicFilterInvalid, text, is_passing: false };
        let filter = Filter::parse(written).map_err(|error| invalid(format!("`{written}`: {error}.")))?;
        self.client.may_subscribe(&filter).await?;
        Ok(filter)
    }

    /// Subscriptions that could not be kept are none.
    fn unmade(&self, id: u16, count: usize, made: Vec<(Filter, Subscription, bool)>, refused: Refused) -> Done {
        let mut broker = self.server.broker();
        for (filter, ..) in made {
            broker.unsubscribe(self.link, &filter.written, &mut Vec::new());
        }
        Done::Answered(vec![Outgoing::SubAck(id, vec![refused.reason; count], Some(refused.text))], Vec::new())
    }
}
