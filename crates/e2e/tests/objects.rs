use lantern_e2e::Service;
use reqwest::Method;
use serde_json::json;

#[tokio::test]
async fn sites_are_made_listed_shown_changed_and_removed() {
    let service = Service::start().await;
    let made = service.post("sites", json!({"name": "Tea Room & Garden", "zone": "Europe/London"})).await;
    assert_eq!(made.status.as_u16(), 201);
    assert_eq!(made.ok()["code"], "tea-room-garden", "a code is proposed from the name");

    let page = service.get("sites?limit=1").await.ok();
    assert_eq!(page["items"][0]["code"], "marlbeck");
    let rest = service.get(&format!("sites?limit=1&after={}", page["next"].as_str().unwrap())).await.ok();
    assert_eq!(rest["items"][0]["code"], "tea-room-garden");
    assert!(rest["next"].is_null());

    let position = json!({"latitude": 54.5, "longitude": -2.3, "altitude_m": 190.0});
    let changed =
        service.api(Method::PATCH, "sites/marlbeck", Some(json!({"name": "Railway", "position": position}))).await.ok();
    assert_eq!(
        (&changed["name"], &changed["zone"], &changed["position"]),
        (&json!("Railway"), &json!("Europe/London"), &position)
    );
    let without = service.api(Method::PATCH, "sites/marlbeck", Some(json!({"position": null}))).await.ok();
    assert!(without["position"].is_null());

    let gone = service.api(Method::DELETE, "sites/tea-room-garden?confirm=tea-room-garden", None).await.ok();
    assert_eq!(gone["removed"], true);
    assert_eq!(service.get("sites/tea-room-garden").await.status.as_u16(), 404);
}

#[tokio::test]
async fn what_cannot_be_is_refused_with_the_field_named() {
    let service = Service::start().await;
    service.device("tower", &["temp"]).await;
    for (path, body, code, says) in [
        ("sites", json!({"name": "x", "zone": "Mars/Olympus"}), "invalid", "zone"),
        ("sites", json!({"name": " ", "zone": "UTC"}), "invalid", "name"),
        ("sites", json!({"name": "x", "code": "No Good", "zone": "UTC"}), "invalid", "code"),
        ("sites", json!({"name": "x", "code": "marlbeck", "zone": "UTC"}), "taken", "marlbeck"),
        ("sites", json!({"name": "x"}), "bad-body", "zone"),
        ("sites", json!({"name": "x", "zone": "UTC", "colour": 1}), "bad-body", "colour"),
        ("sites/marlbeck/devices", json!({"name": "x", "interval_s": 0}), "invalid", "interval_s"),
        (
            "sites/marlbeck/devices",
            json!({"name": "x", "position": {"latitude": 91, "longitude": 0}}),
            "invalid",
            "latitude",
        ),
        ("sites/marlbeck/devices", json!({"name": "x", "signals": [{"code": "a"}, {"code": "a"}]}), "invalid", "twice"),
        ("sites/marlbeck/devices", json!({"name": "x", "signals": [{"code": "at"}]}), "invalid", "`at`"),
        ("sites/marlbeck/devices", json!({"name": "x", "code": "tower"}), "taken", "tower"),
        ("sites/marlbeck/devices/tower/signals", json!({"code": "t", "unit": "furlongs"}), "invalid", "furlongs"),
        (
            "sites/marlbeck/devices/tower/signals",
            json!({"code": "t", "type": "flag", "unit": "m"}),
            "invalid",
            "no unit",
        ),
        ("sites/marlbeck/devices/tower/signals", json!({"code": "temp"}), "taken", "temp"),
        ("sites/nowhere/devices", json!({"name": "x"}), "not-found", "nowhere"),
    ] {
        let answer = service.post(path, body.clone()).await;
        assert!(answer.status.is_client_error(), "{body}");
        assert_eq!(answer.problem(), code, "{body}: {}", answer.text);
        assert!(answer.text.contains(says), "{body}: {}", answer.text);
    }
    // A device refused for one of its signals is not half made.
    assert_eq!(service.get("sites/marlbeck/devices").await.ok()["items"].as_array().unwrap().len(), 1);
}

#[tokio::test]
async fn units_are_accepted_as_people_spell_them() {
    let service = Service::start().await;
    service.device("tower", &[]).await;
    for (entered, code, symbol) in
        [("°C", "Cel", "°C"), ("[ppm]", "[ppm]", "ppm"), ("km/h", "km/h", "km/h"), ("%", "%", "%")]
    {
        let new = json!({"code": format!("s{}", code.len()), "unit": entered});
        let signal = service.post("sites/marlbeck/devices/tower/signals", new.clone()).await;
        if signal.status.as_u16() == 409 {
            panic!("{new} twice");
        }
        let signal = signal.ok();
        assert_eq!((signal["unit"].as_str(), signal["symbol"].as_str()), (Some(code), Some(symbol)));
    }
}

#[tokio::test]
async fn a_changed_signal_keeps_its_readings() {
    let service = Service::start().await;
    let key = service.device("tower", &["temp"]).await;
    service.deliver(&key, r#"{"temp": 1}"#).await;
    let path = "sites/marlbeck/devices/tower/signals/temp";
    let changed = service.api(Method::PATCH, path, Some(json!({"name": "Air", "unit": "Cel"}))).await.ok();
    assert_eq!(
        (&changed["name"], &changed["unit"], &changed["type"]),
        (&json!("Air"), &json!("Cel"), &json!("number"))
    );
    let flag = service.api(Method::PATCH, path, Some(json!({"type": "flag"}))).await.ok();
    assert!(flag["unit"].is_null(), "what is no number has no unit");
    assert_eq!(service.readings("tower", "temp").await.len(), 1);
    // The way in knows of the change at once.
    assert_eq!(service.deliver(&key, r#"{"temp": true}"#).await.text, "ok 1\n");
}

#[tokio::test]
async fn removing_readings_asks_for_the_code_and_says_how_many() {
    let service = Service::start().await;
    let key = service.device("tower", &["temp", "level"]).await;
    service.deliver(&key, r#"[{"temp": 1, "at": 1777636800}, {"temp": 2, "level": 3, "at": 1777636830}]"#).await;

    let asked = service.api(Method::DELETE, "sites/marlbeck/devices/tower", None).await.ok();
    assert_eq!(asked, json!({"readings": 3, "at_least": false, "removed": false}));
    let wrong = service.api(Method::DELETE, "sites/marlbeck/devices/tower?confirm=larder", None).await;
    assert_eq!(wrong.problem(), "invalid");
    assert_eq!(service.get("sites/marlbeck/devices/tower/signals/level/extent").await.ok()["readings"], 1);

    let signal = "sites/marlbeck/devices/tower/signals/level?confirm=level";
    assert_eq!(service.api(Method::DELETE, signal, None).await.ok()["removed"], true);
    let device = "sites/marlbeck/devices/tower?confirm=tower";
    assert_eq!(service.api(Method::DELETE, device, None).await.ok()["removed"], true);
    assert_eq!(service.deliver(&key, r#"{"temp": 1}"#).await.problem(), "unknown-key");

    // A device without readings goes without being asked twice.
    service.device("spare", &["temp"]).await;
    assert_eq!(service.api(Method::DELETE, "sites/marlbeck/devices/spare", None).await.ok()["removed"], true);
}

#[tokio::test]
async fn a_key_is_shown_once_and_works_until_revoked() {
    let service = Service::start().await;
    let key = service.device("tower", &["temp"]).await;
    let list = service.get("sites/marlbeck/devices/tower/keys").await;
    assert!(!list.text.contains(&key), "the secret is not shown again");
    let listed = list.ok()["items"][0].clone();
    assert!(key.ends_with(listed["hint"].as_str().unwrap()));
    assert!(listed["last_used_at"].is_null());

    service.deliver(&key, r#"{"temp": 1}"#).await;
    let second = service.post("sites/marlbeck/devices/tower/keys", json!({"note": "spare"})).await.ok();
    let used = service.get("sites/marlbeck/devices/tower/keys").await.ok();
    assert_eq!(used["items"][0]["note"], "spare");
    assert!(used["items"][1]["last_used_at"].is_string());

    let path = format!("sites/marlbeck/devices/tower/keys/{}", listed["id"]);
    service.api(Method::DELETE, &path, None).await.ok();
    assert_eq!(service.deliver(&key, r#"{"temp": 1}"#).await.problem(), "revoked-key");
    assert_eq!(service.deliver(second["key"].as_str().unwrap(), r#"{"temp": 1}"#).await.text, "ok 1\n");
    let files = std::fs::read(service.data().join("key-lantern.sqlite")).unwrap();
    assert!(!files.windows(key.len()).any(|part| part == key.as_bytes()), "the secret is not in the file");
}
