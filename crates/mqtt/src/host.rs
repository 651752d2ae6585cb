//! What the server asks of the service it is part of.

use crate::codec::{Reason, Version};
use crate::message::Message;
use crate::topic::Filter;
use futures::future::BoxFuture;
use lantern_core::state::StateChange;
use lantern_core::{Moment, SiteId};
use std::net::IpAddr;
use std::sync::Arc;

/// Who asks to be admitted.
#[derive(Debug)]
pub struct Hello<'a> {
    /// The version it speaks.
    pub version: Version,
    /// What it calls itself; empty if the server is to choose.
    pub client_id: &'a str,
    /// User name.
    pub user_name: Option<&'a str>,
    /// Password.
    pub password: Option<&'a [u8]>,
    /// From where, and how.
    pub peer: &'a Peer,
    /// Where its will would be published.
    pub will_topic: Option<&'a str>,
}

/// The other end of a connection.
#[derive(Debug, Clone)]
pub struct Peer {
    /// Its address.
    pub from: IpAddr,
    /// How it came, such as `MQTT over TLS`.
    pub protocol: &'static str,
    /// The certificate it proved to have, in DER.
    pub certificate: Option<Arc<[u8]>>,
}

/// Who has sessions.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Holder {
    /// The same for all credentials that follow one another: sessions go on when a credential
    /// is replaced. Never empty.
    pub lineage: Arc<[u8]>,
    /// What the holder was admitted by; by it [`Host::recall`] finds it again.
    pub credential: Arc<[u8]>,
    /// Sessions it may have that outlive their connections.
    pub most_kept: usize,
}

/// Why something was not done.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Refused {
    /// The reason code.
    pub reason: Reason,
    /// What happened and what to do, in words.
    pub text: String,
    /// Whether the same may succeed later: a sender that cannot be told so is made
    /// to send it again.
    pub is_passing: bool,
}

/// How a connection ended, for people.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Farewell {
    /// The client said goodbye.
    Goodbye,
    /// Nothing was heard for one and a half times its keep-alive.
    KeepAlive,
    /// The connection broke.
    Broken,
    /// Another connection took the session over.
    TakenOver,
    /// The server closed it, for this reason.
    Closed(String),
}

/// An admitted client, as the service behind the server sees it.
pub trait Client: Send + Sync {
    /// The site it belongs to.
    fn site(&self) -> SiteId;

    /// Whose sessions it may have.
    fn holder(&self) -> Holder;

    /// Understands a message that arrived at a time. When this returns, nothing but the
    /// storage can keep it from being taken.
    fn prepare<'a>(
        &'a self,
        message: &'a Message,
        arrived: Moment,
    ) -> BoxFuture<'a, Result<Box<dyn Prepared>, Refused>>;

    /// Whether it may subscribe.
    fn may_subscribe<'a>(&'a self, filter: &'a Filter) -> BoxFuture<'a, Result<(), Refused>>;

    /// What stands on topics that match a filter without having been published.
    fn standing<'a>(&'a self, filter: &'a Filter) -> BoxFuture<'a, Vec<Message>>;

    /// It is connected.
    fn connected(&self);

    /// It is connected no longer.
    fn disconnected(&self, how: &Farewell);
}

/// A message that was understood and waits to be kept.
pub trait Prepared: Send {
    /// Whether it goes on to those who are subscribed to its topic.
    fn is_passed_on(&self) -> bool;

    /// Keeps what the message means, together with changes of the server's own state, durably
    /// and at once.
    fn commit(self: Box<Self>, changes: Vec<StateChange>) -> BoxFuture<'static, Result<(), Refused>>;
}

/// The service behind the server.
pub trait Host: Send + Sync {
    /// The time.
    fn now(&self) -> Moment;

    /// Admits a client or not.
    fn admit<'a>(&'a self, hello: Hello<'a>) -> BoxFuture<'a, Result<Arc<dyn Client>, Refused>>;

    /// The time, if it can be believed so far that what has ended by it is forgotten.
    fn believed_now(&self) -> BoxFuture<'_, Option<Moment>>;

    /// The owner of a session that is not connected, to publish its will.
    fn recall<'a>(&'a self, site: SiteId, credential: &'a [u8]) -> BoxFuture<'a, Option<Arc<dyn Client>>>;

    /// Makes changes durable.
    fn keep(&self, changes: Vec<StateChange>) -> BoxFuture<'_, Result<(), Refused>>;

    /// A message with a token was taken by its receiver.
    fn taken(&self, token: i64);
}
