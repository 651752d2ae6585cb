//! What a packet sets going that waits for storage, and what is done after it.
//!
//! The jobs of a connection run at the same time and end in the order in which
//! they came, so that answers have the order the standard demands.

use super::Server;
use crate::broker::{Link, Outcome, Receipt, Ticket};
use crate::codec::{Ack, Outgoing, Publish, Reason, Subscription, Version};
use crate::host::{Client, Refused};
use crate::message::{Message, QoS};
use crate::topic::Filter;
use futures::future::BoxFuture;
use lantern_core::Moment;
use lantern_core::state::StateChange;
use std::sync::Arc;

/// What a job came to.
pub(super) enum Done {
    /// A message was taken or refused.
    Published { qos: QoS, packet: u16, result: Result<Vec<Ticket>, Refused> },
    /// A message of QoS 2 had been taken before.
    Again(u16),
    /// A packet identifier was let go; whether it was known, and whether that is
    /// durable.
    Released { packet: u16, is_known: bool, is_durable: bool },
    /// Something was noted.
    Noted(Vec<Ticket>),
    /// Packets to be sent, and what they made.
    Answered(Vec<Outgoing>, Vec<Ticket>),
}

/// What a job needs of its connection.
#[derive(Clone)]
pub(super) struct Context {
    pub(super) server: Arc<Server>,
    pub(super) client: Arc<dyn Client>,
    pub(super) client_id: Arc<str>,
    pub(super) link: Link,
    pub(super) version: Version,
}

type Job = BoxFuture<'static, Done>;

impl Context {
    /// Takes a message in.
    pub(super) fn publish(&self, publish: Publish, arrived: Moment) -> Job {
        let packet = publish.id.unwrap_or_default();
        let mut receipt = None;
        if publish.qos == QoS::ExactlyOnce {
            match self.server.broker().receive(self.link, packet) {
                Receipt::New(change) => receipt = change,
                Receipt::Taken => return Box::pin(std::future::ready(Done::Again(packet))),
                Receipt::Underway => return Box::pin(std::future::ready(Done::Noted(Vec::new()))),
            }
        }
        let qos = publish.qos;
        let message = Arc::new(Message {
            topic: publish.topic,
            payload: publish.payload,
            qos,
            retain: publish.retain,
            expires_at: publish.expiry_s.map(|seconds| arrived.plus_seconds(seconds.into())),
            carried: publish.carried,
            publisher: Some(self.client_id.clone()),
            token: None,
        });
        let context = self.clone();
        Box::pin(async move {
            let result = context.server.take(&*context.client, &message, arrived, receipt).await;
            if qos == QoS::ExactlyOnce {
                context.server.broker().received(context.link, packet, result.is_ok());
            }
            Done::Published { qos, packet, result }
        })
    }

    /// Lets a packet identifier go.
    pub(super) fn release(&self, packet: u16) -> Job {
        let (is_known, change) = self.server.broker().released(self.link, packet);
        let context = self.clone();
        Box::pin(async move {
            let is_durable = match change {
                Some(change) => context.server.keep(vec![change]).await.is_ok(),
                None => true,
            };
            Done::Released { packet, is_known, is_durable }
        })
    }

    /// Makes the outcome of an answer durable.
    pub(super) fn note(&self, changes: Vec<StateChange>, tickets: Vec<Ticket>) -> Job {
        let context = self.clone();
        Box::pin(async move {
            // The message itself is durable; should this not be, it is sent again
            // after a crash.
            if let Err(refused) = context.server.keep(changes).await {
                tracing::warn!(text = %refused.text, "the state of a session was not written");
            }
            Done::Noted(tickets)
        })
    }

    /// Makes subscriptions, and sends what stands on their topics.
    pub(super) fn subscribe(&self, id: u16, filters: Vec<(String, Subscription)>) -> Job {
        let context = self.clone();
        Box::pin(async move {
            let mut reasons = Vec::with_capacity(filters.len());
            let mut changes = Vec::new();
            let mut made = Vec::new();
            let mut text = None;
            for (written, options) in filters {
                let (reason, standing) = match context.admit(&written).await {
                    Ok(filter) => {
                        let granted = context.server.broker().subscribe(context.link, &filter, options, &mut changes);
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
            if let Err(refused) = context.server.keep(changes).await {
                return context.unmade(id, reasons.len(), made, refused);
            }
            let mut tickets = Vec::new();
            for (filter, options, _) in made.into_iter().filter(|(.., wants)| *wants) {
                let of_host = context.client.standing(&filter).await;
                let now = context.server.host.now();
                let Outcome { changes, tickets: more, .. } =
                    context.server.broker().send_standing(context.link, &filter, options, of_host, now);
                match context.server.keep(changes).await {
                    Ok(()) => tickets.extend(more),
                    Err(_) => context.server.broker().withdraw(more),
                }
            }
            Done::Answered(vec![Outgoing::SubAck(id, reasons, text)], tickets)
        })
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

    /// Ends subscriptions.
    pub(super) fn unsubscribe(&self, id: u16, filters: &[String]) -> Job {
        let mut changes = Vec::new();
        let mut broker = self.server.broker();
        let reasons: Vec<Reason> =
            filters.iter().map(|filter| broker.unsubscribe(self.link, filter, &mut changes)).collect();
        drop(broker);
        let context = self.clone();
        Box::pin(async move {
            let _ = context.server.keep(changes).await;
            Done::Answered(vec![Outgoing::UnsubAck(id, reasons)], Vec::new())
        })
    }

    /// What is to be answered to a message that was taken or refused. `None` ends
    /// the connection: a sender of 3.1.1 that is to send it again cannot be told
    /// otherwise.
    pub(super) fn answer(&self, qos: QoS, packet: u16, refused: Option<Refused>) -> Option<Vec<Outgoing>> {
        let ack = match qos {
            QoS::AtMostOnce => return Some(Vec::new()),
            QoS::AtLeastOnce => Ack::PubAck,
            QoS::ExactlyOnce => Ack::PubRec,
        };
        match refused {
            None => Some(vec![Outgoing::Ack(ack, packet, Reason::Success, None)]),
            Some(refused) if self.version == Version::V5 => {
                Some(vec![Outgoing::Ack(ack, packet, refused.reason, Some(refused.text))])
            }
            Some(refused) if refused.is_passing => None,
            // 3.1.1 has no way to say no (section 3.3.5); the contact log has it.
            Some(_) => Some(vec![Outgoing::Ack(ack, packet, Reason::Success, None)]),
        }
    }
}
