//! Coverage over HTTP: hours, gaps, and the ways messages came.

use super::desk::Desk;
use lantern_core::Moment;
use serde_json::{Value, json};

/// A device that reports every minute, here for two hours but for half an hour between.
async fn filled() -> (Desk, Moment) {
    let desk = Desk::open().await;
    let signals = json!([
        {"code": "level", "type": "number", "unit": "m"},
        {"code": "mode", "type": "text"},
        {"code": "double", "unit": "m", "meaning": {"formula": "level * 2"}},
    ]);
    let device = json!({"code": "tower", "name": "Tower", "interval_s": 60, "signals": signals});
    desk.post("sites/marlbeck/devices", device).await.ok();
    let key = desk.issue_key("tower").await;
    // A whole hour, some hours ago.
    let now = lantern_engine::clock::now().as_micros();
    let begin = Moment::from_micros(now / 3_600_000_000 * 3_600_000_000 - 5 * 3_600_000_000).unwrap();
    let minutes = (0..120).filter(|minute| !(40..70).contains(minute));
    let reading = |minute: i64| {
        let at = begin.plus_seconds(minute as f64 * 60.0).to_string();
        if minute % 10 == 0 { json!({"at": at, "level": 1.5, "mode": "on"}) } else { json!({"at": at, "level": 1.5}) }
    };
    let body = Value::from(minutes.map(reading).collect::<Vec<_>>()).to_string();
    assert_eq!(desk.deliver(&key, &body).await.status.code, 200);
    (desk, begin)
}

#[rocket::async_test]
async fn hours_and_gaps_are_told() {
    let (desk, begin) = filled().await;
    let to = begin.plus_seconds(3.0 * 3_600.0);
    let span = format!("from={begin}&to={to}&zone=UTC");
    let report = desk.get(&format!("sites/marlbeck/coverage?{span}")).await.ok();
    let tower = &report["devices"][0];
    assert_eq!(report["starts_ms"].as_array().unwrap().len(), 3);
    assert_eq!((&tower["expected_each"], &tower["received_each"]), (&json!([60, 60, 60]), &json!([40, 50, 0])));
    assert_eq!((&tower["expected"], &tower["received"]), (&json!(180), &json!(90)));
    let at = |minute: f64| begin.plus_seconds(minute * 60.0).to_string();
    let gaps: Vec<Value> = tower["gaps"].as_array().unwrap().clone();
    assert_eq!(gaps.len(), 2, "{gaps:?}");
    assert_eq!(gaps[0], json!({"from": at(39.0), "to": at(70.0), "length_s": 1_860.0, "ended": "reported"}));
    assert_eq!(
        (&gaps[1]["from"], &gaps[1]["to"], &gaps[1]["ended"]),
        (&json!(at(119.0)), &Value::Null, &json!("open"))
    );
}

#[rocket::async_test]
async fn a_part_of_a_gap_is_told_with_its_true_ends() {
    let (desk, begin) = filled().await;
    let (from, to) = (begin.plus_seconds(45.0 * 60.0), begin.plus_seconds(60.0 * 60.0));
    let report = desk.get(&format!("sites/marlbeck/coverage?device=tower&from={from}&to={to}&zone=UTC")).await.ok();
    let gaps = report["devices"][0]["gaps"].as_array().unwrap().clone();
    let at = |minute: f64| begin.plus_seconds(minute * 60.0).to_string();
    assert_eq!(json!(gaps), json!([{"from": at(39.0), "to": at(70.0), "length_s": 1_860.0, "ended": "reported"}]));
}

#[rocket::async_test]
async fn what_cannot_be_told_is_refused_and_sites_are_apart() {
    let (desk, _) = filled().await;
    for (query, code) in [
        ("by=week", "invalid"),
        ("device=mill", "not-found"),
        ("from=2026-05-02&to=2026-05-01", "invalid"),
        ("from=2025-01-01&to=2026-05-01", "invalid"),
        ("zone=Mars/North", "invalid"),
    ] {
        assert_eq!(desk.get(&format!("sites/marlbeck/coverage?{query}")).await.problem(), code, "{query}");
    }
    desk.post("sites", json!({"name": "Mill", "code": "mill", "zone": "UTC"})).await.ok();
    let other = desk.get("sites/mill/coverage").await.ok();
    assert_eq!((&other["devices"], &other["traffic"]), (&json!([]), &json!([])));
    assert_eq!(desk.get("sites/mill/coverage?device=tower").await.problem(), "not-found");
}

#[rocket::async_test]
async fn devices_come_in_pages() {
    let (desk, _) = filled().await;
    desk.add_device("shed").await;
    let first = desk.get("sites/marlbeck/coverage?limit=1").await.ok();
    assert_eq!((&first["devices"][0]["device"], &first["next"]), (&json!("shed"), &json!("shed")));
    let second = desk.get("sites/marlbeck/coverage?limit=1&after=shed").await.ok();
    assert_eq!((&second["devices"][0]["device"], &second["next"]), (&json!("tower"), &Value::Null));
}
