//! What is answered, and how.

use super::desk::Desk;
use rocket::http::{ContentType, Method};
use serde_json::{Value, json};

#[rocket::async_test]
async fn a_list_gives_each_item_once_page_by_page() {
    let desk = Desk::open().await;
    for number in 0..7 {
        desk.device(&format!("board-{number}")).await;
    }
    let (mut seen, mut after) = (Vec::new(), String::new());
    loop {
        let page = desk.get(&format!("sites/marlbeck/devices?limit=3&after={after}")).await.ok();
        let items = page["items"].as_array().unwrap();
        assert!(items.len() <= 3);
        seen.extend(items.iter().map(|item| item["code"].as_str().unwrap().to_owned()));
        match page["next"].as_str() {
            Some(next) => after = next.to_owned(),
            None => break,
        }
    }
    assert_eq!(seen, (0..7).map(|number| format!("board-{number}")).collect::<Vec<_>>());
}

/// GETs of lists, by the description: those with `limit` and `after`, and how much they give at most.
fn lists() -> Vec<(String, i64)> {
    let document = lantern_http::openapi_document();
    let mut found = Vec::new();
    for (path, item) in document["paths"].as_object().unwrap() {
        let parameters = item["get"]["parameters"].as_array().into_iter().flatten();
        let by_name: std::collections::HashMap<&str, &Value> =
            parameters.map(|parameter| (parameter["name"].as_str().unwrap(), parameter)).collect();
        if let (Some(limit), true) = (by_name.get("limit"), by_name.contains_key("after")) {
            let path = path.trim_start_matches("/api/v1/").replace("{site}", "marlbeck").replace("{device}", "tower");
            let path =
                path.replace("{signal}", "level").replace("{name}", "tank-gauge").replace("{kind}", "tank-gauge");
            found.push((path, limit["schema"]["maximum"].as_i64().unwrap()));
        }
    }
    found
}

#[rocket::async_test]
async fn every_list_is_bounded_as_it_is_described() {
    let desk = Desk::open().await;
    let key = desk.device("tower").await;
    desk.device("shed").await;
    desk.deliver(&key, r#"[{"at": 1777636800, "level": 2.31, "door": true}, {"at": 1777636830, "level": 2.32}]"#).await;
    let kind = json!({"name": "Tank gauge", "code": "tank-gauge", "signals": [{"code": "level", "type": "number"}]});
    desk.post("sites/marlbeck/kinds", kind).await.ok();
    let lists = lists();
    assert!(lists.len() >= 10, "the description lost its lists: {lists:?}");
    for (path, most) in lists {
        let page = desk.get(&format!("{path}?limit=1")).await.ok();
        // A report of devices is a page of them, with more around it.
        let items = page["items"].as_array().or_else(|| page["devices"].as_array());
        assert!(items.is_some_and(|items| items.len() <= 1), "{path}: {page}");
        desk.get(&format!("{path}?limit={most}")).await.ok();
        for beyond in ["0".to_owned(), (most + 1).to_string(), "many".to_owned()] {
            let answer = desk.get(&format!("{path}?limit={beyond}")).await;
            answer.problem();
            assert_eq!(answer.status.code, 422, "{path}?limit={beyond}: {}", answer.text);
        }
    }
}

#[rocket::async_test]
async fn parameters_beyond_their_bounds_are_refused_by_name() {
    let desk = Desk::open().await;
    desk.device("tower").await;
    let signal = "sites/marlbeck/devices/tower/signals/level";
    let cases = [
        ("sites/marlbeck/devices?limit=0".to_owned(), "limit"),
        ("sites/marlbeck/devices?limit=501".to_owned(), "limit"),
        (format!("{signal}/readings?limit=5001"), "limit"),
        (format!("{signal}/readings?from=yesterday"), "from"),
        ("sites/marlbeck/summary?signals=tower/level&buckets=2001".to_owned(), "buckets"),
        (format!("{signal}/readings?unit=s"), "unit"),
    ];
    for (path, name) in cases {
        let answer = desk.get(&path).await;
        answer.problem();
        assert_eq!(answer.status.code, 422, "{path}: {}", answer.text);
        assert!(answer.text.contains(name), "{path}: {}", answer.text);
    }
}

#[rocket::async_test]
async fn a_body_with_a_field_nobody_knows_is_refused() {
    let desk = Desk::open().await;
    for (method, path, body) in [
        (Method::Post, "sites/marlbeck/devices", json!({"name": "Tower", "colour": "red"})),
        (Method::Patch, "sites/marlbeck", json!({"timezone": "Europe/London"})),
        (Method::Post, "sites", json!({"name": "Quarry"})),
    ] {
        let answer = desk.with_body(method, path, body).await;
        answer.problem();
        assert!((400..500).contains(&answer.status.code), "{path}: {}", answer.text);
    }
}

#[rocket::async_test]
async fn null_takes_away_and_absence_leaves() {
    let desk = Desk::open().await;
    desk.device("tower").await;
    let path = "sites/marlbeck/devices/tower";
    let place = json!({"latitude": 54.2, "longitude": -2.4});
    let changed = desk.with_body(Method::Patch, path, json!({"position": place})).await.ok();
    assert_eq!(changed["position"], place);
    let left = desk.with_body(Method::Patch, path, json!({"note": "beside the line"})).await.ok();
    assert_eq!(left["position"], place);
    let gone = desk.with_body(Method::Patch, path, json!({"position": null})).await.ok();
    assert_eq!((&gone["position"], &gone["note"]), (&Value::Null, &json!("beside the line")));
}

#[rocket::async_test]
async fn a_reading_comes_back_in_the_unit_that_is_asked_for() {
    let desk = Desk::open().await;
    let key = desk.device("tower").await;
    desk.deliver(&key, r#"{"at": 1777636800, "level": 2.31}"#).await;
    let path = "sites/marlbeck/devices/tower/signals/level/readings";
    for (unit, value) in [("m", 2.31), ("cm", 231.0), ("mm", 2310.0)] {
        let page = desk.get(&format!("{path}?from=0&unit={unit}")).await.ok();
        let found = page["items"][0]["value"].as_f64().unwrap();
        assert!((found - value).abs() < 1e-9, "{unit}: {page}");
    }
}

#[rocket::async_test]
async fn a_sender_is_answered_in_the_form_it_asks_for() {
    let desk = Desk::open().await;
    let key = desk.device("tower").await;
    let ok = desk.deliver(&key, r#"{"level": 1, "door": true}"#).await;
    assert_eq!((ok.text.as_str(), ok.media.split(';').next()), ("ok 2 waiting 1\n", Some("text/plain")));
    let plain = desk.ask(Method::Get, &format!("/in/{key}?level=1.5"), "", None).await;
    assert_eq!(plain.text, "ok 1\n");
    let wrong = desk.ask(Method::Get, "/in/0123456789?level=1.5", "", None).await;
    assert!(wrong.text.starts_with("error unknown-key: "), "{}", wrong.text);
    let broken = desk.ask(Method::Post, "/in", &key, Some((ContentType::JSON, "{".to_owned()))).await;
    assert_eq!(broken.problem(), "malformed-json");
}

#[rocket::async_test]
async fn what_does_not_exist_is_a_problem_too() {
    let desk = Desk::open().await;
    for path in ["/api/v1/nothing", "/api/v1/sites/marlbeck/nothing"] {
        let answer = desk.ask(Method::Get, path, &desk.token, None).await;
        assert_eq!((answer.status.code, answer.problem().as_str()), (404, "no-such-address"), "{path}");
    }
}

#[rocket::async_test]
async fn a_sender_with_a_wrong_address_hears_of_it_and_is_in_the_contact_log() {
    let desk = Desk::open().await;
    let key = desk.device("tower").await;
    for (method, path, meant) in [
        (Method::Get, format!("/inn/{key}?temp=24.5"), "/in/KEY"),
        (Method::Post, format!("/{key}"), "/in/KEY"),
        (Method::Put, "/inn".to_owned(), "/in`"),
        (Method::Get, "/sites/marlbeck".to_owned(), "/in/KEY"),
    ] {
        let answer = desk.ask(method, &path, "", None).await;
        assert_eq!(answer.status.code, 404, "{path}");
        assert!(answer.text.contains("no-such-address") && answer.text.contains(meant), "{}", answer.text);
        assert!(!answer.text.contains(&key), "{}", answer.text);
    }
    let of = |path: &'static str| desk.ask(Method::Get, path, &desk.token, None);
    let own = of("/api/v1/sites/marlbeck/devices/tower/contacts").await;
    assert_eq!(own.text.matches("no-such-address").count(), 2, "{}", own.text);
    assert!(!own.text.contains(&key), "{}", own.text);
    let unknown = of("/api/v1/contacts/unknown").await;
    assert!(unknown.text.contains("Nothing answers at `/inn`"), "{}", unknown.text);
}
