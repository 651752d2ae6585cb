//! A connection in time that is only told.

use super::*;
use crate::broker::Output;
use crate::codec::{Publish, Retained, Subscription};
use crate::host::Holder;
use lantern_core::SiteId;

/// A broker, a connection, and the works that wait for their end.
struct Run {
    broker: Broker,
    connection: Connection,
    link: Link,
    works: VecDeque<Work>,
    began: Instant,
}

const NOW: Moment = Moment::EPOCH;

fn connect(version: Version, keep_alive_s: u16, session_expiry_s: u32) -> Connect {
    Connect {
        version,
        clean_start: true,
        client_id: "board".to_owned(),
        keep_alive_s,
        session_expiry_s,
        receive_maximum: u16::MAX,
        maximum_packet: u32::MAX,
        alias_maximum: 0,
        wants_problems: true,
        has_method: false,
        user_name: None,
        password: None,
        will: None,
    }
}

impl Run {
    fn new(connect: &Connect) -> Self {
        let mut broker = Broker::default();
        let holder = Holder { lineage: [1].into(), credential: [1].into(), most_kept: 1 };
        let opened = broker.open(SiteId(1), &"board".into(), &holder, connect, NOW).unwrap();
        broker.attach(opened.link, connect, welcome(Reason::Success, None, false, None), NOW);
        let began = Instant::now();
        let connection = Connection::new(opened.link, "board".into(), connect, began);
        let mut run = Self { broker, connection, link: opened.link, works: VecDeque::new(), began };
        assert!(matches!(run.sent().as_slice(), [Outgoing::Welcome(_)]));
        run
    }

    fn take(&mut self, packet: Incoming) -> Result<(), End> {
        let handled = self.connection.handle_packet(&mut self.broker, packet, NOW);
        self.begin();
        handled
    }

    /// The first work has come to something.
    fn finish(&mut self, done: impl FnOnce(Work) -> Done) -> Result<(), End> {
        let work = self.works.pop_front().expect("a work is under way");
        let handled = self.connection.handle_done(&mut self.broker, done(work), NOW);
        self.begin();
        handled
    }

    fn begin(&mut self) {
        while let Some(action) = self.connection.poll_action() {
            let Action::Begin(work) = action else { continue };
            self.works.push_back(work);
        }
    }

    fn sent(&mut self) -> Vec<Outgoing> {
        let mut sent = Vec::new();
        while let Some((link, output)) = self.broker.poll_output() {
            assert_eq!(link, self.link);
            let Output::Send(packet) = output else { panic!("nobody closes") };
            sent.push(packet);
        }
        sent
    }

    fn acks(&mut self) -> Vec<(Ack, u16, Reason)> {
        let ack = |packet| match packet {
            Outgoing::Ack(ack, packet, reason, _) => (ack, packet, reason),
            other => panic!("{other:?}"),
        };
        self.sent().into_iter().map(ack).collect()
    }
}

fn publish(qos: QoS, id: u16) -> Incoming {
    Incoming::Publish(Publish {
        dup: false,
        topic: "line/tower/in".into(),
        payload: "1".into(),
        qos,
        retain: false,
        id: Some(id).filter(|_| qos != QoS::AtMostOnce),
        expiry_s: None,
        carried: Default::default(),
    })
}

fn taken(work: Work) -> Done {
    let Work::Take { packet, message, .. } = work else { panic!("{work:?}") };
    Done::Taken { qos: message.qos, packet, result: Ok(Vec::new()) }
}

fn refused(is_passing: bool) -> impl FnOnce(Work) -> Done {
    move |work| {
        let Work::Take { packet, message, .. } = work else { panic!("{work:?}") };
        let refused = Refused { reason: Reason::QuotaExceeded, text: "too much".to_owned(), is_passing };
        Done::Taken { qos: message.qos, packet, result: Err(refused) }
    }
}

fn fault(handled: Result<(), End>) -> Reason {
    match handled {
        Err(End::Fault(fault)) => fault.reason,
        other => panic!("{other:?}"),
    }
}

#[test]
fn nothing_is_answered_before_it_is_durable() {
    let mut run = Run::new(&connect(Version::V5, 0, 0));
    for id in [7, 8] {
        run.take(publish(QoS::AtLeastOnce, id)).unwrap();
    }
    assert!(run.sent().is_empty(), "neither is durable");
    run.finish(taken).unwrap();
    assert_eq!(run.acks(), [(Ack::PubAck, 7, Reason::Success)]);
    run.finish(taken).unwrap();
    assert_eq!(run.acks(), [(Ack::PubAck, 8, Reason::Success)]);
}

#[test]
fn two_messages_never_come_at_the_same_moment() {
    let mut run = Run::new(&connect(Version::V3, 0, 0));
    for _ in 0..3 {
        run.take(publish(QoS::AtMostOnce, 0)).unwrap();
    }
    let arrived: Vec<Moment> = run
        .works
        .iter()
        .map(|work| match work {
            Work::Take { arrived, .. } => *arrived,
            other => panic!("{other:?}"),
        })
        .collect();
    assert!(arrived.is_sorted_by(|a, b| a < b), "{arrived:?}");
}

#[test]
fn the_keep_alive_is_one_and_a_half_times_what_was_asked_for() {
    let mut run = Run::new(&connect(Version::V5, 10, 0));
    let after = |run: &Run, seconds: u64| run.began + Duration::from_secs(seconds);
    assert_eq!(run.connection.poll_timeout(), Some(after(&run, 15)));
    assert_eq!(run.connection.handle_timeout(after(&run, 14)), Ok(()));
    run.connection.handle_heard(after(&run, 14));
    assert_eq!(run.connection.handle_timeout(after(&run, 28)), Ok(()));
    assert_eq!(run.connection.handle_timeout(after(&run, 29)), Err(End::KeepAlive));
    let without = Run::new(&connect(Version::V5, 0, 0));
    assert_eq!(without.connection.poll_timeout(), None);
    assert_eq!(without.connection.handle_timeout(without.began + Duration::from_secs(1 << 30)), Ok(()));
}

#[test]
fn a_sender_that_waits_for_no_answers_is_told_so_only_by_version_5() {
    for qos in [QoS::AtLeastOnce, QoS::ExactlyOnce] {
        let mut run = Run::new(&connect(Version::V5, 0, 0));
        for id in 1..=RECEIVE_MAXIMUM {
            run.take(publish(qos, id)).unwrap();
        }
        assert_eq!(fault(run.take(publish(qos, RECEIVE_MAXIMUM + 1))), Reason::ReceiveMaximumExceeded);
    }
    let mut run = Run::new(&connect(Version::V3, 0, 0));
    let mut taken_in = 0_u16;
    while !run.connection.is_full() {
        taken_in += 1;
        run.take(publish(QoS::AtLeastOnce, taken_in)).unwrap();
    }
    assert_eq!(usize::from(taken_in), MAX_UNDERWAY);
    run.finish(taken).unwrap();
    assert!(!run.connection.is_full(), "reading goes on");
}

#[test]
fn what_is_refused_is_answered_as_the_version_can() {
    type Case = (Version, QoS, bool, Option<(Ack, Reason)>);
    let cases: [Case; 6] = [
        (Version::V5, QoS::AtLeastOnce, false, Some((Ack::PubAck, Reason::QuotaExceeded))),
        (Version::V5, QoS::ExactlyOnce, true, Some((Ack::PubRec, Reason::QuotaExceeded))),
        // 3.1.1 cannot say no: it is taken for good, or the connection ends so that it comes again.
        (Version::V3, QoS::AtLeastOnce, false, Some((Ack::PubAck, Reason::Success))),
        (Version::V3, QoS::AtLeastOnce, true, None),
        (Version::V3, QoS::ExactlyOnce, true, None),
        (Version::V3, QoS::ExactlyOnce, false, Some((Ack::PubRec, Reason::Success))),
    ];
    for (version, qos, is_passing, expected) in cases {
        let mut run = Run::new(&connect(version, 0, 0));
        run.take(publish(qos, 3)).unwrap();
        let handled = run.finish(refused(is_passing));
        match expected {
            Some((ack, reason)) => {
                assert_eq!(handled, Ok(()));
                assert_eq!(run.acks(), [(ack, 3, reason)], "{version:?} {qos:?} {is_passing}");
            }
            None => assert_eq!(handled, Err(End::Closed(Reason::ServerBusy, "too much".to_owned()))),
        }
    }
    let mut run = Run::new(&connect(Version::V3, 0, 0));
    run.take(publish(QoS::AtMostOnce, 0)).unwrap();
    assert_eq!(run.finish(refused(true)), Ok(()), "nobody waits for an answer");
    assert!(run.sent().is_empty());
}

#[test]
fn a_message_of_qos_2_is_taken_once() {
    let mut run = Run::new(&connect(Version::V5, 0, 0));
    run.take(publish(QoS::ExactlyOnce, 5)).unwrap();
    run.take(publish(QoS::ExactlyOnce, 5)).unwrap();
    assert_eq!(run.works.len(), 1, "it is under way already");
    run.finish(taken).unwrap();
    assert_eq!(run.acks(), [(Ack::PubRec, 5, Reason::Success)]);
    run.take(publish(QoS::ExactlyOnce, 5)).unwrap();
    run.finish(|work| match work {
        Work::Ready(done) => done,
        other => panic!("{other:?}"),
    })
    .unwrap();
    assert_eq!(run.acks(), [(Ack::PubRec, 5, Reason::Success)], "its answer may have been lost");
    for reason in [Reason::Success, Reason::PacketIdentifierNotFound] {
        run.take(Incoming::Ack(Ack::PubRel, 5, 0)).unwrap();
        run.finish(|work| match work {
            Work::Release { packet, is_known, .. } => Done::Released { packet, is_known, is_durable: true },
            other => panic!("{other:?}"),
        })
        .unwrap();
        assert_eq!(run.acks(), [(Ack::PubComp, 5, reason)]);
    }
}

#[test]
fn a_ping_is_answered_whatever_is_under_way() {
    let mut run = Run::new(&connect(Version::V3, 0, 0));
    run.take(publish(QoS::AtLeastOnce, 1)).unwrap();
    run.take(Incoming::Ping).unwrap();
    assert!(matches!(run.sent().as_slice(), [Outgoing::Pong]));
}

#[test]
fn what_breaks_the_protocol_ends_it() {
    let own =
        Subscription { qos: QoS::AtMostOnce, no_local: true, as_published: false, retained: Retained::Send, id: None };
    let shared = || Incoming::Subscribe { id: 1, filters: vec![("$share/crew/a".to_owned(), own)] };
    let extended = || Incoming::Disconnect { with_will: false, session_expiry_s: Some(60) };
    for packet in [shared(), extended(), Incoming::Auth] {
        assert_eq!(fault(Run::new(&connect(Version::V5, 0, 0)).take(packet)), Reason::ProtocolError);
    }
    let mut again = Run::new(&connect(Version::V5, 0, 0));
    assert_eq!(again.take(Incoming::Connect(Box::new(connect(Version::V5, 0, 0)))), Err(End::Broken));
    let mut kept = Run::new(&connect(Version::V5, 0, 60));
    let goodbye = End::Goodbye { with_will: false, session_expiry_s: Some(60) };
    assert_eq!(kept.take(extended()), Err(goodbye));
}

#[test]
fn state_that_cannot_be_kept_ends_it() {
    let mut run = Run::new(&connect(Version::V5, 0, 60));
    run.take(publish(QoS::ExactlyOnce, 5)).unwrap();
    run.finish(taken).unwrap();
    run.take(Incoming::Ack(Ack::PubRel, 5, 0)).unwrap();
    let handled = run.finish(|work| match work {
        Work::Release { packet, is_known, change } => {
            assert!(change.is_some(), "the session outlives its connection");
            Done::Released { packet, is_known, is_durable: false }
        }
        other => panic!("{other:?}"),
    });
    assert!(matches!(handled, Err(End::Closed(Reason::ServerBusy, _))), "{handled:?}");
}
