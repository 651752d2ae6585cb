//! Taking readings away, in each format, with and without what is doubtful.

use super::desk::Desk;
use serde_json::{Value, json};

const SPAN: &str = "from=2026-05-01T00:00:00Z&to=2026-05-02T00:00:00Z&zone=UTC";

/// A device with a number, of which one is rejected by its screen, a flag and a text.
async fn filled() -> Desk {
    let desk = Desk::open().await;
    let signals = json!([
        {"code": "level", "type": "number", "unit": "m", "meaning": {"screen": {"possible": {"low": 0, "high": 5}}}},
        {"code": "door", "type": "flag"},
        {"code": "mode", "type": "text"},
    ]);
    let device = json!({"code": "tower", "name": "Tower", "interval_s": 60, "signals": signals});
    desk.post("sites/marlbeck/devices", device).await.ok();
    let key = desk.issue_key("tower").await;
    let body = json!([
        {"at": "2026-05-01T08:00:00Z", "level": 1.5, "door": true, "mode": "eco, \"quiet\""},
        {"at": "2026-05-01T08:01:00Z", "level": 99},
        {"at": "2026-05-01T08:02:00Z", "level": 1.75, "mode": "=1+1"},
    ]);
    assert_eq!(desk.deliver(&key, &body.to_string()).await.status.code, 200);
    desk
}

async fn export(desk: &Desk, query: &str) -> (String, String) {
    let answer = desk.get(&format!("sites/marlbeck/export?{SPAN}&{query}")).await;
    assert_eq!(answer.status.code, 200, "{}", answer.text);
    (answer.media, answer.text)
}

#[rocket::async_test]
async fn a_row_for_each_time_or_for_each_reading() {
    let desk = filled().await;
    let signals = "signals=tower/level:cm,tower/door,tower/mode";
    let (_, wide) = export(&desk, signals).await;
    let expected = [
        "time,tower/level (cm),tower/door,tower/mode",
        "2026-05-01T08:00:00+00:00,150,1,\"eco, \"\"quiet\"\"\"",
        "2026-05-01T08:02:00+00:00,175,,'=1+1",
        "",
    ];
    assert_eq!(wide.split("\r\n").collect::<Vec<_>>(), expected);
    let (media, long) = export(&desk, &format!("{signals}&format=csv-long")).await;
    let expected = [
        "time,signal,value,unit",
        "2026-05-01T08:00:00+00:00,tower/level,150,cm",
        "2026-05-01T08:00:00+00:00,tower/door,1,",
        "2026-05-01T08:00:00+00:00,tower/mode,\"eco, \"\"quiet\"\"\",",
        "2026-05-01T08:02:00+00:00,tower/level,175,cm",
        "2026-05-01T08:02:00+00:00,tower/mode,'=1+1,",
        "",
    ];
    assert_eq!(long.split("\r\n").collect::<Vec<_>>(), expected);
    assert!(media.starts_with("text/csv"), "{media}");
}

#[rocket::async_test]
async fn json_as_a_list_and_line_by_line() {
    let desk = filled().await;
    let (media, list) = export(&desk, "signals=tower/level,tower/door&format=json").await;
    let expected = json!([
        {"at": "2026-05-01T08:00:00+00:00", "signal": "tower/level", "value": 1.5, "unit": "m"},
        {"at": "2026-05-01T08:00:00+00:00", "signal": "tower/door", "value": true},
        {"at": "2026-05-01T08:02:00+00:00", "signal": "tower/level", "value": 1.75, "unit": "m"},
    ]);
    assert_eq!(serde_json::from_str::<Value>(&list).unwrap(), expected);
    assert_eq!(media, "application/json");
    let (media, lines) = export(&desk, "signals=tower/level,tower/door&format=json-lines").await;
    let records: Vec<Value> = lines.lines().map(|line| serde_json::from_str(line).unwrap()).collect();
    assert_eq!(json!(records), expected);
    assert_eq!(media, "application/jsonl");
    let nothing = "signals=tower/level&from=2026-04-01T00:00:00Z&to=2026-04-02T00:00:00Z&format=json";
    let empty = desk.get(&format!("sites/marlbeck/export?{nothing}")).await;
    assert_eq!(empty.text, "[]");
}

#[rocket::async_test]
async fn what_is_doubtful_comes_with_its_quality() {
    let desk = filled().await;
    let (_, wide) = export(&desk, "signals=tower/level,tower/door&all=true").await;
    let expected = [
        "time,tower/level (m),tower/level quality,tower/door,tower/door quality",
        "2026-05-01T08:00:00+00:00,1.5,good,1,good",
        "2026-05-01T08:01:00+00:00,99,rejected,,",
        "2026-05-01T08:02:00+00:00,1.75,good,,",
        "",
    ];
    assert_eq!(wide.split("\r\n").collect::<Vec<_>>(), expected);
    let (_, long) = export(&desk, "signals=tower/level&format=csv-long&all=true").await;
    assert!(long.contains("2026-05-01T08:01:00+00:00,tower/level,99,m,rejected,range\r\n"), "{long}");
    let (_, lines) = export(&desk, "signals=tower/level&format=json-lines&all=true").await;
    let second: Value = serde_json::from_str(lines.lines().nth(1).unwrap()).unwrap();
    assert_eq!((&second["quality"], &second["cause"]), (&json!("rejected"), &json!("range")));
}

#[rocket::async_test]
async fn what_cannot_be_written_is_refused() {
    let desk = filled().await;
    for query in ["format=xlsx", "format=senml&all=true", "all=maybe", "digits=few", "zone=Mars/North"] {
        assert_eq!(desk.get(&format!("sites/marlbeck/export?{query}")).await.problem(), "invalid", "{query}");
    }
}

/// Two devices with a number each minute over two hours, of which one is rejected.
async fn with_hours() -> Desk {
    let desk = Desk::open().await;
    for (code, base) in [("tower", 1.0), ("larder", 4.0)] {
        let level = json!({"code": "level", "type": "number", "unit": "m",
            "meaning": {"screen": {"possible": {"low": 0, "high": 100}}}});
        let device = json!({"code": code, "name": code, "interval_s": 60, "signals": [level]});
        desk.post("sites/marlbeck/devices", device).await.ok();
        let key = desk.issue_key(code).await;
        let start = 1_777_618_800; // 2026-05-01T07:00:00Z
        let mut body: Vec<Value> =
            (0..120).map(|i| json!({"at": start + i * 60, "level": base + f64::from(i / 60)})).collect();
        body[1]["level"] = json!(1_000);
        assert_eq!(desk.deliver(&key, &json!(body).to_string()).await.status.code, 200);
    }
    desk
}

#[rocket::async_test]
async fn stretches_of_time_are_rows_with_the_figures_that_are_asked_for() {
    let desk = with_hours().await;
    let (_, hours) = export(&desk, "signals=tower/level:cm,larder/level&by=hour&figures=mean,max,count").await;
    let expected = [
        "time,tower/level.mean (cm),tower/level.max (cm),tower/level.count,larder/level.mean (m),larder/level.max (m),larder/level.count",
        "2026-05-01T07:00:00+00:00,100,100,59,4,4,59",
        "2026-05-01T08:00:00+00:00,200,200,60,5,5,60",
        "",
    ];
    assert_eq!(hours.split("\r\n").collect::<Vec<_>>(), expected);
    // In equal stretches; every format has them.
    let (_, lines) = export(&desk, "signals=tower/level&width_s=1800&format=json-lines").await;
    let records: Vec<Value> = lines.lines().map(|line| serde_json::from_str(line).unwrap()).collect();
    let means: Vec<_> = records.iter().map(|record| (&record["signal"], record["value"].as_f64())).collect();
    let name = &json!("tower/level.mean");
    assert_eq!(means, [(name, Some(1.0)), (name, Some(1.0)), (name, Some(2.0)), (name, Some(2.0))]);
    // A day of another zone begins at another time.
    let span = "from=2026-05-01T00:00:00Z&to=2026-05-02T00:00:00Z&zone=Asia/Kathmandu";
    let days = desk.get(&format!("sites/marlbeck/export?signals=tower/level&by=day&figures=count&{span}")).await;
    assert_eq!(days.text, "time,tower/level.count\r\n2026-05-01T00:00:00+05:45,119\r\n");
}

#[rocket::async_test]
async fn spreadsheets_get_times_that_they_read() {
    let desk = filled().await;
    let query = "from=2026-05-01T00:00:00Z&to=2026-05-02T00:00:00Z&times=spreadsheet&zone=Europe/London";
    let text = desk.get(&format!("sites/marlbeck/export?signals=tower/level&{query}")).await.text;
    assert_eq!(text, "time (Europe/London),tower/level (m)\r\n2026-05-01 09:00:00,1.5\r\n2026-05-01 09:02:00,1.75\r\n");
}

#[rocket::async_test]
async fn what_cannot_be_summed_up_is_refused() {
    let desk = filled().await;
    let cases = [
        ("signals=tower/level&by=moon", "by"),
        ("signals=tower/level&by=hour&width_s=60", "width_s"),
        ("signals=tower/level&width_s=0", "width_s"),
        ("signals=tower/level&by=hour&all=true", "all"),
        ("signals=tower/level&figures=mean", "figures"),
        ("signals=tower/level&by=hour&figures=middle", "figures"),
        ("signals=tower/door&by=hour", "signals"),
        ("signals=tower/level,tower/level&format=parquet", "signals"),
        ("signals=tower/level&times=sundial", "times"),
    ];
    for (query, about) in cases {
        let answer = desk.get(&format!("sites/marlbeck/export?{SPAN}&{query}")).await;
        assert_eq!(answer.problem(), "invalid", "{query}");
        assert!(answer.text.contains(&format!("`{about}`")), "{query}: {}", answer.text);
    }
}
