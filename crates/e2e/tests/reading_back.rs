use lantern_e2e::{Client, Service};
use reqwest::Method;
use serde_json::{Value, json};

const SIGNAL: &str = "sites/marlbeck/devices/tower/signals/level";

async fn tower(service: &Service) -> String {
    let key = service.device("tower", &["level", "door:flag", "mode:text"]).await;
    let body: Vec<Value> = (0..120)
        .map(|i| json!({"at": 1_777_636_800 + i * 30, "level": f64::from(i) / 10.0, "door": i % 2 == 0}))
        .collect();
    assert_eq!(service.deliver(&key, Value::from(body).to_string()).await.text, "ok 240\n");
    key
}

#[tokio::test]
async fn now_has_value_age_direction_and_resolution() {
    let service = Service::start().await;
    let key = tower(&service).await;
    let past = service.get("sites/marlbeck/devices/tower/now").await.ok();
    assert_eq!(past["signals"][0]["trend"]["direction"], "rising");
    let per_hour = past["signals"][0]["trend"]["per_hour"].as_f64().unwrap();
    assert!((per_hour - 12.0).abs() < 1e-6, "{per_hour}");
    service.deliver(&key, r#"{"level": 12.05, "mode": "eco"}"#).await;
    let now = service.get("sites/marlbeck/now?trace=true").await.ok();
    let device = &now["items"][0];
    assert_eq!(device["presence"], "fresh");
    let level = &device["signals"][0];
    assert_eq!(level["last"]["value"], 12.05);
    assert_eq!(level["decimals"], 2);
    assert!(level["trend"].is_null(), "the past before a long silence says nothing of now");
    let age = level["age_s"].as_f64().unwrap();
    assert!((0.0..20.0).contains(&age), "{age}");
    let means = device["trace"]["means"].as_array().unwrap();
    assert_eq!((means.len(), means[59].as_f64().is_some() || means[58].as_f64().is_some()), (60, true));
    let one = service.get("sites/marlbeck/devices/tower/now").await.ok();
    assert_eq!(one["signals"][2]["last"]["value"], "eco");
}

#[tokio::test]
async fn readings_page_both_ways_without_loss_or_doubles() {
    let service = Service::start().await;
    tower(&service).await;
    for order in ["ascending", "descending"] {
        let mut seen = Vec::new();
        let mut after = String::new();
        loop {
            let path = format!("{SIGNAL}/readings?from=0&order={order}&limit=50{after}");
            let page = service.get(&path).await.ok();
            seen.extend(page["items"].as_array().unwrap().iter().map(|r| r["value"].as_f64().unwrap()));
            match page["next"].as_str() {
                Some(next) => after = format!("&after={next}"),
                None => break,
            }
        }
        let mut expected: Vec<f64> = (0..120).map(|i| f64::from(i) / 10.0).collect();
        if order == "descending" {
            expected.reverse();
        }
        assert_eq!(seen, expected, "{order}");
    }
    // The begin is in, the end is not.
    let part = service.get(&format!("{SIGNAL}/readings?from=2026-05-01T12:01:00Z&to=2026-05-01T12:02:00Z")).await.ok();
    let times: Vec<_> = part["items"].as_array().unwrap().iter().map(|r| r["at"].clone()).collect();
    assert_eq!(times, ["2026-05-01T12:01:00Z", "2026-05-01T12:01:30Z"]);
}

#[tokio::test]
async fn summaries_are_bounded_and_agree_with_the_readings() {
    let service = Service::start().await;
    tower(&service).await;
    let path = format!("{SIGNAL}/summary?from=2026-05-01T12:00:00Z&to=2026-05-01T13:00:00Z&buckets=10");
    let summary = service.get(&path).await.ok();
    assert_eq!(summary["width_s"], 600.0);
    let buckets = summary["buckets"].as_array().unwrap();
    assert_eq!(buckets.len(), 6);
    let start = 1_777_636_800_000.0;
    let first = json!({"start_ms": start, "end_ms": start + 600_000.0, "min": 0.0, "max": 1.9, "mean": 0.95,
        "time_mean": 0.95, "first": 0.0, "last": 1.9, "count": 20});
    assert_eq!(buckets[0], first);
    let total: u64 = buckets.iter().map(|b| b["count"].as_u64().unwrap()).sum();
    assert_eq!(total, 120);
    let door = path.replace("/level/", "/door/");
    assert_eq!(service.get(&door).await.ok()["buckets"][0]["mean"], 0.5, "flags count as 0 and 1");
}

#[tokio::test]
async fn bad_parameters_are_named_and_not_ignored() {
    let service = Service::start().await;
    tower(&service).await;
    for (path, says) in [
        ("readings?limit=0", "limit"),
        ("readings?limit=many", "limit"),
        ("readings?limit=5001", "5000"),
        ("readings?from=noon", "noon"),
        ("readings?from=2000&to=1000", "before its end"),
        ("readings?order=random", "order"),
        ("readings?after=x", "after"),
        ("summary?buckets=2001", "2000"),
        ("summary?to=never", "never"),
    ] {
        let answer = service.get(&format!("{SIGNAL}/{path}")).await;
        assert_eq!((answer.status.as_u16(), answer.problem().as_str()), (422, "invalid"), "{path}");
        assert!(answer.text.contains(says), "{path}: {}", answer.text);
    }
    assert_eq!(service.get(&format!("{SIGNAL}/readingz")).await.problem(), "no-such-address");
}

#[tokio::test]
async fn export_is_one_row_a_time_and_one_column_a_signal() {
    let service = Service::start().await;
    let key = service.device("tower", &["level", "mode:text"]).await;
    let larder = service.device("larder", &["door:flag"]).await;
    service.api(Method::PATCH, SIGNAL, Some(json!({"unit": "m"}))).await.ok();
    service
        .deliver(&key, r#"[{"at": "2026-05-01T12:00:00Z", "level": 2.5, "mode": "a,\"b\""}, {"at": "2026-05-01T12:00:30.25Z", "level": -3, "mode": "=1+1"}]"#)
        .await;
    service.deliver(&larder, r#"{"at": "2026-05-01T12:00:00Z", "door": true}"#).await;
    let times = "from=2026-05-01&to=2026-05-02";
    assert_eq!(
        service.get(&format!("sites/marlbeck/export?{times}")).await.status.as_u16(),
        422,
        "a date needs its zone"
    );
    let times = "from=2026-05-01T00:00:00Z&to=2026-05-02T00:00:00Z";
    let export =
        service.get(&format!("sites/marlbeck/export?signals=tower/level,larder/door,tower/mode&{times}")).await;
    assert!(export.headers["content-type"].to_str().unwrap().starts_with("text/csv"));
    assert_eq!(
        export.text,
        "time,tower/level (m),larder/door,tower/mode\r\n\
         2026-05-01T13:00:00+01:00,2.5,1,\"a,\"\"b\"\"\"\r\n\
         2026-05-01T13:00:30.25+01:00,-3,,'=1+1\r\n"
    );
    let utc = service.get(&format!("sites/marlbeck/export?signals=tower/level&zone=UTC&{times}")).await;
    assert!(utc.text.contains("2026-05-01T12:00:00+00:00,2.5"), "{}", utc.text);
    for wrong in ["signals=tower", "signals=tower/nothing", "zone=Moon", "format=xlsx"] {
        assert!(service.get(&format!("sites/marlbeck/export?{wrong}")).await.status.is_client_error(), "{wrong}");
    }
}

#[tokio::test]
async fn a_long_export_is_whole() {
    let service = Service::start().await;
    let key = service.device("tower", &["level"]).await;
    for part in 0..3 {
        let body: Vec<Value> =
            (0..9_000).map(|i| json!({"at": 1_777_636_800 + (part * 9_000 + i), "level": i})).collect();
        service.deliver(&key, Value::from(body).to_string()).await;
    }
    let export = service.get("sites/marlbeck/export?from=1777636800&to=1777736800").await;
    assert_eq!(export.text.lines().count(), 27_001);
    assert!(export.text.ends_with(",8999\r\n"));
}

#[tokio::test]
async fn exports_are_as_fine_as_their_sensors_and_in_full_on_request() {
    let service = Service::start().await;
    let client = Client::logged_in(&service);
    let key = service.device("tower", &["level", "counts"]).await;
    let path = |signal: &str| format!("sites/marlbeck/devices/tower/signals/{signal}");
    service.api(Method::PATCH, &path("level"), Some(json!({"unit": "m"}))).await.ok();
    let scale = json!({"meaning": {"conversion": {"steps": [{"step": "scale", "factor": 0.000_732_600_7}]}}});
    service.api(Method::PUT, &format!("{}/meaning", path("level")), Some(scale)).await.ok();
    for second in 0..20 {
        let body = json!({"at": 1_777_636_800 + second, "level": 3_000 + second * 7, "counts": 0.1 + 0.2});
        service.deliver(&key, body.to_string()).await;
    }
    let export = |more: &[&str]| {
        let asked =
            ["export", "tower/level", "tower/counts", "--from", "2026-05-01", "--to", "2026-05-02", "--zone", "UTC"];
        client.ok(&[&asked[..], more].concat())
    };
    let rows =
        |text: &str| text.lines().skip(1).map(|line| line.split_once(',').unwrap().1.to_owned()).collect::<Vec<_>>();
    let (fine, full) = (rows(&export(&[])), rows(&export(&["--full-digits"])));
    // A count is 0.7 mm; what was sent is as it was sent.
    assert_eq!(fine[1], "2.2029,0.30000000000000004");
    assert_eq!(full[1], "2.2029303049,0.30000000000000004");
    let cm = client.ok(&["export", "tower/level:cm", "--from", "2026-05-01", "--to", "2026-05-02", "--zone", "UTC"]);
    assert_eq!(rows(&cm)[1], "220.29");
    let refused = service.get("sites/marlbeck/export?signals=tower/level&digits=some").await;
    assert_eq!(refused.status, 422);
}
