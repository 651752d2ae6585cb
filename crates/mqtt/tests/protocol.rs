//! What the protocol demands packet by packet.

use crate::common::{Hi, Raw, V3, V5, binary, eventually, expiry, length, packet, server, text};
use std::time::Duration;

/// Reads the properties of a packet as identifier and bytes.
fn properties(mut bytes: &[u8]) -> Vec<(u8, Vec<u8>)> {
    let mut found = Vec::new();
    while let [id, rest @ ..] = bytes {
        let size = match id {
            1 | 23 | 25 | 36 | 37 | 40 | 41 | 42 => 1,
            19 | 33 | 34 | 35 => 2,
            2 | 17 | 24 | 39 => 4,
            11 => 1 + rest.iter().take_while(|byte| **byte & 128 != 0).count(),
            38 => {
                let name = 2 + usize::from(u16::from_be_bytes([rest[0], rest[1]]));
                name + 2 + usize::from(u16::from_be_bytes([rest[name], rest[name + 1]]))
            }
            _ => 2 + usize::from(u16::from_be_bytes([rest[0], rest[1]])),
        };
        found.push((*id, rest[..size].to_vec()));
        bytes = &rest[size..];
    }
    found
}

#[tokio::test]
async fn connack_announces_the_limits_and_the_client_id_the_server_chose() {
    let server = server();
    let mut raw = Raw::open(&server, 5);
    raw.send(&Hi { id: "", ..V5 }.bytes()).await;
    let welcome = raw.next().await;
    let found = properties(&welcome.body[3..]);
    let value = |id: u8| found.iter().find(|(other, _)| *other == id).map(|(_, bytes)| bytes.clone());
    let assigned = value(18).expect("an assigned client identifier");
    assert!(assigned.len() > 10);
    assert_eq!(value(33), Some(vec![1, 0]), "receive maximum 256");
    assert_eq!(value(34), Some(vec![0, 64]), "topic alias maximum");
    assert!(value(39).is_some(), "maximum packet size");
    assert_eq!(value(36), None, "QoS 2 is offered: absent means 2");
    assert_eq!(value(37), None, "retain is offered: absent means yes");
    let mut old = Raw::open(&server, 4);
    old.send(&Hi { id: "", ..V3 }.bytes()).await;
    assert_eq!(old.next().await.body, [0, 0]);
    let mut old = Raw::open(&server, 4);
    old.send(&Hi { id: "", clean: false, ..V3 }.bytes()).await;
    assert_eq!(old.closed().await, Some(2), "identifier rejected");
}

#[tokio::test]
async fn connect_is_refused_with_the_reason_its_version_has() {
    let server = server();
    let mut method = vec![21];
    method.extend(text("SCRAM"));
    for (hi, expected) in [
        (Hi { password: "deny", ..V5 }, Some(0x87)),
        (Hi { password: "deny", ..V3 }, Some(5)),
        (Hi { password: "", ..V5 }, Some(0x86)),
        (Hi { password: "", ..V3 }, Some(4)),
        (Hi { properties: method, ..V5 }, Some(0x8C)),
        (Hi { version: 3, ..V3 }, Some(1)),
        (Hi { version: 6, ..V3 }, Some(1)),
    ] {
        let mut raw = Raw::open(&server, hi.version);
        raw.send(&hi.bytes()).await;
        assert_eq!(raw.closed().await, expected, "version {}", hi.version);
    }
}

/// What breaks the rules of CONNECT, or comes before it.
#[tokio::test]
async fn a_connection_that_begins_wrongly_is_closed() {
    let server = server();
    let good = V3.bytes();
    let changed = |place: usize, byte: u8| {
        let mut bytes = good.clone();
        bytes[place] = byte;
        bytes
    };
    let with_will = |flags| Hi { will: Some(("w", "x", flags, Vec::new())), ..V3 }.bytes();
    for (what, bytes) in [
        ("a PINGREQ first", vec![0xC0, 0]),
        ("a reserved flag of the fixed header", changed(0, 0x11)),
        ("another protocol name", changed(4, b'X')),
        ("the reserved connect flag", changed(9, good[9] | 1)),
        ("will QoS without a will", changed(9, good[9] | 8)),
        ("will retain without a will", changed(9, good[9] | 32)),
        ("a will of QoS 3", with_will(24)),
        ("a password without a user name", changed(9, 0x42)),
        ("a packet that is cut short", packet(0x10, &good[2..good.len() - 3])),
        ("bytes after the end", packet(0x10, &[&good[2..], &[0]].concat())),
        ("a will whose topic has a wildcard", Hi { will: Some(("a/#", "x", 0, Vec::new())), ..V3 }.bytes()),
        ("a length of five bytes", vec![0x10, 0xFF, 0xFF, 0xFF, 0xFF, 1]),
        ("a server's packet", vec![0x20, 2, 0, 0]),
        ("type 0", vec![0x00, 0]),
    ] {
        let mut raw = Raw::open(&server, 4);
        raw.send(&bytes).await;
        assert_eq!(raw.closed().await.filter(|reason| *reason == 0), None, "{what}");
    }
    assert!(server.host().taken.lock().unwrap().is_empty());
    let (mut fine, _) = Raw::connect(&server, &V3).await;
    fine.ping().await;
}

#[tokio::test]
async fn version_5_needs_no_user_name_with_a_password() {
    let server = server();
    let mut body = text("MQTT");
    body.extend([5, 0x42, 0, 0, 0]);
    body.extend(text("c"));
    body.extend(text("A"));
    let mut raw = Raw::open(&server, 5);
    raw.send(&packet(0x10, &body)).await;
    assert_eq!(raw.next().await.body[1], 0);
}

/// Packets that break a rule, and the reason 5.0 gives.
#[tokio::test]
async fn what_breaks_a_rule_ends_the_connection_with_its_reason() {
    let server = server();
    let sized = |properties: &[u8]| [&length(properties.len()), properties].concat();
    let publish = |topic: &str, properties: &[u8]| {
        let mut body = text(topic);
        body.extend(sized(properties));
        packet(0x30, &body)
    };
    let subscribe = |properties: &[u8], rest: &[u8]| {
        let mut body = vec![0, 1];
        body.extend(sized(properties));
        body.extend_from_slice(rest);
        packet(0x82, &body)
    };
    let with_option = |option: u8| subscribe(&[], &[text("a"), vec![option]].concat());
    for (what, bytes, reason) in [
        ("a second CONNECT", V5.bytes(), 0x82),
        ("QoS 3", packet(0x36, &[text("a"), vec![0, 1, 0]].concat()), 0x81),
        ("the duplicate flag with QoS 0", packet(0x38, &[text("a"), vec![0]].concat()), 0x81),
        ("packet identifier 0", packet(0x32, &[text("a"), vec![0, 0, 0]].concat()), 0x81),
        ("a wildcard in a topic name", publish("a/+", &[]), 0x90),
        ("an empty topic without alias", publish("", &[]), 0x90),
        ("a topic with a null character", publish("a\0b", &[]), 0x81),
        ("a topic that is not UTF-8", packet(0x30, &[binary(&[0xC3, 0x28]), vec![0]].concat()), 0x81),
        ("a topic that is too deep", publish(&"a/".repeat(70), &[]), 0x90),
        ("alias 0", publish("a", &[35, 0, 0]), 0x82),
        ("an alias over the maximum", publish("a", &[35, 1, 0]), 0x94),
        ("an alias nobody gave a topic", publish("", &[35, 0, 9]), 0x82),
        ("a property twice", publish("a", &[1, 1, 1, 1]), 0x82),
        ("a property of another packet", publish("a", &[33, 0, 1]), 0x82),
        ("a subscription identifier from a client", publish("a", &[11, 1]), 0x82),
        ("a property nobody knows", publish("a", &[99, 0]), 0x81),
        ("a response topic with a wildcard", publish("a", &[&[8][..], &text("b/#")].concat()), 0x82),
        ("text that is no text", packet(0x30, &[text("a"), sized(&[1, 1]), vec![0xC3, 0x28]].concat()), 0x99),
        ("SUBSCRIBE with wrong flags", packet(0x80, &[vec![0, 1, 0], text("a"), vec![0]].concat()), 0x81),
        ("SUBSCRIBE without a filter", subscribe(&[], &[]), 0x82),
        ("a subscription of QoS 3", with_option(3), 0x81),
        ("retain handling 3", with_option(0x30), 0x81),
        ("reserved options", with_option(0x40), 0x81),
        ("subscription identifier 0", subscribe(&[11, 0], &[text("a"), vec![0]].concat()), 0x82),
        ("a shared subscription without own messages", subscribe(&[], &[text("$share/g/a"), vec![4]].concat()), 0x82),
        ("UNSUBSCRIBE without a filter", packet(0xA2, &[0, 1, 0]), 0x82),
        ("PUBREL with wrong flags", packet(0x60, &[0, 1]), 0x81),
        ("a PUBACK that is cut short", packet(0x40, &[0]), 0x81),
        ("bytes after a PINGREQ", packet(0xC0, &[0]), 0x81),
        ("a server's packet", packet(0xD0, &[]), 0x82),
        ("AUTH without a method", packet(0xF0, &[]), 0x82),
        ("a packet that is too large", vec![0x30, 0xFF, 0xFF, 0xFF, 0x7F], 0x95),
    ] {
        let (mut raw, _) = Raw::connect(&server, &V5).await;
        raw.send(&bytes).await;
        assert_eq!(raw.closed().await, Some(reason), "{what}");
        let (mut old, _) = Raw::connect(&server, &Hi { id: "old", ..V3 }).await;
        old.ping().await;
        old.goodbye().await;
    }
    assert!(server.host().taken.lock().unwrap().is_empty(), "nothing of it was taken");
}

#[tokio::test]
async fn version_3_closes_without_a_word() {
    let server = server();
    for bytes in [
        packet(0x36, &[text("a"), vec![0, 1]].concat()),
        packet(0x82, &[vec![0, 1], text("a"), vec![4]].concat()),
        packet(0xF0, &[]),
    ] {
        let (mut raw, _) = Raw::connect(&server, &V3).await;
        raw.send(&bytes).await;
        assert_eq!(raw.closed().await, None);
    }
}

#[tokio::test]
async fn subscriptions_are_granted_or_refused_one_by_one() {
    let server = server();
    let (mut new, _) = Raw::connect(&server, &V5).await;
    let answer = new.subscribe(&[("a", 1), ("forbidden/x", 1), ("a/#/b", 0), ("b", 2), ("$share/g", 0)]).await;
    assert_eq!(answer, [1, 0x87, 0x8F, 2, 0x8F]);
    let (mut old, _) = Raw::connect(&server, &Hi { id: "old", ..V3 }).await;
    assert_eq!(old.subscribe(&[("a", 1), ("forbidden/x", 1), ("b", 2)]).await, [1, 0x80, 2]);
    let mut body = vec![0, 5, 0];
    for filter in ["a", "never", "b/#/c"] {
        body.extend(text(filter));
    }
    new.send(&packet(0xA2, &body)).await;
    assert_eq!(new.next_of(0xB0).await.body, [0, 5, 0, 0, 0x11, 0x8F]);
    old.send(&packet(0xA2, &[vec![0, 6], text("a"), text("never")].concat())).await;
    assert_eq!(old.next_of(0xB0).await.body, [0, 6]);
    old.publish("a", "x", 0, 0).await;
    old.ping().await;
    new.quiet().await;
}

#[tokio::test]
async fn a_message_that_matches_twice_comes_once_with_both_numbers() {
    let server = server();
    let (mut raw, _) = Raw::connect(&server, &V5).await;
    raw.subscribe_with(&[11, 7], &[("a/+", 0)]).await;
    raw.subscribe_with(&[11, 9], &[("a/#", 1)]).await;
    raw.publish("a/b", "x", 4, 1).await;
    let packets = [raw.next().await, raw.next().await];
    let publish = packets.iter().find(|packet| packet.first & 0xF0 == 0x30).unwrap();
    let got = raw.take_apart(publish);
    assert_eq!(got.qos, 1, "the most of what was asked for");
    let mut numbers = properties(&got.properties);
    numbers.sort();
    assert_eq!(numbers, [(11, vec![7]), (11, vec![9])]);
    raw.quiet().await;
}

#[tokio::test]
async fn no_local_leaves_out_ones_own() {
    let server = server();
    let (mut raw, _) = Raw::connect(&server, &V5).await;
    raw.subscribe(&[("a", 4)]).await;
    raw.publish("a", "own", 0, 0).await;
    raw.ping().await;
    raw.quiet().await;
    let (mut other, _) = Raw::connect(&server, &Hi { id: "other", ..V5 }).await;
    other.publish("a", "theirs", 0, 0).await;
    assert_eq!(raw.got().await.payload, "theirs");
}

#[tokio::test]
async fn a_shared_subscription_gives_each_message_to_one() {
    let server = server();
    let (mut one, _) = Raw::connect(&server, &Hi { id: "one", ..V5 }).await;
    let (mut two, _) = Raw::connect(&server, &Hi { id: "two", ..V5 }).await;
    let (mut all, _) = Raw::connect(&server, &Hi { id: "all", ..V5 }).await;
    one.subscribe(&[("$share/g/a/+", 1)]).await;
    two.subscribe(&[("$share/g/a/+", 1)]).await;
    all.subscribe(&[("a/+", 0)]).await;
    let (mut from, _) = Raw::connect(&server, &Hi { id: "from", ..V5 }).await;
    for number in 1..=6 {
        from.publish("a/b", &number.to_string(), 2, number).await;
        from.acked(0x40, number).await;
    }
    let mut seen = Vec::new();
    for raw in [&mut one, &mut two] {
        for _ in 0..3 {
            let got = raw.got().await;
            raw.ack(0x40, got.id).await;
            seen.push(got.payload);
        }
        raw.quiet().await;
    }
    seen.sort();
    assert_eq!(seen, ["1", "2", "3", "4", "5", "6"]);
    for _ in 0..6 {
        all.got().await;
    }
    // Who is away gets nothing while another is there.
    one.goodbye().await;
    from.publish("a/b", "7", 2, 7).await;
    from.acked(0x40, 7).await;
    assert_eq!(two.got().await.payload, "7");
}

#[tokio::test]
async fn properties_are_passed_on_unaltered_and_in_order() {
    let server = server();
    let (mut to, _) = Raw::connect(&server, &Hi { id: "to", ..V5 }).await;
    to.subscribe(&[("a", 0)]).await;
    let mut sent = vec![1, 1];
    for (id, value) in [(3, "text/plain"), (8, "answers/1")] {
        sent.push(id);
        sent.extend(text(value));
    }
    sent.push(9);
    sent.extend(binary(&[0, 255]));
    for (name, value) in [("k", "1"), ("j", "2"), ("k", "3")] {
        sent.push(38);
        sent.extend(text(name));
        sent.extend(text(value));
    }
    let (mut from, _) = Raw::connect(&server, &Hi { id: "from", ..V5 }).await;
    from.publish_with("a", "ü", 0, 0, &sent).await;
    let got = to.got().await;
    assert_eq!((got.payload.as_str(), properties(&got.properties)), ("ü", properties(&sent)));
}

#[tokio::test]
async fn a_message_lives_as_long_as_it_says() {
    let server = server();
    let hi = Hi { id: "to", clean: false, properties: expiry(3_600), ..V5 };
    let (mut to, _) = Raw::connect(&server, &hi).await;
    to.subscribe(&[("a", 1)]).await;
    to.goodbye().await;
    let (mut from, _) = Raw::connect(&server, &Hi { id: "from", ..V5 }).await;
    for (payload, seconds, id) in [("short", 10_u8, 1), ("long", 100, 2)] {
        from.publish_with("a", payload, 2, id, &[2, 0, 0, 0, seconds]).await;
        from.acked(0x40, id).await;
    }
    from.publish_with("kept", "x", 1, 0, &[2, 0, 0, 0, 10]).await;
    from.ping().await;
    server.host().pass(40);
    let (mut to, _) = Raw::connect(&server, &hi).await;
    let got = to.got().await;
    assert_eq!(got.payload, "long");
    assert_eq!(properties(&got.properties), [(2, vec![0, 0, 0, 60])], "what is left of it");
    to.ack(0x40, got.id).await;
    to.subscribe(&[("kept", 0)]).await;
    to.quiet().await;
}

#[tokio::test]
async fn topic_aliases_work_both_ways() {
    let server = server();
    let (mut from, _) = Raw::connect(&server, &Hi { id: "from", ..V5 }).await;
    let (mut to, _) = Raw::connect(&server, &Hi { id: "to", properties: vec![34, 0, 1], ..V5 }).await;
    to.subscribe(&[("#", 0)]).await;
    to.got().await; // what stands there anyway takes the one alias
    from.publish_with("a/long/topic", "1", 0, 0, &[35, 0, 3]).await;
    from.publish_with("", "2", 0, 0, &[35, 0, 3]).await;
    from.publish_with("other", "3", 0, 0, &[35, 0, 3]).await;
    from.publish_with("", "4", 0, 0, &[35, 0, 3]).await;
    for (topic, payload) in [("a/long/topic", "1"), ("a/long/topic", "2"), ("other", "3"), ("other", "4")] {
        let got = to.got().await;
        assert_eq!((got.topic.as_str(), got.payload.as_str()), (topic, payload));
    }
    from.publish("site/standing", "5", 0, 0).await;
    let got = to.got().await;
    assert_eq!((got.topic.as_str(), properties(&got.properties)), ("", vec![(35, vec![0, 1])]));
    let (mut again, _) = Raw::connect(&server, &Hi { id: "from", ..V5 }).await;
    again.publish_with("", "x", 0, 0, &[35, 0, 3]).await;
    assert_eq!(again.closed().await, Some(0x82), "aliases end with their connection");
}

#[tokio::test]
async fn the_clients_receive_maximum_is_kept() {
    let server = server();
    let (mut to, _) = Raw::connect(&server, &Hi { id: "to", properties: vec![33, 0, 2], ..V5 }).await;
    to.subscribe(&[("a", 2)]).await;
    let (mut from, _) = Raw::connect(&server, &Hi { id: "from", ..V5 }).await;
    for id in 1..=4 {
        from.publish("a", &id.to_string(), 2, id).await;
        from.acked(0x40, id).await;
    }
    from.publish("a", "zero", 0, 0).await;
    let (first, second) = (to.got().await, to.got().await);
    assert_eq!(to.got().await.payload, "zero", "QoS 0 is not counted");
    to.quiet().await;
    to.ack(0x40, second.id).await;
    assert_eq!(to.got().await.payload, "3");
    to.quiet().await;
    to.ack(0x40, first.id).await;
    assert_eq!(to.got().await.payload, "4");
}

#[tokio::test]
async fn a_client_that_sends_more_than_was_announced_is_told() {
    let server = server();
    let (mut raw, _) = Raw::connect(&server, &V5).await;
    let mut bytes = Vec::new();
    for id in 1..=300 {
        bytes.extend(raw.publish_bytes("a", "x", 4, id, &[]));
    }
    raw.send(&bytes).await;
    assert_eq!(raw.closed().await, Some(0x93));
    let (mut old, _) = Raw::connect(&server, &Hi { id: "old", ..V3 }).await;
    for id in 1..=300 {
        old.publish("a", "x", 4, id).await;
    }
    for id in 1..=300 {
        assert_eq!(old.acked(0x50, id).await, 0, "3.1.1 knows no such limit");
    }
}

#[tokio::test]
async fn a_packet_larger_than_the_client_takes_is_not_sent() {
    let server = server();
    let (mut to, _) = Raw::connect(&server, &Hi { id: "to", properties: vec![39, 0, 0, 0, 40], ..V5 }).await;
    to.subscribe(&[("a", 1)]).await;
    let (mut from, _) = Raw::connect(&server, &Hi { id: "from", ..V5 }).await;
    for (flags, id) in [(0, 0), (2, 1)] {
        from.publish("a", &"x".repeat(100), flags, id).await;
        from.publish("a", "small", flags, id + 1).await;
        let got = to.got().await;
        assert_eq!(got.payload, "small");
        if got.qos > 0 {
            to.ack(0x40, got.id).await;
        }
    }
    let reasons = to.subscribe(&[("forbidden", 1)]).await;
    assert_eq!(reasons, [0x87], "the reason comes without its text where that would be too long");
}

#[tokio::test]
async fn reason_strings_come_only_to_who_wants_them() {
    let server = server();
    for (properties, expected) in [(vec![], true), (vec![23, 1], true), (vec![23, 0], false)] {
        let (mut raw, _) = Raw::connect(&server, &Hi { properties, ..V5 }).await;
        raw.publish("forbidden", "x", 2, 1).await;
        let ack = raw.next_of(0x40).await;
        assert_eq!(ack.body[2], 0x87);
        assert_eq!(ack.body.len() > 4, expected, "{ack:?}");
        raw.goodbye().await;
    }
    let (mut old, _) = Raw::connect(&server, &V3).await;
    old.publish("forbidden", "x", 2, 1).await;
    assert_eq!(old.next_of(0x40).await.body, [0, 1], "3.1.1 has no way to say no");
}

#[tokio::test]
async fn a_client_that_goes_quiet_is_given_up() {
    let server = server();
    let (mut to, _) = Raw::connect(&server, &Hi { id: "to", ..V5 }).await;
    to.subscribe(&[("gone", 0)]).await;
    let hi = Hi { id: "w", keep_alive: 1, will: Some(("gone", "quiet", 0, Vec::new())), ..V5 };
    let (mut raw, _) = Raw::connect(&server, &hi).await;
    // Each packet begins the time again.
    let mut tick = tokio::time::interval(Duration::from_millis(300));
    for _ in 0..8 {
        tick.tick().await;
        raw.ping().await;
    }
    assert_eq!(raw.closed().await, Some(0x8D));
    assert_eq!(to.got().await.payload, "quiet");
    let farewell = lantern_mqtt::Farewell::KeepAlive;
    eventually(|| server.host().farewells.lock().unwrap().contains(&("w".to_owned(), farewell.clone()))).await;
}

#[tokio::test]
async fn clients_are_told_when_the_service_stops() {
    let server = server();
    let (mut raw, _) = Raw::connect(&server, &V5).await;
    let stopping = tokio::spawn({
        let server = server.clone();
        async move { server.stop().await }
    });
    assert_eq!(raw.closed().await, Some(0x8B));
    stopping.await.unwrap();
    assert_eq!(server.connected(), 0);
}

#[tokio::test]
async fn packets_may_come_byte_by_byte_or_many_at_once() {
    let server = server();
    let (mut raw, _) = Raw::connect(&server, &V5).await;
    let mut bytes = Vec::new();
    for id in 1..=50 {
        bytes.extend(raw.publish_bytes("a/b/c", &"x".repeat(usize::from(id) * 7), 2, id, &[]));
    }
    for byte in &bytes {
        raw.send(std::slice::from_ref(byte)).await;
    }
    for id in 1..=50 {
        assert_eq!(raw.acked(0x40, id).await, 0);
    }
    raw.send(&bytes).await;
    for id in 1..=50 {
        assert_eq!(raw.acked(0x40, id).await, 0);
    }
    let taken = server.host().taken.lock().unwrap();
    let sizes: Vec<usize> = taken.iter().map(|(_, payload)| payload.len()).collect();
    let expected: Vec<usize> = (1..=50).chain(1..=50).map(|id| id * 7).collect();
    assert_eq!(sizes, expected);
}

#[tokio::test]
async fn strings_are_passed_on_as_they_are() {
    let server = server();
    let (mut raw, _) = Raw::connect(&server, &V5).await;
    let topic = "\u{FEFF}a/ b/\u{1F6A2}/Ü";
    raw.subscribe(&[(topic, 0)]).await;
    raw.publish(topic, "x", 0, 0).await;
    assert_eq!(raw.got().await.topic, topic);
}

#[tokio::test]
async fn identifiers_are_not_used_twice_at_once() {
    let server = server();
    let (mut to, _) = Raw::connect(&server, &Hi { id: "to", ..V3 }).await;
    to.subscribe(&[("a", 1)]).await;
    let (mut from, _) = Raw::connect(&server, &Hi { id: "from", ..V5 }).await;
    let mut seen = std::collections::BTreeSet::new();
    for id in 1..=200 {
        from.publish("a", "x", 2, id).await;
        from.acked(0x40, id).await;
        let got = to.got().await;
        assert!(got.id > 0 && seen.insert(got.id), "{} again", got.id);
    }
}

#[tokio::test]
async fn properties_that_must_not_be_zero() {
    let server = server();
    let data_without_method = [vec![22], binary(b"x")].concat();
    for properties in [vec![33, 0, 0], vec![39, 0, 0, 0, 0], data_without_method, vec![17, 0, 0, 0, 1, 17, 0, 0, 0, 1]]
    {
        let mut raw = Raw::open(&server, 5);
        raw.send(&Hi { properties, ..V5 }.bytes()).await;
        assert_ne!(raw.closed().await, Some(0));
    }
}

#[tokio::test]
async fn client_identifiers_may_be_long() {
    let server = server();
    let long = "x".repeat(256);
    for (id, expected) in [("0123456789abcdefghijABC", Some(0)), (long.as_str(), Some(0)), ("ü/ #", Some(0))] {
        let mut raw = Raw::open(&server, 5);
        raw.send(&Hi { id, ..V5 }.bytes()).await;
        assert_eq!(Some(raw.next().await.body[1]), expected, "{id}");
    }
    let mut raw = Raw::open(&server, 5);
    raw.send(&Hi { id: &"x".repeat(257), ..V5 }.bytes()).await;
    assert_eq!(raw.closed().await, Some(0x85));
}

#[tokio::test]
async fn what_comes_with_connect_waits_for_it() {
    let server = server();
    let mut raw = Raw::open(&server, 4);
    let mut bytes = V3.bytes();
    bytes.extend(packet(0x82, &[vec![0, 99], text("a"), vec![0]].concat()));
    bytes.extend(raw.publish_bytes("a", "x", 2, 1, &[]));
    raw.send(&bytes).await;
    assert_eq!(raw.next().await.first, 0x20);
    let mut kinds = [raw.next().await.first, raw.next().await.first, raw.next().await.first];
    kinds.sort_unstable();
    assert_eq!(kinds, [0x30, 0x40, 0x90]);
    let mut refused = Raw::open(&server, 4);
    let mut bytes = Hi { password: "deny", ..V3 }.bytes();
    bytes.extend(refused.publish_bytes("a", "never", 2, 1, &[]));
    refused.send(&bytes).await;
    assert_eq!(refused.closed().await, Some(5));
    assert!(server.host().taken.lock().unwrap().iter().all(|(_, payload)| payload != b"never"));
}

#[tokio::test]
async fn session_present_is_said_rightly() {
    let server = server();
    let kept = Hi { clean: false, ..V3 };
    for (hi, expected) in [(kept.clone(), 0), (kept.clone(), 1), (V3, 0), (kept.clone(), 0)] {
        let mut raw = Raw::open(&server, 4);
        raw.send(&hi.bytes()).await;
        assert_eq!(raw.next().await.body, [expected, 0]);
        raw.goodbye().await;
    }
    let mut refused = Raw::open(&server, 4);
    refused.send(&Hi { password: "deny", ..kept }.bytes()).await;
    assert_eq!(refused.next().await.body, [0, 5]);
}

#[tokio::test]
async fn wrong_flags_of_unsubscribe() {
    let server = server();
    let (mut raw, _) = Raw::connect(&server, &V5).await;
    raw.send(&packet(0xA0, &[vec![0, 1, 0], text("a")].concat())).await;
    assert_eq!(raw.closed().await, Some(0x81));
}

#[tokio::test]
async fn what_was_begun_is_finished_after_unsubscribe() {
    let server = server();
    let (mut to, _) = Raw::connect(&server, &Hi { id: "to", ..V3 }).await;
    to.subscribe(&[("a", 2)]).await;
    let (mut from, _) = Raw::connect(&server, &Hi { id: "from", ..V3 }).await;
    from.publish("a", "x", 4, 1).await;
    from.acked(0x50, 1).await;
    let got = to.got().await;
    to.send(&packet(0xA2, &[vec![0, 6], text("a")].concat())).await;
    assert_eq!(to.next_of(0xB0).await.body, [0, 6]);
    from.publish("a", "y", 4, 2).await;
    from.acked(0x50, 2).await;
    to.ack(0x50, got.id).await;
    to.acked(0x62, got.id).await;
    to.ack(0x70, got.id).await;
    to.quiet().await;
}

#[tokio::test]
async fn a_pubrec_that_refuses_ends_the_exchange() {
    let server = server();
    let (mut to, _) = Raw::connect(&server, &Hi { id: "to", properties: vec![33, 0, 1], ..V5 }).await;
    to.subscribe(&[("a", 2)]).await;
    let (mut from, _) = Raw::connect(&server, &Hi { id: "from", ..V5 }).await;
    for id in 1..=2 {
        from.publish("a", &id.to_string(), 4, id).await;
        from.acked(0x50, id).await;
    }
    let got = to.got().await;
    to.send(&packet(0x50, &[got.id.to_be_bytes().to_vec(), vec![0x97, 0]].concat())).await;
    assert_eq!(to.got().await.payload, "2", "the quota is free again, and there is no PUBREL");
}

#[tokio::test]
async fn a_shared_subscription_gets_nothing_that_stands() {
    let server = server();
    let (mut raw, _) = Raw::connect(&server, &V5).await;
    raw.publish("a", "stands", 1, 0).await;
    raw.ping().await;
    raw.subscribe(&[("$share/g/a", 1)]).await;
    raw.quiet().await;
    raw.subscribe(&[("a", 1)]).await;
    assert_eq!(raw.got().await.payload, "stands");
}
