//! What must not harm the server.

use crate::common::{Hi, Raw, TestHost, TestServer, V3, V5, eventually, packet, server, text};
use proptest::prelude::*;

#[tokio::test]
async fn a_slow_reader_does_not_slow_the_others_or_fill_memory() {
    let server = server();
    let (mut slow, _) = Raw::connect(&server, &Hi { id: "slow", ..V5 }).await;
    let (mut quick, _) = Raw::connect(&server, &Hi { id: "quick", ..V5 }).await;
    slow.subscribe(&[("a", 1)]).await;
    quick.subscribe(&[("a", 0)]).await;
    let (mut from, _) = Raw::connect(&server, &Hi { id: "from", ..V5 }).await;
    let payload = "x".repeat(100_000);
    for number in 0..300_u16 {
        from.publish("a", &payload, 2, number + 1).await;
        assert_eq!(from.acked(0x40, number + 1).await, 0);
        assert_eq!(quick.got().await.payload.len(), payload.len());
    }
    let views = server.broker().sessions(lantern_core::SiteId(b'A'.into()), "", 10);
    let waiting = views.iter().find(|view| &*view.client == "slow").unwrap().waiting;
    assert!(waiting * payload.len() < 25 << 20, "{waiting} messages wait");
}

#[tokio::test]
async fn a_storm_of_subscriptions_meets_a_limit() {
    let server = server();
    let (mut raw, _) = Raw::connect(&server, &V5).await;
    for round in 0..11 {
        let filters: Vec<String> = (0..100).map(|number| format!("a/{round}/{number}/+")).collect();
        let filters: Vec<(&str, u8)> = filters.iter().map(|filter| (filter.as_str(), 0)).collect();
        let expected = if round < 10 { 0 } else { 0x97 };
        assert!(raw.subscribe(&filters).await.iter().all(|reason| *reason == expected), "round {round}");
    }
    raw.goodbye().await;
    eventually(|| !server.broker().has_listeners(lantern_core::SiteId(b'A'.into()))).await;
}

#[tokio::test]
async fn who_does_not_connect_in_time_is_closed() {
    let server = server();
    let mut silent = Raw::open(&server, 4);
    let mut half = Raw::open(&server, 4);
    half.send(&V3.bytes()[..10]).await;
    assert_eq!(silent.closed().await, None);
    assert_eq!(half.closed().await, None);
}

#[tokio::test]
async fn connections_beyond_the_limit_are_turned_away() {
    let server = TestServer::new(TestHost::new(), &[], 2);
    let (one, _) = Raw::connect(&server, &Hi { id: "one", ..V3 }).await;
    let (_two, _) = Raw::connect(&server, &Hi { id: "two", ..V3 }).await;
    assert_eq!(Raw::open(&server, 4).closed().await, None);
    one.goodbye().await;
    eventually(|| server.connected() == 1).await;
    Raw::connect(&server, &Hi { id: "three", ..V3 }).await;
}

#[tokio::test]
async fn a_large_length_costs_nothing_until_its_bytes_come() {
    let server = server();
    let (mut raw, _) = Raw::connect(&server, &V3).await;
    raw.send(&[0x30, 0xFF, 0xFF, 0x3F]).await; // 1,048,575 bytes announced
    raw.send(&text("a")).await;
    raw.quiet().await;
    raw.send(&vec![b'x'; 1_048_575 - 3]).await;
    raw.ping().await;
    assert_eq!(server.host().taken.lock().unwrap()[0].1.len(), 1_048_572);
}

fn some_packets() -> impl Strategy<Value = Vec<u8>> {
    let pieces = prop::collection::vec(
        prop_oneof![
            (0_u8..16, prop::collection::vec(any::<u8>(), 0..40)).prop_map(|(kind, body)| packet(kind << 4, &body)),
            (any::<u8>(), prop::collection::vec(any::<u8>(), 0..40)).prop_map(|(first, body)| packet(first, &body)),
            Just(packet(0x82, &[vec![0, 1, 0], text("a/#"), vec![1]].concat())),
            Just(packet(0x32, &[text("a/b"), vec![0, 1, 0, 120]].concat())),
            Just(packet(0x34, &[text("a/b"), vec![0, 1, 0, 120]].concat())),
            Just(packet(0x62, &[0, 1])),
            Just(packet(0x40, &[0, 1])),
            Just(packet(0x50, &[0, 1])),
            Just(vec![0xC0, 0]),
        ],
        0..20,
    );
    pieces.prop_map(|pieces| pieces.concat())
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 400, ..ProptestConfig::default() })]

    #[test]
    fn whatever_comes_the_server_lives(bytes in some_packets(), version in 4_u8..6) {
        let runtime = tokio::runtime::Builder::new_current_thread().enable_all().build().unwrap();
        runtime.block_on(async {
            let server = server();
            let (mut wild, _) = Raw::connect(&server, &Hi { id: "wild", version, ..V3 }).await;
            wild.send(&bytes).await;
            wild.send(&[0xE0, 0]).await;
            drop(wild);
            let (mut fine, _) = Raw::connect(&server, &Hi { id: "fine", ..V5 }).await;
            fine.subscribe(&[("still/here", 0)]).await;
            fine.publish("still/here", "yes", 0, 0).await;
            assert_eq!(fine.got().await.payload, "yes");
        });
    }
}
