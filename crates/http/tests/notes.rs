//! Notes: kept, found by what they are about and when, changed, removed; and marks beside readings.

use super::desk::Desk;
use rocket::http::Method;
use serde_json::{Value, json};

const NOTES: &str = "sites/marlbeck/notes";

async fn write(desk: &Desk, about: &str, from: &str, to: Option<&str>, text: &str) -> i64 {
    let mut note = json!({"about": about, "from": from, "text": text});
    if let Some(to) = to {
        note["to"] = json!(to);
    }
    desk.post(NOTES, note).await.ok()["id"].as_i64().unwrap()
}

fn texts(page: &Value) -> Vec<String> {
    page["items"].as_array().unwrap().iter().map(|note| note["text"].as_str().unwrap().to_owned()).collect()
}

async fn found(desk: &Desk, query: &str) -> Vec<String> {
    texts(&desk.get(&format!("{NOTES}?{query}")).await.ok())
}

/// Five notes: of the site, two devices, a signal, and one over a span.
async fn five() -> Desk {
    let desk = Desk::open().await;
    desk.add_device("tower").await;
    desk.add_device("shed").await;
    write(&desk, "", "2026-05-01T08:00:00Z", None, "season opens").await;
    write(&desk, "tower", "2026-05-02T08:00:00Z", None, "ladder painted").await;
    write(&desk, "tower/level", "2026-05-03T08:00:00Z", Some("2026-05-05T08:00:00Z"), "float stuck").await;
    write(&desk, "shed", "2026-05-04T08:00:00Z", None, "door left open").await;
    write(&desk, "shed/level", "2026-05-06T08:00:00Z", None, "new probe").await;
    desk
}

#[rocket::async_test]
async fn notes_are_found_by_what_they_are_about() {
    let desk = five().await;
    let all = ["new probe", "door left open", "float stuck", "ladder painted", "season opens"];
    for (query, expected) in [
        ("", &all[..]),
        ("about=tower", &["float stuck", "ladder painted", "season opens"]),
        ("about=tower/level", &["float stuck", "ladder painted", "season opens"]),
        ("about=shed/level", &["new probe", "door left open", "season opens"]),
        ("about=tower,shed/level", &all[..]),
        ("about=", &["season opens"]),
    ] {
        assert_eq!(found(&desk, query).await, expected, "{query}");
    }
    desk.post("sites/marlbeck/devices/shed/signals", json!({"code": "door", "type": "flag"})).await.ok();
    let other = found(&desk, "about=shed/door").await;
    assert_eq!(other, ["door left open", "season opens"], "another signal's note is not about this one");
}

#[rocket::async_test]
async fn notes_are_found_by_the_time_they_touch() {
    let desk = five().await;
    for (from, to, expected) in [
        ("2026-05-04T00:00:00Z", "2026-05-04T08:00:00Z", &["float stuck"][..]),
        ("2026-05-04T00:00:00Z", "2026-05-04T08:00:01Z", &["door left open", "float stuck"]),
        ("2026-05-05T08:00:00Z", "2026-05-05T09:00:00Z", &["float stuck"]),
        ("2026-05-05T08:00:01Z", "2026-05-05T09:00:00Z", &[]),
        ("2026-05-01T08:00:00Z", "2026-05-01T08:00:01Z", &["season opens"]),
    ] {
        assert_eq!(found(&desk, &format!("from={from}&to={to}")).await, expected, "{from} {to}");
    }
}

#[rocket::async_test]
async fn pages_hold_each_note_once_also_of_the_same_time() {
    let desk = Desk::open().await;
    for number in 0..7 {
        let day = 1 + number / 3;
        write(&desk, "", &format!("2026-05-0{day}T08:00:00Z"), None, &number.to_string()).await;
    }
    let mut seen = Vec::new();
    let mut after = String::new();
    loop {
        let page = desk.get(&format!("{NOTES}?limit=2{after}")).await.ok();
        seen.extend(texts(&page));
        let Some(next) = page["next"].as_str() else { break };
        after = format!("&after={next}");
    }
    assert_eq!(seen, ["6", "5", "4", "3", "2", "1", "0"]);
    for cursor in ["1", "x.1", "1.x", "."] {
        assert_eq!(desk.get(&format!("{NOTES}?after={cursor}")).await.problem(), "invalid", "{cursor}");
    }
}

#[rocket::async_test]
async fn a_note_is_changed_moved_and_removed() {
    let desk = five().await;
    let id = write(&desk, "tower", "2026-05-07T08:00:00Z", None, "rust on the pipe").await;
    let path = format!("{NOTES}/{id}");
    assert_eq!(desk.get(&path).await.ok()["written_by"], "ann");
    let new = json!({"about": "shed", "from": "2026-05-07T09:00:00Z", "to": "2026-05-07T10:00:00Z", "text": " rust "});
    let changed = desk.with_body(Method::Put, &path, new).await.ok();
    let told = ["about", "from", "to", "text", "written_by", "changed_by"].map(|name| changed[name].clone());
    assert_eq!(json!(told), json!(["shed", "2026-05-07T09:00:00Z", "2026-05-07T10:00:00Z", "rust", "ann", "ann"]));
    assert_eq!(found(&desk, "about=tower&from=2026-05-07T00:00:00Z").await, [""; 0]);
    desk.ask(Method::Delete, &format!("/api/v1/{path}"), &desk.token, None).await;
    assert_eq!(desk.get(&path).await.problem(), "not-found");
    let again = desk.ask(Method::Delete, &format!("/api/v1/{path}"), &desk.token, None).await;
    assert_eq!(again.problem(), "not-found");
}

#[rocket::async_test]
async fn what_cannot_be_a_note_is_refused() {
    let desk = five().await;
    let long = "x".repeat(4_001);
    for (note, code) in [
        (json!({"from": "2026-05-01T08:00:00Z", "text": "  "}), "invalid"),
        (json!({"from": "2026-05-01T08:00:00Z", "text": long}), "invalid"),
        (json!({"from": "yesterday", "text": "x"}), "invalid"),
        (json!({"from": "1926-05-01T08:00:00Z", "text": "x"}), "invalid"),
        (json!({"from": "2026-05-01T08:00:00Z", "to": "2026-05-01T08:00:00Z", "text": "x"}), "invalid"),
        (json!({"about": "mill", "from": "2026-05-01T08:00:00Z", "text": "x"}), "not-found"),
        (json!({"about": "tower/depth", "from": "2026-05-01T08:00:00Z", "text": "x"}), "not-found"),
        (json!({"from": "2026-05-01T08:00:00Z", "text": "x", "colour": "red"}), "bad-body"),
    ] {
        assert_eq!(desk.post(NOTES, note.clone()).await.problem(), code, "{note}");
    }
    assert_eq!(found(&desk, "").await.len(), 5, "nothing of it was kept");
}

#[rocket::async_test]
async fn notes_stay_within_their_site_and_go_and_come_with_their_device() {
    let desk = five().await;
    desk.post("sites", json!({"name": "Mill", "code": "mill", "zone": "UTC"})).await.ok();
    let id = write(&desk, "tower/level", "2026-05-08T08:00:00Z", None, "ours").await;
    assert_eq!(desk.get("sites/mill/notes").await.ok()["items"], json!([]));
    assert_eq!(desk.get(&format!("sites/mill/notes/{id}")).await.problem(), "not-found");
    let elsewhere = json!({"from": "2026-05-08T08:00:00Z", "text": "theirs"});
    let changed = desk.with_body(Method::Put, &format!("sites/mill/notes/{id}"), elsewhere).await;
    assert_eq!(changed.problem(), "not-found");
    let removed = desk.ask(Method::Delete, &format!("/api/v1/sites/mill/notes/{id}"), &desk.token, None).await;
    assert_eq!(removed.problem(), "not-found");
    desk.ask(Method::Delete, "/api/v1/sites/marlbeck/devices/tower?confirm=tower", &desk.token, None).await.ok();
    assert_eq!(found(&desk, "").await, ["new probe", "door left open", "season opens"]);
    desk.post("sites/marlbeck/devices/tower/restore", json!({})).await.ok();
    assert_eq!(found(&desk, "about=tower").await[0], "ours");
}

#[rocket::async_test]
async fn marks_are_what_stands_beside_the_readings_of_signals() {
    let desk = five().await;
    let key = desk.issue_key("tower").await;
    desk.deliver(&key, r#"{"level": 2}"#).await;
    let hand = json!({"value": 1.5, "at": "2026-05-04T12:00:00Z", "note": "by the staff"});
    desk.post("sites/marlbeck/devices/tower/signals/level/readings", hand).await.ok();
    let span = "from=2026-05-04T09:00:00Z&to=2026-05-05T09:00:00Z";
    let marks = desk.get(&format!("sites/marlbeck/marks?signals=tower/level&{span}")).await.ok();
    let told: Vec<_> = marks["marks"]
        .as_array()
        .unwrap()
        .iter()
        .map(|mark| json!([mark["kind"], mark["about"], mark["from"], mark["text"], mark["by"]]))
        .collect();
    let expected = json!([
        ["note", "tower/level", "2026-05-03T08:00:00Z", "float stuck", "ann"],
        ["hand-reading", "tower/level", "2026-05-04T12:00:00Z", "by the staff", "ann"],
    ]);
    assert_eq!(json!(told), expected);
    assert_eq!(marks["more"], false);
    let beside = desk.get(&format!("sites/marlbeck/marks?signals=shed/level&{span}")).await.ok();
    assert_eq!(beside["marks"], json!([]), "nothing of another device");
    assert_eq!(desk.get("sites/marlbeck/marks").await.problem(), "invalid");
}

#[rocket::async_test]
async fn no_more_marks_are_told_than_an_answer_holds() {
    let desk = Desk::open().await;
    desk.add_device("tower").await;
    for second in 0..501 {
        let at = format!("2026-05-01T08:{:02}:{:02}Z", second / 60, second % 60);
        write(&desk, "tower", &at, None, &second.to_string()).await;
    }
    let span = "from=2026-05-01T08:00:00Z&to=2026-05-01T09:00:00Z";
    let marks = desk.get(&format!("sites/marlbeck/marks?signals=tower/level&{span}")).await.ok();
    let told = marks["marks"].as_array().unwrap();
    assert_eq!((told.len(), &marks["more"], &told[0]["text"]), (500, &json!(true), &json!("1")));
}
