//! Why nothing is seen: the walk of somebody who does one thing after another wrong.

use crate::desk::Desk;
use rocket::http::Method;
use serde_json::{Value, json};

async fn why(desk: &Desk, of: &str) -> Value {
    desk.get(&format!("sites/marlbeck/devices/{of}/why")).await.ok()
}

/// The code of what is wrong, and the action that mends it.
async fn wrong(desk: &Desk, of: &str) -> (String, String) {
    let why = why(desk, of).await;
    let text = |value: &Value| value.as_str().unwrap_or_default().to_owned();
    (text(&why["code"]), text(&why["mend"]["action"]))
}

#[rocket::async_test]
async fn each_mistake_of_a_newcomer_is_found_in_turn() {
    let desk = Desk::open().await;
    let level = "tower/signals/level";
    desk.add_device("tower").await;
    assert_eq!(wrong(&desk, level).await, ("no-key".into(), "issue-key".into()));
    let key = desk.issue_key("tower").await;
    assert_eq!(wrong(&desk, level).await, ("address-leads-nowhere".into(), "send".into()));
    assert!(why(&desk, level).await["means"].as_str().unwrap().contains("leads each machine to itself"));

    desk.deliver("0123456789abcdefghjkmnpq", r#"{"level": 1}"#).await;
    assert_eq!(wrong(&desk, level).await, ("unknown-key".into(), "send".into()));
    desk.ask(Method::Post, &format!("/inn/{key}"), "", None).await;
    assert_eq!(wrong(&desk, level).await.0, "no-such-address", "with its own key at a wrong address");

    desk.deliver(&key, "{").await;
    assert_eq!(wrong(&desk, level).await, ("malformed-json".into(), "see-contacts".into()));
    desk.deliver(&key, r#"{"levle": 1}"#).await;
    let found = why(&desk, level).await;
    assert_eq!(found["code"], "name-nearly-right");
    assert_eq!(found["mend"], json!({"action": "claim", "name": "levle", "into": "level"}));
    assert_eq!(found["passed"], json!(["declared", "key", "contact", "payload"]));
    assert_eq!(wrong(&desk, "tower").await.0, "name-nearly-right", "of the device too");

    let waiting = desk.get("sites/marlbeck/arrivals").await.ok();
    assert_eq!(waiting["items"][0]["like"], "level", "{waiting}");
    let claim = json!({"into": "level"});
    desk.post("sites/marlbeck/devices/tower/arrivals/levle/claim", claim).await.ok();
    assert_eq!(wrong(&desk, level).await, ("in-trial".into(), "commission".into()));
    desk.deliver(&key, r#"{"level": false}"#).await;
    assert_eq!(wrong(&desk, level).await, ("wrong-type".into(), "see-contacts".into()));
    desk.deliver(&key, r#"{"level": "wet"}"#).await;
    assert_eq!(wrong(&desk, level).await, ("rejected".into(), "see-contacts".into()), "kept, and no number");
    desk.deliver(&key, r#"{"level": 2}"#).await;
    desk.post("sites/marlbeck/devices/tower/commissioning/live", json!({"readings": "keep"})).await;
    let after = why(&desk, level).await;
    assert!(["well", "in-trial"].contains(&after["code"].as_str().unwrap()), "{after}");
}

#[rocket::async_test]
async fn attempts_of_unknown_senders_are_for_owners() {
    let desk = Desk::open().await;
    desk.device("tower").await;
    desk.deliver("0123456789abcdefghjkmnpq", r#"{"level": 1}"#).await;
    let found = why(&desk, "tower").await;
    assert_eq!(found["code"], "unknown-key");
    assert!(found["mend"]["action"] == "send" && found["signal"].is_null(), "{found}");
}
