//! Positions: sent in every dialect, screened, worked with, exported, joined of two numbers.

use lantern_e2e::{Client, Service, eventually};
use reqwest::Method;
use serde_json::{Value, json};

const BASE: i64 = 1_777_636_800;
const SPAN: &str = "from=2026-05-01T00:00:00Z&to=2026-05-02T00:00:00Z";
const OF_SORREL: &str = "sites/marlbeck/devices/sorrel";

/// A locomotive that sends positions; gives back its key.
async fn sorrel(service: &Service) -> String {
    let key = service.device("sorrel", &["speed"]).await;
    let declared = json!({"code": "pos", "name": "Position", "type": "position"});
    let answer = service.post(&format!("{OF_SORREL}/signals"), declared).await;
    assert_eq!(answer.status, 201, "{}", answer.text);
    key
}

async fn readings(service: &Service, signal: &str) -> Vec<Value> {
    let page = service.get(&format!("{OF_SORREL}/signals/{signal}/readings?{SPAN}&all=true&limit=5000")).await.ok();
    page["items"].as_array().unwrap().clone()
}

async fn causes(service: &Service, signal: &str) -> Vec<String> {
    let cause = |reading: &Value| reading["cause"].as_str().unwrap_or_default().to_owned();
    readings(service, signal).await.iter().map(cause).collect()
}

async fn mean(service: &Service, signal: &str, meaning: Value) {
    let path = format!("{OF_SORREL}/signals/{signal}/meaning");
    service.api(Method::PUT, &path, Some(json!({"meaning": meaning}))).await.ok();
}

#[tokio::test]
async fn a_position_is_kept_to_the_last_digit_and_given_back_as_one() {
    let service = Service::start().await;
    let key = sorrel(&service).await;
    let bodies = [
        r#""pos": {"lat": 54.500000123456786, "lon": -2.3000000000000016, "alt": 190.5}"#,
        r#""pos": [54.5001, -2.3]"#,
        r#""pos": {"type": "Point", "coordinates": [-2.3, 54.5002]}"#,
        r#""pos": "geo:54.5003,-2.3,191;u=4.5""#,
    ];
    for (second, body) in (0..).zip(bodies) {
        let answer = service.deliver(&key, format!("{{\"at\": {}, {body}}}", BASE + second)).await;
        assert_eq!(answer.text, "ok 1\n", "{body}");
    }
    let expected = [
        json!({"latitude": 54.500_000_123_456_786, "longitude": -2.300_000_000_000_001_6, "altitude_m": 190.5}),
        json!({"latitude": 54.5001, "longitude": -2.3}),
        json!({"latitude": 54.5002, "longitude": -2.3}),
        json!({"latitude": 54.5003, "longitude": -2.3, "altitude_m": 191.0, "accuracy_m": 4.5}),
    ];
    let seen = |found: Vec<Value>| found.into_iter().map(|reading| reading["value"].clone()).collect::<Vec<_>>();
    assert_eq!(seen(readings(&service, "pos").await), expected);

    let csv = service.get(&format!("sites/marlbeck/export?signals=sorrel/pos&format=csv&{SPAN}")).await.text;
    let lines: Vec<&str> = csv.lines().collect();
    assert!(lines[0].ends_with(
        ",sorrel/pos.latitude (deg),sorrel/pos.longitude (deg),sorrel/pos.altitude (m),sorrel/pos.accuracy (m)"
    ));
    assert!(lines[1].ends_with(",54.500000123456786,-2.3000000000000016,190.5,"), "{csv}");
    assert!(lines[4].ends_with(",54.5003,-2.3,191,4.5"), "{csv}");

    // What is exported as SenML comes in again as the same positions.
    let pack = service.get(&format!("sites/marlbeck/export?signals=sorrel/pos&format=senml&{SPAN}")).await.text;
    let wiped = format!("{OF_SORREL}/signals/pos/readings?{SPAN}");
    service.api(Method::DELETE, &wiped, None).await.ok();
    let answer = service.deliver(&key, pack).await;
    assert_eq!(answer.text, "ok 4\n");
    assert_eq!(seen(readings(&service, "pos").await), expected);
}

#[tokio::test]
async fn positions_are_screened_and_formulas_tell_how_they_move() {
    let service = Service::start().await;
    let key = sorrel(&service).await;
    let derived = |code: &str, unit: &str, formula: &str| json!({"code": code, "name": code, "unit": unit, "meaning": {"formula": formula}});
    for signal in [
        derived("ground-speed", "km/h", "speed(pos)"),
        derived("heading", "deg", "course(pos)"),
        derived("away", "m", "distance(pos, 54.5 \"deg\", -2.3 \"deg\")"),
    ] {
        assert_eq!(service.post(&format!("{OF_SORREL}/signals"), signal).await.status, 201);
    }
    mean(&service, "pos", json!({"screen": {"position": {"fastest_m_per_s": 30.0}}})).await;
    let track = [(54.5, -2.3), (54.5002, -2.3), (0.0, 0.0), (54.5004, -2.9), (54.5006, -2.3)];
    for (second, (lat, lon)) in (0..).zip(track) {
        let body = json!({"at": BASE + second * 2, "pos": {"lat": lat, "lon": lon}});
        service.deliver(&key, body.to_string()).await;
    }
    let expected = ["", "", "position", "position", ""];
    assert_eq!(causes(&service, "pos").await, expected);
    let reconverted =
        service.post(&format!("{OF_SORREL}/signals/pos/reconversions"), json!({"from": "2026-05-01T00:00:00Z"})).await;
    let job = format!("sites/marlbeck/jobs/{}", reconverted.json()["id"]);
    eventually("the past to be made anew", || async {
        (service.get(&job).await.ok()["state"] == "done").then_some(())
    })
    .await;
    assert_eq!(causes(&service, "pos").await, expected, "again");

    // One ten-thousandth of a degree north is 11.12 m. Glitches count for nothing.
    for (signal, expected) in
        [("ground-speed", &[40.03, 26.69][..]), ("heading", &[0.0, 0.0]), ("away", &[0.0, 22.24, 66.72])]
    {
        eventually(&format!("{signal} to be {expected:?}"), || async {
            let found: Vec<f64> = readings(&service, signal).await.iter().filter_map(|r| r["value"].as_f64()).collect();
            let is_near = found.iter().zip(expected).all(|(a, b)| (a - b).abs() < 0.01);
            (found.len() == expected.len() && is_near).then_some(())
        })
        .await;
    }
    let now = service.get(&format!("{OF_SORREL}/now")).await.ok();
    let pos = now["signals"].as_array().unwrap().iter().find(|signal| signal["signal"] == "pos").unwrap();
    assert_eq!((&pos["type"], &pos["decimals"]), (&json!("position"), &json!(4)), "{pos}");
}

#[tokio::test]
async fn two_numbers_become_a_position_with_their_past() {
    let service = Service::start().await;
    let client = Client::logged_in(&service);
    let key = service.device("sorrel", &["lat", "lon"]).await;
    let send = async |second: i64, lat: f64, lon: f64| {
        let body = json!({"at": BASE + second, "lat": lat, "lon": lon, "alt": 190.0});
        service.deliver(&key, body.to_string()).await.text
    };
    for second in 0..500 {
        assert_eq!(send(second, 54.5 + second as f64 / 1e5, -2.3).await.trim_end().split(' ').next(), Some("ok"));
    }
    let (status, told) = client.fails(&["signal", "join", "sorrel/pos", "--latitude", "lat", "--longitude", "lat"]);
    assert!(status == 1 && told.contains("another part already"), "{told}");
    let said =
        client.ok(&["signal", "join", "sorrel/pos", "--latitude", "lat", "--longitude", "lon", "--altitude", "alt"]);
    assert!(said.contains("500 positions") && said.contains("are removed"), "{said}");
    let found = readings(&service, "pos").await;
    assert_eq!(found.len(), 500);
    assert_eq!(found[0]["value"], json!({"latitude": 54.5, "longitude": -2.3, "altitude_m": 190.0}));

    // The board goes on as before, and what it sends is the position.
    assert_eq!(send(500, 54.6, -2.4).await, "ok 1\n");
    assert_eq!(readings(&service, "pos").await.len(), 501);
    let signals = client.json(&["signal", "list", "sorrel"]);
    assert_eq!(signals.as_array().unwrap().len(), 1, "{signals}");
    let half = service.deliver(&key, json!({"at": BASE + 501, "lat": 54.6}).to_string()).await;
    assert_eq!(half.status, 422);
    assert!(half.text.contains("half-position"), "{}", half.text);
}

#[tokio::test]
async fn numbers_without_their_other_half_stay_where_they_are() {
    let service = Service::start().await;
    let client = Client::logged_in(&service);
    let key = service.device("sorrel", &["n", "e"]).await;
    for body in
        [json!({"at": BASE, "n": 54.5, "e": -2.3}), json!({"at": BASE + 1, "n": 54.6}), json!({"at": BASE + 2, "e": 1})]
    {
        service.deliver(&key, body.to_string()).await;
    }
    let said = client.ok(&["signal", "join", "sorrel/pos", "--latitude", "n", "--longitude", "e"]);
    assert!(said.contains("1 positions") && said.contains("2 readings have no other half"), "{said}");
    assert_eq!(readings(&service, "n").await.len(), 2);
    assert_eq!(service.deliver(&key, json!({"n": 54.5, "e": -2.3}).to_string()).await.text, "ok 1\n");
    assert_eq!(readings(&service, "n").await.len(), 2, "they are the position's from now on");

    // A signal that another is made of cannot go.
    let key = service.device("tender", &["lat", "lon", "double"]).await;
    let path = "sites/marlbeck/devices/tender/signals/double/meaning";
    service.api(Method::PUT, path, Some(json!({"meaning": {"formula": "lat * 2"}}))).await.ok();
    service.deliver(&key, json!({"at": BASE, "lat": 1, "lon": 2}).to_string()).await;
    let (_, told) = client.fails(&["signal", "join", "tender/pos", "--latitude", "lat", "--longitude", "lon"]);
    assert!(told.contains("needed") || told.contains("worked out"), "{told}");
}

#[tokio::test]
async fn an_undeclared_position_arrives_as_one_and_is_claimed_as_one() {
    let service = Service::start().await;
    let client = Client::logged_in(&service);
    let key = service.device("sorrel", &["speed"]).await;
    let answer = service.deliver(&key, json!({"at": BASE, "gps": {"lat": 54.5, "lng": -2.3}}).to_string()).await;
    assert!(answer.text.contains("waiting 1"), "{}", answer.text);
    let waiting = client.json(&["arrivals"]);
    assert_eq!(
        (&waiting["names"][0]["name"], &waiting["names"][0]["type"]),
        (&json!("gps"), &json!("position")),
        "{waiting}"
    );
    client.ok(&["claim", "sorrel/gps", "--type", "position"]);
    assert_eq!(readings(&service, "gps").await[0]["value"], json!({"latitude": 54.5, "longitude": -2.3}));
}
