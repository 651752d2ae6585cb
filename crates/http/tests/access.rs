//! No route is open by mistake: the description names all of them, so all of them are asked.

use super::desk::Desk;
use lantern_core::access::{Right, Role, Standing};
use lantern_http::openapi_document;
use rocket::http::{ContentType, Method, Status};
use serde_json::json;
use std::str::FromStr;

/// What anybody may ask.
const OPEN: [&str; 10] = [
    "/api/v1/health",
    "/api/v1/me",
    "/api/v1/openapi.json",
    "/api/v1/set-up",
    "/api/v1/log-in",
    "/api/v1/invited",
    "/api/v1/come-in",
    "/api/v1/called-for",
    "/api/v1/called-for/acknowledge",
    "/api/v1/text-replies/{key}",
];

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

/// The guide's table of what each role may do is the one that holds.
#[test]
fn the_guide_says_what_each_role_may_do() {
    let guide = include_str!("../../../docs/guide/people.md");
    let roles = Role::ALL.map(|role| standing(Some(role), false, None));
    let all = [roles.as_slice(), &[standing(None, true, None)]].concat();
    for right in Right::ALL.into_iter().filter(|right| *right != Right::Account) {
        let word = serde_json::to_value(right).unwrap();
        let row = guide.lines().find(|line| line.contains(&format!("(`{}`)", word.as_str().unwrap())));
        let row = row.unwrap_or_else(|| panic!("{right:?} is not in the guide"));
        let cells: Vec<bool> = row.split('|').skip(2).take(4).map(|cell| cell.trim() == "yes").collect();
        assert_eq!(cells, all.iter().map(|one| one.may(right)).collect::<Vec<_>>(), "{row}");
    }
}

/// Who asks in the matrix: what they are called, their token or key, and what they are on `marlbeck`.
struct Asker {
    what: &'static str,
    secret: String,
    standing: Standing,
}

const fn standing(role: Option<Role>, is_administrator: bool, at_most: Option<Role>) -> Standing {
    Standing { role, is_administrator, at_most }
}

async fn token(desk: &Desk, of: &str, body: serde_json::Value) -> String {
    let body = Some((ContentType::JSON, body.to_string()));
    let answer = desk.ask(Method::Post, "/api/v1/account/tokens", of, body).await;
    answer.ok()["token"].as_str().unwrap().to_owned()
}

async fn askers(desk: &Desk) -> Vec<Asker> {
    desk.post("sites", json!({"name": "Fellside", "code": "fellside", "zone": "UTC"})).await.ok();
    let owner = desk.someone("olive", "marlbeck", "owner").await;
    let of_both = desk.someone("both", "marlbeck", "owner").await;
    let invited = desk.post("sites/fellside/invitations", json!({"for_whom": "both", "role": "owner"})).await.ok();
    let secret = invited["address"].as_str().unwrap().split_once('#').unwrap().1;
    let accept = Some((ContentType::JSON, json!({"secret": secret}).to_string()));
    assert_eq!(desk.ask(Method::Post, "/api/v1/accept", &of_both, accept).await.status, Status::NoContent);
    let owners = [Role::Viewer, Role::Operator].map(|most| (most, most.as_str()));
    let mut askers = vec![
        Asker {
            what: "viewer",
            secret: desk.someone("vera", "marlbeck", "viewer").await,
            standing: standing(Some(Role::Viewer), false, None),
        },
        Asker {
            what: "operator",
            secret: desk.someone("oscar", "marlbeck", "operator").await,
            standing: standing(Some(Role::Operator), false, None),
        },
        Asker {
            what: "owner of another site",
            secret: desk.someone("nora", "fellside", "owner").await,
            standing: standing(None, false, None),
        },
        Asker { what: "administrator", secret: desk.token.clone(), standing: standing(None, true, None) },
        Asker {
            what: "administrator's token for another site",
            secret: token(desk, &desk.token, json!({"name": "t", "days": 1, "site": "fellside"})).await,
            standing: standing(None, false, Some(Role::Owner)),
        },
        Asker {
            what: "administrator's token for this site",
            secret: token(desk, &desk.token, json!({"name": "t", "days": 1, "site": "marlbeck"})).await,
            standing: standing(None, true, Some(Role::Owner)),
        },
        Asker {
            what: "owner's token for another site",
            secret: token(desk, &of_both, json!({"name": "t", "days": 1, "site": "fellside"})).await,
            standing: standing(None, false, Some(Role::Owner)),
        },
    ];
    for (most, word) in owners {
        askers.push(Asker {
            what: "owner's token that is held to less",
            secret: token(desk, &owner, json!({"name": "t", "days": 1, "at_most": word})).await,
            standing: standing(Some(Role::Owner), false, Some(most)),
        });
    }
    askers.push(Asker { what: "owner", secret: owner, standing: standing(Some(Role::Owner), false, None) });
    askers
}

/// Bodies are empty and most objects are not there: what is let through is refused for another reason, but
/// never for the want of a right.
fn is_refused(code: &str) -> bool {
    ["not-allowed", "not-granted", "not-logged-in"].contains(&code)
}

#[rocket::async_test]
async fn each_role_may_do_what_the_table_says_in_every_route() {
    let desk = Desk::open().await;
    desk.device("tower").await;
    let askers = askers(&desk).await;
    let (mut cells, mut open) = (0, 0);
    // A route that ends a log-in is no route to try with those that are needed afterwards.
    let rows = lantern_http::rights_of_routes();
    for (method, path, right) in rows.iter().filter(|(_, path, _)| *path != "/log-out") {
        for asker in &askers {
            // Whoever leaves a site is no longer what the next rows ask for.
            let site = if path.starts_with("/account") { "nowhere" } else { "marlbeck" };
            let filled = path.replace("<site>", site).replace("<device>", "nothing-here");
            let filled = filled.split('/').map(|part| if part.starts_with('<') { "987654" } else { part });
            let mut filled = format!("/api/v1{}", filled.collect::<Vec<_>>().join("/"));
            if *path == "/live" {
                // It goes on for ever when it is open; one that is not is refused at once.
                if asker.standing.may(*right) {
                    continue;
                }
                filled.push_str("?site=marlbeck");
            }
            let method = Method::from_str(method).unwrap();
            let body = (method != Method::Get).then(|| (ContentType::JSON, "[]".to_owned()));
            let answer = desk.ask(method, &filled, &asker.secret, body).await;
            let may = asker.standing.may(*right);
            let is_hidden = asker.standing.effective_role().is_none() && path.starts_with("/sites/<site>");
            let code = if answer.status.code >= 400 { answer.problem() } else { String::new() };
            let told = format!("{} {method} {filled} ({right:?}): {} {}", asker.what, answer.status, answer.text);
            if may {
                assert!(!is_refused(&code), "{told}");
                open += 1;
            } else if is_hidden {
                assert_eq!(code, "not-found", "{told}");
                assert!(answer.text.contains("no site `marlbeck`"), "{told}");
            } else if *path == "/live" {
                assert!(["not-found", "not-allowed"].contains(&code.as_str()), "{told}");
            } else {
                assert_eq!(code, "not-allowed", "{told}");
            }
            cells += 1;
        }
    }
    assert!(cells > 1_000 && open > 300, "{cells} cells, {open} open");
}

#[rocket::async_test]
async fn a_key_that_may_read_looks_at_its_own_site_and_nothing_else() {
    let desk = Desk::open().await;
    desk.device("tower").await;
    desk.post("sites", json!({"name": "Fellside", "code": "fellside", "zone": "UTC"})).await.ok();
    let issued = desk.post("sites/marlbeck/keys", json!({"grants": ["read"]})).await.ok();
    let key = issued["key"].as_str().unwrap();
    for (method, path, right) in lantern_http::rights_of_routes() {
        let filled = path.replace("<device>", "tower").replace("<signal>", "level");
        for site in ["marlbeck", "fellside"] {
            let filled = filled.replace("<site>", site);
            let filled = filled.split('/').map(|part| if part.starts_with('<') { "987654" } else { part });
            let filled = format!("/api/v1{}", filled.collect::<Vec<_>>().join("/"));
            let may = right == Right::Look && site == "marlbeck" && path.starts_with("/sites/");
            if path == "/live" || path == "/me" {
                continue;
            }
            let method = Method::from_str(&method).unwrap();
            let body = (method != Method::Get).then(|| (ContentType::JSON, "[]".to_owned()));
            let answer = desk.ask(method, &filled, key, body).await;
            let code = if answer.status.code >= 400 { answer.problem() } else { String::new() };
            assert_eq!(is_refused(&code), !may, "{method} {filled}: {} {}", answer.status, answer.text);
        }
    }
}
