//! What was removed comes back whole, for a day.

use super::desk::Desk;
use rocket::http::Method;
use serde_json::{Value, json};

const DEVICES: &str = "sites/marlbeck/devices";

async fn remove(desk: &Desk, path: &str) {
    let code = path.rsplit('/').next().unwrap();
    let removed = desk.ask(Method::Delete, &format!("/api/v1/{path}?confirm={code}"), &desk.token, None).await.ok();
    assert_eq!(removed["removed"], true);
}

async fn values(desk: &Desk, signal: &str) -> Vec<f64> {
    let path = format!("{DEVICES}/tower/signals/{signal}/readings?order=ascending&all=true");
    let readings = desk.get(&path).await.ok();
    readings["items"].as_array().unwrap().iter().map(|one| one["value"].as_f64().unwrap()).collect()
}

async fn listed(desk: &Desk) -> Vec<(Value, Value)> {
    let list = desk.get("sites/marlbeck/removed").await.ok();
    list["items"].as_array().unwrap().iter().map(|one| (one["device"].clone(), one["signal"].clone())).collect()
}

#[rocket::async_test]
async fn a_device_comes_back_with_its_readings_and_keys() {
    let desk = Desk::open().await;
    let key = desk.device("tower").await;
    desk.deliver(&key, r#"{"level": 1}"#).await;
    remove(&desk, &format!("{DEVICES}/tower")).await;
    assert_eq!(desk.deliver(&key, r#"{"level": 2}"#).await.problem(), "unknown-key");
    assert_eq!(listed(&desk).await, [(json!("tower"), Value::Null)]);
    let back = desk.post(&format!("{DEVICES}/tower/restore"), json!({})).await.ok();
    assert_eq!(back["code"], "tower");
    assert_eq!(listed(&desk).await, []);
    desk.deliver(&key, r#"{"level": 3}"#).await;
    assert_eq!(values(&desk, "level").await, [1.0, 3.0]);
    let again = desk.post(&format!("{DEVICES}/tower/restore"), json!({})).await;
    assert_eq!(again.problem(), "not-found", "it is there");
}

#[rocket::async_test]
async fn a_device_whose_code_is_taken_waits() {
    let desk = Desk::open().await;
    desk.device("tower").await;
    remove(&desk, &format!("{DEVICES}/tower")).await;
    let second = json!({"code": "tower", "name": "tower", "note": "the second"});
    desk.post(DEVICES, second).await.ok();
    assert_eq!(desk.post(&format!("{DEVICES}/tower/restore"), json!({})).await.problem(), "taken");
    remove(&desk, &format!("{DEVICES}/tower")).await;
    let back = desk.post(&format!("{DEVICES}/tower/restore"), json!({})).await.ok();
    assert_eq!(back["note"], "the second", "the last one that was removed");
}

#[rocket::async_test]
async fn a_signal_comes_back_with_what_was_sent_meanwhile() {
    let desk = Desk::open().await;
    let key = desk.device("tower").await;
    desk.deliver(&key, r#"{"level": 1}"#).await;
    let level = format!("{DEVICES}/tower/signals/level");
    remove(&desk, &level).await;
    assert_eq!(listed(&desk).await, [(json!("tower"), json!("level"))]);
    desk.deliver(&key, r#"{"level": 2}"#).await;
    desk.post(&format!("{level}/restore"), json!({})).await.ok();
    desk.deliver(&key, r#"{"level": 3}"#).await;
    assert_eq!(values(&desk, "level").await, [1.0, 2.0, 3.0]);
    assert_eq!(desk.get("sites/marlbeck/arrivals").await.ok()["items"], json!([]));
    assert_eq!(listed(&desk).await, [], "what waited is no signal of its own");
}

#[rocket::async_test]
async fn a_device_that_went_on_sending_through_its_gateway_has_all_of_it() {
    let desk = Desk::open().await;
    let key = desk.post("sites/marlbeck/keys", json!({})).await.ok()["key"].as_str().unwrap().to_owned();
    let conversion = json!({"conversion": {"steps": [{"step": "scale", "factor": 2, "unit": "m"}]}});
    let level = json!({"code": "level", "unit": "m", "meaning": conversion});
    desk.post(DEVICES, json!({"code": "tower", "name": "Tower", "identity": "N7", "signals": [level]})).await.ok();
    let send = async |value: f64| {
        let body = json!({"device": "N7", "level": value, "odd": value, format!("new-{value}"): value});
        let said = desk.deliver(&key, &body.to_string()).await;
        assert!(said.text.starts_with("ok 3"), "{}", said.text);
    };
    send(1.0).await;
    remove(&desk, &format!("{DEVICES}/tower")).await;
    send(2.0).await;
    assert_eq!(desk.get("sites/marlbeck/waiting").await.ok()["items"][0]["identity"], "N7");
    desk.post(&format!("{DEVICES}/tower/restore"), json!({})).await.ok();
    assert_eq!(desk.get("sites/marlbeck/waiting").await.ok()["items"], json!([]));
    send(3.0).await;
    // What came meanwhile is as it was sent, and a job converts it.
    assert_eq!(values(&desk, "level").await, [2.0, 2.0, 6.0]);
    assert_eq!(desk.get("sites/marlbeck/jobs").await.ok()["items"].as_array().unwrap().len(), 1);
    assert_eq!(listed(&desk).await, [], "what waited is no device of its own");
    // Names that nobody has declared wait on it, with all that came.
    let arrivals = desk.get("sites/marlbeck/arrivals").await.ok();
    let named: Vec<(&str, &str)> = arrivals["items"]
        .as_array()
        .unwrap()
        .iter()
        .map(|one| (one["device"].as_str().unwrap(), one["name"].as_str().unwrap()))
        .collect();
    assert_eq!(named.len(), 4, "{arrivals}");
    assert!(["odd", "new-1", "new-2", "new-3"].iter().all(|name| named.contains(&("tower", name))), "{arrivals}");
    desk.post(&format!("{DEVICES}/tower/arrivals/odd/claim"), json!({"code": "odd", "type": "number"})).await.ok();
    assert_eq!(values(&desk, "odd").await, [1.0, 2.0, 3.0]);
}

#[rocket::async_test]
async fn what_waits_goes_on_waiting_where_the_device_cannot_come_back() {
    let desk = Desk::open().await;
    let key = desk.post("sites/marlbeck/keys", json!({})).await.ok()["key"].as_str().unwrap().to_owned();
    let old = json!({"code": "tower", "name": "Tower", "identity": "N7", "signals": [{"code": "level"}]});
    desk.post(DEVICES, old).await.ok();
    remove(&desk, &format!("{DEVICES}/tower")).await;
    desk.post(DEVICES, json!({"code": "tower", "name": "Another"})).await.ok();
    desk.deliver(&key, r#"{"device": "N7", "level": 2}"#).await;
    assert_eq!(desk.post(&format!("{DEVICES}/tower/restore"), json!({})).await.problem(), "taken");
    let waiting = desk.get("sites/marlbeck/waiting").await.ok();
    assert_eq!((&waiting["items"][0]["identity"], waiting["items"].as_array().unwrap().len()), (&json!("N7"), 1));
}

#[rocket::async_test]
async fn a_signal_that_needs_another_comes_back_after_it() {
    let desk = Desk::open().await;
    desk.device("tower").await;
    let signals = format!("{DEVICES}/tower/signals");
    let double = json!({"code": "double", "unit": "m", "meaning": {"formula": "level * 2"}});
    desk.post(&signals, double).await.ok();
    remove(&desk, &format!("{signals}/double")).await;
    remove(&desk, &format!("{signals}/level")).await;
    let refused = desk.post(&format!("{signals}/double/restore"), json!({})).await;
    assert_eq!(refused.problem(), "bad-meaning");
    assert_eq!(listed(&desk).await.len(), 2, "both wait still");
    for code in ["level", "double"] {
        desk.post(&format!("{signals}/{code}/restore"), json!({})).await.ok();
    }
}

#[rocket::async_test]
async fn what_is_listed_pages() {
    let desk = Desk::open().await;
    for code in ["a", "b", "c"] {
        desk.add_device(code).await;
        remove(&desk, &format!("{DEVICES}/{code}")).await;
    }
    let first = desk.get("sites/marlbeck/removed?limit=2").await.ok();
    let next = format!("sites/marlbeck/removed?limit=2&after={}", first["next"].as_str().unwrap());
    let second = desk.get(&next).await.ok();
    let codes = |page: &Value| -> Vec<String> {
        page["items"].as_array().unwrap().iter().map(|one| one["device"].as_str().unwrap().to_owned()).collect()
    };
    assert_eq!([codes(&first), codes(&second)].concat(), ["c", "b", "a"]);
    assert!(second["next"].is_null());
}
