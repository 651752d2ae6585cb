use flate2::Compression;
use flate2::read::GzEncoder;
use lantern_e2e::{Answer, Service};
use reqwest::Method;
use serde_json::{Value, json};
use std::io::{Read, Write};
use std::net::TcpStream;

async fn send(service: &Service, key: &str, kind: Option<&str>, query: &str, body: Vec<u8>) -> Answer {
    let request = service.request(Method::POST, &format!("/in{query}")).bearer_auth(key);
    let request = match kind {
        Some(kind) => request.header("Content-Type", kind),
        None => request,
    };
    service.send(request.body(body)).await
}

fn hex(text: &str) -> Vec<u8> {
    (0..text.len()).step_by(2).map(|i| u8::from_str_radix(&text[i..i + 2], 16).unwrap()).collect()
}

/// The same two readings in every dialect, each for a device of its own.
#[tokio::test]
async fn every_dialect_comes_to_the_same_readings() {
    let service = Service::start().await;
    let mut gzip = Vec::new();
    GzEncoder::new(&br#"{"at": 1777636800, "temp": 21.5, "hum": 55}"#[..], Compression::fast())
        .read_to_end(&mut gzip)
        .unwrap();
    let senml = r#"[{"bn": "dev:", "bt": 1777636800, "n": "temp", "v": 21.5}, {"n": "hum", "v": 55}]"#;
    let cases: [(Option<&str>, &str, Vec<u8>); 14] = [
        (Some("application/json"), "", br#"{"at": 1777636800, "temp": 21.5, "hum": 55}"#.to_vec()),
        (None, "", br#"{"at": "2026-05-01T13:00:00", "temp": 21.5, "hum": 55}"#.to_vec()),
        (None, "?at=1777636800000", br#"{"temp": 21.5, "hum": 55}"#.to_vec()),
        (Some("application/x-www-form-urlencoded"), "", b"temp=21.5&hum=55&at=1777636800".to_vec()),
        (None, "", b"temp=21.5&hum=55&at=1777636800".to_vec()),
        (Some("text/csv"), "", b"time;temp;hum\r\n1777636800;21.5;55\r\n".to_vec()),
        (Some("text/html"), "", b"at,temp,hum\n1777636800,21.5,55\n".to_vec()),
        (Some("application/senml+json"), "", senml.into()),
        (None, "", senml.into()),
        // {"at": 1777636800, "temp": 21.5, "hum": 55}
        (Some("application/cbor"), "", hex("a36261741a69f495c06474656d70f94d606368756d1837")),
        // [{-2: "dev:", -3: 1777636800, 0: "temp", 2: 21.5}, {0: "hum", 2: 55}]
        (Some("application/senml+cbor"), "", hex("82a421646465763a221a69f495c0006474656d7002f94d60a2006368756d021837")),
        (None, "", hex("82a421646465763a221a69f495c0006474656d7002f94d60a2006368756d021837")),
        (None, "", gzip),
        (None, "?temp=21.5&hum=55&at=1777636800", Vec::new()),
    ];
    for (i, (kind, query, body)) in cases.into_iter().enumerate() {
        let device = format!("tower-{i}");
        let key = service.device(&device, &["temp", "hum"]).await;
        let answer = send(&service, &key, kind, query, body).await;
        assert_eq!(answer.text, "ok 2\n", "case {i}: {kind:?} {query}");
        for (signal, value) in [("temp", 21.5), ("hum", 55.0)] {
            let expected = [("2026-05-01T12:00:00Z".to_owned(), json!(value))];
            assert_eq!(service.readings(&device, signal).await, expected, "case {i}: {kind:?} {query}");
        }
    }
}

#[tokio::test]
async fn what_was_not_called_by_its_name_is_said_in_the_contact_log() {
    let service = Service::start().await;
    let key = service.device("tower", &["temp"]).await;
    for (kind, body, said) in [
        (Some("text/html"), "temp=1", "The payload was called `text/html`, but it is a form."),
        (Some("application/json"), "temp=1", "The payload was called JSON, but it is a form."),
        (None, "21.4", "The payload was not called anything, and it is a bare number."),
    ] {
        assert_eq!(send(&service, &key, kind, "", body.into()).await.text, "ok 1\n");
        let newest = &service.get("sites/marlbeck/devices/tower/contacts").await.ok()["items"][0];
        assert_eq!(newest["remarks"][0]["detail"], said, "{newest}");
    }
}

#[tokio::test]
async fn a_waveform_is_one_message_and_thousands_of_readings() {
    let service = Service::start().await;
    let key = service.device("viaduct", &["accel"]).await;
    let samples: Vec<i16> = (0..5_000).map(|i| (i % 200) as i16 - 100).collect();
    let list = samples.iter().map(ToString::to_string).collect::<Vec<_>>().join(",");
    let json = format!(r#"{{"at": 1777636800, "every": 0.004, "accel": [{list}]}}"#);
    assert_eq!(service.deliver(&key, json).await.text, "ok 5000\n");
    let first = service.readings("viaduct", "accel").await;
    assert_eq!(first[4_999], ("2026-05-01T12:00:19.996Z".to_owned(), json!(99.0)));

    // The same as CSV rows and as packed little-endian numbers changes nothing.
    let table = format!("accel\n{}", list.replace(',', "\n"));
    let answer = send(&service, &key, Some("text/csv"), "?at=1777636800&every=0.004", table.into()).await;
    assert_eq!(answer.text, "ok 5000 repeated 5000\n");
    let decoder = json!({"decoder": {"form": "packed", "order": "little", "every": 0.004,
        "fields": [{"repeat": "rest", "fields": [{"name": "accel", "type": "i16"}]}]}});
    service.api(Method::PATCH, "sites/marlbeck/devices/viaduct", Some(decoder)).await.ok();
    let packed: Vec<u8> = samples.iter().flat_map(|s| s.to_le_bytes()).collect();
    let kind = Some("application/octet-stream");
    let answer = send(&service, &key, kind, "?at=1777636800", packed.clone()).await;
    assert_eq!(answer.text, "ok 5000 repeated 5000\n");
    // And as a typed array of CBOR (RFC 8746): {"at", "every": 0.004, "accel": 77(bytes)}.
    let mut cbor =
        hex("a36261741a69f495c06565766572 79fb3f70624dd2f1a9fc65616363656cd84d592710".replace(' ', "").as_str());
    cbor.extend(packed);
    let answer = send(&service, &key, Some("application/cbor"), "", cbor).await;
    assert_eq!(answer.text, "ok 5000 repeated 5000\n");
    assert_eq!(service.readings("viaduct", "accel").await, first);
}

#[tokio::test]
async fn local_times_are_the_sites_and_a_doubtful_hour_is_said() {
    let service = Service::start().await;
    let key = service.device("tower", &["temp"]).await;
    let request = service.request(Method::POST, "/in").bearer_auth(&key).header("Accept", "application/json");
    let body = r#"[{"temp": 1, "at": "2026-07-01 12:00:00"}, {"temp": 2, "at": "2025-10-26 01:30:00"}]"#;
    let answer = service.send(request.body(body)).await.json();
    assert_eq!((&answer["kept"], &answer["remarks"][0]["code"]), (&json!(2), &json!("doubtful-hour")));
    let times: Vec<_> = service.readings("tower", "temp").await.into_iter().map(|(at, _)| at).collect();
    assert_eq!(times, ["2025-10-26T01:30:00Z", "2026-07-01T11:00:00Z"]);
}

#[tokio::test]
async fn a_clock_that_is_off_is_measured_also_when_its_times_are_refused() {
    let service = Service::start().await;
    let key = service.device("tower", &["temp"]).await;
    let hour_ahead = || {
        let now = std::time::SystemTime::now().duration_since(std::time::UNIX_EPOCH).unwrap().as_secs_f64();
        format!(r#"{{"temp": 1, "at": {}}}"#, now + 3_600.0)
    };
    for _ in 0..3 {
        assert_eq!(service.deliver(&key, hour_ahead()).await.problem(), "time-in-future");
    }
    let offset = service.get("sites/marlbeck/devices/tower").await.ok()["clock_offset_s"].as_f64().unwrap();
    assert!((-3_605.0..-3_595.0).contains(&offset), "{offset}");
}

#[tokio::test]
async fn a_payload_of_several_devices_reaches_each_that_its_sender_carries() {
    let service = Service::start().await;
    let key = service.device("shed-gw", &["load"]).await;
    service.device("shed-1", &["temp"]).await;
    let carried = json!({"carrier": "shed-gw", "identity": "0xA1"});
    service.api(Method::PATCH, "sites/marlbeck/devices/shed-1", Some(carried)).await.ok();
    let decoder = json!({"decoder": {"form": "frames", "start": "<", "stop": ">",
        "inside": {"form": "list", "separator": ",", "fields": ["@device", {"name": "temp", "type": "number"}]}}});
    service.api(Method::PATCH, "sites/marlbeck/devices/shed-gw", Some(decoder)).await.ok();
    let answer = send(&service, &key, Some("text/plain"), "", b"zz<0xA1,9.5><0xB2,8.1>".to_vec()).await;
    assert_eq!(answer.text, "ok 2 waiting 1\n");
    assert_eq!(service.readings("shed-1", "temp").await.len(), 1);
    let waiting = service.get("sites/marlbeck/waiting").await.ok();
    assert_eq!(
        (&waiting["items"][0]["identity"], &waiting["items"][0]["carrier"]),
        (&json!("0xB2"), &json!("shed-gw"))
    );
}

#[tokio::test]
async fn readings_leave_as_senml_and_come_back_as_they_were() {
    let service = Service::start().await;
    let key = service.device("tower", &["temp", "door:flag", "mode:text"]).await;
    let body =
        r#"[{"at": 1777636800.25, "temp": -0.5, "door": true, "mode": "é \"x\""}, {"at": 1777636801, "temp": 2}]"#;
    service.deliver(&key, body).await;
    let other = service.device("copy", &["temp", "door:flag", "mode:text"]).await;
    for (format, kind) in [("senml", "application/senml+json"), ("senml-cbor", "application/senml+cbor")] {
        let path =
            format!("/api/v1/sites/marlbeck/export?format={format}&from=0&signals=tower/temp,tower/door,tower/mode");
        let request = service.request(Method::GET, &path).bearer_auth(&service.token);
        let response = request.send().await.unwrap();
        assert_eq!(response.headers()["Content-Type"], kind);
        let pack = response.bytes().await.unwrap().to_vec();
        let answer = send(&service, &other, Some(kind), "", pack).await;
        assert!(answer.text.starts_with("ok 4"), "{}", answer.text);
    }
    for signal in ["temp", "door", "mode"] {
        assert_eq!(service.readings("copy", signal).await, service.readings("tower", signal).await, "{signal}");
    }
}

/// Senders that wait for `100 Continue`, close at once, or say little.
#[tokio::test]
async fn a_sender_that_asks_before_it_sends_is_answered() {
    let service = Service::start().await;
    let key = service.device("tower", &["temp"]).await;
    let mut stream = TcpStream::connect(service.url.trim_start_matches("http://")).unwrap();
    let head = format!(
        "POST /in/{key} HTTP/1.1\r\nHost: x\r\nExpect: 100-continue\r\nConnection: close\r\nContent-Length: 10\r\n\r\n"
    );
    stream.write_all(head.as_bytes()).unwrap();
    let mut answer = [0; 64];
    let length = stream.read(&mut answer).unwrap();
    assert!(answer[..length].starts_with(b"HTTP/1.1 100"), "{}", String::from_utf8_lossy(&answer));
    stream.write_all(b"{\"temp\":1}").unwrap();
    let mut rest = String::new();
    stream.read_to_string(&mut rest).unwrap();
    assert!(rest.ends_with("ok 1\n"), "{rest}");
}

#[tokio::test]
async fn a_sample_is_tried_out_and_nothing_is_kept() {
    let service = Service::start().await;
    service.device("tower", &["temp", "hum", "door:flag"]).await;
    let sample = json!({"device": "tower", "sample": "21.4;wet;ajar;5",
        "decoder": {"form": "list", "separator": ";", "fields": ["temp", "hum", "door", "new"]}});
    let tried = service.post("sites/marlbeck/try", sample).await.ok();
    let values: Vec<(&str, &str)> = tried["values"]
        .as_array()
        .unwrap()
        .iter()
        .map(|value| (value["name"].as_str().unwrap(), value["becomes"].as_str().unwrap()))
        .collect();
    assert_eq!(values, [("temp", "reading"), ("hum", "rejected"), ("door", "refused"), ("new", "arrival")]);
    assert_eq!(tried["values"][2]["refused"]["code"], "wrong-type");
    assert_eq!(service.readings("tower", "temp").await, []);
    assert_eq!(service.get("sites/marlbeck/arrivals").await.ok()["items"], json!([]));
    let wrong = json!({"sample": "1", "decoder": {"form": "list", "fields": ["a b"]}});
    let problem = service.post("sites/marlbeck/try", wrong).await;
    assert_eq!(problem.status.as_u16(), 422);
    assert!(problem.json()["detail"].as_str().unwrap().contains("fields.0"), "{}", problem.text);
    let neither: Value = json!({"device": "tower"});
    assert_eq!(service.post("sites/marlbeck/try", neither).await.problem(), "invalid");
}
