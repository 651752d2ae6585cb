use lantern_e2e::{Client, Dial, Service, eventually};
use reqwest::Method;
use serde_json::{Value, json};

/// A gateway that passes on lines of a radio, as `a1b2 17 21.4 -71 2.9`.
async fn gateway(service: &Service) -> String {
    let kind = json!({"code": "radio-sensor", "name": "Radio sensor", "interval_s": 60, "signals": [
        {"code": "temp", "unit": "Cel"},
        {"code": "count", "role": "sequence", "low": 0, "high": 255},
        {"code": "rssi", "unit": "dBm", "role": "link"},
        {"code": "supply", "unit": "V", "role": "battery"},
    ]});
    service.post("sites/marlbeck/kinds", kind).await.ok();
    let key = service.device("shed-gw", &[]).await;
    let decoder = json!({"decoder": {
        "form": "list", "separator": " ", "fields": ["@device", "count", "temp", "rssi", "supply"],
    }});
    service.api(Method::PATCH, "sites/marlbeck/devices/shed-gw", Some(decoder)).await.ok();
    key
}

fn line(device: &str, count: u64) -> String {
    format!("{device} {count} 21.4 -71 2.9")
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn what_a_gateway_carries_waits_or_joins_while_the_window_is_open() {
    let service = Service::start().await;
    let key = gateway(&service).await;
    let mut gw = Dial::new(5, "shed-gw", &key).connect(&service).await;
    gw.tell("marlbeck/shed-gw/in", line("a1b2", 1), 1).await;
    let waiting = service.get("sites/marlbeck/waiting").await.ok();
    assert_eq!(waiting["items"][0]["code"], "a1b2");
    let client = Client::logged_in(&service);
    let said = client.ok(&["join", "shed-gw", "--minutes", "5", "--kind", "radio-sensor"]);
    assert!(said.contains("admits"), "{said}");
    let (reason, text) = gw.tell("marlbeck/shed-gw/in", line("c3d4", 1), 1).await;
    assert_eq!((reason, text.as_str()), (0, ""));
    let joined = service.get("sites/marlbeck/devices/c3d4").await.ok();
    assert_eq!((&joined["state"], &joined["kind"]), (&json!("trial"), &json!("radio-sensor")));
    assert_eq!((&joined["carrier"], &joined["identity"]), (&json!("shed-gw"), &json!("c3d4")));
    assert_eq!(service.readings("c3d4", "temp").await[0].1, json!(21.4));
    client.ok(&["join", "shed-gw", "--close"]);
    gw.tell("marlbeck/shed-gw/in", line("e5f6", 1), 1).await;
    assert_eq!(service.get("sites/marlbeck/devices/e5f6").await.ok()["state"], "waiting");
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn losses_and_repeats_on_the_radio_are_counted() {
    let mut service = Service::start().await;
    let key = gateway(&service).await;
    service.post("sites/marlbeck/devices/shed-gw/joining", json!({"kind": "radio-sensor"})).await.ok();
    let mut gw = Dial::new(4, "shed-gw", &key).connect(&service).await;
    for count in [250, 251, 253, 253, 255, 0, 1, 120] {
        gw.tell("marlbeck/shed-gw/in", line("a1b2", count), 1).await;
    }
    let expected = json!({"received": 7, "lost": 120, "repeated": 1, "restarted": 0, "delivery_ratio": 7.0 / 127.0});
    let link = |page: &Value| page["items"][0].clone();
    let carried = link(&service.get("sites/marlbeck/devices/shed-gw/carried").await.ok());
    assert_eq!((&carried["device"], &carried["day"]), (&json!("a1b2"), &expected));
    assert_eq!((&carried["quality"]["value"], &carried["battery"]["value"]), (&json!(-71.0), &json!(2.9)));
    assert_eq!(carried["hours"].as_array().unwrap().len(), 1);
    let table = Client::logged_in(&service).ok(&["link", "shed-gw"]);
    assert!(table.contains("a1b2") && table.contains("5.5 %"), "{table}");
    // The counts are written, at the latest when the service stops.
    assert!(service.stop().success());
    service.start_again();
    let carried = link(&service.get("sites/marlbeck/devices/shed-gw/carried").await.ok());
    assert_eq!(carried["day"], expected);
    // What a restart of the service cannot know is not called lost.
    let mut gw = Dial::new(4, "shed-gw", &key).connect(&service).await;
    gw.tell("marlbeck/shed-gw/in", line("a1b2", 200), 1).await;
    eventually("the count", || async {
        let page = service.get("sites/marlbeck/devices/shed-gw/carried").await.ok();
        (page["items"][0]["day"]["received"] == 8 && page["items"][0]["day"]["lost"] == 120).then_some(())
    })
    .await;
}
