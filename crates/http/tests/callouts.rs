//! Rosters and callouts, as they are asked for and by whom.

use super::desk::Desk;
use rocket::http::{ContentType, Method};
use serde_json::{Value, json};
use std::time::{Duration, Instant};

const ROSTERS: &str = "sites/marlbeck/rosters";

fn duty() -> Value {
    json!({"name": "On call", "least": "high", "order": ["ann", "ben@railway.example"], "pass_on_min": 5})
}

fn codes(page: &Value) -> Vec<&str> {
    page["items"].as_array().unwrap().iter().map(|one| one["code"].as_str().unwrap()).collect()
}

/// Asks until there is an answer.
async fn until(desk: &Desk, path: &str, is_so: impl Fn(&Value) -> bool) -> Value {
    let deadline = Instant::now() + Duration::from_secs(60);
    loop {
        let answer = desk.get(path).await.ok();
        if is_so(&answer) {
            return answer;
        }
        assert!(Instant::now() < deadline, "{path}: {answer}");
        tokio::time::sleep(Duration::from_millis(20)).await;
    }
}

#[rocket::async_test]
async fn a_roster_is_made_changed_and_removed() {
    let desk = Desk::open().await;
    let made = desk.post(ROSTERS, json!({"roster": duty()})).await.ok();
    assert_eq!((&made["code"], &made["on_duty"]), (&json!("on-call"), &json!(["ann", "ben@railway.example"])));
    let troubles = made["troubles"].as_array().unwrap();
    assert_eq!(troubles.len(), 2, "ann gave no address, and nothing sends mail: {made}");
    assert_eq!(desk.post(ROSTERS, json!({"roster": duty()})).await.problem(), "taken");
    let changed = json!({"name": "On call", "order": ["ann"], "also": ["topic:bell"]});
    let changed = desk.with_body(Method::Put, &format!("{ROSTERS}/on-call"), changed).await.ok();
    assert_eq!((&changed["roster"]["least"], &changed["changed_by"]), (&json!("medium"), &json!("ann")));
    let refused = desk.with_body(Method::Put, &format!("{ROSTERS}/on-call"), json!({"name": "x", "order": []})).await;
    assert_eq!(refused.problem(), "invalid");
    assert_eq!(desk.with_body(Method::Delete, &format!("{ROSTERS}/on-call"), Value::Null).await.status.code, 204);
    assert_eq!(desk.get(&format!("{ROSTERS}/on-call")).await.problem(), "not-found");
}

#[rocket::async_test]
async fn rosters_page_and_are_of_their_site() {
    let desk = Desk::open().await;
    desk.post("sites", json!({"name": "Other", "code": "other", "zone": "UTC"})).await.ok();
    for code in ["b", "a", "c"] {
        desk.post(ROSTERS, json!({"code": code, "roster": duty()})).await.ok();
    }
    assert_eq!(codes(&desk.get("sites/other/rosters").await.ok()), [""; 0]);
    assert_eq!(desk.get("sites/other/rosters/a").await.problem(), "not-found");
    let first = desk.get(&format!("{ROSTERS}?limit=2")).await.ok();
    assert_eq!((codes(&first), &first["next"]), (vec!["a", "b"], &json!("b")));
    assert_eq!(codes(&desk.get(&format!("{ROSTERS}?limit=2&after=b")).await.ok()), ["c"]);
}

#[rocket::async_test]
async fn addresses_of_people_are_for_those_who_answer_alarms() {
    let desk = Desk::open().await;
    desk.post(ROSTERS, json!({"roster": duty()})).await.ok();
    for (role, sees, changes) in [("viewer", 403, 403), ("operator", 200, 403), ("owner", 200, 200)] {
        let token = desk.someone(role, "marlbeck", role).await;
        let ask = async |method: Method, path: &str, body: Value| {
            let body = (!body.is_null()).then(|| (ContentType::JSON, body.to_string()));
            desk.ask(method, &format!("/api/v1/{path}"), &token, body).await.status.code
        };
        assert_eq!(ask(Method::Get, ROSTERS, Value::Null).await, sees, "{role}");
        assert_eq!(ask(Method::Get, "sites/marlbeck/callouts", Value::Null).await, sees, "{role}");
        assert_eq!(ask(Method::Get, &format!("{ROSTERS}/on-call/signing-key"), Value::Null).await, changes, "{role}");
        assert_eq!(ask(Method::Put, &format!("{ROSTERS}/on-call"), duty()).await, changes, "{role}");
        assert_eq!(
            ask(Method::Post, &format!("{ROSTERS}/on-call/test"), json!({"to": "topic:bell"})).await,
            changes,
            "{role}"
        );
    }
}

#[rocket::async_test]
async fn who_changed_a_roster_is_recorded_without_its_key() {
    let desk = Desk::open().await;
    desk.post(ROSTERS, json!({"roster": duty()})).await.ok();
    let key =
        desk.get(&format!("{ROSTERS}/on-call/signing-key")).await.ok()["signing_key"].as_str().unwrap().to_owned();
    assert_eq!(key.len(), 40);
    let changed = json!({"name": "On call", "order": ["ann"]});
    desk.with_body(Method::Put, &format!("{ROSTERS}/on-call"), changed).await.ok();
    let record = until(&desk, "sites/marlbeck/changes", |page| page["items"].as_array().unwrap().len() >= 2).await;
    let text = record.to_string();
    assert!(text.contains("rosters/on-call") && text.contains("ben@railway.example"), "before and after: {text}");
    assert!(!text.contains(&key), "{text}");
}

#[rocket::async_test]
async fn a_callout_is_listed_with_its_alarm_and_its_attempts() {
    let desk = Desk::open().await;
    desk.tend();
    let signals = json!([{"code": "level", "type": "number", "unit": "m"}]);
    let device = json!({"code": "tower", "name": "Tower", "interval_s": 30, "state": "live", "signals": signals});
    desk.post("sites/marlbeck/devices", device).await.ok();
    let key = desk.issue_key("tower").await;
    let watch = json!({"name": "Too high", "on": {"device": "tower", "signal": "level"},
        "when": {"is": "above", "limit": 3}, "severity": "urgent"});
    desk.post("sites/marlbeck/watches", json!({"watch": watch})).await.ok();
    let roster = json!({"name": "Bell", "order": ["nobody"], "also": ["topic:bell"], "rounds": 1});
    desk.post(ROSTERS, json!({"roster": roster})).await.ok();
    desk.deliver(&key, r#"{"level": 3.5}"#).await;
    let ended = |page: &Value| {
        let states: Vec<&str> =
            page["items"].as_array().unwrap().iter().map(|one| one["state"].as_str().unwrap()).collect();
        states.len() == 2 && states.contains(&"sent") && states.contains(&"failed")
    };
    let page = until(&desk, "sites/marlbeck/callouts", ended).await;
    let (failed, sent) = match page["items"][0]["state"] == "failed" {
        true => (&page["items"][0], &page["items"][1]),
        false => (&page["items"][1], &page["items"][0]),
    };
    assert_eq!((&sent["way"], &sent["address"]), (&json!("topic"), &json!("topic:bell")));
    assert_eq!((&failed["callee"], &failed["way"]), (&json!("nobody"), &Value::Null));
    let shown = desk.get(&format!("sites/marlbeck/callouts/{}", failed["id"])).await.ok();
    assert_eq!(shown["attempts"][0]["said"], "There is nobody of the name nobody.");
    let alarm = &shown["alarms"][0];
    let count = |page: &Value| page["items"].as_array().unwrap().len();
    assert_eq!(count(&desk.get(&format!("sites/marlbeck/callouts?alarm={alarm}")).await.ok()), 2);
    assert_eq!(count(&desk.get("sites/marlbeck/callouts?state=failed").await.ok()), 1);
    let first = desk.get("sites/marlbeck/callouts?limit=1").await.ok();
    assert_eq!(
        count(&desk.get(&format!("sites/marlbeck/callouts?after={}", first["next"].as_str().unwrap())).await.ok()),
        1
    );
    assert_eq!(desk.get("sites/marlbeck/callouts?state=gone").await.problem(), "invalid");
    assert_eq!(desk.get("sites/marlbeck/callouts?alarm=x").await.problem(), "invalid");
    desk.post("sites", json!({"name": "Other", "code": "other", "zone": "UTC"})).await.ok();
    assert_eq!(desk.get(&format!("sites/other/callouts/{}", failed["id"])).await.problem(), "not-found");
    assert_eq!(count(&desk.get("sites/other/callouts").await.ok()), 0);
    let figures = desk.get("sites/marlbeck/alarms/figures").await.ok();
    assert_eq!((&figures["count"], &figures["frequent"][0]["device"]), (&json!(1), &json!("tower")));
    for wrong in ["operators=0", "from=2026-05-02T00:00:00Z&to=2026-05-01T00:00:00Z", "operators=x"] {
        assert_eq!(desk.get(&format!("sites/marlbeck/alarms/figures?{wrong}")).await.problem(), "invalid", "{wrong}");
    }
}

#[rocket::async_test]
async fn addresses_of_messages_cannot_be_guessed() {
    let desk = Desk::open().await;
    let body = || Some((ContentType::JSON, json!({"secret": "0123456789abcdef"}).to_string()));
    let mut last = String::new();
    for _ in 0..20 {
        last = desk.ask(Method::Post, "/api/v1/called-for", "", body()).await.problem();
    }
    assert_eq!(last, "slow-down");
    let reply = Some((ContentType::Form, "from=%2B441632960001&text=ok".to_owned()));
    assert_eq!(desk.ask(Method::Post, "/api/v1/text-replies/guessed", "", reply).await.problem(), "no-gateway");
    let large = Some((ContentType::JSON, format!("{{\"from\": \"{}\"}}", "1".repeat(20_000))));
    assert_eq!(desk.ask(Method::Post, "/api/v1/text-replies/guessed", "", large).await.problem(), "bad-body");
}
