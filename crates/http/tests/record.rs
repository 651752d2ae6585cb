//! The record of changes: every change has its line, with what was before and after, and can be undone.

use super::desk::Desk;
use rocket::http::{ContentType, Method, Status};
use serde_json::{Value, json};

async fn send(desk: &Desk, method: Method, path: &str, body: Value) -> Value {
    let answer =
        desk.ask(method, &format!("/api/v1/{path}"), &desk.token, Some((ContentType::JSON, body.to_string()))).await;
    assert_eq!(answer.status.code / 100, 2, "{method} {path}: {}", answer.text);
    if answer.text.is_empty() { Value::Null } else { answer.json() }
}

async fn lines(desk: &Desk, query: &str) -> Vec<Value> {
    desk.get(&format!("sites/marlbeck/changes{query}")).await.ok()["items"].as_array().unwrap().clone()
}

async fn newest(desk: &Desk) -> Value {
    lines(desk, "?limit=1").await.remove(0)
}

fn told(line: &Value) -> String {
    format!("{} {}", line["action"].as_str().unwrap(), line["object"].as_str().unwrap())
}

/// What is done, and the line it leaves.
#[rocket::async_test]
async fn every_kind_of_change_leaves_its_line() {
    let desk = Desk::open().await;
    desk.device("tower").await;
    desk.someone("bob", "marlbeck", "viewer").await;
    let kind = json!({"name": "Tank gauge", "code": "gauge", "signals": [{"code": "level", "type": "number"}]});
    let meaning = json!({"meaning": {"conversion": {"steps": [{"step": "scale", "factor": 0.1}]}}});
    let hand = json!({"value": 2.5, "at": "2026-05-01T12:00:00Z"});
    let note = json!({"about": "tower", "from": "2026-05-01T12:00:00Z", "text": "Filter cleaned"});
    let t = "devices/tower";
    let cases: [(Method, &str, Value, String); 14] = [
        (Method::Patch, "", json!({"name": "Marlbeck"}), "changed ".to_owned()),
        (Method::Post, "devices", json!({"name": "Shed", "code": "shed"}), "added devices/shed".to_owned()),
        (Method::Patch, t, json!({"note": "by the tank"}), format!("changed {t}")),
        (
            Method::Post,
            "devices/tower/signals",
            json!({"code": "flow", "type": "number"}),
            format!("added {t}/signals/flow"),
        ),
        (Method::Patch, "devices/tower/signals/level", json!({"unit": "cm"}), format!("changed {t}/signals/level")),
        (Method::Put, "devices/tower/signals/flow/meaning", meaning, format!("changed {t}/signals/flow")),
        (
            Method::Put,
            "devices/tower/signals/flow/retention",
            json!({"raw_s": 7776000}),
            format!("changed {t}/signals/flow"),
        ),
        (Method::Post, "devices/tower/signals/flow/readings", hand, format!("entered a reading of {t}/signals/flow")),
        (Method::Post, "kinds", kind, "added kinds/gauge".to_owned()),
        (Method::Post, "notes", note, "added notes/1".to_owned()),
        (Method::Put, "views/Water", json!({"query": "signals=tower/level"}), "changed views/Water".to_owned()),
        (Method::Put, "people/bob", json!({"role": "operator"}), "changed people/bob".to_owned()),
        (Method::Delete, "people/bob", json!({}), "removed people/bob".to_owned()),
        (Method::Delete, "devices/shed?confirm=shed", json!({}), "removed devices/shed".to_owned()),
    ];
    for (method, path, body, expected) in cases {
        send(&desk, method, format!("sites/marlbeck/{path}").trim_end_matches('/'), body).await;
        let line = newest(&desk).await;
        assert_eq!(told(&line), expected, "{method} {path}: {line}");
        assert_eq!((&line["who"], &line["site"]), (&json!("ann"), &json!("marlbeck")));
        assert!(line["way"].as_str().unwrap().starts_with("token"), "{line}");
    }
}

#[rocket::async_test]
async fn what_changes_nothing_or_fails_leaves_no_line() {
    let desk = Desk::open().await;
    let key = desk.device("tower").await;
    desk.deliver(&key, r#"{"level": 2.3}"#).await;
    let before = lines(&desk, "").await.len();
    send(&desk, Method::Patch, "sites/marlbeck/devices/tower", json!({"name": "tower"})).await;
    let count = async || lines(&desk, "").await.len();
    let same = count().await;
    send(&desk, Method::Patch, "sites/marlbeck/devices/tower", json!({"name": "tower"})).await;
    assert_eq!(count().await, same, "it had that name already");
    let bad = desk.ask(
        Method::Patch,
        "/api/v1/sites/marlbeck/devices/tower",
        &desk.token,
        Some((ContentType::JSON, r#"{"interval_s": -1}"#.to_owned())),
    );
    assert_eq!(bad.await.status, Status::UnprocessableEntity);
    send(&desk, Method::Delete, "sites/marlbeck/devices/tower", json!({})).await;
    send(
        &desk,
        Method::Put,
        "sites/marlbeck/devices/tower/signals/level/retention?dry_run=true",
        json!({"raw_s": 86400}),
    )
    .await;
    assert_eq!(count().await, same);
    assert!(same - before <= 1);
}

#[rocket::async_test]
async fn no_secret_is_in_the_record() {
    let desk = Desk::open().await;
    let key = desk.device("tower").await;
    let made = desk.post("sites/marlbeck/invitations", json!({"for_whom": "bob", "role": "viewer"})).await.ok();
    let secret = made["address"].as_str().unwrap().split_once('#').unwrap().1.to_owned();
    let token = desk.post("account/tokens", json!({"name": "export", "days": 1})).await.ok();
    let password = json!({"old": "steam and brass", "new": "rails and rivets"});
    send(&desk, Method::Put, "account/password", password).await;
    let all = desk.get("changes?limit=500").await;
    let items = all.ok()["items"].as_array().unwrap().len();
    assert!(items >= 5, "{}", all.text);
    for secret in [key, secret, token["token"].as_str().unwrap().to_owned(), "rails and rivets".to_owned()] {
        assert!(!all.text.contains(&secret), "{}", all.text);
    }
}

#[rocket::async_test]
async fn a_change_is_undone_as_long_as_nobody_changed_the_same_again() {
    let desk = Desk::open().await;
    desk.device("tower").await;
    let device = "sites/marlbeck/devices/tower";
    let signal = format!("{device}/signals/level");
    let read = async |path: &str, field: &str| desk.get(path).await.ok()[field].clone();
    let undo = async |line: &Value| desk.post(&format!("sites/marlbeck/changes/{}/undo", line["id"]), json!({})).await;

    send(&desk, Method::Patch, device, json!({"name": "North tower", "interval_s": 45})).await;
    let first = newest(&desk).await;
    let fields: Vec<&str> =
        first["differences"].as_array().unwrap().iter().map(|one| one["field"].as_str().unwrap()).collect();
    assert_eq!(fields, ["interval_s", "name"]);
    // Another field may have changed since, the same may not.
    send(&desk, Method::Patch, device, json!({"note": "by the tank"})).await;
    send(&desk, Method::Patch, device, json!({"interval_s": 20})).await;
    let second = newest(&desk).await;
    assert_eq!(undo(&first).await.problem(), "changed-since");
    undo(&second).await.ok();
    undo(&first).await.ok();
    assert_eq!(read(device, "name").await, "tower");
    assert_eq!(read(device, "note").await, "by the tank");
    assert_eq!(undo(&first).await.problem(), "cannot-undo", "once");

    send(&desk, Method::Patch, &signal, json!({"unit": "cm"})).await;
    undo(&newest(&desk).await).await.ok();
    assert_eq!(read(&signal, "unit").await, "m");
    let meaning = json!({"meaning": {"conversion": {"steps": [{"step": "scale", "factor": 0.1}]}}});
    send(&desk, Method::Put, &format!("{signal}/meaning"), meaning).await;
    undo(&newest(&desk).await).await.ok();
    assert_eq!(read(&format!("{signal}/meaning"), "meaning").await, Value::Null);

    send(&desk, Method::Delete, &format!("{device}?confirm=tower"), json!({})).await;
    undo(&newest(&desk).await).await.ok();
    assert_eq!(read(device, "code").await, "tower");

    let note = json!({"about": "tower", "from": "2026-05-01T12:00:00Z", "text": "Filter cleaned"});
    send(&desk, Method::Post, "sites/marlbeck/notes", note).await;
    send(&desk, Method::Delete, "sites/marlbeck/notes/1", json!({})).await;
    undo(&newest(&desk).await).await.ok();
    assert_eq!(desk.get("sites/marlbeck/notes").await.ok()["items"][0]["text"], "Filter cleaned");

    send(&desk, Method::Patch, "sites/marlbeck", json!({"zone": "UTC"})).await;
    undo(&newest(&desk).await).await.ok();
    assert_eq!(read("sites/marlbeck", "zone").await, "Europe/London");
}

#[rocket::async_test]
async fn undoing_takes_the_right_of_the_change() {
    let desk = Desk::open().await;
    send(&desk, Method::Patch, "sites/marlbeck", json!({"zone": "UTC"})).await;
    let operator = desk.someone("oscar", "marlbeck", "operator").await;
    let line = lines(&desk, "?words=europe").await.remove(0);
    let path = format!("/api/v1/sites/marlbeck/changes/{}/undo", line["id"]);
    let answer = desk.ask(Method::Post, &path, &operator, Some((ContentType::JSON, "{}".to_owned()))).await;
    assert_eq!(answer.problem(), "not-allowed");
}

#[rocket::async_test]
async fn the_record_is_searched_by_object_person_words_and_time() {
    let desk = Desk::open().await;
    desk.device("tower").await;
    desk.device("shed").await;
    let device = |code: &str| format!("sites/marlbeck/devices/{code}");
    send(&desk, Method::Patch, &device("tower"), json!({"note": "by the Tank"})).await;
    send(&desk, Method::Patch, &format!("{}/signals/level", device("tower")), json!({"unit": "cm"})).await;
    send(&desk, Method::Patch, &device("shed"), json!({"note": "dry"})).await;
    let count = async |query: &str| lines(&desk, query).await.len();
    assert_eq!(count("?words=tank").await, 1);
    assert_eq!(count("?who=bob").await, 0);
    assert_eq!(count("?who=ANN").await, lines(&desk, "").await.len());
    assert_eq!(count("?to=2020-01-01T00:00:00Z").await, 0);
    assert_eq!(count("?from=2020-01-01T00:00:00Z&object=devices/tower/signals/level").await, 1);
    assert!(lines(&desk, "?object=devices/tower").await.iter().all(|line| told(line).contains("devices/tower")));
    // Page by page, each line once.
    let all = lines(&desk, "").await;
    let mut seen = Vec::new();
    let mut after = String::new();
    loop {
        let page = desk.get(&format!("sites/marlbeck/changes?limit=2{after}")).await.ok();
        seen.extend(page["items"].as_array().unwrap().iter().map(|line| line["id"].clone()));
        match page["next"].as_str() {
            Some(next) => after = format!("&after={next}"),
            None => break,
        }
    }
    assert_eq!(seen, all.iter().map(|line| line["id"].clone()).collect::<Vec<_>>());
}

#[rocket::async_test]
async fn the_record_is_taken_away_as_a_file() {
    let desk = Desk::open().await;
    desk.device("tower").await;
    send(&desk, Method::Patch, "sites/marlbeck/devices/tower", json!({"note": "=by the \"tank\", left"})).await;
    desk.someone("vera", "marlbeck", "viewer").await;
    let answer = desk.get("sites/marlbeck/changes/file?object=devices/tower").await;
    assert_eq!(answer.status, Status::Ok);
    let rows: Vec<&str> = answer.text.lines().collect();
    assert_eq!(rows[0], "id,at,who,way,from,action,object,field,before,after");
    let changed = rows.iter().find(|row| row.contains(",changed,devices/tower,note,")).unwrap();
    assert!(changed.ends_with(r#",,"'=by the ""tank"", left""#), "a spreadsheet must not run it: {changed}");
    assert!(rows.iter().any(|row| row.contains(",added,devices/tower,")), "{}", answer.text);
    let none = desk.get("sites/marlbeck/changes/file?who=nobody").await;
    assert_eq!(none.text.lines().count(), 1);
}

#[rocket::async_test]
async fn what_many_objects_become_at_once_is_told_of_each() {
    let desk = Desk::open().await;
    let signal = json!({"code": "level", "type": "number", "unit": "m"});
    let devices = json!({"devices": [
        {"name": "Tower", "code": "tower", "signals": [signal]}, {"name": "Shed", "code": "shed"},
    ]});
    send(&desk, Method::Post, "sites/marlbeck/devices/several", devices).await;
    let all: Vec<String> = lines(&desk, "?limit=3").await.iter().map(told).collect();
    assert_eq!(all, ["added several devices", "added devices/shed", "added devices/tower"]);
    let mut document = desk.get("sites/marlbeck/document").await.ok();
    let tower = document["devices"].as_array_mut().unwrap().iter_mut().find(|one| one["code"] == "tower").unwrap();
    tower["note"] = json!("by the bridge");
    tower["signals"][0]["unit"] = json!("cm");
    document["devices"].as_array_mut().unwrap().push(json!({"name": "Hut", "code": "hut"}));
    document["site"]["name"] = json!("Marlbeck Railway");
    send(&desk, Method::Post, "sites/marlbeck/document?dry_run=true", document.clone()).await;
    assert_eq!(told(&newest(&desk).await), "added several devices", "nothing was done");
    send(&desk, Method::Post, "sites/marlbeck/document", document.clone()).await;
    let all = lines(&desk, "?limit=5").await;
    let mut words: Vec<String> = all.iter().map(told).collect();
    words[1..].sort();
    let expected = [
        "applied a document to ",
        "added devices/hut",
        "changed ",
        "changed devices/tower",
        "changed devices/tower/signals/level",
    ];
    assert_eq!(words, expected);
    let level = all.iter().find(|line| line["object"] == "devices/tower/signals/level").unwrap();
    assert_eq!(level["differences"][0], json!({"field": "unit", "before": "m", "after": "cm"}));
    // One of them can be undone, and the rest stays.
    send(&desk, Method::Post, &format!("sites/marlbeck/changes/{}/undo", level["id"]), json!({})).await;
    let now = desk.get("sites/marlbeck/devices/tower").await.ok();
    let signal = desk.get("sites/marlbeck/devices/tower/signals/level").await.ok();
    assert_eq!((&signal["unit"], &now["note"]), (&json!("m"), &json!("by the bridge")));
    send(&desk, Method::Post, "sites/marlbeck/document", document.clone()).await;
    send(&desk, Method::Post, "sites/marlbeck/document", document).await;
    let words: Vec<String> = lines(&desk, "?limit=2").await.iter().map(told).collect();
    assert_eq!(words, ["applied a document to ", "applied a document to "], "the second changed nothing");
}
