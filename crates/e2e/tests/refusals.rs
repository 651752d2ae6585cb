use futures::StreamExt;
use futures::stream::FuturesUnordered;
use lantern_e2e::{Service, eventually};
use reqwest::Method;
use serde_json::json;
use std::collections::BTreeMap;
use std::io::{Read, Write};
use std::net::TcpStream;
use std::path::Path;

/// Codes and statuses of the tables in the documentation.
fn documented() -> BTreeMap<String, u16> {
    let path = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs/reference/refusals.md");
    let text = std::fs::read_to_string(path).unwrap();
    let row = |line: &str| {
        let mut cells = line.split('|').skip(1).map(str::trim);
        let code = cells.next()?.strip_prefix('`')?.strip_suffix('`')?.to_owned();
        Some((code, cells.next()?.parse().ok()?))
    };
    text.lines().filter_map(row).collect()
}

/// What has happened, by code; the same code has always the same status.
#[derive(Default)]
struct Happened(BTreeMap<String, u16>);

impl Happened {
    fn note(&mut self, answer: &lantern_e2e::Answer, expected: &str) {
        let code = answer.problem();
        assert_eq!(code, expected, "{}", answer.text);
        assert!(answer.json()["remedy"].as_str().unwrap().ends_with('.'), "{}", answer.text);
        assert_eq!(*self.0.entry(code).or_insert(answer.status.as_u16()), answer.status.as_u16());
    }
}

/// A pack of bytes with a content type.
async fn send(service: &Service, key: &str, kind: &str, body: impl Into<reqwest::Body>) -> lantern_e2e::Answer {
    let request = service.request(Method::POST, "/in").bearer_auth(key).header("Content-Type", kind);
    service.send(request.body(body)).await
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn every_refusal_of_the_table_happens_and_no_other() {
    let service = Service::start().await;
    let mut happened = Happened::default();
    let slow = slow_body(&service).await;
    keys(&service, &mut happened).await;
    payloads(&service, &mut happened).await;
    values(&service, &mut happened).await;
    undeclared(&service, &mut happened).await;
    allowance(&mut happened).await;
    storage(&mut happened).await;
    damaged(&mut happened).await;
    let (full, key) = crate::storage::small().await;
    happened.note(&crate::storage::fill(&full, &key).await, "disk-full");
    let status = tokio::task::spawn_blocking(move || slow.join().unwrap()).await.unwrap();
    happened.0.insert("slow-body".to_owned(), status);
    assert_eq!(happened.0, documented());
}

/// A body that never comes to its end; the answer takes half a minute.
async fn slow_body(service: &Service) -> std::thread::JoinHandle<u16> {
    let key = service.device("slow", &["temp"]).await;
    let address = service.url.trim_start_matches("http://").to_owned();
    std::thread::spawn(move || {
        let mut stream = TcpStream::connect(address).unwrap();
        write!(
            stream,
            "POST /in/{key} HTTP/1.1\r\nHost: x\r\nContent-Length: 100\r\n\r\n{{\"temp\": 21.4, \"hum\": 55.1"
        )
        .unwrap();
        let mut answer = [0; 4096];
        let length = stream.read(&mut answer).unwrap();
        let answer = String::from_utf8_lossy(&answer[..length]).into_owned();
        assert!(answer.contains("slow-body"), "{answer}");
        answer.split(' ').nth(1).unwrap().parse().unwrap()
    })
}

async fn keys(service: &Service, happened: &mut Happened) {
    let path = "sites/marlbeck/devices/keyed/keys";
    let revoked = service.device("keyed", &["temp"]).await;
    let reader = service.post(path, json!({"grants": ["read"]})).await.ok()["key"].as_str().unwrap().to_owned();
    // A key that ends almost at once.
    let issued = service.post(path, json!({})).await.ok();
    service.post(&format!("{path}/{}/replace", issued["id"]), json!({"overlap_s": 0})).await.ok();
    let expired = issued["key"].as_str().unwrap();
    let first = service.get(path).await.ok()["items"].as_array().unwrap().last().unwrap()["id"].clone();
    service.api(Method::DELETE, &format!("{path}/{first}"), None).await.ok();

    let none = service.send(service.request(Method::POST, "/in").body("{}")).await;
    happened.note(&none, "no-key");
    for (key, code) in
        [("0123456789", "unknown-key"), (&revoked, "revoked-key"), (expired, "expired-key"), (&reader, "not-granted")]
    {
        happened.note(&service.deliver(key, r#"{"temp": 1}"#).await, code);
    }
    assert_eq!(service.readings("keyed", "temp").await, []);
}

async fn payloads(service: &Service, happened: &mut Happened) {
    let key = service.device("tower", &["temp"]).await;
    let deep = format!("{}1{}", "{\"a\":".repeat(9), "}".repeat(9));
    let many = format!("[{}]", vec![r#"{"temp":1}"#; 10_001].join(","));
    for (kind, body, code) in [
        ("application/json", b"{\"temp\": nan}".to_vec(), "malformed-json"),
        ("application/json", b"[1]".to_vec(), "not-an-object"),
        ("application/json", b"{}".to_vec(), "no-values"),
        ("application/json", deep.into_bytes(), "too-deep"),
        ("application/json", many.into_bytes(), "too-many-readings"),
        ("application/json", vec![b' '; 1_100_000], "body-too-large"),
        ("application/cbor", vec![0xa1, 0x61], "malformed-cbor"),
        ("application/senml+json", br#"[{"n": "a b", "v": 1}]"#.to_vec(), "bad-senml"),
        ("text/csv", b"1,2\n3,4".to_vec(), "no-header"),
        ("text/csv", b"temp,hum\n1\n".to_vec(), "bad-row"),
        ("text/plain", b"hello".to_vec(), "unknown-payload"),
    ] {
        happened.note(&send(service, &key, kind, body).await, code);
    }
    for (encoding, code) in [("br", "unknown-encoding"), ("gzip", "bad-packing")] {
        let request = service.request(Method::POST, "/in").bearer_auth(&key).header("Content-Encoding", encoding);
        happened.note(&service.send(request.body("{}")).await, code);
    }
    let decoder = json!({"decoder": {"form": "list", "fields": ["temp", "hum"]}});
    service.api(Method::PATCH, "sites/marlbeck/devices/tower", Some(decoder)).await.ok();
    happened.note(&send(service, &key, "text/plain", "1;2;3").await, "does-not-fit");
    assert_eq!(service.readings("tower", "temp").await, []);
}

async fn values(service: &Service, happened: &mut Happened) {
    let key = service.device("larder", &["temp", "mode:text"]).await;
    let unit = json!({"unit": "Cel"});
    service.api(Method::PATCH, "sites/marlbeck/devices/larder/signals/temp", Some(unit)).await.ok();
    let long = format!("{{\"mode\": \"{}\"}}", "x".repeat(1025));
    for (body, code) in [
        (r#"{"bad name": 1}"#, "bad-name"),
        (r#"{"temp": true}"#, "wrong-type"),
        (r#"{"temp": 1e999}"#, "number-too-large"),
        (&long, "text-too-long"),
        (r#"[{"n": "temp", "u": "hPa", "v": 70}]"#, "unit-mismatch"),
        (r#"{"temp": [1, 2]}"#, "no-interval"),
        (r#"{"temp": 1, "at": "noon"}"#, "bad-time"),
        (r#"{"temp": 1, "at": "2199-01-01T00:00:00Z"}"#, "time-in-future"),
        (r#"{"temp": 1, "at": 600}"#, "time-too-old"),
    ] {
        happened.note(&service.deliver(&key, body).await, code);
    }
    let boat = service.device("boat", &["n", "e"]).await;
    service.deliver(&boat, r#"{"n": 54.5, "e": -2.25}"#).await;
    let join = json!({"into": "pos", "latitude": "n", "longitude": "e"});
    service.post("sites/marlbeck/devices/boat/position", join).await.ok();
    happened.note(&service.deliver(&boat, r#"{"n": 54.5}"#).await, "half-position");
    assert_eq!(service.readings("larder", "temp").await, []);
}

/// A decoder that cannot be read any more is said to the sender and to the owner; what comes
/// is not taken for something else meanwhile.
async fn damaged(happened: &mut Happened) {
    let mut service = Service::start().await;
    let key = service.device("tower", &["temp"]).await;
    service.kill();
    let file = format!("sqlite://{}", service.data().join("key-lantern.sqlite").display());
    let pool = sqlx::SqlitePool::connect(&file).await.unwrap();
    sqlx::query("UPDATE device SET decoder = '{\"form\":1,\"docu' WHERE code = 'tower'").execute(&pool).await.unwrap();
    pool.close().await;
    service.start_again();
    happened.note(&service.deliver(&key, r#"{"temp": 1}"#).await, "decoder-damaged");
    assert_eq!(service.readings("tower", "temp").await, []);
    let told = service.get("sites/marlbeck/devices/tower").await.ok();
    assert!(told["damaged"].to_string().contains("decoder"), "{told}");
}

async fn undeclared(service: &Service, happened: &mut Happened) {
    let key = service.device("gateway", &["temp"]).await;
    let names: Vec<String> = (0..200).map(|i| format!("\"n{i}\": {i}")).collect();
    service.deliver(&key, format!("{{{}}}", names.join(","))).await;
    happened.note(&service.deliver(&key, r#"{"one-more": 1}"#).await, "too-many-arrivals");

    let decoder = json!({"decoder": {"form": "list", "fields": ["@device", "temp"]}});
    service.api(Method::PATCH, "sites/marlbeck/devices/gateway", Some(decoder)).await.ok();
    happened.note(&send(service, &key, "text/plain", "larder,1").await, "not-carried");
    assert_eq!(service.readings("larder", "temp").await, [], "no device speaks for another");
    let lines: Vec<String> = (0..100).map(|i| format!("new-{i},1")).collect();
    let answer = send(service, &key, "text/plain", lines.join("\n")).await;
    assert_eq!(answer.text, "ok 100 waiting 100\n");
    happened.note(&send(service, &key, "text/plain", "one-more,1").await, "too-many-devices");
    let key = service.device("derived", &["a", "b"]).await;
    let formula = json!({"meaning": {"formula": "a * 2"}});
    service.api(Method::PUT, "sites/marlbeck/devices/derived/signals/b/meaning", Some(formula)).await.ok();
    happened.note(&service.deliver(&key, r#"{"b": 1}"#).await, "derived");
}

async fn allowance(happened: &mut Happened) {
    let service = Service::start_with(&[("readings_at_once", "10"), ("readings_per_s", "0.5")]).await;
    let key = service.device("tower", &["temp"]).await;
    let of = |count: i64| {
        let one = |i: i64| format!(r#"{{"temp": {i}, "at": {}}}"#, 1_777_636_800 + i);
        format!("[{}]", (0..count).map(one).collect::<Vec<_>>().join(","))
    };
    assert_eq!(service.deliver(&key, of(8)).await.text, "ok 8\n");
    let refused = service.deliver(&key, of(9)).await;
    happened.note(&refused, "allowance-exceeded");
    let wait: u64 = refused.headers["Retry-After"].to_str().unwrap().parse().unwrap();
    assert!((1..=14).contains(&wait), "{wait}");
    assert_eq!(refused.json()["left"], 2);
    assert_eq!(service.readings("tower", "temp").await.len(), 8, "refused whole, never cut");
    assert_eq!(service.deliver(&key, of(2)).await.text, "ok 2 repeated 2\n", "what fits still goes through");
    // More than the key may ever send at once is another matter: waiting does not help.
    let never = service.deliver(&key, of(11)).await;
    assert_eq!((never.status.as_u16(), never.problem().as_str()), (413, "allowance-exceeded"));
    assert!(!never.headers.contains_key("Retry-After"));
    let service = Service::start_with(&[("requests_at_once", "2"), ("requests_per_s", "0.01")]).await;
    let key = service.device("tower", &["temp"]).await;
    let get = async |path: String| service.send(service.request(Method::GET, &path)).await;
    assert_eq!(get(format!("/do/{key}")).await.status.as_u16(), 200);
    assert_eq!(get(format!("/done/7/{key}")).await.status.as_u16(), 404);
    for path in [format!("/do/{key}"), format!("/done/7/{key}")] {
        happened.note(&get(path).await, "allowance-exceeded");
    }
}

/// Someone else holds the database: the queue fills up, and in the end the
/// writer gives up. Nothing that was refused is there afterwards.
async fn storage(happened: &mut Happened) {
    let service = Service::start().await;
    let key = service.device("tower", &["temp"]).await;
    let file = format!("sqlite://{}", service.data().join("key-lantern.sqlite").display());
    let pool = sqlx::SqlitePool::connect(&file).await.unwrap();
    let lock = pool.begin_with("BEGIN IMMEDIATE").await.unwrap();
    let body = |number: i64| {
        let one = |i: i64| format!(r#"{{"temp": 1, "at": {}}}"#, 1_777_636_800 + 10_000 * number + i);
        format!("[{}]", (0..10_000).map(one).collect::<Vec<_>>().join(","))
    };
    let mut sent: FuturesUnordered<_> = (0..25).map(|number| service.deliver(&key, body(number))).collect();
    let (mut lock, mut kept, mut codes) = (Some(lock), 0, Vec::new());
    while let Some(answer) = sent.next().await {
        if answer.status.is_success() {
            kept += 10_000;
            continue;
        }
        let code = answer.problem();
        assert!(answer.headers.contains_key("Retry-After"), "{}", answer.text);
        if code == "storage-failed"
            && let Some(lock) = lock.take()
        {
            lock.rollback().await.unwrap();
        }
        happened.note(&answer, &code);
        codes.push(code);
    }
    for code in ["busy", "storage-failed"] {
        assert!(codes.iter().any(|c| c == code), "{codes:?}");
    }
    pool.close().await;
    eventually("the service to write again", || async {
        service.deliver(&key, r#"{"temp": 1, "at": 1777000000}"#).await.status.is_success().then_some(())
    })
    .await;
    assert_eq!(service.readings("tower", "temp").await.len(), kept + 1, "what was refused was not kept");
}
