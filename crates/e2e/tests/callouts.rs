//! Calling people, with real servers on the other side that behave and misbehave.

use super::console::{AXE, log_in, with_browser};
use lantern_e2e::{Client, Dial, Service, StandIns, eventually};
use reqwest::Method;
use serde_json::{Value, json};

const ROSTER: &str = "sites/marlbeck/rosters";

async fn start(stand_ins: &StandIns) -> Service {
    let settings = stand_ins.settings();
    let settings: Vec<(&str, &str)> = settings.iter().map(|(name, value)| (*name, value.as_str())).collect();
    Service::start_with(&settings).await
}

/// A fridge that is watched, with its key.
async fn fridge(service: &Service, severity: &str) -> String {
    let device = json!({"code": "fridge", "name": "Buffet fridge", "interval_s": 600, "state": "live",
        "place": "Behind the bar", "position": {"latitude": 54.5, "longitude": -2.3},
        "signals": [{"code": "temp", "name": "Temperature", "type": "number", "unit": "Cel"},
            {"code": "hum", "name": "Humidity", "type": "number", "unit": "%"}]});
    service.post("sites/marlbeck/devices", device).await.ok();
    let key = service.post("sites/marlbeck/devices/fridge/keys", json!({})).await.ok();
    let watch = json!({"code": "warm", "watch": {"name": "Fridge is warm", "on": {"device": "fridge", "signal": "temp"},
        "when": {"is": "above", "limit": 8, "unit": "Cel"}, "severity": severity, "advice": "Close the door"}});
    service.post("sites/marlbeck/watches", watch).await.ok();
    key["key"].as_str().unwrap().to_owned()
}

async fn roster(service: &Service, order: Value, also: Value) {
    let roster = json!({"name": "Duty", "least": "high", "order": order, "also": also, "pass_on_min": 60});
    service.post(ROSTER, json!({"roster": roster})).await.ok();
}

async fn take(service: &Service, key: &str, body: &str) {
    let answer = service.deliver(key, body).await;
    assert_eq!(answer.status.as_u16(), 200, "{}", answer.text);
}

async fn warm(service: &Service, key: &str) {
    take(service, key, r#"{"temp": 9.4, "hum": 61}"#).await;
}

async fn came(stand_ins: &StandIns, sort: &str, count: usize) -> Vec<Value> {
    eventually(sort, || async {
        let kept = stand_ins.kept(sort).await;
        (kept.len() >= count).then_some(kept)
    })
    .await
}

/// Callouts of the site, the oldest first, once none of them goes on.
async fn ended(service: &Service) -> Vec<Value> {
    eventually("all to be sent", || async {
        let mut all = service.get("sites/marlbeck/callouts").await.ok()["items"].as_array().unwrap().clone();
        all.reverse();
        let goes_on = |one: &Value| one["state"] == "sending" || one["state"] == "waiting";
        (!all.is_empty() && !all.iter().any(goes_on)).then_some(all)
    })
    .await
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_person_is_called_by_mail_and_text_and_acknowledges_by_the_address() {
    let stand_ins = StandIns::start();
    let service = start(&stand_ins).await;
    let key = fridge(&service, "high").await;
    let client = Client::logged_in(&service);
    let name = service.get("account").await.ok()["name"].as_str().unwrap().to_owned();
    let addresses = json!({"addresses": ["ann@railway.example", "+44 1632 960001"]});
    service.api(Method::PATCH, "account", Some(addresses)).await.ok();
    let made = client.ok(&["roster", "add", "Duty", "--call", &name, "--least", "high", "--pass-on", "1h"]);
    assert_eq!(made.trim(), format!("roster duty made; called now: {name}"));
    warm(&service, &key).await;
    let mail = came(&stand_ins, "mail", 1).await.remove(0);
    let text = came(&stand_ins, "text", 1).await.remove(0);
    assert_eq!((&mail["to"], &text["to"]), (&json!("ann@railway.example"), &json!("+441632960001")));
    let body = decoded(mail["body"].as_str().unwrap());
    for words in [
        "Subject: High: Fridge is warm",
        "From: \"Key Lantern\" <lantern@railway.example>",
        "Buffet fridge Temperature: 9.4 °C",
        "above 8 °C",
        "Where: Behind the bar geo:54.500000,-2.300000",
        "Humidity 61 %",
        "What to do: Close the door",
        "https://lantern.example/acknowledge#",
    ] {
        assert!(body.contains(words), "{words}: {body}");
    }
    let secret = body.split("acknowledge#").nth(1).unwrap().split_whitespace().next().unwrap();
    let anonymous = async |path: &str| {
        let request = service.request(Method::POST, &format!("/api/v1/{path}")).json(&json!({"secret": secret}));
        service.send(request).await
    };
    assert_eq!(anonymous("called-for").await.ok()["alarms"][0]["state"], "unacknowledged", "looking changes nothing");
    let known = anonymous("called-for/acknowledge").await.ok();
    assert_eq!(known["alarms"][0]["acknowledged_by"], json!(name));
    assert_eq!(anonymous("called-for/acknowledge").await.status.as_u16(), 404, "it works once");
    let listed = client.ok(&["callouts"]);
    assert!(listed.contains("mail") && listed.contains("text") && listed.contains("sent"), "{listed}");
    let number = service.get("sites/marlbeck/callouts").await.ok()["items"][1]["id"].to_string();
    let shown = client.ok(&["callouts", &number]);
    for words in ["> MAIL FROM:<lantern@railway.example>", "> RCPT TO:<ann@railway.example>", "< 250 taken"] {
        assert!(shown.contains(words), "{words}: {shown}");
    }
    assert!(!shown.contains("secret"), "no password: {shown}");
    take(&service, &key, r#"{"temp": 5}"#).await;
    let end = came(&stand_ins, "mail", 2).await.remove(1);
    assert!(decoded(end["body"].as_str().unwrap()).contains("Subject: Over: Fridge is warm"), "{end}");
}

/// The text of a mail, whatever it was written as.
fn decoded(mail: &str) -> String {
    let (head, body) = mail.split_once("\r\n\r\n").unwrap();
    let body = body.trim_end();
    if head.contains("base64") {
        let joined: String = body.split_whitespace().collect();
        let bytes = data_encoding::BASE64.decode(joined.as_bytes()).unwrap();
        return format!("{head}\n{}", String::from_utf8(bytes).unwrap());
    }
    if !head.contains("quoted-printable") {
        return mail.to_owned();
    }
    let body = body.replace("=\r\n", "");
    let mut bytes = Vec::new();
    let mut rest = body.as_bytes();
    while let [first, tail @ ..] = rest {
        if *first == b'=' && tail.len() >= 2 {
            let hex = std::str::from_utf8(&tail[..2]).unwrap();
            bytes.push(u8::from_str_radix(hex, 16).unwrap());
            rest = &tail[2..];
        } else {
            bytes.push(*first);
            rest = tail;
        }
    }
    format!("{head}\n{}", String::from_utf8(bytes).unwrap())
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn what_becomes_of_a_message_when_a_server_misbehaves() {
    let stand_ins = StandIns::start();
    let service = start(&stand_ins).await;
    let hook = format!("{}/hook", stand_ins.http);
    service.post(ROSTER, json!({"roster": {"name": "Duty", "order": ["ann@railway.example"]}})).await.ok();
    let test = async |to: &str| {
        let sent = service.post(&format!("{ROSTER}/duty/test"), json!({"to": to})).await.ok();
        let said = sent[0]["attempts"][0].clone();
        (said["outcome"].as_str().unwrap().to_owned(), said["said"].as_str().unwrap().to_owned())
    };
    let (mail, text) = ("ann@railway.example", "+441632960001");
    let cases = [
        ("well", mail, "sent", "< 250 taken"),
        ("busy", mail, "later", "come back later"),
        ("refuse", mail, "refused", "nobody of that name"),
        ("drop", mail, "uncertain", "the message,"),
        ("garbage", mail, "uncertain", "the message,"),
        ("well", text, "sent", "200"),
        ("busy", text, "later", "503"),
        ("refuse", text, "refused", "400"),
        ("drop", text, "uncertain", "could not be reached"),
        ("garbage", text, "uncertain", "may have been sent"),
        ("well", hook.as_str(), "sent", "200"),
        ("busy", hook.as_str(), "later", "503"),
        ("refuse", hook.as_str(), "refused", "not like that"),
        ("drop", hook.as_str(), "uncertain", "could not be reached"),
    ];
    for (manner, to, outcome, words) in cases {
        stand_ins.behave(json!({"mail": manner, "text": manner, "hook": manner})).await;
        let (came, said) = test(to).await;
        assert_eq!(came, outcome, "{manner} {to}: {said}");
        assert!(said.contains(words), "{manner} {to}: {said}");
    }
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn programs_are_told_by_signed_webhooks_and_topics() {
    let stand_ins = StandIns::start();
    let service = start(&stand_ins).await;
    let key = fridge(&service, "high").await;
    let client = Client::logged_in(&service);
    let hook = format!("{}/hook", stand_ins.http);
    roster(&service, json!([]), json!([hook, "topic:yard/bell"])).await;
    let reader = service.post("sites/marlbeck/devices/fridge/keys", json!({"grants": ["read"]})).await.ok();
    let mut bell = Dial::new(5, "bell", reader["key"].as_str().unwrap()).connect(&service).await;
    assert!(bell.subscribe("marlbeck/callout/#", 1).await);
    warm(&service, &key).await;
    let rung = bell.came().await;
    assert_eq!(rung.topic, "marlbeck/callout/yard/bell");
    let rung: Value = serde_json::from_str(&rung.payload).unwrap();
    assert_eq!((&rung["sort"], &rung["alarms"][0]["name"]), (&json!("call"), &json!("Fridge is warm")));
    assert!(rung["acknowledge"].is_null(), "who may listen may not acknowledge for that: {rung}");
    let told = came(&stand_ins, "hook", 1).await.remove(0);
    let header = |name: &str| told["headers"][name].as_str().unwrap_or_else(|| panic!("{name}: {told}")).to_owned();
    let body = told["body"].as_str().unwrap();
    assert_eq!(serde_json::from_str::<Value>(body).unwrap()["roster"], "duty");
    // A receiver checks the signature as RFC 9421 says.
    let signing_key = client.ok(&["roster", "key", "duty"]);
    let input = header("signature-input");
    let base = format!(
        "\"@method\": POST\n\"@target-uri\": {hook}\n\"content-digest\": {}\n\"callout-id\": {}\n\"@signature-params\": {}",
        header("content-digest"),
        header("callout-id"),
        input.strip_prefix("callout=").unwrap()
    );
    let mac_key = ring::hmac::Key::new(ring::hmac::HMAC_SHA256, signing_key.trim().as_bytes());
    let signature = header("signature");
    let signature = signature.strip_prefix("callout=:").and_then(|text| text.strip_suffix(':')).unwrap();
    let signature = data_encoding::BASE64.decode(signature.as_bytes()).unwrap();
    ring::hmac::verify(&mac_key, base.as_bytes(), &signature).unwrap();
    let digest = ring::digest::digest(&ring::digest::SHA256, body.as_bytes());
    assert_eq!(header("content-digest"), format!("sha-256=:{}:", data_encoding::BASE64.encode(digest.as_ref())));
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_service_that_is_killed_at_any_moment_calls_once() {
    let stand_ins = StandIns::start();
    let mut service = start(&stand_ins).await;
    let key = fridge(&service, "high").await;
    roster(&service, json!(["ann@railway.example"]), json!([])).await;
    // Between raising and calling.
    warm(&service, &key).await;
    eventually("the alarm", || async {
        (service.get("sites/marlbeck/alarms").await.ok()["items"].as_array().unwrap().len() == 1).then_some(())
    })
    .await;
    service.kill_and_restart();
    came(&stand_ins, "mail", 1).await;
    // Between sending and noting that it was sent.
    let all = ended(&service).await;
    assert_eq!((all.len(), &all[0]["state"]), (1, &json!("sent")));
    stand_ins.behave(json!({"mail": "hang"})).await;
    service
        .post(
            "sites/marlbeck/watches",
            json!({"code": "hot", "watch": {"name": "Hot",
        "on": {"device": "fridge", "signal": "temp"}, "when": {"is": "above", "limit": 20}, "severity": "high"}}),
        )
        .await
        .ok();
    take(&service, &key, r#"{"temp": 30}"#).await;
    came(&stand_ins, "mail", 2).await;
    service.kill_and_restart();
    let all = ended(&service).await;
    assert_eq!((all.len(), &all[1]["state"]), (2, &json!("uncertain")), "it says that it may have been sent");
    assert_eq!(stand_ins.kept("mail").await.len(), 2, "and does not send it again");
    assert!(!stand_ins.kept("alive").await.is_empty(), "there was a sign of life");
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn an_answer_by_text_message_acknowledges() {
    let stand_ins = StandIns::start();
    let service = start(&stand_ins).await;
    let key = fridge(&service, "urgent").await;
    roster(&service, json!(["+44 1632 960001"]), json!([])).await;
    warm(&service, &key).await;
    let text = came(&stand_ins, "text", 1).await.remove(0);
    let words: Value = serde_json::from_str(text["body"].as_str().unwrap()).unwrap();
    let words = words["text"].as_str().unwrap();
    let number = words.rsplit(' ').next().unwrap();
    assert!(words.starts_with("urgent: Fridge is warm") && words.ends_with(&format!("Reply OK {number}")), "{words}");
    let reply = async |key: &str| {
        let form = format!("from=%2B441632960001&text=ok+{number}");
        let request = service.request(Method::POST, &format!("/api/v1/text-replies/{key}")).body(form);
        service.send(request).await
    };
    assert_eq!(reply("another-key-of-16").await.status.as_u16(), 404);
    assert_eq!(reply("0123456789abcdef").await.ok()["acknowledged"].as_array().unwrap().len(), 1);
    let alarm = service.get("sites/marlbeck/alarms").await.ok()["items"][0].clone();
    assert_eq!((&alarm["state"], &alarm["acknowledged_by"]), (&json!("acknowledged"), &json!("+441632960001")));
}

/// A roster is made and tried in the browser; the pages are for everybody, by light and by night.
#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn people_are_called_from_the_console() {
    let stand_ins = StandIns::start();
    let service = start(&stand_ins).await;
    let key = fridge(&service, "high").await;
    let axe = std::fs::read_to_string(AXE).expect("axe-core is installed with the console's packages");
    with_browser(async |browser| {
        log_in(&browser, &service).await;
        let alarms = format!("{}/sites/marlbeck/alarms", service.url);
        browser.open(&format!("{alarms}/rosters")).await;
        browser.sees("Nobody is called yet").await;
        browser.press("Make a roster").await;
        browser.fill("Name", "Duty").await;
        browser.fill("Called one after the other", "ann@railway.example\n").await;
        assert_eq!(browser.axe(&axe).await, Vec::<String>::new());
        browser.press("Keep it").await;
        browser.sees("Called now: ann@railway.example.").await;
        browser.press("Duty").await;
        browser.fill("Send a message to", "ann@railway.example\n").await;
        browser.press("Send it").await;
        browser.sees("> RCPT TO:<ann@railway.example>").await;
        assert_eq!(browser.axe(&axe).await, Vec::<String>::new());
        warm(&service, &key).await;
        let mail = came(&stand_ins, "mail", 2).await.remove(1);
        let body = decoded(mail["body"].as_str().unwrap());
        let secret = body.split("acknowledge#").nth(1).unwrap().split_whitespace().next().unwrap().to_owned();
        browser.open(&format!("{alarms}/callouts")).await;
        browser.press("High: Fridge is warm").await;
        browser.sees("What to do: Close the door").await;
        assert_eq!(browser.axe(&axe).await, Vec::<String>::new());
        browser.resize(390, 800).await;
        browser.open(&format!("{}/acknowledge#{secret}", service.url)).await;
        browser.sees("ann@railway.example, you are called").await;
        assert_eq!(browser.axe(&axe).await, Vec::<String>::new());
        browser.press("I know, and act on it").await;
        browser.sees("Somebody knows").await;
        browser.open(&format!("{alarms}/figures")).await;
        browser.sees("Somebody acknowledged 1").await;
        assert_eq!(browser.axe(&axe).await, Vec::<String>::new());
    })
    .await;
}
