//! Views of charts that are kept by name.

use super::desk::Desk;
use rocket::http::Method;
use serde_json::{Value, json};

const VIEWS: &str = "sites/marlbeck/views";

fn names(page: &Value) -> Vec<&str> {
    page["items"].as_array().unwrap().iter().map(|view| view["name"].as_str().unwrap()).collect()
}

#[rocket::async_test]
async fn a_view_is_kept_replaced_and_removed() {
    let desk = Desk::open().await;
    let kept = desk
        .with_body(
            Method::Put,
            &format!("{VIEWS}/Water%20%26%20air"),
            json!({"query": "?signals=tower%2Flevel&span=1w"}),
        )
        .await
        .ok();
    assert_eq!((&kept["name"], &kept["query"]), (&json!("Water & air"), &json!("signals=tower%2Flevel&span=1w")));
    assert!(kept["kept_by"].as_str().is_some_and(|name| !name.is_empty()));
    desk.with_body(Method::Put, &format!("{VIEWS}/Water%20%26%20air"), json!({"query": "span=1d"})).await.ok();
    let page = desk.get(VIEWS).await.ok();
    assert_eq!(names(&page), ["Water & air"], "the same name is the same view");
    assert_eq!(desk.get(&format!("{VIEWS}/Water%20%26%20air")).await.ok()["query"], "span=1d");
    assert_eq!(
        desk.with_body(Method::Delete, &format!("{VIEWS}/Water%20%26%20air"), Value::Null).await.status.code,
        204
    );
    assert_eq!(
        desk.with_body(Method::Delete, &format!("{VIEWS}/Water%20%26%20air"), Value::Null).await.problem(),
        "not-found"
    );
    assert_eq!(desk.get(&format!("{VIEWS}/Water")).await.problem(), "not-found");
}

#[rocket::async_test]
async fn views_are_of_their_site_and_page() {
    let desk = Desk::open().await;
    desk.post("sites", json!({"name": "Other", "code": "other", "zone": "UTC"})).await.ok();
    for name in ["b", "a", "c"] {
        desk.with_body(Method::Put, &format!("{VIEWS}/{name}"), json!({"query": "span=1d"})).await.ok();
    }
    assert_eq!(names(&desk.get("sites/other/views").await.ok()), [""; 0]);
    let first = desk.get(&format!("{VIEWS}?limit=2")).await.ok();
    assert_eq!((names(&first), &first["next"]), (vec!["a", "b"], &json!("b")));
    assert_eq!(names(&desk.get(&format!("{VIEWS}?limit=2&after=b")).await.ok()), ["c"]);
}

#[rocket::async_test]
async fn what_cannot_be_kept_is_refused() {
    let desk = Desk::open().await;
    let long = "x".repeat(4_001);
    for (name, query) in [("a", long.as_str()), ("a", "two\nlines"), (&"n".repeat(121), "span=1d"), ("%20", "span=1d")]
    {
        assert_eq!(
            desk.with_body(Method::Put, &format!("{VIEWS}/{name}"), json!({"query": query})).await.problem(),
            "invalid"
        );
    }
    for number in 0..500 {
        desk.with_body(Method::Put, &format!("{VIEWS}/{number}"), json!({"query": "span=1d"})).await.ok();
    }
    assert_eq!(
        desk.with_body(Method::Put, &format!("{VIEWS}/one-more"), json!({"query": "span=1d"})).await.problem(),
        "invalid"
    );
    desk.with_body(Method::Put, &format!("{VIEWS}/7"), json!({"query": "span=1w"})).await.ok();
}
