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

    let device = async |code: &str| call(&url, &format!("sites/marlbeck/devices/{code}"), &token).await;
    assert_eq!(device("shed-5").await["state"], "trial");
    assert_eq!((&device("shed-5").await["revision"], &device("tunnel").await["state"]), (&json!(1), &json!("live")));
    let steps = call(&url, "sites/marlbeck/devices/shed-5/commissioning", &token).await["steps"].clone();
    let state = |code: &str| steps.as_array().unwrap().iter().find(|s| s["code"] == code).unwrap()["state"].clone();
    assert_eq!(
        (state("plausible"), state("signals"), state("coverage")),
        (json!("passed"), json!("open"), json!("open"))
    );
    let wave = "sites/marlbeck/devices/viaduct/signals/accel/readings?limit=2&from=1000000000";
    let samples = call(&url, wave, &token).await["items"].clone();
    let at = |i: usize| samples[i]["at"].as_str().unwrap().parse::<jiff::Timestamp>().unwrap();
    assert_eq!((at(1) - at(0)).total(jiff::Unit::Millisecond).unwrap(), 4.0, "250 samples a second");
    eventually("a device nobody has declared", || async {
        let waiting = call(&url, "sites/marlbeck/waiting", &token).await;
        (waiting["items"][0]["identity"] == "bay-07").then_some(())
    })
    .await;

    stories(&url, &token).await;

    // All senders are heard live: by JSON, by form, by a plain GET, by lines of text.
    for device in ["tower", "larder", "tunnel", "shed-5"] {
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

/// Each story of the fourteen days is there to be seen.
async fn stories(url: &str, token: &str) {
    let of = |device: &str| format!("sites/marlbeck/devices/{device}");
    let from = jiff::Timestamp::now().as_second() - 15 * 86_400;
    let ask = async |path: String| call(url, &path, token).await;

    // A bay of the shed loses messages, and the lamp room says so; a battery runs down.
    let shed = ask(format!("{}/now", of("shed-3"))).await;
    assert_eq!(shed["attention"][0]["concern"], "losses", "{shed}");
    let battery = format!("{}/signals/supply/summary?by=day&from={from}", of("box-1"));
    let days = ask(battery).await["buckets"].clone();
    let days: Vec<f64> = days.as_array().unwrap().iter().map(|day| day["mean"].as_f64().unwrap()).collect();
    assert!(days.len() >= 13 && days[0] - days[days.len() - 1] > 0.4, "{days:?}");

    // The tunnel was without supply for a night.
    let gaps = ask(format!("{}/signals/co/gaps?from=1000000000", of("tunnel"))).await;
    let longest = gaps["items"].as_array().unwrap().iter().map(|gap| gap["length_s"].as_f64().unwrap());
    assert!(longest.fold(0.0, f64::max) > 6.0 * 3_600.0, "{gaps}");

    // Positions in the mouth of the tunnel that cannot be are put aside; the crew once tried its button.
    let since = "from=1000000000&limit=5000";
    let all = ask(format!("{}/signals/pos/readings?{since}&all=true", of("sorrel"))).await;
    let put_aside = all["items"].as_array().unwrap().iter().filter(|one| one["cause"] == "position").count();
    assert!(put_aside > 0, "no position was put aside");
    let crew = format!("{}/signals/crew/summary?by=day&from={from}", of("sorrel"));
    let pressed = ask(crew).await["buckets"].as_array().unwrap().iter().filter(|day| day["max"] == 1.0).count();
    assert_eq!(pressed, 1, "the day on which it was tried");

    // Loose probes make the strain count for nothing, and the display tells the next train.
    let loose = format!("{}/signals/bonded/summary?by=day&from={from}", of("viaduct"));
    let loose = ask(loose).await["buckets"].as_array().unwrap().iter().any(|day| day["min"] == 0.0);
    assert!(loose, "the probes were always bonded");
    eventually("the next train on the display", || async {
        let board = ask(format!("{}/now", of("board-1"))).await;
        let shown = board["signals"][0]["last"]["value"].as_str()?.to_owned();
        (shown.starts_with("next train ") && shown.contains("line ")).then_some(())
    })
    .await;
    // What was sent of the past says nothing of a sender's clock.
    eventually("clocks that are believed", || async {
        let now = ask("sites/marlbeck/now?limit=500".to_owned()).await;
        let said =
            now["items"].as_array()?.iter().flat_map(|device| device["attention"].as_array().into_iter().flatten());
        (!said.into_iter().any(|one| one["concern"] == "wrong-clock")).then_some(())
    })
    .await;
}
