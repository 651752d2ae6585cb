//! Whose sessions are, how many there may be, and how much may wait for them.

use crate::common::{Hi, MOST_KEPT, Raw, TestServer, V3, V5, crashed, eventually, expiry, server};
use lantern_core::SiteId;
use lantern_mqtt::{Host, SessionView};

const SITE: SiteId = SiteId(b'A' as i64);

fn kept(id: &str) -> Hi<'_> {
    Hi { id, clean: false, properties: expiry(3_600), ..V5 }
}

async fn leave(server: &TestServer, hi: &Hi<'_>, filters: &[(&str, u8)]) {
    let (mut raw, _) = Raw::connect(server, hi).await;
    if !filters.is_empty() {
        raw.subscribe(filters).await;
    }
    raw.goodbye().await;
    eventually(|| view(server, hi.id).is_none_or(|view| !view.is_connected)).await;
}

fn view(server: &TestServer, id: &str) -> Option<SessionView> {
    server.broker().sessions(SITE, "", 100).into_iter().find(|view| &*view.client == id)
}

async fn tick(server: &TestServer) {
    let believed = server.host().believed_now().await;
    let (_, changes) = server.broker().tick(server.host().now(), believed);
    server.host().keep(changes).await.unwrap();
}

/// Bytes that are kept under parts of this name.
fn kept_bytes(server: &TestServer, part: &str) -> usize {
    server.host().kept().iter().filter(|piece| piece.part == part).map(|piece| piece.value.len()).sum()
}

#[tokio::test]
async fn a_client_id_of_another_key_is_refused_and_keeps_what_waits() {
    let server = server();
    leave(&server, &kept("to"), &[("a", 1)]).await;
    let (mut from, _) = Raw::connect(&server, &Hi { id: "from", ..V3 }).await;
    from.publish("a", "hello", 2, 1).await;
    from.acked(0x40, 1).await;
    for clean in [false, true] {
        // Another key of the same site: connected or not, it does not get at the session.
        let mut thief = Raw::open(&server, 5);
        thief.send(&Hi { password: "A2", clean, ..kept("to") }.bytes()).await;
        assert_eq!(thief.closed().await, Some(0x85), "client identifier not valid");
        let mut thief = Raw::open(&server, 4);
        thief.send(&Hi { password: "A2", clean, id: "from", ..V3 }.bytes()).await;
        assert_eq!(thief.closed().await, Some(2), "in 3.1.1: identifier rejected");
    }
    // At another site the id is free.
    Raw::connect(&server, &Hi { password: "B", ..kept("to") }).await;
    let (mut to, was_there) = Raw::connect(&server, &kept("to")).await;
    assert!(was_there);
    assert_eq!(to.got().await.payload, "hello");
}

#[tokio::test]
async fn of_a_key_s_sessions_the_one_longest_away_gives_way() {
    let server = server();
    for (number, id) in ["one", "two", "three"].into_iter().enumerate() {
        assert!(number < MOST_KEPT);
        leave(&server, &kept(id), &[("a", 1)]).await;
        server.host().pass(1);
    }
    // Another key has sessions of its own, and what is not kept does not count.
    leave(&server, &Hi { password: "A2", ..kept("other") }, &[]).await;
    let (_passing, _) = Raw::connect(&server, &Hi { id: "passing", ..V5 }).await;
    let (_four, _) = Raw::connect(&server, &kept("four")).await;
    assert_eq!(view(&server, "one"), None);
    assert!(view(&server, "two").is_some() && view(&server, "other").is_some());
    assert!(server.host().kept().iter().all(|piece| piece.owner != "one"));
    // When all are connected, none gives way.
    let (_two, _) = Raw::connect(&server, &kept("two")).await;
    let (_three, _) = Raw::connect(&server, &kept("three")).await;
    let mut five = Raw::open(&server, 5);
    five.send(&kept("five").bytes()).await;
    assert_eq!(five.closed().await, Some(0x97), "quota exceeded");
}

#[tokio::test]
async fn a_session_is_kept_for_thirty_days_at_most() {
    let server = server();
    let mut raw = Raw::open(&server, 5);
    raw.send(&Hi { properties: expiry(u32::MAX), ..kept("long") }.bytes()).await;
    let welcome = raw.next().await;
    let told = expiry(30 * 86_400);
    assert!(welcome.body.windows(told.len()).any(|part| part == told), "{welcome:?}");
    raw.goodbye().await;
    leave(&server, &Hi { id: "old", clean: false, ..V3 }, &[]).await;
    let there = |id: &str| view(&server, id).is_some();
    server.host().pass(30 * 86_400 - 60);
    tick(&server).await;
    assert!(there("long") && there("old"));
    server.host().pass(120);
    // A clock that has leapt ahead ends nothing.
    server.host().has_leapt.store(true, std::sync::atomic::Ordering::SeqCst);
    tick(&server).await;
    assert!(there("long") && there("old"));
    server.host().has_leapt.store(false, std::sync::atomic::Ordering::SeqCst);
    tick(&server).await;
    assert!(!there("long") && !there("old"));
    assert!(server.host().kept().is_empty());
}

#[tokio::test]
async fn a_message_for_several_sessions_is_kept_once() {
    let server = server();
    let ids = ["one", "two", "three"];
    for id in ids {
        leave(&server, &kept(id), &[("a", 1), ("only", if id == "one" { 1 } else { 0 })]).await;
    }
    let (mut from, _) = Raw::connect(&server, &Hi { id: "from", ..V3 }).await;
    let large = "x".repeat(100_000);
    from.publish("a", &large, 2, 1).await;
    from.acked(0x40, 1).await;
    assert!((100_000..110_000).contains(&kept_bytes(&server, "body")));
    assert!(kept_bytes(&server, "message") < 1_000);
    // One for a single session lies with it.
    from.publish("only", &large, 2, 2).await;
    from.acked(0x40, 2).await;
    assert!((100_000..110_000).contains(&kept_bytes(&server, "message")));
    let after = crashed(&server);
    for (number, id) in ids.into_iter().enumerate() {
        tick(&after).await;
        assert!(kept_bytes(&after, "body") > 100_000, "{number} have it");
        let (mut to, _) = Raw::connect(&after, &kept(id)).await;
        for _ in 0..if id == "one" { 2 } else { 1 } {
            let got = to.got().await;
            assert_eq!(got.payload.len(), 100_000);
            to.ack(0x40, got.id).await;
        }
        to.ping().await;
        to.goodbye().await;
    }
    tick(&after).await;
    assert_eq!((kept_bytes(&after, "body"), kept_bytes(&after, "message")), (0, 0));
    assert_eq!(kept_bytes(&crashed(&after), "body"), 0);
}

#[tokio::test]
async fn a_body_that_nobody_waits_for_goes_after_a_crash() {
    let server = server();
    for id in ["one", "two"] {
        leave(&server, &kept(id), &[("a", 1)]).await;
    }
    let (mut from, _) = Raw::connect(&server, &Hi { id: "from", ..V3 }).await;
    from.publish("a", "hello", 2, 1).await;
    from.acked(0x40, 1).await;
    // Both end, and the service is killed before it has cleared up.
    for id in ["one", "two"] {
        leave(&server, &Hi { clean: true, properties: Vec::new(), ..kept(id) }, &[]).await;
    }
    assert!(kept_bytes(&server, "body") > 0);
    let after = crashed(&server);
    tick(&after).await;
    assert!(after.host().kept().is_empty(), "{:?}", after.host().kept());
}

#[tokio::test]
async fn what_waits_for_a_key_s_sessions_is_bounded_together() {
    let server = server();
    for id in ["one", "two", "three"] {
        leave(&server, &kept(id), &[(id, 1)]).await;
    }
    let (mut from, _) = Raw::connect(&server, &Hi { id: "from", ..V3 }).await;
    let large = "x".repeat(1 << 20);
    let mut number = 0;
    for topic in ["one", "two", "three"] {
        for _ in 0..30 {
            number += 1;
            from.publish(topic, &large, 2, number).await;
            assert_eq!(from.acked(0x40, number).await, 0);
        }
    }
    let views = server.broker().sessions(SITE, "", 10);
    let waiting: usize = views.iter().map(|view| view.waiting_bytes).sum();
    let given_up: u64 = views.iter().map(|view| view.given_up).sum();
    assert!((40 << 20..=64 << 20).contains(&waiting), "{waiting} bytes wait");
    assert_eq!(views.iter().map(|view| view.waiting as u64).sum::<u64>() + given_up, 90);
    assert!(kept_bytes(&server, "message") <= 65 << 20);
}

#[tokio::test]
async fn a_session_can_be_ended_from_outside() {
    let server = server();
    leave(&server, &kept("away"), &[("a", 1)]).await;
    let (mut here, _) = Raw::connect(&server, &kept("here")).await;
    for id in ["away", "here"] {
        assert!(server.end(SITE, id, "It was ended.").await.unwrap());
    }
    assert_eq!(here.closed().await, Some(0x98), "administrative action");
    assert!(!server.end(SITE, "away", "").await.unwrap());
    assert!(server.host().kept().is_empty());
    eventually(|| {
        server
            .host()
            .farewells
            .lock()
            .unwrap()
            .iter()
            .any(|(id, how)| id == "here" && *how == lantern_mqtt::Farewell::Closed("It was ended.".to_owned()))
    })
    .await;
    // The sessions of a key that opens nothing any more end, those of others stay.
    leave(&server, &kept("away"), &[]).await;
    leave(&server, &Hi { password: "A2", ..kept("other") }, &[]).await;
    let away = server.broker().lineages_away();
    assert_eq!(away.len(), 2);
    server.end_away(SITE, b"A").await.unwrap();
    assert!(view(&server, "away").is_none() && view(&server, "other").is_some());
}
