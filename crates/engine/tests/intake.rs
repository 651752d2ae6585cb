//! The way of a reading, from a delivery to the store.

use super::world::{World, delivery};
use lantern_core::state::{StateChange, StateKey};
use lantern_core::{Moment, Value};
use lantern_engine::clock;
use lantern_engine::intake::{Credential, Delivery, Said};
use lantern_engine::setting_up::KeyHolder;
use lantern_store::{Grants, NewDevice, Site};
use serde_json::json;

#[tokio::test]
async fn what_is_answered_is_durable_and_there_once() {
    let world = World::new().await;
    let body = r#"{"at": 1777636800, "level": 2.31, "temp": 8.4}"#;
    let first = world.send(&world.tower, body).await;
    assert_eq!((first.kept, first.repeated), (2, 0));
    let again = world.send(&world.tower, body).await;
    assert_eq!((again.kept, again.repeated), (2, 2), "it is there already");
    let corrected = world.send(&world.tower, r#"{"at": 1777636800, "level": 2.32}"#).await;
    assert_eq!((corrected.kept, corrected.corrected), (1, 1));
    let values = world.values(&world.tower, "level").await;
    let at = Moment::parse("1777636800").unwrap();
    let there: Vec<_> = values.iter().filter(|(time, _)| *time == at).collect();
    assert_eq!(there, [&(at, Value::Number(2.32))]);
    assert!(world.values(&world.shed, "level").await.iter().all(|(time, _)| *time != at), "it leaked to another site");
}

#[tokio::test]
async fn a_good_value_beside_a_bad_one_is_kept() {
    let world = World::new().await;
    let answer = world.send(&world.tower, r#"{"level": false, "temp": 9, "door": true}"#).await;
    assert_eq!((answer.kept, answer.refused_count, answer.waiting.len()), (2, 1, 1), "{answer:?}");
    assert_eq!((answer.refused[0].name.as_str(), answer.refused[0].code.as_str()), ("level", "wrong-type"));
    assert_eq!(world.values(&world.tower, "temp").await.last().unwrap().1, Value::Number(9.0));
}

#[tokio::test]
async fn what_cannot_be_taken_leaves_nothing() {
    let world = World::new().await;
    let before = world.values(&world.tower, "level").await;
    let cases: [(Delivery<'_>, &str); 4] = [
        (delivery("nobody-has-this", r#"{"level": 1}"#), "unknown-key"),
        (Delivery { credential: Err(Delivery::no_key()), ..delivery("", "{}") }, "no-key"),
        (delivery(&world.tower.key, "{\"level\": "), "malformed-json"),
        (delivery(&world.tower.key, "{}"), "no-values"),
    ];
    for (delivery, code) in cases {
        let problem =
            world.engine.intake.take(delivery).await.map_or_else(|problem| problem, |ok| panic!("{code}: {ok:?}"));
        assert_eq!(problem.code, code, "{problem}");
    }
    assert_eq!(world.values(&world.tower, "level").await, before);
}

#[tokio::test]
async fn readings_and_what_a_protocol_adds_are_kept_together() {
    let world = World::new().await;
    let sent = Delivery {
        credential: Ok(Credential::Hash(super::world::hash(&world.tower.key))),
        ..delivery(&world.tower.key, r#"{"level": 3.5}"#)
    };
    let prepared = world.engine.intake.prepare(sent, clock::now()).await.unwrap();
    let before = world.values(&world.tower, "level").await.len();
    assert!(world.store.kept_state().await.unwrap().is_empty(), "nothing is kept before the commit");
    let key = StateKey { site: world.tower.site.id, owner: "board".into(), part: "received", item: "7".to_owned() };
    let taken = world.engine.intake.commit(prepared, vec![StateChange::Put(key, b"x".to_vec())]).await.unwrap();
    assert_eq!((taken.answer.kept, taken.device), (1, Some(world.tower.device.id)));
    assert_eq!(world.values(&world.tower, "level").await.len(), before + 1);
    assert_eq!(world.store.kept_state().await.unwrap().len(), 1);
}

#[tokio::test]
async fn what_is_meant_for_others_is_passed_on_though_it_is_no_reading() {
    let world = World::new().await;
    let aside = Delivery { is_aside: true, ..delivery(&world.tower.key, "not json at all {") };
    let prepared = world.engine.intake.prepare(aside, clock::now()).await.unwrap();
    let taken = world.engine.intake.commit(prepared, Vec::new()).await.unwrap();
    assert_eq!(taken.answer.kept, 0);
    assert_eq!(taken.answer.remarks[0].code, "passed-on");
}

#[tokio::test]
async fn a_sender_with_a_key_of_the_site_is_found_by_the_name_it_has_now() {
    let world = World::new().await;
    let site_key = async |site: &Site| {
        let holder = KeyHolder::Site(Box::new(site.clone()));
        world.engine.set_up.issue_key(&holder, "", Grants::SEND, None).await.unwrap().1
    };
    let (here, elsewhere) = (site_key(&world.tower.site).await, site_key(&world.shed.site).await);
    let send = async |key: &str, name: &str| {
        let body = json!({"device": name, "hum": 61}).to_string();
        world.engine.intake.take(delivery(key, &body)).await.unwrap()
    };
    let site = &world.tower.site;
    let new = json!({"name": "Bay 1", "code": "bay-1", "identity": "N7", "signals": [{"code": "hum"}]});
    let bay = world.engine.set_up.add_device(site, serde_json::from_value(new).unwrap(), "ann").await.unwrap();
    for _ in 0..2 {
        assert_eq!(send(&here, "N7").await.device.as_deref(), Some("bay-1"));
    }
    let renamed = serde_json::from_value(json!({"identity": "N8"})).unwrap();
    world.engine.set_up.change_device(site, &bay, renamed).await.unwrap();
    assert_eq!(send(&here, "N8").await.device.as_deref(), Some("bay-1"));
    assert_eq!(
        send(&here, "N7").await.device.as_deref(),
        Some("n7"),
        "nobody has that name any more, so another waits"
    );
    let there = send(&elsewhere, "N8").await;
    assert_eq!((there.device.as_deref(), there.waiting.len()), (Some("n8"), 1), "it is another device there");
    world.engine.set_up.remove_device(&bay).await.unwrap();
    assert_eq!(send(&here, "N8").await.device.as_deref(), Some("n8"));
}

#[tokio::test]
async fn no_more_devices_join_than_a_carrier_may_carry() {
    let world = World::new().await;
    let gateway = &world.tower.device;
    for number in 1..1_000 {
        let code = format!("carried-{number}");
        let new =
            NewDevice { code: &code, name: &code, interval_s: 60.0, carrier: Some(gateway.id), ..NewDevice::default() };
        world.store.add_device(gateway.site, new, clock::now()).await.unwrap();
    }
    let decoder = json!({"decoder": {"form": "list", "separator": " ", "fields": ["@device", "temp"]}});
    world
        .engine
        .set_up
        .change_device(&world.tower.site, gateway, serde_json::from_value(decoder).unwrap())
        .await
        .unwrap();
    world.engine.set_up.set_joining(gateway, Some((clock::now().plus_seconds(600.0), None))).await.unwrap();
    let key = &world.tower.key;
    let send = async |line: &str| {
        world.engine.intake.take(Delivery { said: Said::from_header(None), ..delivery(key, line) }).await
    };
    assert_eq!(send("the-last 4").await.unwrap().kept, 1);
    let refused = send("one-more 4").await.unwrap_err();
    assert_eq!(refused.code, "too-many-devices");
    assert!(refused.detail.contains("1000 devices"), "{refused:?}");
}
