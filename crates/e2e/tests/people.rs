use lantern_e2e::Service;
use reqwest::Method;
use reqwest::header::{COOKIE, SET_COOKIE};
use serde_json::json;

#[tokio::test]
async fn the_first_owner_needs_the_printed_code_and_there_is_no_second() {
    let mut service = Service::bare();
    assert_eq!(service.get("set-up").await.ok()["needed"], true);
    let with = |code: &str, password: &str| json!({"code": code, "name": "ann", "password": password, "token": true});
    assert_eq!(service.post("set-up", with("guess", "steam and brass")).await.problem(), "wrong-code");
    let code = service.code.clone().unwrap();
    assert_eq!(service.post("set-up", with(&code, "short")).await.problem(), "invalid");
    service.set_up().await;
    assert_eq!(service.get("set-up").await.ok()["needed"], false);
    assert_eq!(service.post("set-up", with(&code, "steam and brass")).await.problem(), "already-set-up");
}

#[tokio::test]
async fn nothing_is_seen_without_logging_in() {
    let mut service = Service::start().await;
    service.device("tower", &["temp"]).await;
    service.token = String::new();
    let document = service.get("openapi.json").await.ok();
    let mut checked = 0;
    for (path, item) in document["paths"].as_object().unwrap() {
        let open = ["/api/v1/set-up", "/api/v1/log-in", "/api/v1/me", "/api/v1/health", "/api/v1/openapi.json"];
        if path.starts_with("/in") || open.contains(&path.as_str()) {
            continue;
        }
        let real = path
            .replace("{site}", "marlbeck")
            .replace("{device}", "tower")
            .replace("{signal}", "temp")
            .replace("{key}", "1")
            .replace("{id}", "1");
        for method in item.as_object().unwrap().keys() {
            let method = Method::from_bytes(method.to_uppercase().as_bytes()).unwrap();
            let answer = service.send(service.request(method.clone(), &real).json(&json!({}))).await;
            assert_eq!(answer.status.as_u16(), 401, "{method} {real}: {}", answer.text);
            checked += 1;
        }
    }
    assert!(checked > 20, "{checked}");
}

#[tokio::test]
async fn a_browsers_changes_need_the_csrf_token() {
    let service = Service::start().await;
    let log_in = json!({"name": "Ann", "password": "steam and brass"});
    let answer = service.send(service.request(Method::POST, "/api/v1/log-in").json(&log_in)).await;
    let cookie = answer.headers[SET_COOKIE].to_str().unwrap().to_owned();
    for part in ["HttpOnly", "SameSite=Lax", "Path=/"] {
        assert!(cookie.contains(part), "{cookie}");
    }
    let cookie = cookie.split(';').next().unwrap().to_owned();
    let csrf = answer.ok()["csrf"].as_str().unwrap().to_owned();
    let make = |token: Option<&str>| {
        let request = service.request(Method::POST, "/api/v1/sites").header(COOKIE, &cookie);
        let request = request.json(&json!({"name": "Other", "zone": "UTC"}));
        token.map_or(request.try_clone().unwrap(), |token| request.header("X-CSRF-Token", token))
    };
    assert_eq!(service.send(make(None)).await.problem(), "csrf");
    assert_eq!(service.send(make(Some("wrong"))).await.problem(), "csrf");
    service.send(make(Some(&csrf))).await.ok();

    let out = service.request(Method::POST, "/api/v1/log-out").header(COOKIE, &cookie).header("X-CSRF-Token", &csrf);
    assert_eq!(service.send(out).await.status.as_u16(), 204);
    assert_eq!(service.send(make(Some(&csrf))).await.problem(), "not-logged-in");
    // A browser's secret is no token.
    let secret = cookie.split_once('=').unwrap().1;
    let as_token = service.send(service.request(Method::GET, "/api/v1/sites").bearer_auth(secret)).await;
    assert_eq!(as_token.status.as_u16(), 401);
}

#[tokio::test]
async fn failed_attempts_are_slowed() {
    let service = Service::start().await;
    let attempt = |password: &str| json!({"name": "ann", "password": password});
    let mut codes = Vec::new();
    for _ in 0..6 {
        codes.push(service.post("log-in", attempt("wrong password")).await.problem());
    }
    assert_eq!(codes[..4], ["wrong-log-in"; 4]);
    assert_eq!(codes[4..], ["slow-down"; 2]);
    let right = service.post("log-in", attempt("steam and brass")).await;
    assert_eq!(right.status.as_u16(), 429, "the right password has to wait too");
    assert!(right.headers.contains_key("Retry-After"));
    let other = service.post("log-in", json!({"name": "nobody", "password": "x"})).await;
    assert_eq!(other.problem(), "wrong-log-in", "others are not locked out with it");
}

#[tokio::test]
async fn passwords_are_kept_by_argon2id() {
    let mut service = Service::start().await;
    service.stop();
    let file = std::fs::read(service.data().join("key-lantern.sqlite")).unwrap();
    let has = |text: &str| file.windows(text.len()).any(|part| part == text.as_bytes());
    assert!(has("$argon2id$v=19$") && !has("steam and brass"));
}
