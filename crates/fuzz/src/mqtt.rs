//! The MQTT server's state machine: bytes of a client go through reader, connection, broker
//! and writer, and what is kept of it all is restored.

use bytes::BytesMut;
use lantern_core::state::{KeptState, StateChange, StateKey};
use lantern_core::{Moment, SiteId};
use lantern_mqtt::codec::{Connect, Incoming, Outgoing, Reader, Reason, Subscription, Version, Welcome, Writer};
use lantern_mqtt::{Action, Broker, Connection, Done, End, Filter, Holder, Link, Outcome, Output, Ticket, Work};
use std::collections::BTreeMap;
use std::collections::hash_map::DefaultHasher;
use std::hash::{Hash, Hasher};
use std::time::Instant;

const SITE: SiteId = SiteId(1);
/// Packets taken from one input.
const MAX_PACKETS: usize = 300;

fn packet(first: u8, body: &[u8]) -> Vec<u8> {
    let mut out = vec![first, body.len() as u8];
    out.extend_from_slice(body);
    out
}

fn connect(version: u8, flags: u8) -> Vec<u8> {
    let mut body = b"\0\x04MQTT".to_vec();
    body.extend([version, flags, 0, 60]);
    if version == 5 {
        // Session expiry, receive maximum, maximum packet size, topic aliases.
        body.extend([5 + 3 + 5 + 3, 17, 0, 0, 0, 60, 33, 0, 3, 39, 0, 0, 1, 0, 34, 0, 2]);
    }
    body.extend(b"\0\x01c");
    packet(0x10, &body)
}

/// Streams of packets to begin with.
pub(crate) fn seeds() -> Vec<Vec<u8>> {
    let subscribe = [&[0, 1, 0][..], b"\0\x03a/#\x01", b"\0\x0b$share/g/+/+\x02"].concat();
    let publish = |first: u8, rest: &[u8]| packet(first, &[b"\0\x03a/b".as_slice(), rest].concat());
    let five = [
        connect(5, 0),
        packet(0x82, &subscribe),
        publish(0x30, b"\0x"),
        publish(0x33, b"\0\x07\x03\x23\0\x01y"),
        publish(0x34, b"\0\x08\0z"),
        packet(0x62, &[0, 8]),
        packet(0x40, &[0, 1]),
        packet(0x50, &[0, 2]),
        packet(0x70, &[0, 2]),
        packet(0xA2, &[&[0, 2, 0][..], b"\0\x03a/#"].concat()),
        packet(0xC0, &[]),
        packet(0xE0, &[4]),
    ];
    let three = [
        connect(4, 0),
        packet(0x82, b"\0\x01\0\x03a/#\x02"),
        publish(0x35, b"\0\x08z"),
        packet(0x62, &[0, 8]),
        packet(0x50, &[0, 1]),
        packet(0x70, &[0, 1]),
    ];
    vec![five.concat(), three.concat(), connect(4, 2), [connect(5, 4), b"\0\0\x01w\0\0".to_vec()].concat()]
}

/// What has been kept.
#[derive(Default)]
struct Kept(BTreeMap<StateKey, Vec<u8>>);

impl Kept {
    fn keep(&mut self, changes: Vec<StateChange>) {
        for change in changes {
            match change {
                StateChange::Put(key, value) => drop(self.0.insert(key, value)),
                StateChange::Remove(key) => drop(self.0.remove(&key)),
                StateChange::RemoveAll { site, owner } => {
                    self.0.retain(|key, _| key.site != site || key.owner != owner);
                }
                other => unreachable!("not of sessions: {other:?}"),
            }
        }
    }

    fn pieces(self) -> Vec<KeptState> {
        let piece = |(key, value): (StateKey, Vec<u8>)| KeptState {
            site: key.site,
            owner: key.owner.to_string(),
            part: key.part.to_owned(),
            item: key.item,
            value,
        };
        self.0.into_iter().map(piece).collect()
    }
}

/// A server with one client that has said hello.
struct Session {
    broker: Broker,
    kept: Kept,
    link: Link,
    connection: Connection,
    now: Moment,
}

impl Session {
    fn redeem(&mut self, outcome: Outcome) {
        self.kept.keep(outcome.changes);
        let more = self.broker.redeem(outcome.tickets, self.now);
        self.kept.keep(more);
    }

    fn open(connect: &Connect, now: Moment) -> Option<Self> {
        let mut broker = Broker::default();
        let mut kept = Kept::default();
        let holder = Holder { lineage: [1].into(), credential: [1].into(), most_kept: 1 };
        let opened = broker.open(SITE, &"c".into(), &holder, connect, now).ok()?;
        kept.keep(opened.changes);
        let welcome = Welcome {
            reason: Reason::Success,
            text: None,
            session_present: false,
            assigned: None,
            keep_alive_s: None,
            session_expiry_s: None,
            receive_maximum: 10,
            alias_maximum: 10,
        };
        let outcome = broker.attach(opened.link, connect, welcome, now)?;
        let connection = Connection::new(opened.link, "c".into(), connect, Instant::now());
        let mut session = Self { broker, kept, link: opened.link, connection, now };
        session.redeem(outcome);
        Some(session)
    }

    /// Takes a packet, and does what the connection asks for at once.
    fn take(&mut self, packet: Incoming) -> Result<(), End> {
        self.connection.handle_packet(&mut self.broker, packet, self.now)?;
        while let Some(action) = self.connection.poll_action() {
            if let Action::Begin(work) = action {
                let done = self.work(work);
                self.connection.handle_done(&mut self.broker, done, self.now)?;
            }
        }
        assert!(!self.connection.is_full(), "nothing is left under way");
        Ok(())
    }

    fn work(&mut self, work: Work) -> Done {
        match work {
            Work::Take { packet, message, receipt, .. } => {
                let mut outcome = self.broker.publish(SITE, &message);
                outcome.changes.extend(receipt);
                self.kept.keep(outcome.changes);
                Done::Taken { qos: message.qos, packet, result: Ok(outcome.tickets) }
            }
            Work::Release { packet, is_known, change } => {
                self.kept.keep(change.into_iter().collect());
                Done::Released { packet, is_known, is_durable: true }
            }
            Work::Note(changes, tickets) => {
                self.kept.keep(changes);
                Done::Noted(tickets)
            }
            Work::Subscribe(id, filters) => {
                let mut tickets = Vec::new();
                let reasons = filters.iter().map(|(written, options)| self.subscribe(written, *options, &mut tickets));
                Done::Answered(vec![Outgoing::SubAck(id, reasons.collect(), None)], tickets)
            }
            Work::Unsubscribe(id, reasons, changes) => {
                self.kept.keep(changes);
                Done::Answered(vec![Outgoing::UnsubAck(id, reasons)], Vec::new())
            }
            Work::Ready(done) => done,
        }
    }

    fn subscribe(&mut self, written: &str, options: Subscription, tickets: &mut Vec<Ticket>) -> Reason {
        let Ok(filter) = Filter::parse(written) else { return Reason::TopicFilterInvalid };
        let mut changes = Vec::new();
        let (reason, _) = self.broker.subscribe(self.link, &filter, options, &mut changes);
        let outcome = self.broker.send_standing(self.link, &filter, options, Vec::new(), self.now);
        changes.extend(outcome.changes);
        self.kept.keep(changes);
        tickets.extend(outcome.tickets);
        reason
    }
}

/// Runs a stream of bytes through the whole.
pub(crate) fn run(input: &[u8]) -> u64 {
    let mut hash = DefaultHasher::new();
    let mut reader = Reader::default();
    let mut data = input;
    let now = Moment::EPOCH.plus_seconds(1e9);
    let mut session: Option<(Session, Writer)> = None;
    let mut over = End::Broken;
    for _ in 0..MAX_PACKETS {
        match reader.read(&mut data) {
            Ok(None) => break,
            Err(fault) => {
                fault.reason.number().hash(&mut hash);
                break;
            }
            Ok(Some(Incoming::Connect(connect))) => {
                let writer =
                    Writer::new(connect.version, connect.maximum_packet, connect.alias_maximum, connect.wants_problems);
                session = Session::open(&connect, now).map(|session| (session, writer));
            }
            Ok(Some(packet)) => {
                std::mem::discriminant(&packet).hash(&mut hash);
                if let Some((session, _)) = &mut session
                    && let Err(end) = session.take(packet)
                {
                    over = end;
                    break;
                }
            }
        }
    }
    let Some((mut session, mut writer)) = session else { return hash.finish() };
    let mut out = BytesMut::new();
    let version = reader.version().unwrap_or(Version::V3);
    while let Some((link, output)) = session.broker.poll_output() {
        assert_eq!(link, session.link, "there is nobody else");
        let Output::Send(packet) = output else { continue };
        let before = out.len();
        writer.write(&packet, now, &mut out);
        let is_silent = version == Version::V3 && matches!(packet, Outgoing::Disconnect(..));
        assert!(out.len() >= before + 2 || is_silent || out.len() == before, "a packet has two bytes at least");
        std::mem::discriminant(&packet).hash(&mut hash);
    }
    let (_, changes, _) = session.broker.detach(session.link, over.ending(), now);
    session.kept.keep(changes);
    let restored = Broker::restore(&session.kept.pieces(), now);
    restored.sessions(SITE, "", 10).len().hash(&mut hash);
    session.broker.sessions(SITE, "", 10).iter().map(|view| view.waiting).collect::<Vec<_>>().hash(&mut hash);
    let same = restored.sessions(SITE, "", 10).iter().map(|view| (view.waiting, view.filters)).collect::<Vec<_>>()
        == session.broker.sessions(SITE, "", 10).iter().map(|view| (view.waiting, view.filters)).collect::<Vec<_>>();
    assert!(same, "what is kept is what there was");
    hash.finish()
}
