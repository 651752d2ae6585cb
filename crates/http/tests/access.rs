//! No route is open by mistake: the description names all of them, so all of them are asked.

use super::desk::Desk;
use lantern_http::openapi_document;
use rocket::http::{ContentType, Method, Status};
use std::str::FromStr;

/// What anybody may ask.
const OPEN: [&str; 6] =
    ["/api/v1/health", "/api/v1/me", "/api/v1/openapi.json", "/api/v1/set-up", "/api/v1/log-in", "/api/v1/log-out"];

/// All operations below the API, with something in the place of their parameters.
fn operations() -> Vec<(Method, String)> {
    let document = openapi_document();
    let mut found = Vec::new();
    for (path, item) in document["paths"].as_object().unwrap() {
        if !path.starts_with("/api/") || OPEN.contains(&path.as_str()) {
            continue;
        }
        let filled = path
            .split('/')
            .map(|part| match part {
                "{site}" => "marlbeck",
                "{device}" => "tower",
                "{signal}" => "level",
                part if part.starts_with('{') => "1",
                part => part,
            })
            .collect::<Vec<_>>()
            .join("/");
        for method in item.as_object().unwrap().keys() {
            found.push((Method::from_str(method).unwrap(), filled.clone()));
        }
    }
    assert!(found.len() > 80, "the description lost most of its routes: {}", found.len());
    found
}

#[rocket::async_test]
async fn nobody_gets_in_without_a_session() {
    let desk = Desk::open().await;
    desk.device("tower").await;
    for (method, path) in operations() {
        for token in ["", "not-a-token"] {
            let body = Some((ContentType::JSON, "{}".to_owned()));
            let answer = desk.ask(method, &path, token, body).await;
            assert_eq!(answer.status, Status::Unauthorized, "{method} {path}: {}", answer.text);
        }
    }
}

#[rocket::async_test]
async fn the_key_of_a_device_opens_nothing_of_the_api() {
    let desk = Desk::open().await;
    let key = desk.device("tower").await;
    assert_eq!(desk.deliver(&key, r#"{"level": 2.3}"#).await.text, "ok 1\n", "it is a good key");
    for (method, path) in operations() {
        let body = Some((ContentType::JSON, "{}".to_owned()));
        let answer = desk.ask(method, &path, &key, body).await;
        let is_refused = [Status::Unauthorized, Status::Forbidden].contains(&answer.status);
        assert!(is_refused, "{method} {path}: {}", answer.text);
    }
}

#[rocket::async_test]
async fn what_is_not_there_is_said_in_every_route() {
    let desk = Desk::open().await;
    for (method, path) in
        operations().into_iter().filter(|(method, path)| *method == Method::Get && path.contains("/sites/marlbeck/"))
    {
        let elsewhere = path.replace("/sites/marlbeck/", "/sites/nowhere/");
        let answer = desk.ask(method, &elsewhere, &desk.token, None).await;
        // Some want a parameter before they look for the site.
        let code = answer.problem();
        assert!(["not-found", "invalid"].contains(&code.as_str()), "{method} {elsewhere}: {}", answer.text);
    }
}
