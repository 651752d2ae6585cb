//! Where a value comes from, told over HTTP.

use super::desk::Desk;
use rocket::http::Method;
use serde_json::{Value, json};

const SIGNALS: &str = "sites/marlbeck/devices/tower/signals";

/// A device that sends counts, of which levels are made, and twice the level.
async fn tower() -> (Desk, String) {
    let desk = Desk::open().await;
    desk.tend();
    let scaled = json!({"conversion": {"steps": [{"step": "scale", "factor": 0.01, "unit": "m"}]}});
    let signals = json!([
        {"code": "level", "type": "number", "unit": "m", "meaning": scaled},
        {"code": "double", "unit": "m", "meaning": {"formula": "level * 2"}},
        {"code": "plain", "type": "number"},
    ]);
    let device = json!({"code": "tower", "name": "Tower", "interval_s": 60, "signals": signals});
    desk.post("sites/marlbeck/devices", device).await.ok();
    let key = desk.issue_key("tower").await;
    (desk, key)
}

async fn origin(desk: &Desk, query: &str) -> Value {
    desk.get(&format!("{SIGNALS}/{query}")).await.ok()
}

/// The log and what is worked out follow a moment later.
async fn until(desk: &Desk, query: &str, is: impl Fn(&Value) -> bool) -> Value {
    for _ in 0..1_000 {
        let answer = desk.get(&format!("{SIGNALS}/{query}")).await;
        if answer.status.code == 200 && is(&answer.json()) {
            return answer.json();
        }
        tokio::time::sleep(std::time::Duration::from_millis(20)).await;
    }
    panic!("{query} did not become what was waited for");
}

#[rocket::async_test]
async fn a_converted_value_comes_from_what_was_sent() {
    let (desk, key) = tower().await;
    desk.deliver(&key, r#"{"at": "2026-05-01T08:00:00Z", "level": 250}"#).await;
    desk.deliver(&key, r#"{"at": "2026-05-01T09:00:00Z", "level": 300}"#).await;
    let told = until(&desk, "level/origin?at=2026-05-01T08:30:00Z", |told| told["contact"].is_object()).await;
    assert_eq!(told["reading"]["at"], "2026-05-01T08:00:00Z", "the last one up to then");
    assert_eq!((&told["reading"]["value"], &told["sent"], &told["symbol"]), (&json!(2.5), &json!(250.0), &json!("m")));
    assert_eq!(told["steps"], json!([{"input": 250.0, "output": 2.5, "unit": "m", "symbol": "m"}]));
    assert_eq!(told["contact"]["protocol"], "HTTP POST");
    assert_eq!((&told["formula"], &told["hand"]), (&Value::Null, &Value::Null));
    let last = origin(&desk, "level/origin").await;
    assert_eq!(last["sent"], 300.0);
}

#[rocket::async_test]
async fn a_derived_value_comes_from_its_inputs() {
    let (desk, key) = tower().await;
    desk.deliver(&key, r#"{"at": "2026-05-01T08:00:00Z", "level": 250}"#).await;
    let told = until(&desk, "double/origin", |told| told["reading"]["value"] == 5.0).await;
    assert_eq!(told["formula"], "level * 2");
    let others = json!([{"signal": "level", "value": 2.5, "unit": "m", "symbol": "m", "at": "2026-05-01T08:00:00Z", "is_too_old": false}]);
    assert_eq!(told["others"], others);
    assert_eq!((&told["sent"], &told["contact"]), (&Value::Null, &Value::Null), "nobody sent it");
}

#[rocket::async_test]
async fn a_reading_by_hand_comes_from_a_person() {
    let (desk, _) = tower().await;
    let hand = json!({"value": 2.25, "at": "2026-05-01T08:00:00Z", "note": "by the staff"});
    desk.post(&format!("{SIGNALS}/plain/readings"), hand).await.ok();
    let told = origin(&desk, "plain/origin").await;
    let person = json!({"at": "2026-05-01T08:00:00Z", "person": "ann", "note": "by the staff"});
    assert_eq!((&told["hand"], &told["sent"]), (&person, &Value::Null));
}

#[rocket::async_test]
async fn the_version_that_made_it_is_told() {
    let (desk, key) = tower().await;
    let at = lantern_engine::clock::now().plus_seconds(2.0).to_string();
    desk.deliver(&key, &json!({"at": at, "level": 250}).to_string()).await;
    let told = origin(&desk, "level/origin").await;
    assert_eq!((&told["version"]["version"], &told["version"]["made_by"]), (&json!(1), &json!("ann")));
    assert_eq!(told["remade"], Value::Null);
}

#[rocket::async_test]
async fn where_there_is_nothing_there_is_no_origin() {
    let (desk, key) = tower().await;
    assert_eq!(desk.get(&format!("{SIGNALS}/level/origin")).await.problem(), "not-found");
    desk.deliver(&key, r#"{"at": "2026-05-01T08:00:00Z", "level": 250}"#).await;
    for query in ["level/origin?at=2026-05-01T07:00:00Z", "depth/origin"] {
        assert_eq!(desk.get(&format!("{SIGNALS}/{query}")).await.problem(), "not-found", "{query}");
    }
    assert_eq!(desk.get(&format!("{SIGNALS}/level/origin?at=soon")).await.problem(), "invalid");
    desk.post("sites", json!({"name": "Mill", "code": "mill", "zone": "UTC"})).await.ok();
    let other = desk.ask(Method::Get, "/api/v1/sites/mill/devices/tower/signals/level/origin", &desk.token, None).await;
    assert_eq!(other.problem(), "not-found");
}
