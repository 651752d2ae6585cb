use crate::mqtt::site_key;
use lantern_e2e::{Client, Dial, Mqtt, Service, eventually};
use reqwest::Method;
use serde_json::{Value, json};
use std::time::Duration;

fn declared() -> Value {
    json!({"commands": [
        {"name": "heater", "title": "Heater", "arguments": [{"name": "state", "type": "flag"}], "timeout_s": 2},
        {"name": "target", "arguments": [{"name": "temp", "unit": "°C", "low": 0, "high": 30}], "standing": true, "timeout_s": 2},
    ]})
}

/// A service with heated points that understand commands, and their key.
async fn points() -> (Service, String) {
    let service = Service::start().await;
    let key = service.device("points-7", &["rail"]).await;
    service.api(Method::PATCH, "sites/marlbeck/devices/points-7", Some(declared())).await.ok();
    (service, key)
}

const PATH: &str = "sites/marlbeck/devices/points-7/commands";

async fn give(service: &Service, name: &str, arguments: Value) -> i64 {
    let given = service.post(PATH, json!({"name": name, "arguments": arguments})).await.ok();
    assert_eq!(given["stage"], "waiting");
    given["id"].as_i64().unwrap()
}

async fn until(service: &Service, id: i64, stage: &str) -> Value {
    eventually(stage, || async {
        let command = service.get(&format!("{PATH}/{id}")).await.ok();
        (command["stage"] == stage).then_some(command)
    })
    .await
}

async fn device(service: &Service, key: &str) -> Mqtt {
    let mut mqtt = Dial { user: "points-7".into(), ..Dial::new(5, "points-7", key) }.connect(service).await;
    assert!(mqtt.subscribe("marlbeck/points-7/do/+", 1).await);
    mqtt
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_command_goes_out_over_mqtt_and_its_answer_comes_back() {
    let (service, key) = points().await;
    let mut points = device(&service, &key).await;
    let id = give(&service, "heater", json!({"state": true})).await;
    let came = points.came().await;
    assert_eq!(came.topic, "marlbeck/points-7/do/heater");
    assert_eq!(serde_json::from_str::<Value>(&came.payload).unwrap(), json!({"id": id, "state": true}));
    let delivered = until(&service, id, "delivered").await;
    assert!(delivered["delivered_at"].is_string() && delivered["given_by"] == "ann");
    points.tell("marlbeck/points-7/done/heater", json!({"id": id, "text": "warm in 3 min"}).to_string(), 1).await;
    let done = until(&service, id, "done").await;
    assert_eq!(done["answer"], "warm in 3 min");

    let id = give(&service, "heater", json!({"state": "off"})).await;
    points.came().await;
    points.tell("marlbeck/points-7/done/heater", "refused: frost", 1).await;
    assert_eq!(until(&service, id, "refused").await["answer"], "frost");

    let id = give(&service, "heater", json!({"state": true})).await;
    points.came().await;
    until(&service, id, "unanswered").await;
    let log = service.get(PATH).await.ok();
    let stages: Vec<&str> = log["items"].as_array().unwrap().iter().map(|c| c["stage"].as_str().unwrap()).collect();
    assert_eq!(stages, ["unanswered", "refused", "done"]);
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn what_does_not_fit_its_declaration_is_refused() {
    let (service, _) = points().await;
    for (body, status, word) in [
        (json!({"name": "fly"}), 404, "heater, target"),
        (json!({"name": "heater"}), 422, "`state` is missing"),
        (json!({"name": "heater", "arguments": {"state": "warm"}}), 422, "on or off"),
        (json!({"name": "target", "arguments": {"temp": 31}}), 422, "0 to 30 °C"),
        (json!({"name": "target", "arguments": {"temp": 20, "x": 1}}), 422, "`x` is no argument"),
    ] {
        let answer = service.post(PATH, body.clone()).await;
        assert_eq!(answer.status.as_u16(), status, "{body}");
        assert!(answer.json()["detail"].as_str().unwrap().contains(word), "{}", answer.text);
    }
    let wrong = json!({"commands": [{"name": "a", "arguments": [{"name": "id"}]}]});
    let answer = service.api(Method::PATCH, "sites/marlbeck/devices/points-7", Some(wrong)).await;
    assert_eq!(answer.status.as_u16(), 422);
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_command_waits_for_its_device_as_long_as_it_may() {
    let (service, key) = points().await;
    let soon = give(&service, "heater", json!({"state": true})).await;
    let first = give(&service, "target", json!({"temp": 5})).await;
    let last = give(&service, "target", json!({"temp": 7})).await;
    assert_eq!(until(&service, first, "replaced").await["answer"], Value::Null);
    until(&service, soon, "uncollected").await;
    // What stands outlives a restart of the service, and comes when the device does.
    let mut service = service;
    service.kill_and_restart();
    let mut points = device(&service, &key).await;
    let came = points.came().await;
    assert_eq!(serde_json::from_str::<Value>(&came.payload).unwrap(), json!({"id": last, "temp": 7.0}));
    points.tell("marlbeck/points-7/done/target", "", 1).await;
    until(&service, last, "done").await;
    let id = give(&service, "target", json!({"temp": 9})).await;
    points.came().await;
    until(&service, id, "delivered").await;
    service.api(Method::DELETE, &format!("{PATH}/{id}"), None).await.ok();
    until(&service, id, "withdrawn").await;
    let again = service.api(Method::DELETE, &format!("{PATH}/{id}"), None).await;
    assert_eq!((again.status.as_u16(), again.problem().as_str()), (409, "over"));
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_sender_without_mqtt_gets_commands_with_its_answer_or_by_asking() {
    let (service, key) = points().await;
    let id = give(&service, "heater", json!({"state": true})).await;
    let answer = service.deliver(&key, r#"{"rail": 3.5}"#).await;
    assert_eq!(answer.text, format!("ok 1\ndo {id} heater state=true\n"));
    assert_eq!(service.deliver(&key, r#"{"rail": 3.6}"#).await.text, "ok 1\n", "handed out once");
    let done = service.request(Method::POST, &format!("/done/{id}")).bearer_auth(&key).body("ok warm");
    assert_eq!(service.send(done).await.text, "ok\n");
    assert_eq!(until(&service, id, "done").await["answer"], "warm");

    let waiting = service.request(Method::GET, "/do?wait=30").bearer_auth(&key);
    let waiting = waiting.header("Accept", "application/json").timeout(Duration::from_secs(40)).send();
    let waiting = tokio::spawn(waiting);
    let id = give(&service, "heater", json!({"state": false})).await;
    let handed: Value = waiting.await.unwrap().unwrap().json().await.unwrap();
    assert_eq!(handed, json!([{"id": id, "name": "heater", "arguments": {"state": false}}]));
    let refused = service.request(Method::GET, &format!("/done/{id}/{key}?answer=refused+no+current"));
    assert_eq!(service.send(refused).await.text, "ok\n");
    assert_eq!(until(&service, id, "refused").await["answer"], "no current");
    let none = service.request(Method::POST, &format!("/done/{id}")).bearer_auth(&key).body("ok");
    assert_eq!(service.send(none).await.problem(), "not-found");
    assert_eq!(service.send(service.request(Method::GET, &format!("/do/{key}"))).await.text, "");
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn commands_are_given_by_key_by_topic_and_on_the_command_line() {
    let (service, key) = points().await;
    let mut points = device(&service, &key).await;
    let command = site_key(&service, "marlbeck", &["command"]).await;
    let give = |key: &str| {
        let body = json!({"name": "heater", "arguments": {"state": true}});
        service.request(Method::POST, &format!("/api/v1/{PATH}")).bearer_auth(key).json(&body)
    };
    assert_eq!(service.send(give(&key)).await.status.as_u16(), 403, "a key for sending commands nothing");
    assert_eq!(service.send(give(&command)).await.status.as_u16(), 201);
    points.came().await;
    let mut panel = Dial::new(4, "panel", &command).connect(&service).await;
    panel.tell("marlbeck/points-7/do/target", "21.5", 1).await;
    assert!(points.came().await.payload.contains("\"temp\":21.5"));
    let listed = service.get(PATH).await.ok();
    assert!(listed["items"][0]["given_by"].as_str().unwrap().starts_with("key of the site"), "{listed}");

    let client = Client::logged_in(&service);
    let answering = tokio::spawn(async move {
        points.came().await;
        points.tell("marlbeck/points-7/done/heater", "ok", 1).await;
        points.came().await;
        points.tell("marlbeck/points-7/done/heater", "no: frost", 1).await;
        points
    });
    let said = client.ok(&["command", "points-7", "heater", "on"]);
    assert!(said.contains("heater state=yes") && said.contains("done"), "{said}");
    let (code, said) = client.fails(&["command", "points-7", "heater", "off"]);
    assert_eq!(code, 1, "{said}");
    answering.await.unwrap();
    let overview = client.ok(&["command", "points-7"]);
    assert!(overview.contains("refused: frost") && overview.contains("temp (0 to 30)"), "{overview}");
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_kind_gives_its_commands_to_its_devices() {
    let service = Service::start().await;
    let mut kind = declared();
    kind["code"] = json!("points");
    kind["name"] = json!("Heated points");
    service.post("sites/marlbeck/kinds", kind).await.ok();
    let device = json!({"code": "points-7", "name": "Points 7", "kind": "points",
        "commands": [{"name": "throw"}]});
    service.post("sites/marlbeck/devices", device).await.ok();
    let names = async || -> Vec<String> {
        let device = service.get("sites/marlbeck/devices/points-7").await.ok();
        let commands = device["commands"].as_array().unwrap().clone();
        commands.iter().map(|command| command["name"].as_str().unwrap().to_owned()).collect()
    };
    assert_eq!(names().await, ["heater", "target", "throw"]);
    // What the kind says is not said again in the site's document.
    let document = service.get("sites/marlbeck/document").await.ok();
    assert_eq!(document["devices"][0]["commands"].as_array().unwrap().len(), 1, "{document}");
    let again = service.post("sites/marlbeck/document", document).await.ok();
    assert_eq!(again["differences"], json!([]));
    assert_eq!(names().await.len(), 3);
}
