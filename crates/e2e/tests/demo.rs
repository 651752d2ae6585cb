use lantern_e2e::{binary, eventually};
use serde_json::{Value, json};
use std::io::{BufRead, BufReader};
use std::process::{Command, Stdio};
use std::sync::mpsc::{Receiver, channel};

/// Starts the demo and reads what it prints up to the last line.
fn start(data: &std::path::Path) -> (std::process::Child, Receiver<String>, String, String) {
    let mut child = Command::new(binary("lantern-sim"))
        .args(["demo", "--port", "0", "--speed", "100", "--data"])
        .arg(data)
        .stdout(Stdio::piped())
        .spawn()
        .unwrap();
    let mut lines = BufReader::new(child.stdout.take().unwrap()).lines().map_while(Result::ok);
    let (mut url, mut password) = (String::new(), String::new());
    for line in lines.by_ref() {
        if let Some((_, rest)) = line.split_once("Railway is at ") {
            url = rest.split_whitespace().next().unwrap().to_owned();
        }
        if let Some(rest) = line.trim().strip_prefix("password ") {
            password = rest.trim().to_owned();
        }
        if line.starts_with("Ctrl-C") {
            break;
        }
    }
    let (sender, receiver) = channel();
    std::thread::spawn(move || lines.for_each(|line| drop(sender.send(line))));
    (child, receiver, url, password)
}

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
    let _tls = lantern_e2e::Service::bare();
    let dir = tempfile::tempdir().unwrap();
    let (mut child, _rest, url, password) = start(dir.path());
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
    Command::new("kill").args(["-INT", &child.id().to_string()]).status().unwrap();
    assert!(child.wait().unwrap().success());
    assert!(reqwest::get(format!("{url}/api/v1/health")).await.is_err(), "the service has stopped too");

    // Started again on the same data it goes on with the same person.
    let (mut child, _rest, url, again) = start(dir.path());
    assert_eq!(again, password);
    log_in(&url, &again).await;
    Command::new("kill").args(["-INT", &child.id().to_string()]).status().unwrap();
    assert!(child.wait().unwrap().success());
}
