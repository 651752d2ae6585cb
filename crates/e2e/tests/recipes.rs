use lantern_e2e::{Client, Service};
use serde_json::{Value, json};
use std::io::{Read, Write};
use std::net::TcpStream;
use std::path::Path;
use std::process::{Command, Output};

/// Runs a recipe as its hint says, and gives back what it prints.
fn run(code: &str, file: &Path, text: &[u8], url: &str) -> String {
    std::fs::write(file, text).unwrap();
    let printed = |output: Output| {
        assert!(output.status.success(), "{code}: {}", String::from_utf8_lossy(&output.stderr));
        String::from_utf8(output.stdout).unwrap()
    };
    match code {
        "shell" | "form" | "senml" => printed(Command::new("sh").arg(file).output().unwrap()),
        "python" => printed(Command::new("python3").arg(file).output().unwrap()),
        "javascript" => printed(Command::new("node").arg(file).output().unwrap()),
        "get" => {
            let text = String::from_utf8_lossy(text);
            printed(Command::new("curl").arg("-s").arg(text.lines().last().unwrap()).output().unwrap())
        }
        "c" => {
            let program = file.with_extension("out");
            let strict = ["-std=c99", "-Wall", "-Wextra", "-Werror", "-o"];
            printed(Command::new("cc").args(strict).arg(&program).arg(file).output().unwrap());
            printed(Command::new(program).output().unwrap())
        }
        "http" => {
            let mut stream = TcpStream::connect(url.trim_start_matches("http://")).unwrap();
            stream.write_all(&Command::new("sh").arg(file).output().unwrap().stdout).unwrap();
            let mut answer = String::new();
            stream.read_to_string(&mut answer).unwrap();
            answer
        }
        other => panic!("nobody runs {other}"),
    }
}

/// Sets a client as the settings say, and publishes the first example.
async fn publish(settings: &str) -> String {
    let value = |name: &str| {
        let line = settings.lines().find(|line| line.split('=').next().unwrap().trim() == name).unwrap();
        line.split_once('=').unwrap().1.trim().to_owned()
    };
    let mut options = rumqttc::MqttOptions::new(value("client id"), value("host"), value("port").parse().unwrap());
    options.set_credentials(value("user name"), value("password"));
    let address = format!("mqtt://{}:{}@{}:{}", value("user name"), value("password"), value("host"), value("port"));
    assert_eq!(value("address"), address);
    let (client, mut events) = rumqttc::AsyncClient::new(options, 10);
    client.publish(value("topic"), rumqttc::QoS::AtLeastOnce, false, value("such as")).await.unwrap();
    loop {
        if let rumqttc::Event::Incoming(rumqttc::Packet::PubAck(_)) = events.poll().await.unwrap() {
            return "ok 6".to_owned();
        }
    }
}

/// Each recipe is run as it stands, with nothing but the key put in.
#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn every_recipe_really_sends() {
    let service = Service::start().await;
    let client = Client::logged_in(&service);
    let dir = tempfile::tempdir().unwrap();
    let signals = json!([
        {"code": "temp", "unit": "Cel", "low": -20, "high": 50},
        {"code": "env.hum-2", "unit": "%{RH}"},
        {"code": "int", "unit": "m",
         "meaning": {"conversion": {"from": "kPa", "steps": [{"step": "scale", "factor": 2, "unit": "m"}]}}},
        {"code": "door", "type": "flag"},
        {"code": "mode", "type": "text"},
        {"code": "pos", "type": "position"},
        // What is worked out is in no recipe.
        {"code": "dew", "unit": "Cel", "meaning": {"formula": "dew_point(temp, {env.hum-2})"}},
    ]);
    let device = json!({"code": "tower", "name": "Water \"tower\" */ 'Halt'", "signals": signals});
    service.post("sites/marlbeck/devices", device).await.ok();
    let key = client.json(&["key", "issue", "tower"])["key"].as_str().unwrap().to_owned();
    let all = client.json(&["recipe", "tower"]);
    let codes: Vec<&str> = all["recipes"].as_array().unwrap().iter().map(|r| r["code"].as_str().unwrap()).collect();
    assert_eq!(codes, ["shell", "python", "javascript", "c", "http", "get", "form", "senml", "mqtt"]);
    for (count, code) in codes.into_iter().enumerate() {
        let output = client.run(&["recipe", "tower", code, "--key", &key]);
        assert!(output.status.success());
        let file = all["recipes"][count]["file"].as_str().unwrap();
        let printed = match code {
            "mqtt" => publish(&String::from_utf8(output.stdout.clone()).unwrap()).await,
            _ => run(code, &dir.path().join(file), &output.stdout, &service.url),
        };
        assert!(printed.contains("ok 6"), "{code} printed {printed}\n{}", String::from_utf8_lossy(&output.stdout));
        for signal in ["temp", "env.hum-2", "int", "door", "mode", "pos"] {
            let readings = service.readings("tower", signal).await;
            assert_eq!(readings.len(), count + 1, "{code} {signal}");
            let expected: Value = match signal {
                "temp" => json!(15.0),
                // It is sent in the unit that is converted, again and again as it was.
                "int" => json!(43.0),
                "door" => json!(true),
                "mode" => json!("ok"),
                "pos" => json!({"latitude": 54.5, "longitude": -2.25}),
                _ => json!(21.5),
            };
            assert_eq!(readings[count].1, expected, "{code} {signal}");
        }
    }
    let arrivals = service.get("sites/marlbeck/arrivals").await.ok();
    assert_eq!(arrivals["items"], json!([]), "names are the device's own");
}
