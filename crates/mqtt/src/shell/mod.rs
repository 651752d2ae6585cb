//! The thin shell: sockets, tasks and time around the broker.

mod arriving;
mod connection;
mod handshake;
mod outbox;
mod work;
mod writing;

use crate::broker::{Broker, Link, Outcome, Ticket, Will};
use crate::codec::Reason;
use crate::host::{Client, Host, Peer, Refused};
use crate::message::Message;
use futures::future::BoxFuture;
use lantern_core::SiteId;
use lantern_core::places::Places;
use lantern_core::state::{KeptState, StateChange};
use outbox::Outbox;
use std::collections::HashMap;
use std::ops::{Deref, DerefMut};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use std::time::Duration;
use tokio::io::{AsyncRead, AsyncWrite};
use tokio::sync::{Semaphore, watch};

const TICK: Duration = Duration::from_secs(1);
/// Connections that may wait to be admitted, in all and from one network.
const NEWCOMERS: usize = 1_000;
const NEWCOMERS_OF_NETWORK: usize = 200;
/// What a client gets to say goodbye in when the service stops.
const GRACE: Duration = Duration::from_secs(3);

/// The broker, and where what it has for connections goes.
struct Switchboard {
    broker: Broker,
    outboxes: HashMap<Link, Arc<Outbox>>,
}

/// The broker, locked. What it has for connections is in their outboxes when the lock is let
/// go, in the order in which it came about.
pub struct BrokerGuard<'s>(MutexGuard<'s, Switchboard>);

impl Deref for BrokerGuard<'_> {
    type Target = Broker;

    fn deref(&self) -> &Broker {
        &self.0.broker
    }
}

impl DerefMut for BrokerGuard<'_> {
    fn deref_mut(&mut self) -> &mut Broker {
        &mut self.0.broker
    }
}

impl Drop for BrokerGuard<'_> {
    fn drop(&mut self) {
        let Switchboard { broker, outboxes } = &mut *self.0;
        while let Some((link, output)) = broker.poll_output() {
            // A connection without an outbox is gone.
            if let Some(outbox) = outboxes.get(&link) {
                outbox.put(output);
            }
        }
    }
}

/// The MQTT server.
pub struct Server {
    host: Arc<dyn Host>,
    switchboard: Mutex<Switchboard>,
    room: Arc<Semaphore>,
    /// Who has them.
    places: Arc<Places>,
    /// Connections that are not admitted yet.
    newcomers: Arc<Places>,
    connections: u32,
    stopping: watch::Sender<bool>,
}

impl Server {
    /// A server with what was kept of an earlier run, for so many connections at
    /// once.
    #[must_use]
    pub fn new(host: Arc<dyn Host>, kept: &[KeptState], connections: u32) -> Arc<Self> {
        let broker = Broker::restore(kept, host.now());
        Arc::new(Self {
            host,
            switchboard: Mutex::new(Switchboard { broker, outboxes: HashMap::new() }),
            room: Arc::new(Semaphore::new(connections as usize)),
            places: Places::new(connections as usize, connections as usize / 2),
            newcomers: Places::new(NEWCOMERS, NEWCOMERS_OF_NETWORK),
            connections,
            stopping: watch::Sender::new(false),
        })
    }

    /// The broker, for a moment: nothing that waits may be done while it is held.
    pub fn broker(&self) -> BrokerGuard<'_> {
        BrokerGuard(self.switchboard.lock().unwrap_or_else(PoisonError::into_inner))
    }

    /// A connection begins: what the broker has for it goes into its outbox.
    fn connect(&self, link: Link) -> Arc<Outbox> {
        self.broker().0.outboxes.entry(link).or_default().clone()
    }

    /// A connection is gone.
    fn disconnect(&self, link: Link) {
        self.broker().0.outboxes.remove(&link);
    }

    /// Connections there are.
    #[must_use]
    pub fn connected(&self) -> usize {
        self.connections as usize - self.room.available_permits()
    }

    /// Serves one connection until it ends.
    pub fn serve(
        self: Arc<Self>,
        reader: impl AsyncRead + Unpin + Send + 'static,
        writer: impl AsyncWrite + Unpin + Send + 'static,
        peer: Peer,
    ) -> BoxFuture<'static, ()> {
        self.serve_boxed(Box::new(reader), Box::new(writer), peer)
    }

    /// The same for any kind of connection, so that it is compiled once.
    fn serve_boxed(
        self: Arc<Self>,
        reader: Box<dyn AsyncRead + Unpin + Send>,
        writer: Box<dyn AsyncWrite + Unpin + Send>,
        peer: Peer,
    ) -> BoxFuture<'static, ()> {
        Box::pin(async move {
            let room = self.room.clone().try_acquire_owned();
            let (Ok(_room), Ok(_place)) = (room, self.places.take(peer.from)) else {
                tracing::debug!(from = %peer.from, "a connection was turned away: there are as many as there may be");
                return;
            };
            // Until it is admitted a connection is nobody's, and must not cost others their place.
            let Ok(newcomer) = self.newcomers.take(peer.from) else {
                tracing::debug!(from = %peer.from, "a connection was turned away: too many are not admitted yet");
                return;
            };
            connection::run(&self, reader, writer, &peer, newcomer).await;
        })
    }

    /// Publishes a message of the service's own.
    pub fn publish(&self, site: SiteId, message: Message) -> BoxFuture<'_, ()> {
        Box::pin(self.publish_own(site, message))
    }

    async fn publish_own(&self, site: SiteId, message: Message) {
        let Outcome { changes, tickets, .. } = self.broker().publish(site, &Arc::new(message));
        if tickets.is_empty() {
            return;
        }
        match self.keep(changes).await {
            Ok(()) => self.redeem(tickets).await,
            Err(_) => self.broker().withdraw(tickets),
        }
    }

    /// Ends the session of a client, and its connection. `false` if there is none.
    ///
    /// # Errors
    /// That it is ended could not be kept: the session comes up again after a restart.
    pub async fn end(&self, site: SiteId, client: &str, text: &str) -> Result<bool, Refused> {
        let Some(change) = self.broker().end(site, client, text) else { return Ok(false) };
        self.keep(vec![change]).await?;
        Ok(true)
    }

    /// Ends the sessions of a holder that wait for their clients.
    ///
    /// # Errors
    /// That they are ended could not be kept: they come up again after a restart.
    pub async fn end_away(&self, site: SiteId, lineage: &[u8]) -> Result<(), Refused> {
        let changes = self.broker().end_away(site, lineage);
        self.keep(changes).await
    }

    /// Wills that are due and sessions that have ended, until the server stops.
    pub fn tend(self: Arc<Self>) -> BoxFuture<'static, ()> {
        Box::pin(async move { self.tend_until_stopped().await })
    }

    async fn tend_until_stopped(&self) {
        let mut tick = tokio::time::interval(TICK);
        let mut stopping = self.stopping.subscribe();
        loop {
            tokio::select! {
                _ = tick.tick() => {}
                _ = stopping.changed() => return,
            }
            let believed = self.host.believed_now().await;
            let (wills, changes) = self.broker().tick(self.host.now(), believed);
            for will in wills {
                self.publish_will(will).await;
            }
            // What cannot be noted now comes up again after a restart.
            let _ = self.keep(changes).await;
        }
    }

    /// Tells all clients that the service stops, and waits for them for a moment.
    pub fn stop(&self) -> BoxFuture<'_, ()> {
        Box::pin(self.stop_gently())
    }

    async fn stop_gently(&self) {
        self.stopping.send_replace(true);
        self.broker().close_where(Reason::ServerShuttingDown, "The service is stopping.", |_, _| true);
        let _ = tokio::time::timeout(GRACE, self.room.acquire_many(self.connections)).await;
    }

    /// Publishes a will as its owner would have.
    async fn publish_will(&self, will: Will) {
        let Some(client) = self.host.recall(will.site, &will.credential).await else { return };
        let result = self.take(&*client, &will.message, self.host.now(), None).await;
        match result {
            Ok(tickets) => self.redeem(tickets).await,
            Err(refused) => tracing::debug!(text = %refused.text, "a will was refused"),
        }
    }

    async fn take(
        &self,
        client: &dyn Client,
        message: &Arc<Message>,
        arrived: lantern_core::Moment,
        receipt: Option<StateChange>,
    ) -> Result<Vec<Ticket>, Refused> {
        let site = client.site();
        let may_retain = self.broker().may_retain(site, message);
        may_retain.map_err(|(reason, text)| Refused { reason, text, is_passing: false })?;
        let prepared = client.prepare(message, arrived).await?;
        let Outcome { mut changes, tickets, .. } =
            if prepared.is_passed_on() { self.broker().publish(site, message) } else { Outcome::default() };
        changes.extend(receipt);
        match prepared.commit(changes).await {
            Ok(()) => Ok(tickets),
            Err(refused) => {
                self.broker().withdraw(tickets);
                Err(refused)
            }
        }
    }

    async fn redeem(&self, tickets: Vec<Ticket>) {
        let changes = self.broker().redeem(tickets, self.host.now());
        let _ = self.keep(changes).await;
    }

    async fn keep(&self, changes: Vec<StateChange>) -> Result<(), Refused> {
        if changes.is_empty() { Ok(()) } else { self.host.keep(changes).await }
    }
}
