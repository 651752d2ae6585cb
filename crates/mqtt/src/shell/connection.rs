//! One connection, from its first byte to its last.

use super::Server;
use super::arriving::Arriving;
use super::handshake::{first, open, turn_away};
use super::jobs::{Context, Done};
use crate::broker::Ending;
use crate::codec::{Ack, Fault, Incoming, Outgoing, Reason, Version, Writer};
use crate::host::{Farewell, Peer};
use crate::message::QoS;
use crate::outbox::Outbox;
use bytes::BytesMut;
use futures::StreamExt;
use futures::stream::FuturesOrdered;
use lantern_core::Moment;
use std::pin::Pin;
use std::sync::Arc;
use std::time::Duration;
use tokio::io::{AsyncRead, AsyncWrite, AsyncWriteExt};
use tokio::time::{Instant, Sleep, timeout, timeout_at};

/// Until when a CONNECT must have come.
const CONNECT_TIMEOUT: Duration = Duration::from_secs(10);
/// How long a client may take nothing while something is to be written.
const WRITE_TIMEOUT: Duration = Duration::from_secs(30);
/// How long the last words may take.
pub(super) const LAST_WORDS: Duration = Duration::from_secs(2);
/// Messages of QoS 1 and 2 a client may send unacknowledged.
pub(crate) const RECEIVE_MAXIMUM: u16 = 256;
/// What may be under way at once: more than [`RECEIVE_MAXIMUM`], so that a client
/// that does not keep to it is noticed.
const MAX_JOBS: usize = 2 * RECEIVE_MAXIMUM as usize;
/// Packets that may wait to be written before nothing more is read.
const MAX_ANSWERS: usize = 1_000;
/// Bytes that may wait in the write buffer.
const WRITE_AHEAD: usize = 64 << 10;

/// Why the loop of a connection ended.
enum End {
    Goodbye { with_will: bool, session_expiry_s: Option<u32> },
    Fault(Fault),
    KeepAlive,
    Broken,
    Closed(Reason, String),
}

impl End {
    fn ending(&self) -> Ending {
        match self {
            Self::Goodbye { with_will: false, session_expiry_s } => {
                Ending::Goodbye { session_expiry_s: *session_expiry_s }
            }
            Self::Goodbye { with_will: true, session_expiry_s } => {
                Ending::Broken { session_expiry_s: *session_expiry_s }
            }
            _ => Ending::Broken { session_expiry_s: None },
        }
    }

    /// What the client is told, if it can still hear.
    fn last_word(&self) -> Option<Outgoing> {
        match self {
            Self::Goodbye { .. } | Self::Broken => None,
            Self::Fault(fault) => Some(Outgoing::Disconnect(fault.reason, fault.text.clone())),
            Self::KeepAlive => {
                let text = "Nothing came for one and a half times the keep-alive.".to_owned();
                Some(Outgoing::Disconnect(Reason::KeepAliveTimeout, text))
            }
            Self::Closed(reason, text) => Some(Outgoing::Disconnect(*reason, text.clone())),
        }
    }

    fn farewell(self) -> Farewell {
        match self {
            Self::Goodbye { .. } => Farewell::Goodbye,
            Self::Fault(fault) => Farewell::Closed(fault.text),
            Self::KeepAlive => Farewell::KeepAlive,
            Self::Broken => Farewell::Broken,
            Self::Closed(Reason::SessionTakenOver, _) => Farewell::TakenOver,
            Self::Closed(_, text) => Farewell::Closed(text),
        }
    }
}

impl From<Fault> for End {
    fn from(fault: Fault) -> Self {
        Self::Fault(fault)
    }
}

type Inward = Box<dyn AsyncRead + Unpin + Send>;
type Outward = Box<dyn AsyncWrite + Unpin + Send>;

pub(super) async fn run(server: &Arc<Server>, from: Inward, mut to: Outward, peer: &Peer) {
    let mut arriving = Arriving::new(from);
    let connect = match timeout(CONNECT_TIMEOUT, first(&mut arriving)).await {
        Ok(Ok(connect)) => connect,
        Ok(Err(Some(fault))) => {
            tracing::debug!(from = %peer.from, text = %fault.text, "no proper CONNECT");
            let version = arriving.version().unwrap_or(Version::V3);
            turn_away(&mut to, version, fault.reason, fault.text).await;
            return;
        }
        _ => return,
    };
    let session = match open(server, &connect, peer).await {
        Ok(session) => session,
        Err(refused) => return turn_away(&mut to, connect.version, refused.reason, refused.text).await,
    };
    let writer = Writer::new(connect.version, connect.maximum_packet, connect.alias_maximum, connect.wants_problems);
    let keep_alive = (session.keep_alive_s > 0).then(|| Duration::from_millis(u64::from(session.keep_alive_s) * 1_500));
    let client = session.context.client.clone();
    let context = session.context.clone();
    let mut connection = Connection {
        context: session.context,
        outbox: session.outbox,
        writer,
        out: BytesMut::new(),
        is_flushed: true,
        write_by: Instant::now() + WRITE_TIMEOUT,
        jobs: FuturesOrdered::new(),
        unanswered: 0,
        keep_alive,
        heard_at: Instant::now(),
        last_arrived: Moment::EPOCH,
        is_kept: connect.session_expiry_s > 0,
    };
    let end = connection.work(&mut arriving, &mut to).await;
    connection.say_last(&end, &mut to).await;
    // What is under way goes on: it may be durable already.
    while let Some(done) = connection.jobs.next().await {
        let _ = connection.finish(done);
    }
    drop(to);
    let (was_attached, changes, will) = server.broker().detach(context.link, end.ending(), server.host.now());
    let _ = server.keep(changes).await;
    if let Some(will) = will {
        server.publish_will(will).await;
    }
    let how = end.farewell();
    if was_attached || how == Farewell::TakenOver {
        client.disconnected(&how);
    }
}

struct Connection {
    context: Context,
    outbox: Arc<Outbox>,
    writer: Writer,
    out: BytesMut,
    is_flushed: bool,
    write_by: Instant,
    jobs: FuturesOrdered<Pin<Box<dyn Future<Output = Done> + Send>>>,
    /// Messages of QoS 1 whose answer is not sent.
    unanswered: usize,
    keep_alive: Option<Duration>,
    heard_at: Instant,
    last_arrived: Moment,
    /// Whether the session was to outlive the connection from its beginning.
    is_kept: bool,
}

impl Connection {
    async fn work(&mut self, arriving: &mut Arriving<Inward>, to: &mut Outward) -> End {
        let sleep = tokio::time::sleep(self.keep_alive.unwrap_or(Duration::from_secs(3_600)));
        tokio::pin!(sleep);
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
            tokio::select! {
                done = self.jobs.next(), if !self.jobs.is_empty() => {
                    if let Some(done) = done && let Err(end) = self.finish(done) {
                        return end;
                    }
                }
                read = arriving.more(), if may_read => match read {
                    Ok(()) => self.heard_at = Instant::now(),
                    Err(_) => return End::Broken,
                },
                written = timeout_at(self.write_by, write_some(to, &mut self.out, &mut self.is_flushed)),
                    if !self.out.is_empty() || !self.is_flushed => match written {
                    Ok(Ok(())) => self.write_by = Instant::now() + WRITE_TIMEOUT,
                    _ => return End::Broken,
                },
                () = self.outbox.changed() => {}
                () = &mut sleep => if let Some(end) = self.check_time(sleep.as_mut()) {
                    return end;
                },
            }
        }
    }

    /// Whether enough is under way for now: nothing more is read until some of it
    /// is done.
    fn is_full(&self) -> bool {
        self.jobs.len() >= MAX_JOBS || self.outbox.len() >= MAX_ANSWERS && self.out.len() >= WRITE_AHEAD
    }

    fn check_time(&self, sleep: Pin<&mut Sleep>) -> Option<End> {
        let next = match self.keep_alive {
            Some(limit) if self.heard_at.elapsed() >= limit => return Some(End::KeepAlive),
            Some(limit) => self.heard_at + limit,
            None => Instant::now() + Duration::from_secs(3_600),
        };
        sleep.reset(next);
        None
    }

    /// Moves packets into the write buffer.
    fn fill(&mut self) {
        if self.out.len() >= WRITE_AHEAD {
            return;
        }
        if self.out.is_empty() && self.is_flushed {
            self.write_by = Instant::now() + WRITE_TIMEOUT;
        }
        let now = self.context.server.host.now();
        while self.out.len() < WRITE_AHEAD {
            let packets = self.outbox.take(64);
            if packets.is_empty() {
                return;
            }
            packets.iter().for_each(|packet| self.writer.write(packet, now, &mut self.out));
        }
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
        match packet {
            Incoming::Publish(publish) => {
                self.count(publish.qos)?;
                // Two messages never come at the same moment: their readings would be
                // taken for one.
                self.last_arrived = self.context.server.host.now().max(self.last_arrived.next());
                let job = self.context.publish(publish, self.last_arrived);
                self.jobs.push_back(job);
            }
            Incoming::Ack(Ack::PubRel, packet, _) => self.jobs.push_back(self.context.release(packet)),
            Incoming::Ack(ack, packet, reason) => self.acknowledged(ack, packet, reason),
            Incoming::Subscribe { id, filters } => {
                if filters.iter().any(|(filter, options)| options.no_local && filter.starts_with("$share/")) {
                    let text = "A shared subscription cannot leave out the client's own messages.";
                    return Err(Fault::new(Reason::ProtocolError, text).into());
                }
                self.jobs.push_back(self.context.subscribe(id, filters));
            }
            Incoming::Unsubscribe { id, filters } => {
                let job = self.context.unsubscribe(id, &filters);
                self.jobs.push_back(job);
            }
            Incoming::Ping => self.outbox.push(Outgoing::Pong),
            Incoming::Disconnect { with_will, session_expiry_s } => {
                if !self.is_kept && session_expiry_s.is_some_and(|seconds| seconds > 0) {
                    let text = "A session that ends with its connection cannot be kept at the end.";
                    return Err(Fault::new(Reason::ProtocolError, text).into());
                }
                return Err(End::Goodbye { with_will, session_expiry_s });
            }
            Incoming::Auth => {
                let text = "No authentication method is in use.";
                return Err(Fault::new(Reason::ProtocolError, text).into());
            }
            Incoming::Connect(_) => return Err(End::Broken),
        }
        Ok(())
    }

    /// Counts a message against what was announced.
    fn count(&mut self, qos: QoS) -> Result<(), End> {
        let more = match qos {
            QoS::AtMostOnce => return Ok(()),
            QoS::AtLeastOnce => {
                self.unanswered += 1;
                0
            }
            QoS::ExactlyOnce => 1,
        };
        // 3.1.1 has no such limit: there reading just stops for a while.
        if self.context.version == Version::V3 {
            return Ok(());
        }
        let open = self.unanswered + self.context.server.broker().unreleased(self.context.link) + more;
        if open > usize::from(RECEIVE_MAXIMUM) {
            let text = format!("At most {RECEIVE_MAXIMUM} messages may be unacknowledged.");
            return Err(Fault::new(Reason::ReceiveMaximumExceeded, text).into());
        }
        Ok(())
    }

    fn acknowledged(&mut self, ack: Ack, packet: u16, reason: u8) {
        let server = &self.context.server;
        let (outcome, token) = server.broker().acknowledged(self.context.link, ack, packet, reason, server.host.now());
        if let Some(token) = token {
            server.host.taken(token);
        }
        if !outcome.changes.is_empty() {
            self.jobs.push_back(self.context.note(outcome.changes, outcome.tickets));
        }
    }

    /// A job has ended.
    fn finish(&mut self, done: Done) -> Result<(), End> {
        match done {
            Done::Published { qos, packet, result } => {
                if qos == QoS::AtLeastOnce {
                    self.unanswered -= 1;
                }
                let refused = match result {
                    Ok(tickets) => {
                        self.redeem(tickets);
                        None
                    }
                    Err(refused) => Some(refused),
                };
                let text = refused.as_ref().map(|refused| refused.text.clone()).unwrap_or_default();
                let Some(answers) = self.context.answer(qos, packet, refused) else {
                    return Err(End::Closed(Reason::ServerBusy, text));
                };
                answers.into_iter().for_each(|answer| self.outbox.push(answer));
            }
            Done::Again(packet) => {
                self.outbox.push(Outgoing::Ack(Ack::PubRec, packet, Reason::Success, None));
            }
            Done::Released { is_durable: false, .. } => {
                return Err(End::Closed(Reason::ServerBusy, "The session's state could not be written.".to_owned()));
            }
            Done::Released { packet, is_known, .. } => {
                let reason = if is_known { Reason::Success } else { Reason::PacketIdentifierNotFound };
                self.outbox.push(Outgoing::Ack(Ack::PubComp, packet, reason, None));
            }
            Done::Noted(tickets) => self.redeem(tickets),
            Done::Answered(packets, tickets) => {
                packets.into_iter().for_each(|packet| self.outbox.push(packet));
                self.redeem(tickets);
            }
        }
        Ok(())
    }

    fn redeem(&mut self, tickets: Vec<crate::Ticket>) {
        if tickets.is_empty() {
            return;
        }
        let server = &self.context.server;
        let changes = server.broker().redeem(tickets, server.host.now());
        if !changes.is_empty() {
            self.jobs.push_back(self.context.note(changes, Vec::new()));
        }
    }

    /// Sends what is left, and why the connection ends.
    async fn say_last(&mut self, end: &End, to: &mut Outward) {
        if matches!(end, End::Broken) {
            return;
        }
        self.fill();
        if let Some(packet) = end.last_word() {
            self.writer.write(&packet, self.context.server.host.now(), &mut self.out);
        }
        let _ = timeout(LAST_WORDS, async {
            to.write_all(&self.out).await?;
            to.shutdown().await
        })
        .await;
    }
}

/// Writes a part, or flushes when all was written. Safe to be cancelled.
async fn write_some(to: &mut Outward, out: &mut BytesMut, is_flushed: &mut bool) -> std::io::Result<()> {
    if out.is_empty() {
        to.flush().await?;
        *is_flushed = true;
        if out.capacity() > 4_096 {
            *out = BytesMut::new();
        }
        return Ok(());
    }
    let count = to.write(out).await?;
    if count == 0 {
        return Err(std::io::ErrorKind::WriteZero.into());
    }
    bytes::Buf::advance(out, count);
    *is_flushed = false;
    Ok(())
}
