use lantern_e2e::{Dial, Event, Mqtt, Service, binary, eventually};
use serde_json::{Value, json};

/// A key of the site with some grants.
pub(crate) async fn site_key(service: &Service, site: &str, grants: &[&str]) -> String {
    let key = service.post(&format!("sites/{site}/keys"), json!({"grants": grants})).await.ok();
    key["key"].as_str().unwrap().to_owned()
}

async fn reader(service: &Service, version: u8) -> Mqtt {
    let key = site_key(service, "marlbeck", &["read"]).await;
    // Each has an id of its own: that of another key would be refused.
    let id = format!("reader-{}", &key[key.len() - 6..]);
    Dial::new(version, &id, &key).connect(service).await
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_client_library_publishes_and_subscribes_in_both_versions_at_every_qos() {
    let service = Service::start().await;
    let key = service.device("tower", &["level", "temp"]).await;
    let mut count = 0;
    for version in [4, 5] {
        let mut to = reader(&service, version).await;
        assert!(to.subscribe("marlbeck/tower/in", 2).await);
        let mut from = Dial::new(version, "tower", &key).connect(&service).await;
        for qos in 0..3 {
            count += 1;
            let body = json!({"level": count, "at": 1_777_636_800 + count}).to_string();
            from.publish("marlbeck/tower/in", body.clone(), qos).await;
            if qos > 0 {
                assert_eq!(from.taken().await.0, 0);
            }
            let came = to.came().await;
            assert_eq!((came.topic.as_str(), came.payload, came.qos), ("marlbeck/tower/in", body, qos));
        }
        from.goodbye().await;
    }
    let kept: Vec<f64> = service.readings("tower", "level").await.iter().map(|(_, v)| v.as_f64().unwrap()).collect();
    assert_eq!(kept, (1..=count).map(f64::from).collect::<Vec<_>>());
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn readings_come_in_any_form_and_on_topics_of_a_devices_own() {
    let service = Service::start().await;
    let key = service.device("tower", &["level", "temp", "door:flag"]).await;
    service.device("shed-1", &["temp"]).await;
    let change = json!({"carrier": "tower", "identity": "a1b2"});
    service.api(reqwest::Method::PATCH, "sites/marlbeck/devices/shed-1", Some(change)).await.ok();
    let change = json!({"topics": ["plant/{signal}", "radio/{device}/{signal}/{at}", "logs/all"]});
    service.api(reqwest::Method::PATCH, "sites/marlbeck/devices/tower", Some(change)).await.ok();
    let mut from = Dial::new(5, "tower", &key).connect(&service).await;
    let ok = (0, String::new());
    assert_eq!(from.tell("marlbeck/tower/in/level", "2.31", 1).await, ok);
    assert_eq!(from.tell("marlbeck/tower/in/door", "true", 2).await, ok);
    assert_eq!(from.tell("marlbeck/tower/in", "temp=8.5", 1).await, ok);
    let senml = json!([{"n": "level", "u": "1", "v": 7}]).to_string();
    assert_eq!(
        from.tell_as("marlbeck/tower/in", senml.replace("\"u\":\"1\",", ""), "application/senml+json").await,
        ok
    );
    assert_eq!(from.tell("plant/temp", "9.5", 1).await, ok);
    assert_eq!(from.tell("radio/a1b2/temp/1777636800", "21.5", 1).await, ok);
    assert_eq!(from.tell("logs/all", r#"{"level": 8}"#, 1).await, ok);
    assert_eq!(from.tell("marlbeck/shed-1/in/temp", "22.5", 1).await, ok);
    let values = async |device: &str, signal: &str| -> Vec<Value> {
        service.readings(device, signal).await.into_iter().map(|(_, value)| value).collect()
    };
    assert_eq!(values("tower", "level").await, [json!(2.31), json!(7.0), json!(8.0)]);
    assert_eq!(values("tower", "temp").await, [json!(8.5), json!(9.5)]);
    assert_eq!(values("tower", "door").await, [json!(true)]);
    let carried = service.readings("shed-1", "temp").await;
    assert_eq!(carried[0], ("2026-05-01T12:00:00Z".to_owned(), json!(21.5)));
    assert_eq!(carried.len(), 2);
    let wrong = json!({"topics": ["+/#"]});
    let answer = service.api(reqwest::Method::PATCH, "sites/marlbeck/devices/tower", Some(wrong)).await;
    assert_eq!((answer.status.as_u16(), answer.problem().as_str()), (422, "invalid"));
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn what_is_refused_is_said_with_its_reason_and_stands_in_the_contact_log() {
    let service = Service::start().await;
    let key = service.device("tower", &["level"]).await;
    service.device("larder", &["temp"]).await;
    let mut to = reader(&service, 5).await;
    to.subscribe("#", 1).await;
    let mut from = Dial::new(5, "tower", &key).connect(&service).await;
    for (topic, payload, code, word) in [
        ("marlbeck/tower/in", "{\"level\": true}", 0x99, "wrong-type"),
        ("marlbeck/tower/in", "{", 0x99, "malformed-json"),
        ("marlbeck/larder/in", "{\"temp\": 3}", 0x87, "not-carried"),
        ("marlbeck/tower/now/level", "3", 0x87, "not-granted"),
        ("marlbeck/lamp", "calm", 0x87, "not-granted"),
        ("marlbeck/tower/do/heater", "on", 0x87, "not-granted"),
    ] {
        let (reason, text) = from.tell(topic, payload, 1).await;
        assert_eq!(reason, code, "{topic} {payload}: {text}");
        assert!(text.starts_with(word), "{topic}: {text}");
    }
    to.next().await; // the lamp of the site stands there
    let mut old = Dial::new(4, "tower", &key).connect(&service).await;
    assert_eq!(old.tell("marlbeck/tower/in", "{", 1).await.0, 0, "3.1.1 cannot be told");
    let log = service.get("sites/marlbeck/devices/tower/contacts").await.ok();
    let found = |code: &str| {
        let lines = log["items"].as_array().unwrap();
        lines.iter().any(|line| line["refused"][0]["code"] == code && line["topic"] == "marlbeck/tower/in")
    };
    assert!(found("wrong-type") && found("malformed-json"), "{log}");
    assert_eq!(service.readings("tower", "level").await, []);
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn messages_elsewhere_are_passed_on_and_wait_as_arrivals() {
    let service = Service::start().await;
    let key = service.device("tower", &["level"]).await;
    let mut to = reader(&service, 4).await;
    to.subscribe("house/#", 1).await;
    let mut from = Dial::new(5, "tower", &key).connect(&service).await;
    for (topic, payload) in
        [("house/attic/temp", "17.5"), ("house/door", "words that say nothing"), ("house/raw", "\u{1}")]
    {
        assert_eq!(from.tell(topic, payload, 1).await.0, 0);
        assert_eq!(to.came().await.payload, payload);
    }
    let arrivals = service.get("sites/marlbeck/arrivals").await.ok();
    let names: Vec<&str> = arrivals["items"].as_array().unwrap().iter().map(|a| a["name"].as_str().unwrap()).collect();
    assert_eq!(names, ["house.attic.temp"], "{arrivals}");
    from.publish_retained("house/note", "stays", 1, true).await;
    from.taken().await;
    to.came().await;
    let mut late = reader(&service, 5).await;
    late.subscribe("house/note", 0).await;
    let came = late.came().await;
    assert_eq!((came.payload.as_str(), came.retain), ("stays", true));
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn last_values_and_lamps_stand_on_their_topics() {
    let service = Service::start().await;
    let key = service.device("tower", &["level", "door:flag"]).await;
    let change = json!({"unit": "m"});
    service.api(reqwest::Method::PATCH, "sites/marlbeck/devices/tower/signals/level", Some(change)).await.ok();
    service.deliver(&key, r#"{"level": 2.5, "door": true, "new": 1, "at": "2026-05-01T12:00:00Z"}"#).await.ok_text();
    let mut to = reader(&service, 5).await;
    to.subscribe("marlbeck/+/now/+", 1).await;
    let mut came = [to.came().await, to.came().await];
    came.sort_by(|a, b| a.topic.cmp(&b.topic));
    assert!(came.iter().all(|came| came.retain));
    let level: Value = serde_json::from_str(&came[1].payload).unwrap();
    assert_eq!(level, json!({"value": 2.5, "unit": "m", "at": "2026-05-01T12:00:00Z"}));
    to.quiet().await; // what nobody has declared is not shown
    to.subscribe("marlbeck/tower/now/+/value", 1).await;
    let mut bare = [to.came().await.payload, to.came().await.payload];
    bare.sort();
    assert_eq!(bare, ["2.5", "true"]);
    service.deliver(&key, r#"{"level": 2.75}"#).await.ok_text();
    let mut both = [to.came().await, to.came().await];
    both.sort_by(|a, b| a.topic.cmp(&b.topic));
    assert!(both[0].payload.contains("2.75") && both[1].payload == "2.75" && !both[1].retain);
    service.deliver(&key, r#"{"level": 1, "at": "2026-04-01T12:00:00Z"}"#).await.ok_text();
    to.quiet().await; // an old reading is not the last value

    let mut display = reader(&service, 4).await;
    display.subscribe("+/lamp", 0).await;
    assert_eq!(display.came().await.payload, "calm");
    display.subscribe("marlbeck/tower/lamp", 0).await;
    assert_eq!(display.came().await.payload, "calm");
}

trait OkText {
    fn ok_text(&self);
}

impl OkText for lantern_e2e::Answer {
    fn ok_text(&self) {
        assert!(self.status.is_success(), "{}", self.text);
    }
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_small_display_reads_the_lamp_over_http_and_mqtt() {
    let service = Service::start().await;
    let device = json!({"code": "tower", "name": "Tower", "interval_s": 1, "state": "live",
        "signals": [{"code": "level", "unit": "m"}]});
    service.post("sites/marlbeck/devices", device).await.ok();
    let key =
        service.post("sites/marlbeck/devices/tower/keys", json!({})).await.ok()["key"].as_str().unwrap().to_owned();
    let read = site_key(&service, "marlbeck", &["read"]).await;
    let lamp = async |path: &str| {
        let request =
            service.request(reqwest::Method::GET, &format!("/api/v1/sites/marlbeck/{path}")).bearer_auth(&read);
        service.send(request).await.text
    };
    assert_eq!(lamp("lamp").await, "look\n", "never heard");
    let mut display = Dial::new(4, "board-1", &read).connect(&service).await;
    display.subscribe("marlbeck/lamp", 0).await;
    assert_eq!(display.came().await.payload, "look");
    service.deliver(&key, r#"{"level": 2.34}"#).await.ok_text();
    let mut seen = vec!["look".to_owned()];
    while seen.last().is_none_or(|last| last != "alarm") {
        seen.push(display.came().await.payload);
        seen.dedup();
    }
    assert_eq!(seen, ["look", "calm", "look", "alarm"], "fresh, late, silent");
    assert_eq!(lamp("devices/tower/lamp").await, "alarm\n");
    assert_eq!(lamp("lamp?width=20").await, "alarm  1 silent\n");
    assert!(lamp("devices/tower/lamp?width=16").await.starts_with("alarm  2.34 m"));
    assert_eq!(lamp("devices/tower/lamp?width=4").await, "alar\n");
    assert!(lamp("lamp?width=0").await.contains("invalid"));
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn keys_open_their_own_site_and_nothing_more() {
    let service = Service::start().await;
    service.post("sites", json!({"name": "Other", "code": "other", "zone": "UTC"})).await.ok();
    let key = service.device("tower", &["level"]).await;
    let theirs = site_key(&service, "other", &["read"]).await;
    let read = site_key(&service, "marlbeck", &["read"]).await;
    let mut spy = Dial::new(5, "spy", &theirs).connect(&service).await;
    assert!(spy.subscribe("#", 1).await, "all of its own site");
    let lamp = spy.came().await;
    assert_eq!(lamp.topic, "other/lamp");
    let mut from = Dial::new(5, "spy", &key).connect(&service).await;
    assert_eq!(from.tell("marlbeck/tower/in/level", "1", 1).await.0, 0);
    assert!(!from.subscribe("#", 1).await, "a key for sending reads nothing of others");
    assert!(!from.subscribe("marlbeck/larder/do/#", 1).await);
    assert!(from.subscribe("marlbeck/tower/do/#", 1).await);
    let mut only = Dial::new(5, "only", &read).connect(&service).await;
    assert_eq!(only.tell("house/x", "1", 1).await.0, 0x87, "a key for reading sends nothing");
    spy.quiet().await;

    for (dial, word) in [
        (Dial::new(4, "x", "wrong"), "BadUserNamePassword"),
        (Dial::new(5, "x", "wrong"), "BadUserNamePassword"),
        (Dial { user: "larder".into(), ..Dial::new(5, "x", &key) }, "BadUserNamePassword"),
    ] {
        let mut refused = dial.dial(&service);
        let Event::Ended(why) = refused.next().await else { panic!("admitted") };
        assert!(why.contains(word), "{why}");
    }
    let unknown = service.get("contacts/unknown").await.ok();
    assert_eq!(unknown["items"][0]["refused"][0]["code"], "unknown-key");

    let keys = service.get("sites/marlbeck/devices/tower/keys").await.ok();
    let path = format!("sites/marlbeck/devices/tower/keys/{}", keys["items"][0]["id"]);
    service.api(reqwest::Method::DELETE, &path, None).await.ok();
    assert!(from.ended().await.contains("NotAuthorized"), "its connection ends with the key");
    let mut gone = Dial::new(4, "tower", &key).dial(&service);
    assert!(matches!(gone.next().await, Event::Ended(why) if why.contains("NotAuthorized")));
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn presence_knows_of_connections_and_wills() {
    let service = Service::start().await;
    let key = service.device("tower", &["level", "online:flag"]).await;
    let mut to = reader(&service, 5).await;
    to.subscribe("marlbeck/tower/in/online", 1).await;
    let will = Some(("marlbeck/tower/in/online".to_owned(), "false".to_owned()));
    let from = Dial { will, user: "tower".into(), ..Dial::new(5, "tower", &key) }.connect(&service).await;
    let connection = async || service.get("sites/marlbeck/devices/tower").await.ok()["connection"].clone();
    let up = connection().await;
    assert_eq!((&up["is_up"], &up["protocol"]), (&json!(true), &json!("MQTT")));
    from.break_off();
    assert_eq!(to.came().await.payload, "false");
    eventually("the end of the connection", || async { (connection().await["is_up"] == false).then_some(()) }).await;
    assert_eq!(connection().await["ended"], "the connection broke");
    assert_eq!(service.readings("tower", "online").await[0].1, json!(false), "a will is a message like any other");
    let log = service.get("sites/marlbeck/devices/tower/contacts").await.ok();
    let words = log.to_string();
    assert!(
        words.contains("Connected with MQTT 5.0 as client `tower`") && words.contains("the connection broke"),
        "{log}"
    );
    let from = Dial::new(4, "tower", &key).connect(&service).await;
    from.goodbye().await;
    eventually("goodbye", || async { (connection().await["ended"] == "it said goodbye").then_some(()) }).await;
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn mqtt_is_spoken_over_websocket_on_the_http_port() {
    use futures::{SinkExt, StreamExt};
    use tokio_tungstenite::tungstenite::{Message, client::IntoClientRequest};
    let service = Service::start().await;
    let key = service.device("tower", &["level"]).await;
    let address = service.url.replace("http://", "ws://") + "/mqtt";
    let mut request = address.as_str().into_client_request().unwrap();
    request.headers_mut().insert("Sec-WebSocket-Protocol", "mqtt".parse().unwrap());
    let (mut socket, response) = tokio_tungstenite::connect_async(request).await.unwrap();
    assert_eq!(response.headers()["sec-websocket-protocol"], "mqtt");
    let mut connect =
        vec![0x10, 17 + key.len() as u8, 0, 4, b'M', b'Q', b'T', b'T', 4, 0xC2, 0, 60, 0, 1, b'w', 0, 0, 0];
    connect.push(key.len() as u8);
    connect.extend(key.as_bytes());
    let topic = "marlbeck/tower/in/level";
    let mut publish = vec![0x32, (2 + topic.len() + 2 + 4) as u8, 0, topic.len() as u8];
    publish.extend(topic.as_bytes());
    publish.extend([0, 7]);
    publish.extend(b"2.31");
    // Packets need not keep to frames.
    let bytes = [connect, publish].concat();
    for part in bytes.chunks(11) {
        socket.send(Message::Binary(part.to_vec().into())).await.unwrap();
    }
    let mut answer = Vec::new();
    while answer.len() < 8 {
        answer.extend(socket.next().await.unwrap().unwrap().into_data());
    }
    assert_eq!(answer, [0x20, 2, 0, 0, 0x40, 2, 0, 7]);
    assert_eq!(service.readings("tower", "level").await[0].1, json!(2.31));
    let device = service.get("sites/marlbeck/devices/tower").await.ok();
    assert_eq!(device["connection"]["protocol"], "MQTT over WebSocket");
    assert_eq!(service.send(service.request(reqwest::Method::GET, "/mqtt")).await.status.as_u16(), 426);
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_text_frame_ends_a_websocket() {
    use futures::{SinkExt, StreamExt};
    use tokio_tungstenite::tungstenite::{Message, client::IntoClientRequest};
    let service = Service::start().await;
    let mut request = (service.url.replace("http://", "ws://") + "/mqtt").into_client_request().unwrap();
    request.headers_mut().insert("Sec-WebSocket-Protocol", "mqtt".parse().unwrap());
    let (mut socket, _) = tokio_tungstenite::connect_async(request).await.unwrap();
    socket.send(Message::Text("hello".into())).await.unwrap();
    let end = tokio::time::timeout(lantern_e2e::PATIENCE, async {
        while let Some(Ok(frame)) = socket.next().await {
            assert!(!frame.is_binary(), "nothing is answered");
        }
    });
    end.await.expect("the connection ends");
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn follow_shows_values_over_mqtt_with_nothing_but_a_key() {
    use std::io::{BufRead, BufReader};
    let service = Service::start().await;
    let key = service.device("tower", &["level", "temp"]).await;
    let read = site_key(&service, "marlbeck", &["read"]).await;
    service.deliver(&key, r#"{"level": 1.5, "temp": 3}"#).await.ok_text();
    let mut follow = std::process::Command::new(binary("lantern"))
        .args(["-o", "json", "follow", "tower/level", "--key", &read, "--mqtt"])
        .arg(format!("mqtt://localhost:{}", service.mqtt))
        .stdout(std::process::Stdio::piped())
        .spawn()
        .unwrap();
    let mut lines = BufReader::new(follow.stdout.take().unwrap()).lines();
    let mut next = || serde_json::from_str::<Value>(&lines.next().unwrap().unwrap()).unwrap();
    assert_eq!(next()["value"], 1.5);
    service.deliver(&key, r#"{"temp": 4, "level": 2.5}"#).await.ok_text();
    let line = next();
    assert_eq!((&line["signal"], &line["value"]), (&json!("level"), &json!(2.5)));
    follow.kill().unwrap();
    follow.wait().unwrap();
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_sender_over_its_allowance_is_slowed_and_loses_nothing() {
    let service = Service::start_with(&[("requests_at_once", "5"), ("requests_per_s", "5")]).await;
    let key = service.device("tower", &["level"]).await;
    let mut from = Dial::new(4, "tower", &key).connect(&service).await;
    for number in 0..12 {
        from.publish("marlbeck/tower/in/level", number.to_string(), 1).await;
    }
    for _ in 0..12 {
        assert_eq!(from.taken().await.0, 0);
    }
    assert_eq!(service.readings("tower", "level").await.len(), 12);
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn what_is_no_delivery_counts_too() {
    let service = Service::start_with(&[("requests_at_once", "4"), ("requests_per_s", "0.01")]).await;
    let key = service.device("tower", &["level"]).await;
    let mut tower = Dial::new(5, "tower", &key).connect(&service).await;
    assert!(tower.subscribe("marlbeck/tower/do/#", 1).await);
    assert!(tower.subscribe("marlbeck/tower/in/#", 1).await);
    for _ in 0..2 {
        tower.publish("signals/of/ours", "", 1).await;
        assert_eq!(tower.taken().await.0, 0);
    }
    assert!(!tower.subscribe("marlbeck/tower/in/#", 1).await, "it has used its allowance up");
    tower.publish("signals/of/ours", "", 1).await;
    assert_ne!(tower.taken().await.0, 0);
}
