//! Parquet files of the service, opened by a reader of other make.

use lantern_e2e::{Client, Service};
use reqwest::Method;
use serde_json::{Value, json};
use std::path::Path;
use std::process::Command;

const BASE: i64 = 1_777_636_800;

/// What the other reader finds in a file.
fn read(file: &Path) -> Value {
    let script = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../console/scripts/read-parquet.mjs");
    let output = Command::new("node").arg(script).arg(file).output().expect("node is there");
    assert!(output.status.success(), "{}", String::from_utf8_lossy(&output.stderr));
    serde_json::from_slice(&output.stdout).unwrap()
}

#[tokio::test]
async fn types_units_and_times_are_those_of_the_readings() {
    let service = Service::start().await;
    let key = service.device("tower", &["level", "mode:text", "door:flag"]).await;
    service.api(Method::PATCH, "sites/marlbeck/devices/tower/signals/level", Some(json!({"unit": "m"}))).await.ok();
    let position = json!({"code": "pos", "name": "Position", "type": "position"});
    service.post("sites/marlbeck/devices/tower/signals", position).await.ok();
    let body = r#"[
        {"at": "2026-05-01T12:00:00.000001Z", "level": 2.5000000000000004, "mode": "a,\"b\" ü", "door": true,
         "pos": {"lat": 54.5, "lon": -2.3}},
        {"at": "2026-05-01T12:00:30Z", "level": -1e-300},
        {"at": "2026-04-01T00:00:00.5Z", "door": false, "mode": ""}]"#;
    assert_eq!(service.deliver(&key, body).await.text, "ok 7\n");

    let client = Client::logged_in(&service);
    let file = client.home().join("all.parquet");
    let file_name = file.to_str().unwrap();
    let span = ["--from", "2026-03-01", "--to", "2026-06-01"];
    client.ok(&[&["export", "--format", "parquet", "--file", file_name], &span[..]].concat());
    let found = read(&file);
    assert_eq!(found["metadata"]["site"], "marlbeck");
    assert_eq!(found["metadata"]["zone"], "Europe/London");
    let columns: Value = serde_json::from_str(found["metadata"]["columns"].as_str().unwrap()).unwrap();
    let level = columns.as_array().unwrap().iter().find(|column| column["column"] == "tower/level").unwrap();
    assert_eq!(level["unit"], "m");
    let rows = found["rows"].as_array().unwrap();
    let times: Vec<_> = rows.iter().map(|row| row["time"].as_i64().unwrap()).collect();
    assert_eq!(times, [1_775_001_600_500_000, BASE * 1_000_000 + 1, (BASE + 30) * 1_000_000]);
    let expected = [
        ("tower/level", json!([null, 2.500_000_000_000_000_4, -1e-300])),
        ("tower/mode", json!(["", "a,\"b\" ü", null])),
        ("tower/door", json!([false, true, null])),
        ("tower/pos.latitude", json!([null, 54.5, null])),
        ("tower/pos.longitude", json!([null, -2.3, null])),
        ("tower/pos.altitude", json!([null, null, null])),
    ];
    for (column, values) in expected {
        let of_rows: Vec<_> = rows.iter().map(|row| row.get(column).cloned().unwrap_or_default()).collect();
        assert_eq!(Value::from(of_rows), values, "{column}: {}", rows[1]);
    }
}

#[tokio::test]
async fn a_long_file_has_each_reading_once_with_its_quality() {
    const PARTS: i64 = 16;
    const EACH: i64 = 9_000;
    let service = Service::start().await;
    let key = service.device("tower", &["level"]).await;
    let screen = json!({"meaning": {"screen": {"possible": {"low": -10, "high": 500}}}});
    service.api(Method::PUT, "sites/marlbeck/devices/tower/signals/level/meaning", Some(screen)).await.ok();
    let value = |i: i64| if i % 1_000 == 7 { 999.0 } else { f64::from(i as i32 % 4_000) / 10.0 };
    for part in 0..PARTS {
        let of_part = part * EACH..(part + 1) * EACH;
        let body: Vec<Value> = of_part.map(|i| json!({"at": BASE + i, "level": value(i)})).collect();
        assert!(service.deliver(&key, Value::from(body).to_string()).await.text.starts_with("ok 9000"));
    }
    let client = Client::logged_in(&service);
    let file = client.home().join("long.parquet");
    let file_name = file.to_str().unwrap();
    let span = ["--from", "2026-05-01", "--to", "2026-06-01", "--all"];
    client.ok(&[&["export", "tower/level", "--format", "parquet", "--file", file_name], &span[..]].concat());
    let found = read(&file);
    let rows = found["rows"].as_array().unwrap();
    assert_eq!(rows.len() as i64, PARTS * EACH);
    for (i, row) in (0..).zip(rows) {
        let quality = if i % 1_000 == 7 { "rejected" } else { "good" };
        let seen = (row["time"].as_i64(), row["tower/level"].as_f64(), row["tower/level quality"].as_str());
        assert_eq!(seen, (Some((BASE + i) * 1_000_000), Some(value(i)), Some(quality)));
    }
}
