//! Figures over HTTP: units, calendars, limits, and what is refused.

use super::desk::Desk;
use serde_json::{Value, json};

/// A device that reports every minute: a flow of 2 L/min that is 5 from 00:30 on, a temperature, a
/// door.
async fn filled() -> Desk {
    let desk = Desk::open().await;
    let signals = json!([
        {"code": "flow", "type": "number", "unit": "L/min"},
        {"code": "temp", "type": "number", "unit": "Cel"},
        {"code": "door", "type": "flag"},
        {"code": "mode", "type": "text"},
        {"code": "noise", "type": "number", "unit": "dB"},
    ]);
    let device = json!({"code": "main", "name": "Main", "interval_s": 60, "signals": signals});
    desk.post("sites/marlbeck/devices", device).await.ok();
    let key = desk.issue_key("main").await;
    let minute = |minute: i64| {
        let at = format!("2026-05-01T{:02}:{:02}:00Z", minute / 60, minute % 60);
        let flow = if minute < 30 { 2.0 } else { 5.0 };
        json!({"at": at, "flow": flow, "temp": 10 + minute / 30, "door": minute >= 45, "mode": "x", "noise": 40})
    };
    let body = json!((0..60).map(minute).collect::<Vec<_>>());
    assert_eq!(desk.deliver(&key, &body.to_string()).await.status.code, 200);
    desk
}

const HOUR: &str = "from=2026-05-01T00:00:00Z&to=2026-05-01T01:00:00Z";

async fn ask(desk: &Desk, query: &str) -> Value {
    desk.get(&format!("sites/marlbeck/figures?{query}")).await.ok()
}

fn near(value: &Value, expected: f64) -> bool {
    value.as_f64().is_some_and(|value| (value - expected).abs() < 1e-9)
}

#[rocket::async_test]
async fn a_flow_becomes_what_has_flowed() {
    let desk = filled().await;
    let query = format!("signals=main/flow&{HOUR}&quantiles=0.5,0,1&above=4&below=4&within=1..2,4..6");
    let found = ask(&desk, &query).await;
    let flow = &found["signals"][0];
    assert_eq!((&flow["unit"], &flow["integral_unit"]), (&json!("L/min"), &json!("L")));
    let [one] = flow["buckets"].as_array().unwrap().as_slice() else { panic!("{found}") };
    assert_eq!(one["count"], 60);
    assert_eq!(one["max"], json!({"value": 5.0, "at": "2026-05-01T00:30:00Z"}));
    assert_eq!(one["min"], json!({"value": 2.0, "at": "2026-05-01T00:00:00Z"}));
    assert_eq!(one["quantiles"], json!([3.5, 2.0, 5.0]));
    assert!(near(&one["integral"], 30.0 * 2.0 + 30.0 * 5.0), "{one}");
    assert_eq!(
        (&one["above_h"], &one["below_h"], &one["within_h"]),
        (&json!([0.5]), &json!([0.5]), &json!([0.5, 0.5]))
    );
    assert_eq!((&one["held_h"], &one["whole"]), (&json!(1.0), &json!(true)));
}

#[rocket::async_test]
async fn limits_and_values_are_in_the_unit_that_is_asked_for() {
    let desk = filled().await;
    // 2 and 5 L/min are 0.12 and 0.3 m³/h; 10 and 11 °C are 50 and 51.8 °F.
    let found = ask(&desk, &format!("signals=main/flow:m3/h&{HOUR}&above=0.2")).await;
    let flow = &found["signals"][0];
    let one = &flow["buckets"][0];
    assert_eq!(flow["integral_unit"], "m3");
    assert!(near(&one["integral"], 0.21) && near(&one["max"]["value"], 0.3), "{one}");
    assert!(near(&one["above_h"][0], 0.5), "{one}");
    let found = ask(&desk, &format!("signals=main/temp:[degF],main/temp&{HOUR}&base=52")).await;
    let (warm, own) = (&found["signals"][0], &found["signals"][1]);
    assert_eq!(warm["integral_unit"], Value::Null, "degrees do not start at nothing");
    let one = &warm["buckets"][0];
    // 2 °F below for half an hour, 0.2 °F for the other half.
    assert!(near(&one["degree_hours_below"], 1.1) && near(&one["degree_hours_above"], 0.0), "{one}");
    assert!(near(&one["mean"], 50.9) && near(&one["total"], 50.9 * 60.0), "{one}");
    let spread = |of: &Value| of["buckets"][0]["deviation"].as_f64().unwrap();
    assert!((spread(warm) - 1.8 * spread(own)).abs() < 1e-9, "a spread has no zero point");
}

#[rocket::async_test]
async fn flags_count_as_one_and_texts_as_nothing() {
    let desk = filled().await;
    let found = ask(&desk, &format!("signals=main/door,main/mode&{HOUR}&above=0.5")).await;
    let door = &found["signals"][0]["buckets"][0];
    assert!(near(&door["above_h"][0], 0.25) && near(&door["mean"], 0.25), "{door}");
    assert_eq!(found["signals"][1]["buckets"], json!([]));
}

#[rocket::async_test]
async fn time_is_divided_by_the_clocks_of_the_zone() {
    let desk = filled().await;
    let starts = |found: &Value| {
        let buckets = found["signals"][0]["buckets"].as_array().unwrap().clone();
        buckets.iter().map(|one| (one["start_ms"].as_f64().unwrap() / 60e3, one["count"].clone())).collect::<Vec<_>>()
    };
    let begin = 1_777_593_600.0 / 60.0;
    let by_hour = ask(&desk, &format!("signals=main/flow&{HOUR}&by=hour&zone=Asia/Kathmandu")).await;
    assert_eq!(starts(&by_hour), [(begin - 45.0, json!(15)), (begin + 15.0, json!(45))]);
    assert_eq!((&by_hour["by"], &by_hour["zone"]), (&json!("hour"), &json!("Asia/Kathmandu")));
    let by_day = ask(&desk, &format!("signals=main/flow&{HOUR}&by=day")).await;
    assert_eq!(starts(&by_day), [(begin - 60.0, json!(60))], "it is summer in London");
    let whole = ask(&desk, &format!("signals=main/flow&{HOUR}")).await;
    assert_eq!(starts(&whole), [(begin, json!(60))]);
    assert_eq!((&whole["by"], &whole["width_s"]), (&Value::Null, &Value::Null));
}

#[rocket::async_test]
async fn what_cannot_be_worked_out_is_refused() {
    let desk = filled().await;
    for (query, code) in [
        ("signals=main/flow&quantiles=1.5", "invalid"),
        ("signals=main/flow&quantiles=half", "invalid"),
        ("signals=main/flow&above=nan", "invalid"),
        ("signals=main/flow&within=2..1", "invalid"),
        ("signals=main/flow&within=2", "invalid"),
        ("signals=main/flow&base=", "invalid"),
        ("signals=main/flow&by=fortnight", "invalid"),
        ("signals=main/flow&by=hour&from=2020-01-01&to=2026-01-01", "invalid"),
        ("signals=main/flow:Cel", "invalid"),
        ("signals=main/noise:Np", "invalid"),
        ("signals=main/depth", "not-found"),
        ("signals=", "invalid"),
    ] {
        assert_eq!(desk.get(&format!("sites/marlbeck/figures?{query}")).await.problem(), code, "{query}");
    }
    let many = vec!["1"; 21].join(",");
    let refused = desk.get(&format!("sites/marlbeck/figures?signals=main/flow&above={many}")).await;
    assert_eq!(refused.problem(), "invalid");
}
