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
