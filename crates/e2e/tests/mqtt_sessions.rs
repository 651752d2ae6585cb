//! Sessions of clients that speak MQTT: whose they are, seen and ended by people.

use crate::mqtt::site_key;
use lantern_e2e::{Client, Dial, Event, Service, eventually};
use serde_json::{Value, json};

/// A session that waits, subscribed to all of the site's devices.
async fn leave(service: &Service, id: &str, key: &str) {
    let mut client = Dial { is_kept: true, ..Dial::new(5, id, key) }.connect(service).await;
    assert!(client.subscribe("marlbeck/+/in", 1).await);
    client.goodbye().await;
    eventually("the session is away", async || {
        sessions(service).await.into_iter().find(|one| one["client"] == id && one["connected"] == false)
    })
    .await;
}

async fn sessions(service: &Service) -> Vec<Value> {
    let page = service.get("sites/marlbeck/mqtt-sessions").await.ok();
    page["items"].as_array().unwrap().clone()
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_session_goes_on_with_a_replaced_key_and_ends_with_a_revoked_one() {
    let service = Service::start().await;
    let sender = service.device("tower", &["level"]).await;
    let issued = service.post("sites/marlbeck/keys", json!({"grants": ["read"]})).await.ok();
    let (id, first) = (issued["id"].as_i64().unwrap(), issued["key"].as_str().unwrap());
    leave(&service, "display", first).await;
    let mut from = Dial::new(5, "tower", &sender).connect(&service).await;
    assert_eq!(from.tell("marlbeck/tower/in", "level=2", 1).await.0, 0);
    // Neither another key of the site nor that of a device gets at what waits.
    let other = site_key(&service, "marlbeck", &["read"]).await;
    for key in [&other, &sender] {
        let mut thief = Dial { is_kept: true, ..Dial::new(5, "display", key) }.dial(&service);
        let Event::Ended(text) = thief.next().await else { panic!("it was let in") };
        assert!(text.contains("ClientIdentifierNotValid") || text.contains("client id"), "{text}");
    }
    let replaced = service.post(&format!("sites/marlbeck/keys/{id}/replace"), json!({"overlap_s": 600})).await.ok();
    let second = replaced["key"].as_str().unwrap();
    let mut display = Dial { is_kept: true, ..Dial::new(5, "display", second) }.dial(&service);
    assert_eq!(display.next().await, Event::Connected(true));
    assert_eq!(display.came().await.payload, "level=2");
    display.goodbye().await;
    // The first is revoked while the second is good: the session stays; then it goes.
    for (key, stays) in [(id, true), (replaced["id"].as_i64().unwrap(), false)] {
        service.api(reqwest::Method::DELETE, &format!("sites/marlbeck/keys/{key}"), None).await.ok();
        eventually("revoking is done", async || {
            let is_there = sessions(&service).await.iter().any(|one| one["client"] == "display");
            (is_there == stays).then_some(())
        })
        .await;
    }
    // Its id is free for another key now.
    Dial { is_kept: true, ..Dial::new(5, "display", &other) }.connect(&service).await;
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn sessions_are_listed_and_ended_by_people() {
    let service = Service::start().await;
    let sender = service.device("tower", &["level"]).await;
    let reader = site_key(&service, "marlbeck", &["read"]).await;
    leave(&service, "display/1", &reader).await;
    let mut from = Dial::new(4, "tower", &sender).connect(&service).await;
    for level in 0..3 {
        assert_eq!(from.tell("marlbeck/tower/in", format!("level={level}"), 1).await.0, 0);
    }
    let client = Client::logged_in(&service);
    let listed = client.json(&["mqtt-session", "list"]);
    let of = |id: &str| listed.as_array().unwrap().iter().find(|one| one["client"] == id).unwrap().clone();
    let (away, here) = (of("display/1"), of("tower"));
    assert_eq!((&away["connected"], &away["waiting"], &away["subscriptions"]), (&json!(false), &json!(3), &json!(1)));
    assert!(away["ends_at"].is_string() && away["key"].is_i64());
    assert_eq!((&here["connected"], &here["device"]), (&json!(true), &json!("tower")));
    let table = client.ok(&["mqtt-session", "list"]);
    assert!(table.contains("display/1") && table.contains("connected"), "{table}");
    client.ok(&["mqtt-session", "end", "display/1"]);
    client.ok(&["mqtt-session", "end", "tower"]);
    assert!(from.ended().await.len() > 1);
    assert!(!client.ok(&["mqtt-session", "list"]).contains("display/1"));
    let (code, text) = client.fails(&["mqtt-session", "end", "display/1"]);
    assert!(code == 1 && text.contains("no MQTT session `display/1`"), "{text}");
    let changes = client.ok(&["changes"]);
    assert!(changes.contains("mqtt-sessions/display/1"), "{changes}");
    let file = client.home().join("changes.csv");
    client.ok(&["changes", "--words", "mqtt-sessions", "--file", file.to_str().unwrap()]);
    assert_eq!(std::fs::read_to_string(file).unwrap().lines().count(), 3, "two ends below the headings");
}
