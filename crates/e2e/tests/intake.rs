use flate2::{Compression, read::GzEncoder};
use lantern_e2e::Service;
use reqwest::Method;
use reqwest::header::{ACCEPT, CONTENT_TYPE};
use serde_json::json;
use std::io::{Read, Write};
use std::net::TcpStream;

#[tokio::test]
async fn the_usual_answer_is_a_few_bytes_and_json_on_request() {
    let service = Service::start().await;
    let key = service.device("tower", &["temp", "hum"]).await;
    let plain = service.deliver(&key, r#"{"temp": 21.4, "hum": 55}"#).await;
    assert_eq!((plain.status.as_u16(), plain.text.as_str()), (200, "ok 2\n"));

    let request = service.request(Method::POST, "/in").bearer_auth(&key).header(ACCEPT, "application/json");
    let answer = service.send(request.body(r#"{"temp": 21.4, "at": "2026-05-01T12:00:00Z"}"#)).await;
    assert_eq!(answer.json(), json!({"kept": 1, "repeated": 0, "corrected": 0}));
}

#[tokio::test]
async fn every_way_of_asking_leads_to_the_same_reading() {
    let service = Service::start().await;
    let key = service.device("tower", &["temp", "door:flag", "env.hum", "mode:text"]).await;
    let with_key = format!("/in/{key}");
    let requests = [
        service.request(Method::GET, &format!("{with_key}?temp=1&at=1777636801")),
        service.request(Method::POST, &format!("{with_key}?temp=2&at=1777636802")),
        service.request(Method::POST, &with_key).body(r#"{"temp": 3, "at": "2026-05-01T12:00:03Z"}"#),
        service.request(Method::POST, "/in").bearer_auth(&key).body(r#"[{"temp": 4, "at": 1777636804}]"#),
        service.request(Method::GET, "/in?temp=5&at=1777636805").bearer_auth(&key),
        service
            .request(Method::POST, "/in")
            .bearer_auth(&key)
            .header(CONTENT_TYPE, "application/x-www-form-urlencoded")
            .body("temp=6&at=1777636806"),
        service
            .request(Method::POST, "/in")
            .bearer_auth(&key)
            .header(CONTENT_TYPE, "text/csv")
            .body("at,temp\n2026-05-01T12:00:08Z,8\n"),
        service
            .request(Method::POST, "/in")
            .bearer_auth(&key)
            .header("Content-Encoding", "gzip")
            .body(gzip(r#"{"temp": 9, "at": 1777636809}"#)),
        // What a command line posts without saying what it is calls itself a form.
        service
            .request(Method::POST, "/in")
            .bearer_auth(&key)
            .header(CONTENT_TYPE, "application/x-www-form-urlencoded")
            .body(r#"{"temp": 7, "at": 1777636807000}"#),
    ];
    for request in requests {
        let answer = service.send(request).await;
        assert_eq!(answer.text, "ok 1\n");
    }
    let readings = service.readings("tower", "temp").await;
    let expected: Vec<_> = (1..=9).map(|i| (format!("2026-05-01T12:00:0{i}Z"), json!(f64::from(i)))).collect();
    assert_eq!(readings, expected);

    let nested = r#"{"env": {"hum": 55}, "door": true, "mode": "eco"}"#;
    assert_eq!(service.deliver(&key, nested).await.text, "ok 3\n");
    assert_eq!(service.readings("tower", "env.hum").await[0].1, json!(55.0));
    assert_eq!(service.readings("tower", "door").await[0].1, json!(true));
    assert_eq!(service.readings("tower", "mode").await[0].1, json!("eco"));
}

#[tokio::test]
async fn the_same_reading_again_changes_nothing() {
    let service = Service::start().await;
    let key = service.device("tower", &["temp"]).await;
    let body = r#"{"temp": 21.4, "at": "2026-05-01T12:00:00Z"}"#;
    assert_eq!(service.deliver(&key, body).await.text, "ok 1\n");
    assert_eq!(service.deliver(&key, body).await.text, "ok 1 repeated 1\n");
    let corrected = service.deliver(&key, r#"{"temp": 21.5, "at": "2026-05-01T12:00:00Z"}"#).await;
    assert_eq!(corrected.text, "ok 1 corrected 1\n");
    assert_eq!(service.readings("tower", "temp").await, [("2026-05-01T12:00:00Z".to_owned(), json!(21.5))]);
}

#[tokio::test]
async fn undeclared_names_are_kept_and_wait() {
    let service = Service::start().await;
    let key = service.device("tower", &["temp"]).await;
    assert_eq!(
        service.deliver(&key, r#"{"temp": 1, "supply": 12.3, "at": 1777636800}"#).await.text,
        "ok 2 waiting 1\n"
    );
    assert_eq!(service.deliver(&key, r#"{"supply": 12.4, "at": 1777636830}"#).await.text, "ok 1\n");

    let arrivals = service.get("sites/marlbeck/arrivals").await.ok();
    let arrival = &arrivals["items"][0];
    assert_eq!(arrival["device"], "tower");
    assert_eq!(arrival["name"], "supply");
    assert_eq!(arrival["readings"], 2);
    assert_eq!(arrival["first_at"], "2026-05-01T12:00:00Z");
    assert_eq!(arrival["last"][0], json!({"at": "2026-05-01T12:00:30Z", "value": 12.4}));
    assert_eq!(service.get("sites/marlbeck").await.ok()["arrivals"], 1);

    // Declared, its history is there.
    service.post("sites/marlbeck/devices/tower/signals", json!({"code": "supply", "unit": "V"})).await.ok();
    assert_eq!(service.readings("tower", "supply").await.len(), 2);
    assert_eq!(service.get("sites/marlbeck").await.ok()["arrivals"], 0);
}

#[tokio::test]
async fn a_sender_that_invents_names_is_stopped() {
    let service = Service::start().await;
    let key = service.device("tower", &["temp"]).await;
    let names: Vec<String> = (0..205).map(|i| format!("\"n{i}\": {i}")).collect();
    let request = service.request(Method::POST, "/in").bearer_auth(&key).header(ACCEPT, "application/json");
    let answer = service.send(request.body(format!("{{{}}}", names.join(",")))).await.json();
    assert_eq!(answer["kept"], 200);
    assert_eq!(answer["refused"].as_array().unwrap().len(), 5);
    assert_eq!(answer["refused"][0]["code"], "too-many-arrivals");
    assert_eq!(service.deliver(&key, r#"{"temp": 1}"#).await.text, "ok 1\n", "declared names are taken as before");
}

#[tokio::test]
async fn each_mistake_has_its_code_and_its_remedy() {
    let service = Service::start().await;
    let key = service.device("tower", &["temp", "door:flag", "mode:text"]).await;
    let revoked = service.device("larder", &["temp"]).await;
    service.api(Method::DELETE, "sites/marlbeck/devices/larder/keys/2", None).await.ok();
    let many = format!("[{}]", vec![r#"{"temp":1}"#; 10_001].join(","));
    let deep = format!("{}1{}", "{\"a\":".repeat(9), "}".repeat(9));
    let large = format!("{{\"mode\": \"{}\"}}", "x".repeat(1024 * 1024));
    let long = format!("{{\"mode\": \"{}\"}}", "x".repeat(1025));
    for (key, body, status, code, says) in [
        ("nonsense", "{}", 401, "unknown-key", "No device has this key"),
        (revoked.as_str(), "{}", 403, "revoked-key", "revoked"),
        (&key, "{\"temp\": 21.4,\n \"hum\": nan}", 400, "malformed-json", "line 2, column"),
        (&key, "[21.4]", 422, "not-an-object", "expected an object"),
        (&key, "hello", 415, "unknown-payload", "`hello`"),
        (&key, "", 422, "no-values", "no values"),
        (&key, "{}", 422, "no-values", "no values"),
        (&key, r#"{"temp": 1e999}"#, 422, "number-too-large", "1e999"),
        (&key, r#"{"temp": true}"#, 422, "wrong-type", "number signal"),
        (&key, r#"{"temp": [1, 2]}"#, 422, "no-interval", "array"),
        (&key, r#"{"temp": ["a"]}"#, 422, "wrong-type", "array"),
        (&key, r#"{"door": 7}"#, 422, "wrong-type", "flag signal"),
        (&key, &long, 422, "text-too-long", "1025 bytes"),
        (&key, &large, 413, "body-too-large", "1 MiB"),
        (&key, &many, 413, "too-many-readings", "10000"),
        (&key, &deep, 422, "too-deep", "deeper than 8"),
        (&key, r#"{"bad name": 1}"#, 422, "bad-name", "bad name"),
        (&key, r#"{"temp": 1, "at": "2199-01-01T00:00:00Z"}"#, 422, "time-in-future", "ahead"),
        (&key, r#"{"temp": 1, "at": "noon"}"#, 422, "bad-time", "noon"),
        (&key, r#"{"temp": 1, "at": "1970-01-01T00:07:00Z"}"#, 422, "time-too-old", "twenty years"),
    ] {
        let answer = service.deliver(key, body).await;
        let shown = &body[..body.len().min(60)];
        assert_eq!(answer.headers[CONTENT_TYPE], "application/problem+json", "{shown}");
        let problem = answer.json();
        assert_eq!((answer.status.as_u16(), answer.problem().as_str()), (status, code), "{shown}: {problem}");
        assert_eq!(problem["type"], format!("urn:key-lantern:problem:{code}"));
        assert!(problem["detail"].as_str().unwrap().contains(says), "{shown}: {problem}");
        assert!(problem["remedy"].as_str().unwrap().ends_with('.'), "{shown}: {problem}");
    }
    assert_eq!(service.readings("tower", "temp").await, [], "nothing was half kept");
}

#[tokio::test]
async fn a_good_value_beside_a_bad_one_is_kept_and_both_are_named() {
    let service = Service::start().await;
    let key = service.device("tower", &["temp", "door:flag"]).await;
    let body = r#"{"temp": 21.4, "door": "ajar", "at": "2026-05-01T12:00:00Z"}"#;
    assert_eq!(service.deliver(&key, body).await.text, "ok 1 refused 1: door wrong-type\n");
    let request = service.request(Method::POST, "/in").bearer_auth(&key).header(ACCEPT, "application/json");
    let answer = service.send(request.body(body)).await.json();
    assert_eq!((&answer["kept"], &answer["refused"][0]["name"]), (&json!(1), &json!("door")));
    assert_eq!(service.readings("tower", "temp").await.len(), 1);
    assert_eq!(service.readings("tower", "door").await, []);
}

#[tokio::test]
async fn a_modem_gets_its_refusal_as_one_line() {
    let service = Service::start().await;
    let key = service.device("tower", &["door:flag"]).await;
    for request in [
        service.request(Method::GET, &format!("/in/{key}?door=ajar")),
        service.request(Method::POST, &format!("/in/{key}?door=ajar")).header(ACCEPT, "text/plain"),
    ] {
        let answer = service.send(request).await;
        assert_eq!(answer.status.as_u16(), 422);
        assert!(answer.text.starts_with("error wrong-type: "), "{}", answer.text);
        assert_eq!(answer.text.lines().count(), 1);
    }
}

#[tokio::test]
async fn a_key_reaches_its_own_device_and_no_other() {
    let service = Service::start().await;
    let tower = service.device("tower", &["temp"]).await;
    service.device("larder", &["temp"]).await;
    service.post("sites", json!({"name": "Elsewhere", "zone": "UTC"})).await.ok();
    let same_codes = json!({"code": "tower", "name": "tower", "signals": [{"code": "temp"}]});
    service.post("sites/elsewhere/devices", same_codes).await.ok();
    service.deliver(&tower, r#"{"temp": 1}"#).await.ok_text();

    assert_eq!(service.readings("tower", "temp").await.len(), 1);
    assert_eq!(service.readings("larder", "temp").await, []);
    let elsewhere = service.get("sites/elsewhere/devices/tower/signals/temp/readings?from=0").await.ok();
    assert_eq!(elsewhere["items"], json!([]));
    assert_eq!(service.get("sites/elsewhere/devices/larder").await.status.as_u16(), 404);
    // A sender's key opens nothing but the way in.
    let as_person = service.send(service.request(Method::GET, "/api/v1/sites").bearer_auth(&tower)).await;
    assert_eq!((as_person.status.as_u16(), as_person.problem().as_str()), (403, "not-granted"));
}

fn gzip(text: &str) -> Vec<u8> {
    let mut packed = Vec::new();
    GzEncoder::new(text.as_bytes(), Compression::fast()).read_to_end(&mut packed).unwrap();
    packed
}

#[tokio::test]
async fn a_table_is_taken_row_by_row_and_a_bomb_is_not_taken() {
    let service = Service::start().await;
    let key = service.device("tower", &["temp", "hum"]).await;
    let send = |kind: &'static str, value: &'static str, body: Vec<u8>| {
        service.send(service.request(Method::POST, "/in").bearer_auth(&key).header(kind, value).body(body))
    };
    let table = "time;temp;hum\r\n2026-05-01T12:00:00Z;21.4;55\r\n2026-05-01T12:00:30Z;21.5;\r\n1777636860;1\r\n";
    let answer = send("Content-Type", "text/csv", table.into()).await;
    assert_eq!(answer.text, "ok 3 refused 1: bad-row\n");
    assert_eq!(service.readings("tower", "temp").await.len(), 2);
    for (kind, value, body, status, code) in [
        ("Content-Type", "text/csv", b"1,2\n3,4".to_vec(), 422, "no-header"),
        ("Content-Encoding", "gzip", gzip(&" ".repeat(9 * 1024 * 1024)), 413, "body-too-large"),
        ("Content-Encoding", "gzip", b"{\"temp\": 1}".to_vec(), 400, "bad-packing"),
        ("Content-Encoding", "br", b"x".to_vec(), 415, "unknown-encoding"),
    ] {
        let answer = send(kind, value, body).await;
        assert_eq!((answer.status.as_u16(), answer.problem().as_str()), (status, code), "{}", answer.text);
    }
}

#[tokio::test]
async fn an_answer_names_a_hundred_refusals_and_counts_all() {
    let service = Service::start().await;
    let key = service.device("tower", &["temp", "door:flag"]).await;
    let body = format!("[{{\"temp\": 1}},{}]", vec![r#"{"door": 7}"#; 500].join(","));
    let request = service.request(Method::POST, "/in").bearer_auth(&key).header(ACCEPT, "application/json");
    let answer = service.send(request.body(body)).await.json();
    assert_eq!((&answer["kept"], &answer["refused_count"]), (&json!(1), &json!(500)));
    assert_eq!(answer["refused"].as_array().unwrap().len(), 100);
}

/// What small senders really write, byte for byte.
#[tokio::test]
async fn old_and_terse_http_is_understood() {
    let service = Service::start().await;
    let key = service.device("tower", &["temp"]).await;
    let body = r#"{"temp": 1}"#;
    let requests = [
        format!("GET /in/{key}?temp=1 HTTP/1.0\r\n\r\n"),
        format!("POST /in/{key} HTTP/1.0\r\nContent-Length: {}\r\n\r\n{body}", body.len()),
        format!(
            "POST /in/{key} HTTP/1.1\r\nHost: x\r\nConnection: close\r\nTransfer-Encoding: chunked\r\n\r\n{:x}\r\n{body}\r\n0\r\n\r\n",
            body.len()
        ),
        format!("GET /in/{key}?temp=1 HTTP/1.1\r\nHost: x\r\nConnection: close\r\n\r\n"),
    ];
    for request in requests {
        let mut stream = TcpStream::connect(service.url.trim_start_matches("http://")).unwrap();
        stream.write_all(request.as_bytes()).unwrap();
        let mut answer = String::new();
        stream.read_to_string(&mut answer).unwrap();
        assert!(answer.contains(" 200 ") && answer.ends_with("ok 1\n"), "{request}\n{answer}");
    }
}

trait OkText {
    fn ok_text(&self) -> &str;
}

impl OkText for lantern_e2e::Answer {
    fn ok_text(&self) -> &str {
        assert!(self.status.is_success(), "{}", self.text);
        &self.text
    }
}

#[tokio::test]
async fn nobody_without_a_key_has_a_body_unpacked() {
    let service = Service::start().await;
    let key = service.device("tower", &["temp"]).await;
    let send = async |key: &str| {
        let request = service.request(Method::POST, "/in").bearer_auth(key);
        let request = request.header("Content-Encoding", "gzip").body("this is not packed at all");
        service.send(request).await.problem()
    };
    let wrong = "0".repeat(24);
    assert_eq!(send(&wrong).await, "unknown-key", "the body was not looked at");
    assert_eq!(send("no-key").await, "unknown-key");
    assert_ne!(send(&key).await, "unknown-key");
}

#[tokio::test]
async fn answers_of_the_api_are_not_kept_and_not_taken_for_something_else() {
    let service = Service::start().await;
    let answer = service.get("sites").await;
    assert_eq!(answer.headers["cache-control"], "no-store");
    assert_eq!(answer.headers["x-content-type-options"], "nosniff");
    let health = service.get("health").await.ok();
    assert_eq!(health["status"], "ok", "{health}");
    let names: Vec<&str> =
        health["parts"].as_array().unwrap().iter().map(|part| part["name"].as_str().unwrap()).collect();
    assert_eq!(names, ["writer", "queue", "database", "disk", "clock", "tasks"]);
}
