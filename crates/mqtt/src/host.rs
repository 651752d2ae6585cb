//! What the server asks of the service it is part of.

use crate::codec::{Reason, Version};
use crate::message::Message;
use crate::topic::Filter;
use lantern_core::state::StateChange;
use lantern_core::{Moment, SiteId};
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
    pub from: String,
    /// How it came, such as `MQTT over TLS`.
    pub protocol: &'static str,
    /// The certificate it proved to have, in DER.
    pub certificate: Option<Arc<[u8]>>,
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

/// The service behind the server.
pub trait Host: Send + Sync + 'static {
    /// An admitted client.
    type Client: Send + Sync + 'static;

    /// The time.
    fn now(&self) -> Moment;

    /// Admits a client or not.
    fn admit(&self, hello: Hello<'_>) -> impl Future<Output = Result<Self::Client, Refused>> + Send;

    /// The site a client belongs to.
    fn site(&self, client: &Self::Client) -> SiteId;

    /// Bytes that tell whose a session is, and by which [`Host::recall`] finds its
    /// owner again.
    fn principal(&self, client: &Self::Client) -> Arc<[u8]>;

    /// The owner of a session that is not connected, to publish its will.
    fn recall(&self, site: SiteId, principal: &[u8]) -> impl Future<Output = Option<Self::Client>> + Send;

    /// Takes a message in: what it means is durable when this returns, together
    /// with the changes that `route` gives. `route` is called once, when nothing
    /// but the storage can go wrong any more.
    fn take(
        &self,
        client: &Self::Client,
        message: &Message,
        arrived: Moment,
        route: &mut (dyn FnMut() -> Vec<StateChange> + Send),
    ) -> impl Future<Output = Result<(), Refused>> + Send;

    /// Whether a client may subscribe.
    fn may_subscribe(&self, client: &Self::Client, filter: &Filter)
    -> impl Future<Output = Result<(), Refused>> + Send;

    /// What stands on topics that match a filter without having been published.
    fn standing(&self, client: &Self::Client, filter: &Filter) -> impl Future<Output = Vec<Message>> + Send;

    /// Makes changes durable.
    fn keep(&self, changes: Vec<StateChange>) -> impl Future<Output = Result<(), Refused>> + Send;

    /// A client is connected.
    fn connected(&self, client: &Self::Client);

    /// A client is connected no longer.
    fn disconnected(&self, client: &Self::Client, how: &Farewell);

    /// A message with a token was taken by its receiver.
    fn taken(&self, token: i64);
}
