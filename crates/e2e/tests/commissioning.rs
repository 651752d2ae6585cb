use lantern_e2e::{Client, Service, eventually};
use reqwest::Method;
use serde_json::{Value, json};
use std::io::{BufRead, BufReader};
use std::process::Stdio;

async fn states(service: &Service) -> Vec<(String, String)> {
    let judged = service.get("sites/marlbeck/devices/shed-5/commissioning").await.ok();
    let step = |step: &Value| (step["code"].as_str().unwrap().to_owned(), step["state"].as_str().unwrap().to_owned());
    judged["steps"].as_array().unwrap().iter().map(step).collect()
}

async fn passed(service: &Service) -> Vec<String> {
    states(service).await.into_iter().filter(|(_, state)| state == "passed").map(|(code, _)| code).collect()
}

#[tokio::test]
async fn the_checklist_ticks_by_itself_and_going_live_clears_the_trial() {
    let service = Service::start().await;
    let client = Client::logged_in(&service);
    let key = service.device("shed-5", &["temp", "hum"]).await;
    client.ok(&["device", "edit", "shed-5", "--every", "1"]);
    client.ok(&["signal", "edit", "shed-5/temp", "--low=-20", "--high", "50"]);
    assert_eq!(passed(&service).await, Vec::<String>::new());

    // A value that cannot be true shows, and so does one that was not sent.
    service.deliver(&key, r#"{"temp": 85}"#).await;
    let now = states(&service).await;
    assert!(now.contains(&("plausible".to_owned(), "failed".to_owned())), "{now:?}");
    assert!(now.contains(&("signals".to_owned(), "open".to_owned())), "{now:?}");

    // A dummy value proves the path.
    client.ok(&["commission", "shed-5", "--dummy", "hum=99.9"]);
    service.deliver(&key, r#"{"hum": 99.8}"#).await;
    let dummy = |judged: &Value| judged["dummies"][1]["passed_at"].clone();
    assert_eq!(dummy(&client.json(&["commission", "shed-5"])), Value::Null);
    service.deliver(&key, r#"{"hum": 99.9}"#).await;
    assert!(dummy(&client.json(&["commission", "shed-5"])).is_string());

    let early =
        service.post("sites/marlbeck/devices/shed-5/commissioning/live", json!({"trial_readings": "keep"})).await;
    assert_eq!((early.status.as_u16(), early.problem().as_str()), (409, "not-ready"));

    // A soak test of a few seconds, with a report each second: all steps pass.
    client.ok(&["commission", "shed-5", "--soak", "0.0015"]);
    eventually("the checklist to be done", || async {
        service.deliver(&key, r#"{"temp": 9.5, "hum": 60}"#).await;
        tokio::time::sleep(std::time::Duration::from_millis(900)).await;
        (passed(&service).await.len() == 7).then_some(())
    })
    .await;
    let report = client.ok(&["commission", "shed-5", "--report"]);
    for part in [
        "# Commissioning of shed-5",
        "Ready to go live",
        "| It keeps its interval | passed |",
        "## Soak test",
        "`hum` | 99.9",
    ] {
        assert!(report.contains(part), "{part}: {report}");
    }
    let trial = service.readings("shed-5", "temp").await.len();
    let path = "sites/marlbeck/devices/shed-5/signals/temp/readings?from=0";
    assert_eq!(service.get(path).await.ok()["items"][0]["trial"], true, "trial readings are marked");
    assert!(trial > 4);
    assert!(client.ok(&["commission", "shed-5", "--live", "clear"]).contains("cleared"));
    assert_eq!(service.readings("shed-5", "temp").await, []);
    service.deliver(&key, r#"{"temp": 9.5}"#).await;
    assert_eq!(service.get(path).await.ok()["items"][0].get("trial"), None);
    let kept = client.ok(&["commission", "shed-5", "--report"]);
    assert!(kept.contains("Live since") && kept.contains("by ann"), "{kept}");
    client.ok(&["commission", "shed-5", "--trial"]);
    client.ok(&["commission", "shed-5", "--live", "keep", "--anyway"]);
    assert_eq!(service.readings("shed-5", "temp").await.len(), 1);
}

#[tokio::test]
async fn every_attempt_is_in_the_contact_log_also_what_was_refused() {
    let service = Service::start().await;
    let client = Client::logged_in(&service);
    let key = service.device("tower", &["temp"]).await;
    client.ok(&["device", "edit", "tower", "--keep-payload", "true"]);

    let mut follow = client.command(&["contacts", "tower", "--follow"]).stdout(Stdio::piped()).spawn().unwrap();
    let (sender, lines) = std::sync::mpsc::channel();
    let out = BufReader::new(follow.stdout.take().unwrap());
    std::thread::spawn(move || out.lines().map_while(Result::ok).try_for_each(|line| sender.send(line)));
    service.deliver(&key, r#"{"temp": 21.4}"#).await;
    service.deliver(&key, r#"{"temp": true, "new": 1}"#).await;
    service.deliver(&key, "{\"temp\": nan}").await;
    let mut seen = String::new();
    while !seen.contains("Mend the JSON") {
        seen += &(lines.recv_timeout(std::time::Duration::from_secs(60)).expect("the log goes on") + "\n");
    }
    follow.kill().unwrap();
    follow.wait().unwrap();
    for part in [
        "kept",
        "partly",
        "wrong-type: `temp` is a number signal",
        "arrived: new",
        "REFUSED",
        "Mend the JSON",
        "| {\"temp\": 21.4}",
    ] {
        assert!(seen.contains(part), "{part}: {seen}");
    }

    // With unknown keys for the owner, without the key.
    service.deliver("wrong-secret-0123", r#"{"temp": 1}"#).await;
    let unknown = client.ok(&["contacts", "--unknown"]);
    assert!(unknown.contains("unknown-key") && !unknown.contains("wrong-secret"), "{unknown}");
    let items = service.get("sites/marlbeck/devices/tower/contacts").await.ok();
    assert!(!items.to_string().contains(&key));
    // Many alike within a second are one line with a count.
    for _ in 0..20 {
        service.deliver(&key, r#"{"temp": 1, "at": 1777636800}"#).await;
    }
    let items = service.get("sites/marlbeck/devices/tower/contacts").await.ok()["items"].as_array().unwrap().clone();
    let times: u64 = items.iter().filter(|c| c["outcome"] == "kept").map(|c| c["times"].as_u64().unwrap()).sum();
    assert_eq!(times, 21);
    assert!(items.len() < 15, "{} lines", items.len());
}

#[tokio::test]
async fn presence_follows_the_devices_own_patience_and_is_remembered() {
    let service = Service::start().await;
    let key = service.device("tower", &["temp"]).await;
    let patience = json!({"interval_s": 1, "late_after": 1.5, "silent_after": 2.5});
    service.api(Method::PATCH, "sites/marlbeck/devices/tower", Some(patience)).await.ok();
    service.deliver(&key, r#"{"temp": 1}"#).await;
    eventually("the device to fall silent", || async {
        (service.get("sites/marlbeck/devices/tower").await.ok()["presence"] == "silent").then_some(())
    })
    .await;
    let history = || async { service.get("sites/marlbeck/devices/tower/presence").await.ok()["items"].clone() };
    let words = |items: &Value| items.as_array().unwrap().iter().map(|c| c["presence"].clone()).collect::<Vec<_>>();
    let all = eventually("the changes to be noted", || async {
        let items = history().await;
        (words(&items).len() == 3).then_some(items)
    })
    .await;
    assert_eq!(words(&all), ["silent", "late", "fresh"]);
    let at = |i: usize| all[i]["at"].as_str().unwrap().parse::<jiff::Timestamp>().unwrap();
    assert_eq!(
        (at(0) - at(1)).total(jiff::Unit::Second).unwrap(),
        1.0,
        "noted as of when it was due, not as of when it was seen"
    );
    let wrong = json!({"late_after": 6, "silent_after": 5});
    assert_eq!(service.api(Method::PATCH, "sites/marlbeck/devices/tower", Some(wrong)).await.problem(), "invalid");
}
