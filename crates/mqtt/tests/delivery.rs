//! Messages from publisher to subscriber: QoS, sessions, retained, wills.

use crate::common::{GATE, Hi, Raw, V3, V5, crashed, eventually, expiry, server};
use std::sync::atomic::Ordering;

#[tokio::test]
async fn every_qos_reaches_every_qos_at_the_lower_of_both() {
    for (version, _) in [(4, ()), (5, ())] {
        let server = server();
        let hi = |id| Hi { version, id, ..V3 };
        for wanted in 0..3_u8 {
            let (mut to, _) = Raw::connect(&server, &hi("to")).await;
            assert_eq!(to.subscribe(&[("a/b", wanted)]).await, [wanted]);
            for sent in 0..3_u8 {
                let (mut from, _) = Raw::connect(&server, &hi("from")).await;
                from.publish("a/b", "x", sent << 1, 7).await;
                match sent {
                    0 => from.ping().await,
                    1 => assert_eq!(from.acked(0x40, 7).await, 0),
                    _ => {
                        assert_eq!(from.acked(0x50, 7).await, 0);
                        from.ack(0x62, 7).await;
                        assert_eq!(from.acked(0x70, 7).await, 0);
                    }
                }
                let got = to.got().await;
                assert_eq!((got.topic.as_str(), got.payload.as_str()), ("a/b", "x"));
                assert_eq!((got.qos, got.dup, got.retain), (sent.min(wanted), false, false));
                match got.qos {
                    0 => {}
                    1 => to.ack(0x40, got.id).await,
                    _ => {
                        to.ack(0x50, got.id).await;
                        to.acked(0x62, got.id).await;
                        to.ack(0x70, got.id).await;
                    }
                }
                to.quiet().await;
                from.goodbye().await;
            }
            to.goodbye().await;
        }
    }
}

#[tokio::test]
async fn qos_2_sent_twice_is_taken_once() {
    let server = server();
    let (mut raw, _) = Raw::connect(&server, &V3).await;
    raw.publish("a", "x", 4, 9).await;
    assert_eq!(raw.acked(0x50, 9).await, 0);
    raw.publish("a", "x", 4 | 8, 9).await;
    assert_eq!(raw.acked(0x50, 9).await, 0);
    raw.ack(0x62, 9).await;
    assert_eq!(raw.acked(0x70, 9).await, 0);
    assert_eq!(server.host().taken.lock().unwrap().len(), 1);
    // The identifier is free again: this is another message.
    raw.publish("a", "y", 4, 9).await;
    assert_eq!(raw.acked(0x50, 9).await, 0);
    assert_eq!(server.host().taken.lock().unwrap().len(), 2);
    let (mut new, _) = Raw::connect(&server, &Hi { id: "new", ..V5 }).await;
    new.ack(0x62, 77).await;
    assert_eq!(new.acked(0x70, 77).await, 0x92, "an identifier nobody knows");
}

#[tokio::test]
async fn answers_come_in_the_order_of_messages() {
    let server = server();
    let (mut raw, _) = Raw::connect(&server, &V5).await;
    let gate = server.host().gate.acquire_many(GATE as u32).await.unwrap();
    for id in 1..=100 {
        raw.publish("a", &id.to_string(), 2, id).await;
    }
    raw.quiet().await;
    drop(gate);
    for id in 1..=100 {
        assert_eq!(raw.acked(0x40, id).await, 0);
    }
}

#[tokio::test]
async fn nothing_is_acknowledged_or_sent_that_is_not_durable() {
    let server = server();
    let (mut to, _) = Raw::connect(&server, &Hi { id: "to", clean: false, ..V3 }).await;
    to.subscribe(&[("a", 1)]).await;
    let (mut old, _) = Raw::connect(&server, &Hi { id: "old", ..V3 }).await;
    let (mut new, _) = Raw::connect(&server, &Hi { id: "new", ..V5 }).await;
    server.host().is_broken.store(true, Ordering::SeqCst);
    new.publish("a", "lost", 2, 1).await;
    assert_eq!(new.acked(0x40, 1).await, 0x97, "5.0 can say no");
    old.publish("a", "lost", 2, 1).await;
    assert_eq!(old.closed().await, None, "3.1.1 cannot: it is made to send again");
    to.quiet().await;
    server.host().is_broken.store(false, Ordering::SeqCst);
    new.publish("a", "kept", 2, 2).await;
    assert_eq!(new.acked(0x40, 2).await, 0);
    assert_eq!(to.got().await.payload, "kept");
    to.quiet().await;
}

#[tokio::test]
async fn a_kept_session_gets_what_came_while_it_was_away_also_after_a_crash() {
    for hi in [Hi { clean: false, id: "to", ..V3 }, Hi { clean: false, id: "to", properties: expiry(3_600), ..V5 }] {
        let mut server = server();
        let (mut to, was_there) = Raw::connect(&server, &hi).await;
        assert!(!was_there);
        to.subscribe(&[("a/+", 2)]).await;
        to.goodbye().await;
        let (mut from, _) = Raw::connect(&server, &Hi { id: "from", ..V5 }).await;
        for (payload, flags, id) in [("zero", 0, 0), ("one", 2, 1), ("two", 4, 2)] {
            from.publish("a/b", payload, flags, id).await;
        }
        from.acked(0x40, 1).await;
        from.acked(0x50, 2).await;
        server = crashed(&server);
        let (mut to, was_there) = Raw::connect(&server, &hi).await;
        assert!(was_there);
        let one = to.got().await;
        assert_eq!((one.payload.as_str(), one.qos), ("one", 1), "QoS 0 is not kept");
        let two = to.got().await;
        assert_eq!((two.payload.as_str(), two.qos), ("two", 2));
        to.ack(0x40, one.id).await;
        to.ack(0x50, two.id).await;
        to.acked(0x62, two.id).await;
        // Crashed before PUBCOMP: PUBREL comes again, PUBLISH does not.
        server = crashed(&server);
        let (mut to, _) = Raw::connect(&server, &hi).await;
        to.acked(0x62, two.id).await;
        to.ack(0x70, two.id).await;
        to.ping().await;
        to.quiet().await;
        eventually(|| server.host().kept().iter().all(|piece| piece.part != "message")).await;
    }
}

#[tokio::test]
async fn what_was_sent_and_not_acknowledged_is_sent_again_under_its_number() {
    let server = server();
    let hi = Hi { id: "to", clean: false, properties: expiry(60), ..V5 };
    let (mut to, _) = Raw::connect(&server, &hi).await;
    to.subscribe(&[("a", 1)]).await;
    let (mut from, _) = Raw::connect(&server, &Hi { id: "from", ..V5 }).await;
    for id in 1..=5 {
        from.publish("a", &id.to_string(), 2, id).await;
        from.acked(0x40, id).await;
    }
    let first: Vec<_> = [to.got().await, to.got().await, to.got().await, to.got().await, to.got().await].into();
    assert!(first.iter().all(|got| !got.dup));
    to.ack(0x40, first[1].id).await;
    to.ping().await;
    to.break_off(&server).await;
    for restart in [false, true] {
        let server = if restart { crashed(&server) } else { server.clone() };
        let (mut to, was_there) = Raw::connect(&server, &hi).await;
        assert!(was_there);
        for expected in [0, 2, 3, 4] {
            let got = to.got().await;
            assert!(got.dup);
            assert_eq!((&got.payload, got.id), (&first[expected].payload, first[expected].id));
        }
        to.ping().await;
    }
}

#[tokio::test]
async fn a_clean_start_forgets() {
    let server = server();
    let kept = Hi { id: "to", clean: false, ..V3 };
    let (mut to, _) = Raw::connect(&server, &kept).await;
    to.subscribe(&[("a", 1)]).await;
    to.goodbye().await;
    let (to, was_there) = Raw::connect(&server, &Hi { clean: true, ..kept.clone() }).await;
    assert!(!was_there);
    to.goodbye().await;
    let (_, was_there) = Raw::connect(&server, &kept).await;
    assert!(!was_there, "the clean session ended with its connection");
    assert!(server.host().kept().iter().all(|piece| piece.part != "filter"));
}

#[tokio::test]
async fn a_session_ends_when_its_time_is_over() {
    let server = server();
    let hi = Hi { id: "to", clean: false, properties: expiry(60), ..V5 };
    for (seconds, expected) in [(59, true), (61, false)] {
        let (to, _) = Raw::connect(&server, &hi).await;
        to.goodbye().await;
        server.host().pass(seconds);
        let now = lantern_mqtt::Host::now(server.host());
        let (_, changes) = server.broker().tick(now, Some(now));
        lantern_mqtt::Host::keep(server.host(), changes).await.unwrap();
        let (to, was_there) = Raw::connect(&server, &hi).await;
        assert_eq!(was_there, expected, "after {seconds} s");
        to.goodbye().await;
    }
    // DISCONNECT may shorten it, but not make it out of nothing.
    let (mut to, _) = Raw::connect(&server, &hi).await;
    let mut body = vec![0];
    body.extend(crate::common::length(5));
    body.extend(expiry(0));
    to.send(&crate::common::packet(0xE0, &body)).await;
    to.closed().await;
    eventually(|| server.host().kept().is_empty()).await;
    let (mut to, _) = Raw::connect(&server, &Hi { properties: Vec::new(), ..hi.clone() }).await;
    let mut body = vec![0];
    body.extend(crate::common::length(5));
    body.extend(expiry(10));
    to.send(&crate::common::packet(0xE0, &body)).await;
    assert_eq!(to.closed().await, Some(0x82));
}

#[tokio::test]
async fn the_newer_connection_takes_the_session() {
    let server = server();
    let hi = Hi { id: "to", clean: false, properties: expiry(60), ..V5 };
    let (mut old, _) = Raw::connect(&server, &hi).await;
    old.subscribe(&[("a", 1)]).await;
    let (mut new, was_there) = Raw::connect(&server, &hi).await;
    assert!(was_there);
    assert_eq!(old.closed().await, Some(0x8E));
    let (mut from, _) = Raw::connect(&server, &Hi { id: "from", ..V5 }).await;
    from.publish("a", "x", 2, 1).await;
    assert_eq!(new.got().await.payload, "x");
}

#[tokio::test]
async fn retained_messages_stand_on_their_topics() {
    let mut server = server();
    let (mut from, _) = Raw::connect(&server, &Hi { id: "from", ..V5 }).await;
    for (topic, payload, id) in [("a/1", "one", 1), ("a/2", "two", 2), ("b", "three", 3), ("a/1", "newer", 4)] {
        from.publish(topic, payload, 3, id).await;
        from.acked(0x40, id).await;
    }
    server = crashed(&server);
    let (mut to, _) = Raw::connect(&server, &Hi { id: "to", ..V5 }).await;
    to.subscribe(&[("a/+", 1)]).await;
    for expected in ["newer", "two"] {
        let got = to.got().await;
        assert_eq!((got.payload.as_str(), got.retain, got.qos), (expected, true, 1));
        to.ack(0x40, got.id).await;
    }
    let (mut from, _) = Raw::connect(&server, &Hi { id: "from", ..V5 }).await;
    from.publish("a/2", "", 3, 1).await;
    from.acked(0x40, 1).await;
    let got = to.got().await;
    assert_eq!((got.payload.as_str(), got.retain), ("", false), "who listens gets it as any message");
    let (mut late, _) = Raw::connect(&server, &Hi { id: "late", ..V5 }).await;
    late.subscribe(&[("a/#", 0)]).await;
    assert_eq!(late.got().await.payload, "newer");
    late.quiet().await;
}

#[tokio::test]
async fn retain_handling_and_retain_as_published_are_obeyed() {
    let server = server();
    let (mut from, _) = Raw::connect(&server, &Hi { id: "from", ..V5 }).await;
    from.publish("a", "x", 1, 0).await;
    from.ping().await;
    let (mut to, _) = Raw::connect(&server, &Hi { id: "to", ..V5 }).await;
    to.subscribe(&[("a", 0x20)]).await; // never
    to.quiet().await;
    to.subscribe(&[("a", 0x10)]).await; // only if new: it is not
    to.quiet().await;
    to.subscribe(&[("a", 0x00)]).await; // always
    assert!(to.got().await.retain);
    from.publish("a", "y", 1, 0).await;
    assert!(!to.got().await.retain);
    to.subscribe(&[("a", 0x28)]).await; // as published
    from.publish("a", "z", 1, 0).await;
    assert!(to.got().await.retain);
    from.publish("a", "z", 0, 0).await;
    assert!(!to.got().await.retain);
}

#[tokio::test]
async fn a_will_is_published_when_its_client_is_gone_without_a_word() {
    for version in [4, 5] {
        let server = server();
        let (mut to, _) = Raw::connect(&server, &Hi { id: "to", ..V5 }).await;
        to.subscribe(&[("gone", 2)]).await;
        let hi = Hi { version, id: "w", will: Some(("gone", "help", 0x08 | 0x20, Vec::new())), ..V3 };
        let (raw, _) = Raw::connect(&server, &hi).await;
        raw.goodbye().await;
        to.quiet().await;
        let (raw, _) = Raw::connect(&server, &hi).await;
        raw.break_off(&server).await;
        let got = to.got().await;
        assert_eq!((got.payload.as_str(), got.qos), ("help", 1));
        to.ack(0x40, got.id).await;
        let (mut late, _) = Raw::connect(&server, &Hi { id: "late", ..V5 }).await;
        late.subscribe(&[("gone", 0)]).await;
        assert!(late.got().await.retain, "the will was to be retained");
        // A connection that is taken over, or closed for a fault, counts as gone.
        let (mut raw, _) = Raw::connect(&server, &hi).await;
        raw.send(&[0xF0, 0xFF]).await;
        raw.send(&[0xFF; 8]).await;
        raw.closed().await;
        assert_eq!(to.got().await.payload, "help");
    }
    let server = server();
    let (mut to, _) = Raw::connect(&server, &Hi { id: "to", ..V5 }).await;
    to.subscribe(&[("gone", 0)]).await;
    let (mut raw, _) = Raw::connect(&server, &Hi { id: "w", will: Some(("gone", "help", 0, Vec::new())), ..V5 }).await;
    raw.send(&[0xE0, 1, 4]).await; // goodbye, but with the will
    raw.closed().await;
    assert_eq!(to.got().await.payload, "help");
}

#[tokio::test]
async fn a_will_waits_for_its_delay_unless_the_session_ends_or_goes_on() {
    let server = server();
    let (mut to, _) = Raw::connect(&server, &Hi { id: "to", ..V5 }).await;
    to.subscribe(&[("gone", 0)]).await;
    let delay = [24_u8, 0, 0, 0, 30].to_vec();
    let hi = |seconds| Hi {
        id: "w",
        clean: false,
        properties: expiry(seconds),
        will: Some(("gone", "help", 0, delay.clone())),
        ..V5
    };
    let tick = |seconds| {
        server.host().pass(seconds);
        let now = lantern_mqtt::Host::now(server.host());
        let (wills, _) = server.broker().tick(now, Some(now));
        wills.len()
    };
    let (raw, _) = Raw::connect(&server, &hi(300)).await;
    raw.break_off(&server).await;
    assert_eq!(tick(29), 0);
    let (raw, _) = Raw::connect(&server, &hi(300)).await;
    assert_eq!(tick(100), 0, "it came back in time");
    raw.break_off(&server).await;
    assert_eq!(tick(31), 1);
    let (raw, _) = Raw::connect(&server, &hi(10)).await;
    raw.break_off(&server).await;
    assert_eq!(tick(11), 1, "the session ended before the delay did");
    let (raw, _) = Raw::connect(&server, &hi(0)).await;
    raw.break_off(&server).await;
    assert_eq!(to.got().await.payload, "help", "a session that ends with its connection waits for nothing");
    let (raw, _) = Raw::connect(&server, &hi(300)).await;
    raw.break_off(&server).await;
    let after = crashed(&server);
    after.host().pass(31);
    assert_eq!(after.broker().tick(lantern_mqtt::Host::now(after.host()), None).0.len(), 1, "a will survives a crash");
}

#[tokio::test]
async fn a_session_keeps_its_state_only_as_long_as_its_storage_works() {
    let server = server();
    server.host().is_broken.store(true, Ordering::SeqCst);
    let mut raw = Raw::open(&server, 5);
    raw.send(&Hi { clean: false, properties: expiry(60), ..V5 }.bytes()).await;
    assert_eq!(raw.closed().await, Some(0x97));
    let (mut clean, _) = Raw::connect(&server, &V5).await;
    assert_eq!(clean.subscribe(&[("a", 1)]).await, [1], "a clean session needs none");
}

#[tokio::test]
async fn the_host_learns_what_was_taken() {
    let server = server();
    let (mut to, _) = Raw::connect(&server, &V5).await;
    to.subscribe(&[("site/#", 1)]).await;
    let got = to.got().await;
    assert_eq!((got.payload.as_str(), got.retain), ("always", true));
    assert!(server.host().tokens.lock().unwrap().is_empty());
    to.ack(0x40, got.id).await;
    eventually(|| *server.host().tokens.lock().unwrap() == [7]).await;
}

#[tokio::test]
async fn sites_are_nothing_to_each_other() {
    let server = server();
    let (mut here, _) = Raw::connect(&server, &Hi { id: "c", password: "A", ..V5 }).await;
    let (mut there, _) = Raw::connect(&server, &Hi { id: "c", password: "B", ..V5 }).await;
    here.subscribe(&[("#", 1)]).await;
    there.publish("a", "x", 3, 1).await;
    there.acked(0x40, 1).await;
    let (mut late, _) = Raw::connect(&server, &Hi { id: "late", password: "A", ..V5 }).await;
    late.subscribe(&[("a", 1)]).await;
    here.got().await; // what stands there anyway
    here.quiet().await;
    late.quiet().await;
}

#[tokio::test]
async fn an_identifier_whose_release_was_not_kept_is_let_go_the_next_time() {
    let server = server();
    let hi = Hi { id: "from", clean: false, properties: expiry(60), ..V5 };
    let (mut from, _) = Raw::connect(&server, &hi).await;
    from.publish("a", "first", 4, 7).await;
    assert_eq!(from.acked(0x50, 7).await, 0);
    server.host().is_broken.store(true, Ordering::SeqCst);
    from.ack(0x62, 7).await;
    assert!(from.closed().await.is_some());
    server.host().is_broken.store(false, Ordering::SeqCst);
    let (mut from, was_there) = Raw::connect(&server, &hi).await;
    assert!(was_there);
    from.ack(0x62, 7).await;
    assert_eq!(from.acked(0x70, 7).await, 0, "it is known still");
    // After a crash the identifier is free: another message under it is not taken for the first.
    let after = crashed(&server);
    let (mut from, _) = Raw::connect(&after, &hi).await;
    from.publish("a", "second", 4, 7).await;
    assert_eq!(from.acked(0x50, 7).await, 0);
    assert_eq!(after.host().taken.lock().unwrap().as_slice(), [("a".to_owned(), b"second".to_vec())]);
}
