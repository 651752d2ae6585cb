//! Watches and alarms, by the command line, over HTTP and MQTT, and through a crash.

use lantern_e2e::{Client, Dial, Service, eventually};
use serde_json::json;

/// A device that is relied upon, and its key.
async fn fridge(service: &Service) -> String {
    let device = json!({"code": "fridge", "name": "Fridge", "interval_s": 600, "state": "live",
        "signals": [{"code": "temp", "type": "number"}]});
    service.post("sites/marlbeck/devices", device).await.ok();
    let key = service.post("sites/marlbeck/devices/fridge/keys", json!({})).await.ok();
    key["key"].as_str().unwrap().to_owned()
}

async fn take(service: &Service, key: &str, body: impl Into<String>) {
    let answer = service.deliver(key, body).await;
    assert_eq!(answer.status.as_u16(), 200, "{}", answer.text);
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn an_alarm_is_raised_told_answered_and_outlives_a_crash() {
    let mut service = Service::start().await;
    let key = fridge(&service).await;
    let client = Client::logged_in(&service);
    take(&service, &key, r#"{"temp": 4}"#).await;
    let made =
        client.ok(&["watch", "add", "Fridge is warm", "--on", "fridge/temp", "--above", "8", "--severity", "high"]);
    assert_eq!(made.trim(), "watch fridge-is-warm made: it is on 1 place");
    let lamp = async |service: &Service| service.get("sites/marlbeck/lamp").await.text.trim().to_owned();
    assert_eq!(lamp(&service).await, "calm");
    let mut display = Dial::new(5, "fridge", &key).connect(&service).await;
    assert!(display.subscribe("marlbeck/fridge/lamp", 0).await);
    assert_eq!(display.came().await.payload, "calm");
    take(&service, &key, r#"{"temp": 9.5}"#).await;
    let listed = eventually("the alarm", || async {
        let listed = client.ok(&["alarms"]);
        listed.contains("unacknowledged").then_some(listed)
    })
    .await;
    assert!(listed.contains("Fridge is warm") && listed.contains("fridge/temp") && listed.contains("9.5"), "{listed}");
    eventually("the lamp", || async { (lamp(&service).await == "alarm").then_some(()) }).await;
    assert_eq!(display.came().await.payload, "alarm", "a display is told by MQTT");
    let line = service.get("sites/marlbeck/devices/fridge/lamp?width=40").await.text;
    assert!(line.starts_with("alarm  Fridge is warm"), "{line}");
    let now = client.ok(&["now"]);
    assert!(now.contains("1 in alarm") || now.contains("Fridge is warm"), "{now}");
    // It is killed, and starts again: the alarm is there once.
    service.kill_and_restart();
    let alarms = client.json(&["alarms"]);
    assert_eq!(alarms.as_array().unwrap().len(), 1, "{alarms}");
    let number = alarms[0]["id"].to_string();
    let told = client.ok(&["acknowledge", &number, "--note", "on my way"]);
    assert!(told.contains("Fridge is warm at fridge/temp acknowledged"), "{told}");
    assert!(client.fails(&["acknowledge", &number]).1.contains("already"));
    eventually("the lamp", || async { (lamp(&service).await == "look").then_some(()) }).await;
    let shown = client.ok(&["alarms", &number]);
    assert!(shown.contains("on my way") && shown.contains("acknowledged"), "{shown}");
    take(&service, &key, r#"{"temp": 5}"#).await;
    eventually("it to be over", || async { client.ok(&["alarms"]).contains("No alarm").then_some(()) }).await;
    let history = client.json(&["alarms", "--all"]);
    assert_eq!((history.as_array().unwrap().len(), &history[0]["state"]), (1, &json!("cleared")));
    assert_eq!(lamp(&service).await, "calm");
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn what_came_while_the_service_was_killed_is_judged_at_the_start() {
    let mut service = Service::start().await;
    let key = fridge(&service).await;
    let client = Client::logged_in(&service);
    client.ok(&["watch", "add", "Fridge is warm", "--on", "fridge/temp", "--above", "8"]);
    for temp in [4, 9, 4, 9, 4] {
        take(&service, &key, json!({"temp": temp}).to_string()).await;
        // The readings are durable; whether they were judged nobody knows.
        service.kill_and_restart();
    }
    eventually("both alarms", || async {
        let all = client.json(&["alarms", "--all"]);
        let all = all.as_array().unwrap();
        (all.len() == 2 && all.iter().all(|alarm| alarm["cleared_at"].is_string())).then_some(())
    })
    .await;
    service.kill_and_restart();
    assert_eq!(client.json(&["alarms", "--all"]).as_array().unwrap().len(), 2, "none is there twice");
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn watches_are_tried_listed_and_removed() {
    let service = Service::start().await;
    let key = fridge(&service).await;
    let client = Client::logged_in(&service);
    for temp in [4.0, 9.5, 4.0] {
        take(&service, &key, json!({"temp": temp}).to_string()).await;
    }
    let tried = client.ok(&["watch", "try", "--on", "fridge/temp", "--above", "8", "--since", "1h"]);
    assert!(tried.starts_with("1 alarms from") && tried.contains("3 readings looked at"), "{tried}");
    assert!(client.ok(&["watch", "list"]).contains("No watches"), "nothing was kept");
    client.ok(&["watch", "add", "Silent", "--silent", "--code", "quiet", "--advice", "look at the plug"]);
    let shown = client.ok(&["watch", "show", "quiet"]);
    assert!(shown.contains("look at the plug") && shown.contains("silent"), "{shown}");
    let wrong = client.fails(&["watch", "add", "W", "--on", "fridge/temp", "--above", "8m"]).1;
    assert!(wrong.contains("when.unit"), "{wrong}");
    let nowhere = client.fails(&["watch", "add", "W", "--on", "oven/temp", "--above", "8"]).1;
    assert!(nowhere.contains("oven"), "{nowhere}");
    assert!(client.ok(&["watch", "remove", "quiet"]).contains("removed"));
    assert!(client.fails(&["watch", "show", "quiet"]).1.contains("no watch"));
}
