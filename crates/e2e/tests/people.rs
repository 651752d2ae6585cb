use super::console::{AXE, log_in, with_browser};
use lantern_e2e::{Client, Service};
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
        let open =
            ["set-up", "log-in", "invited", "come-in", "called-for", "text-replies", "me", "health", "openapi.json"];
        let first = path.trim_start_matches("/api/v1/").split('/').next().unwrap_or_default();
        if path.starts_with("/in") || open.contains(&first) {
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

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn many_guesses_at_once_get_no_further_than_one_after_the_other() {
    let service = Service::start().await;
    let guesses = (0..200).map(|number| {
        let service = &service;
        async move {
            let guess = json!({"name": "ann", "password": format!("guess number {number}")});
            service.post("log-in", guess).await.status.as_u16()
        }
    });
    let answers = futures::future::join_all(guesses).await;
    let judged = answers.iter().filter(|status| **status == 401).count();
    let slowed = answers.iter().filter(|status| **status == 429).count();
    assert_eq!(judged + slowed, 200, "{answers:?}");
    assert!(judged <= 5, "{judged} were judged");
}

/// A crew sets itself up from the command line, and one of them undoes what another did.
#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn people_are_handled_from_the_command_line() {
    let service = Service::start().await;
    service.device("tower", &["level"]).await;
    let ann = Client::logged_in(&service);
    let address = ann.json(&["people", "invite", "Bob, signals", "viewer"])["address"].as_str().unwrap().to_owned();
    assert!(ann.ok(&["people", "invitations"]).contains("Bob, signals"));
    let bob = Client::new(&service);
    assert!(bob.ok(&["come-in", &address, "--name", "bob"]).contains("as bob"));
    let (code, said) = Client::new(&service).fails(&["come-in", &address, "--name", "eve"]);
    assert!(code == 1 && said.contains("was used"), "{said}");

    let (code, said) = bob.fails(&["device", "edit", "tower", "--note", "mine"]);
    assert!(code == 1 && said.contains("A role as viewer does not let you set devices up"), "{said}");
    ann.ok(&["people", "role", "bob", "operator"]);
    bob.ok(&["device", "edit", "tower", "--note", "mine"]);
    let table = ann.ok(&["changes", "tower"]);
    assert!(table.contains("bob") && table.contains("note: nothing -> mine"), "{table}");
    let line = &ann.json(&["changes", "tower", "--who", "bob"])[0];
    assert!(ann.ok(&["undo", &line["id"].to_string()]).contains("is undone"));
    assert_eq!(ann.json(&["device", "show", "tower"])["note"], "");

    let token = bob.json(&["account", "token", "nightly export", "--at-most", "viewer", "--only", "marlbeck"]);
    let token = token["token"].as_str().unwrap().to_owned();
    let program = |arguments: &[&str]| {
        let mut command = Client::new(&service).command(arguments);
        command.env("LANTERN_URL", &service.url).env("LANTERN_TOKEN", &token).output().unwrap()
    };
    assert!(program(&["now"]).status.success());
    let refused = program(&["device", "edit", "tower", "--note", "no"]);
    assert!(String::from_utf8_lossy(&refused.stderr).contains("A role as viewer"), "{refused:?}");
    let sessions = bob.ok(&["account", "sessions"]);
    assert!(sessions.contains("nightly export") && sessions.contains("at most viewer, marlbeck"), "{sessions}");

    assert!(ann.ok(&["everyone", "list"]).contains("marlbeck (operator)"));
    assert!(ann.ok(&["health"]).contains("writer"));
    let (code, said) = ann.fails(&["everyone", "remove", "bob"]);
    assert!(code == 1 && said.contains("--yes"), "{said}");
    ann.ok(&["everyone", "remove", "bob", "--yes"]);
    let (code, said) = bob.fails(&["now"]);
    assert!(code == 1 && said.contains("lantern login"), "{said}");
}

/// Somebody comes in by the address that was made for them, sees what a viewer sees, and later more.
#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn somebody_comes_in_by_a_one_time_address() {
    let service = Service::start().await;
    service.device("tower", &["level"]).await;
    let invitation = json!({"for_whom": "Vera", "role": "viewer"});
    let made = service.post("sites/marlbeck/invitations", invitation).await.ok();
    let axe = std::fs::read_to_string(AXE).expect("axe-core is installed with the console's packages");
    with_browser(async |browser| {
        browser.open(made["address"].as_str().unwrap()).await;
        browser.sees("ann invites you to Marlbeck Light Railway as viewer.").await;
        assert_eq!(browser.axe(&axe).await, Vec::<String>::new());
        browser.fill("Your name", "vera").await;
        browser.fill("Password", "steam and brass").await;
        browser.press("Come in").await;
        browser.sees("tower").await;
        let script = "return [...document.querySelectorAll('header nav a')].map((a) => a.textContent).join()";
        let places = browser.page.execute(script, Vec::new()).await.unwrap();
        assert_eq!(places, "Lamp room,Alarms,Charts", "a viewer sets nothing up");
        let now = browser.page.current_url().await.unwrap();
        browser.open(&format!("{}sites/marlbeck/notes", now.join("/").unwrap())).await;
        browser.sees("No notes yet").await;

        browser.open(&format!("{}account", now.join("/").unwrap())).await;
        browser.sees("(this one)").await;
        assert_eq!(browser.axe(&axe).await, Vec::<String>::new());
    })
    .await;
}

/// An owner invites, reads the record and undoes a change in the console.
#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn an_owner_reads_the_record_and_undoes_a_change() {
    let service = Service::start().await;
    service.device("tower", &["level"]).await;
    let change = json!({"note": "by the old tank"});
    service.api(Method::PATCH, "sites/marlbeck/devices/tower", Some(change)).await.ok();
    let axe = std::fs::read_to_string(AXE).expect("axe-core is installed with the console's packages");
    with_browser(async |browser| {
        log_in(&browser, &service).await;
        browser.open(&format!("{}/sites/marlbeck/notes/changes", service.url)).await;
        browser.sees("by the old tank").await;
        assert_eq!(browser.axe(&axe).await, Vec::<String>::new());
        browser.press("Undo").await;
        browser.sees("Undone by change").await;
        assert_eq!(service.get("sites/marlbeck/devices/tower").await.ok()["note"], "");

        browser.open(&format!("{}/sites/marlbeck/people", service.url)).await;
        browser.press("Invite somebody").await;
        browser.fill("Who it is for", "Bob").await;
        browser.press("Make the address").await;
        browser.sees("is not shown again").await;
        assert_eq!(browser.axe(&axe).await, Vec::<String>::new());
        browser.press("Done").await;
        browser.sees("Invitations that wait").await;
    })
    .await;
}
