//! Bursts of a waveform, and how long values stayed.

use super::desk::Desk;
use serde_json::{Value, json};

const STRAIN: &str = "sites/marlbeck/devices/viaduct/signals/strain";
const SPAN: &str = "from=2026-05-01T00:00:00Z&to=2026-05-02T00:00:00Z";

/// A bearing with three bursts of ten samples a second, the second of them with a loose probe.
async fn crossed() -> Desk {
    let desk = Desk::open().await;
    let screen = json!({"screen": {"while": {"signal": "bonded", "is": true}}});
    let signals = json!([
        {"code": "strain", "type": "number", "unit": "um/m", "meaning": screen},
        {"code": "bonded", "type": "flag"},
        {"code": "mode", "type": "text"},
    ]);
    let device = json!({"code": "viaduct", "name": "Viaduct", "interval_s": 900, "signals": signals});
    desk.post("sites/marlbeck/devices", device).await.ok();
    let key = desk.issue_key("viaduct").await;
    for (hour, (bonded, height)) in (8..).zip([(true, 5.0), (false, 90.0), (true, 2.5)]) {
        let samples: Vec<f64> = (0..30).map(|i| if i == 20 { height } else { f64::from(i % 3) / 10.0 }).collect();
        let at = format!("2026-05-01T{hour:02}:00:00Z");
        let mode = if bonded { "eco" } else { "idle" };
        let body = json!({"at": at, "every": 0.1, "strain": samples, "bonded": bonded, "mode": mode});
        assert_eq!(desk.deliver(&key, &body.to_string()).await.status.code, 200);
    }
    desk
}

fn times(page: &Value) -> Vec<&str> {
    page["items"].as_array().unwrap().iter().map(|item| item["from"].as_str().unwrap()).collect()
}

#[rocket::async_test]
async fn each_burst_has_its_extremes_and_says_what_is_not_to_be_trusted() {
    let desk = crossed().await;
    let page = desk.get(&format!("{STRAIN}/bursts?{SPAN}")).await.ok();
    let bursts = page["items"].as_array().unwrap();
    assert_eq!(times(&page), ["2026-05-01T08:00:00Z", "2026-05-01T09:00:00Z", "2026-05-01T10:00:00Z"]);
    assert_eq!(bursts[0]["to"], "2026-05-01T08:00:02.9Z");
    assert_eq!((&bursts[0]["count"], &bursts[0]["doubtful"]), (&json!(30), &json!(0)));
    assert_eq!(bursts[0]["max"], json!({"value": 5.0, "at": "2026-05-01T08:00:02Z"}));
    assert_eq!(bursts[0]["min"], json!({"value": 0.0, "at": "2026-05-01T08:00:00Z"}));
    assert_eq!((&bursts[1]["doubtful"], bursts[1].get("max")), (&json!(30), None), "the probe was loose");
    // In another unit, and with a gap that joins what lies within an hour.
    let percent = desk.get(&format!("{STRAIN}/bursts?{SPAN}&unit=mm/m&limit=1")).await.ok();
    let greatest = percent["items"][0]["max"]["value"].as_f64().unwrap();
    assert!((greatest - 0.005).abs() < 1e-12, "{greatest}");
    let joined = desk.get(&format!("{STRAIN}/bursts?{SPAN}&gap_s=3600")).await.ok();
    assert_eq!(joined["items"].as_array().unwrap().len(), 1);
    assert_eq!(joined["items"][0]["count"], 90);
}

#[rocket::async_test]
async fn bursts_page_from_both_ends() {
    let desk = crossed().await;
    for (order, hours) in [("ascending", [8, 9, 10]), ("descending", [10, 9, 8])] {
        let mut after = String::new();
        for hour in hours {
            let page = desk.get(&format!("{STRAIN}/bursts?{SPAN}&order={order}&limit=1{after}")).await.ok();
            assert_eq!(times(&page), [format!("2026-05-01T{hour:02}:00:00Z")], "{order}");
            after = page["next"].as_str().map(|next| format!("&after={next}")).unwrap_or_default();
            assert_eq!(after.is_empty(), hour == hours[2], "{order} {hour}");
        }
    }
}

#[rocket::async_test]
async fn texts_and_flags_stay_until_they_change() {
    let desk = crossed().await;
    let signals = "sites/marlbeck/devices/viaduct/signals";
    let page = desk.get(&format!("{signals}/mode/stays?{SPAN}")).await.ok();
    let told: Vec<_> = page["items"].as_array().unwrap().iter().map(|stay| (&stay["value"], &stay["count"])).collect();
    let (eco, idle, one) = (&json!("eco"), &json!("idle"), &json!(1));
    assert_eq!(told, [(eco, one), (idle, one), (eco, one)]);
    let quality = desk.get(&format!("{STRAIN}/stays?{SPAN}&of=quality")).await.ok();
    let told: Vec<_> = quality["items"].as_array().unwrap().iter().map(|stay| (&stay["value"], &stay["to"])).collect();
    let (good, loose) = (&json!("good"), &json!("dependent"));
    let ends = [8, 9, 10].map(|hour| json!(format!("2026-05-01T{hour:02}:00:02.9Z")));
    assert_eq!(told, [(good, &ends[0]), (loose, &ends[1]), (good, &ends[2])]);
    let first = desk.get(&format!("{signals}/bonded/stays?{SPAN}&limit=2")).await.ok();
    assert_eq!(times(&first), ["2026-05-01T08:00:00Z", "2026-05-01T09:00:00Z"]);
    let rest = format!("{signals}/bonded/stays?{SPAN}&limit=2&after={}", first["next"].as_str().unwrap());
    assert_eq!(times(&desk.get(&rest).await.ok()), ["2026-05-01T10:00:00Z"]);
}

#[rocket::async_test]
async fn a_bad_question_is_refused() {
    let desk = crossed().await;
    for query in [
        "bursts?gap_s=0",
        "bursts?order=sideways",
        "bursts?limit=501",
        "bursts?unit=Cel",
        "stays?limit=0",
        "stays?of=both",
    ] {
        assert_eq!(desk.get(&format!("{STRAIN}/{query}")).await.status.code, 422, "{query}");
    }
}
