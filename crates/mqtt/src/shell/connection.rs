//! Runs one connection, from its first byte to its last.

use super::Server;
use super::arriving::{Arriving, Inward};
use super::handshake::{first, open, turn_away};
use super::outbox::Outbox;
use super::work::Worker;
use super::writing::{LAST_WORDS, Outward, Writing};
use crate::codec::{Incoming, Version, Writer};
use crate::connection::{Action, Connection, Done, End};
use crate::host::{Farewell, Peer};
use futures::StreamExt;
use futures::future::BoxFuture;
use futures::stream::FuturesOrdered;
use lantern_core::places::Place;
use std::sync::Arc;
use std::time::Duration;
use tokio::time::{Instant, sleep_until, timeout};

/// Until when a CONNECT must have come.
const CONNECT_TIMEOUT: Duration = Duration::from_secs(10);
/// When a connection without keep-alive is looked at.
const FAR_AWAY: Duration = Duration::from_secs(3_600);
/// Packets that may wait to be written before nothing more is read.
const MAX_ANSWERS: usize = 1_000;

/// Serves a connection until it ends.
pub(super) async fn run(server: &Arc<Server>, from: Inward, mut to: Outward, peer: &Peer, newcomer: Place) {
    let mut arriving = Arriving::new(from);
    let connect = match timeout(CONNECT_TIMEOUT, first(&mut arriving)).await {
        Ok(Ok(connect)) => connect,
        Ok(Err(Some(fault))) => {
            tracing::debug!(from = %peer.from, text = %fault.text, "no proper CONNECT");
            let version = arriving.version().unwrap_or(Version::V3);
            return turn_away(&mut to, version, fault.reason, fault.text).await;
        }
        _ => return,
    };
    let (worker, outbox) = match open(server, &connect, peer).await {
        Ok(opened) => opened,
        Err(refused) => return turn_away(&mut to, connect.version, refused.reason, refused.text).await,
    };
    drop(newcomer);
    let writer = Writer::new(connect.version, connect.maximum_packet, connect.alias_maximum, connect.wants_problems);
    let now = Instant::now();
    let mut running = Running {
        connection: Connection::new(worker.link, worker.client_id.clone(), &connect, now.into_std()),
        worker,
        outbox,
        writing: Writing::new(writer, now),
        works: FuturesOrdered::new(),
    };
    let end = running.work(&mut arriving, &mut to).await;
    running.say_last(&end, &mut to).await;
    drop(to);
    running.leave(end).await;
}

/// A connection with what it waits for.
struct Running {
    connection: Connection,
    worker: Worker,
    outbox: Arc<Outbox>,
    writing: Writing,
    works: FuturesOrdered<BoxFuture<'static, Done>>,
}

impl Running {
    /// Does what the connection asks for, until it is over.
    async fn work(&mut self, arriving: &mut Arriving<Inward>, to: &mut Outward) -> End {
        let wake = sleep_until(Instant::now());
        tokio::pin!(wake);
        loop {
            if let Err(end) = self.read_packets(arriving) {
                return end;
            }
            self.fill();
            if let Some((reason, text)) = self.outbox.closing() {
                return End::Closed(reason, text);
            }
            let may_read = arriving.is_empty() && !self.is_full();
            if may_read {
                arriving.fit();
            }
            let happened = tokio::select! {
                done = self.works.next(), if !self.works.is_empty() => match done {
                    Some(done) => self.finish(done),
                    None => Ok(()),
                },
                read = arriving.more(), if may_read => match read {
                    Ok(()) => { self.connection.handle_heard(Instant::now().into_std()); Ok(()) }
                    Err(_) => Err(End::Broken),
                },
                written = self.writing.write_some(to), if !self.writing.is_done() => written.map_err(|_| End::Broken),
                () = self.outbox.changed() => Ok(()),
                () = wake.as_mut() => {
                    let next = self.connection.poll_timeout().map_or_else(|| Instant::now() + FAR_AWAY, Instant::from_std);
                    wake.as_mut().reset(next);
                    self.connection.handle_timeout(Instant::now().into_std())
                }
            };
            if let Err(end) = happened {
                return end;
            }
        }
    }

    /// Whether enough is under way for now: nothing more is read until some of it is done.
    fn is_full(&self) -> bool {
        self.connection.is_full() || self.outbox.len() >= MAX_ANSWERS && self.writing.is_full()
    }

    fn read_packets(&mut self, arriving: &mut Arriving<Inward>) -> Result<(), End> {
        while !arriving.is_empty() && !self.is_full() {
            if let Some(packet) = arriving.packet()? {
                self.handle(packet)?;
            }
        }
        Ok(())
    }

    fn handle(&mut self, packet: Incoming) -> Result<(), End> {
        let server = &self.worker.server;
        let now = server.host.now();
        let handled = self.connection.handle_packet(&mut server.broker(), packet, now);
        self.act();
        handled
    }

    fn finish(&mut self, done: Done) -> Result<(), End> {
        let server = &self.worker.server;
        let now = server.host.now();
        let handled = self.connection.handle_done(&mut server.broker(), done, now);
        self.act();
        handled
    }

    /// Begins what the connection asks for.
    fn act(&mut self) {
        while let Some(action) = self.connection.poll_action() {
            match action {
                Action::Begin(work) => self.works.push_back(self.worker.begin(work)),
                Action::Delivered(token) => self.worker.server.host.taken(token),
            }
        }
    }

    /// Moves packets into the write buffer.
    fn fill(&mut self) {
        let now = self.worker.server.host.now();
        while !self.writing.is_full() {
            let packets = self.outbox.take(64);
            if packets.is_empty() {
                return;
            }
            packets.iter().for_each(|packet| self.writing.put(packet, now));
        }
    }

    /// Sends what is left, and why the connection ends.
    async fn say_last(&mut self, end: &End, to: &mut Outward) {
        if matches!(end, End::Broken) {
            return;
        }
        self.fill();
        if let Some(packet) = end.last_word() {
            self.writing.put(&packet, self.worker.server.host.now());
        }
        let _ = timeout(LAST_WORDS, self.writing.write_all(to)).await;
    }

    /// Lets the session go.
    async fn leave(mut self, end: End) {
        // What is under way goes on: it may be durable already.
        while let Some(done) = self.works.next().await {
            let _ = self.finish(done);
        }
        let Worker { server, client, link, .. } = self.worker;
        let (was_attached, changes, will) = server.broker().detach(link, end.ending(), server.host.now());
        server.disconnect(link);
        let _ = server.keep(changes).await;
        if let Some(will) = will {
            server.publish_will(will).await;
        }
        let how = end.farewell();
        // A session that was ended from outside, or taken over, is not this connection's any longer.
        if was_attached || matches!(how, Farewell::TakenOver | Farewell::Closed(_)) {
            client.disconnected(&how);
        }
    }
}
