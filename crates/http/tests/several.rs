//! Several devices at once.

use crate::desk::Desk;
use serde_json::{Value, json};

async fn codes(desk: &Desk) -> Vec<String> {
    let page = desk.get("sites/marlbeck/devices").await.ok();
    page["items"].as_array().unwrap().iter().map(|one| one["code"].as_str().unwrap().to_owned()).collect()
}

#[rocket::async_test]
async fn several_devices_are_made_with_a_key_each() {
    let desk = Desk::open().await;
    let devices: Vec<Value> =
        (1..=3).map(|n| json!({"name": format!("Shed {n}"), "signals": [{"code": "temp"}]})).collect();
    let made = desk.post("sites/marlbeck/devices/several", json!({"devices": devices, "keys": true})).await.ok();
    assert_eq!(codes(&desk).await, ["shed-1", "shed-2", "shed-3"]);
    for (index, one) in made.as_array().unwrap().iter().enumerate() {
        assert_eq!(one["code"], format!("shed-{}", index + 1));
        let key = one["key"]["key"].as_str().unwrap();
        assert!(one["key"]["address"].as_str().unwrap().ends_with(key));
        assert_eq!(desk.deliver(key, r#"{"temp": 4}"#).await.text, "ok 1\n");
        let temp = desk.get(&format!("sites/marlbeck/devices/shed-{}/now", index + 1)).await.ok();
        assert_eq!(temp["signals"][0]["last"]["value"], 4.0);
    }
    let without = desk.post("sites/marlbeck/devices/several", json!({"devices": [{"name": "Box"}]})).await.ok();
    assert!(without[0]["key"].is_null());
}

#[rocket::async_test]
async fn if_one_cannot_be_made_none_is() {
    let desk = Desk::open().await;
    desk.add_device("tower").await;
    for (what, devices, code, says) in [
        ("a taken code", json!([{"name": "Shed"}, {"name": "Tower", "code": "tower"}]), "taken", "`Tower`"),
        (
            "one code twice",
            json!([{"name": "Shed"}, {"name": "Box"}, {"name": "Shed again", "code": "shed"}]),
            "taken",
            "`Shed again`",
        ),
        (
            "a wrong unit",
            json!([{"name": "Shed"}, {"name": "Box", "signals": [{"code": "t", "unit": "no-unit"}]}]),
            "invalid",
            "`Box`",
        ),
        ("none", json!([]), "invalid", "1 to 500"),
    ] {
        let answer = desk.post("sites/marlbeck/devices/several", json!({"devices": devices, "keys": true})).await;
        let problem = answer.json();
        let detail = problem["detail"].as_str().unwrap_or_default();
        assert!(detail.contains(says), "{what}: {problem}");
        assert!(problem["code"].as_str().unwrap_or_default().contains(code), "{what}: {problem}");
        assert_eq!(codes(&desk).await, ["tower"], "{what}");
    }
}

#[rocket::async_test]
async fn a_name_that_is_taken_or_says_nothing_gets_another_code() {
    let desk = Desk::open().await;
    let names = ["Tower", "tower!", "井戸", "\u{2026}", "Tower"];
    let devices: Vec<Value> = names.iter().map(|name| json!({"name": name})).collect();
    desk.post("sites/marlbeck/devices/several", json!({"devices": devices})).await.ok();
    assert_eq!(codes(&desk).await, ["device", "device-2", "tower", "tower-2", "tower-3"]);
    let taken = desk.post("sites/marlbeck/devices", json!({"name": "Third", "code": "tower"})).await;
    assert_eq!(taken.problem(), "taken", "a code that was asked for is not changed");
}
