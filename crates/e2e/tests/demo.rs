use lantern_e2e::{Demo, Service, eventually};
use serde_json::{Value, json};

const OPTIONS: [&str; 4] = ["--port", "0", "--speed", "100"];

async fn call(url: &str, path: &str, token: &str) -> Value {
    let request = reqwest::Client::new().get(format!("{url}/api/v1/{path}")).bearer_auth(token);
    request.send().await.unwrap().json().await.unwrap()
}

async fn log_in(url: &str, password: &str) -> String {
    let body = json!({"name": "demo", "password": password, "token": true});
    let answer = reqwest::Client::new().post(format!("{url}/api/v1/log-in")).json(&body).send().await.unwrap();
    let session: Value = answer.json().await.unwrap();
    session["token"].as_str().unwrap().to_owned()
}

#[tokio::test]
async fn the_demo_has_a_past_goes_on_and_stops_with_all_it_started() {
    let _tls = Service::bare();
    let dir = tempfile::tempdir().unwrap();
    let mut demo = Demo::start(dir.path(), &OPTIONS);
    let (url, password) = (demo.url.clone(), demo.password.clone());
    let token = log_in(&url, &password).await;
    let summary = "sites/marlbeck/devices/tower/signals/level/summary?buckets=2000&from=1000000000";
    let past: u64 = call(&url, summary, &token).await["buckets"]
        .as_array()
        .unwrap()
        .iter()
        .map(|bucket| bucket["count"].as_u64().unwrap())
        .sum();
    assert!((13 * 2_880..=14 * 2_880 + 10).contains(&past), "{past} readings in fourteen days");
    assert_eq!(call(&url, "sites/marlbeck/arrivals", &token).await["items"][0]["name"], "supply");

    // Both senders are heard live, one by JSON, the other by form.
    for device in ["tower", "larder"] {
        let path = format!("sites/marlbeck/devices/{device}/now");
        let first = call(&url, &path, &token).await["signals"][0]["last"]["at"].clone();
        eventually("a live reading", || async {
            (call(&url, &path, &token).await["signals"][0]["last"]["at"] != first).then_some(())
        })
        .await;
    }
    assert!(demo.interrupt().success());
    assert!(reqwest::get(format!("{url}/api/v1/health")).await.is_err(), "the service has stopped too");

    // Started again on the same data it goes on with the same person.
    let mut demo = Demo::start(dir.path(), &OPTIONS);
    assert_eq!(demo.password, password);
    log_in(&demo.url, &password).await;
    assert!(demo.interrupt().success());
}
