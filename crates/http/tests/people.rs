//! People: how they come in, what they change of themselves, and how their access ends.

use super::desk::{Answer, Desk};
use data_encoding::BASE32_NOPAD;
use hmac::{Hmac, KeyInit, Mac};
use rocket::http::{ContentType, Method, Status};
use serde_json::{Value, json};
use sha1::Sha1;

async fn as_someone(desk: &Desk, token: &str, method: Method, path: &str, body: Value) -> Answer {
    let body = (method != Method::Get).then(|| (ContentType::JSON, body.to_string()));
    desk.ask(method, &format!("/api/v1/{path}"), token, body).await
}

fn log_in(password: &str) -> Value {
    json!({"name": "vera", "password": password, "token": true})
}

#[rocket::async_test]
async fn an_invitation_lets_one_person_in_once() {
    let desk = Desk::open().await;
    let invitation = json!({"for_whom": "Bob, signals", "role": "operator"});
    let made = desk.post("sites/marlbeck/invitations", invitation).await.ok();
    let address = made["address"].as_str().unwrap();
    let secret = address.split_once("/join#").unwrap().1;
    let invited = desk.post("invited", json!({"secret": secret})).await.ok();
    assert_eq!(invited["site"], "Marlbeck Light Railway");
    assert_eq!((&invited["role"], &invited["invited_by"]), (&json!("operator"), &json!("ann")));

    let come =
        |name: &str, password: &str| json!({"secret": secret, "name": name, "password": password, "token": true});
    // What will not do uses nothing up.
    assert_eq!(desk.post("come-in", come("bob", "password123")).await.problem(), "invalid");
    assert_eq!(desk.post("come-in", come("ANN", "steam and brass")).await.problem(), "taken");
    let token = desk.post("come-in", come("bob", "steam and brass")).await.ok()["token"].as_str().unwrap().to_owned();
    assert_eq!(desk.post("come-in", come("eve", "steam and brass")).await.problem(), "invitation-over");
    assert_eq!(desk.post("invited", json!({"secret": secret})).await.problem(), "invitation-over");

    let site = as_someone(&desk, &token, Method::Get, "sites/marlbeck", Value::Null).await.ok();
    assert_eq!(site["access"]["role"], "operator");
    assert!(site["access"]["may"].as_array().unwrap().contains(&json!("set_up")));
    assert!(desk.get("sites/marlbeck/invitations").await.ok()["items"].as_array().unwrap().is_empty());
    let people = desk.get("sites/marlbeck/people").await.ok();
    assert_eq!(people["items"][0]["name"], "bob");
}

#[rocket::async_test]
async fn a_withdrawn_invitation_lets_nobody_in_and_accepting_lowers_no_role() {
    let desk = Desk::open().await;
    let invite = |role: &str| json!({"for_whom": "x", "role": role});
    let made = desk.post("sites/marlbeck/invitations", invite("viewer")).await.ok();
    let secret = made["address"].as_str().unwrap().split_once('#').unwrap().1;
    let path = format!("sites/marlbeck/invitations/{}", made["invitation"]["id"]);
    assert_eq!(as_someone(&desk, &desk.token, Method::Delete, &path, json!({})).await.status, Status::NoContent);
    assert_eq!(desk.post("invited", json!({"secret": secret})).await.problem(), "invitation-over");

    let olive = desk.someone("olive", "marlbeck", "owner").await;
    let made = desk.post("sites/marlbeck/invitations", invite("viewer")).await.ok();
    let secret = made["address"].as_str().unwrap().split_once('#').unwrap().1;
    let accepted = as_someone(&desk, &olive, Method::Post, "accept", json!({"secret": secret})).await;
    assert_eq!(accepted.status, Status::NoContent, "{}", accepted.text);
    assert_eq!(desk.get("sites/marlbeck/people").await.ok()["items"][0]["role"], "owner");
}

#[rocket::async_test]
async fn a_changed_password_ends_all_other_log_ins() {
    let desk = Desk::open().await;
    let first = desk.someone("vera", "marlbeck", "viewer").await;
    let second = desk.post("log-in", log_in("steam and brass")).await.ok()["token"].as_str().unwrap().to_owned();
    let change = |old: &str, new: &str| json!({"old": old, "new": new});
    let put = async |body: Value| as_someone(&desk, &second, Method::Put, "account/password", body).await;
    assert_eq!(put(change("wrong one here", "rails and rivets")).await.problem(), "wrong-password");
    assert_eq!(put(change("steam and brass", "1234567890")).await.problem(), "invalid");
    assert_eq!(put(change("steam and brass", "rails and rivets")).await.status, Status::NoContent);
    assert_eq!(as_someone(&desk, &first, Method::Get, "account", Value::Null).await.problem(), "not-logged-in");
    as_someone(&desk, &second, Method::Get, "account", Value::Null).await.ok();
    assert_eq!(desk.post("log-in", log_in("steam and brass")).await.problem(), "wrong-log-in");
    desk.post("log-in", log_in("rails and rivets")).await.ok();
}

#[rocket::async_test]
async fn log_ins_and_tokens_are_listed_and_ended() {
    let desk = Desk::open().await;
    let first = desk.someone("vera", "marlbeck", "viewer").await;
    let second = desk.post("log-in", log_in("steam and brass")).await.ok()["token"].as_str().unwrap().to_owned();
    let list = as_someone(&desk, &second, Method::Get, "account/sessions", Value::Null).await.ok();
    let items = list["items"].as_array().unwrap();
    assert_eq!(items.iter().map(|one| one["is_this"] == true).collect::<Vec<_>>(), [false, true]);
    // Nobody ends another's.
    let path = format!("account/sessions/{}", items[0]["id"]);
    let other = as_someone(&desk, &desk.token, Method::Delete, &path, json!({})).await;
    assert_eq!(other.problem(), "not-found");
    let ended = as_someone(&desk, &second, Method::Delete, &path, json!({})).await;
    assert_eq!(ended.status, Status::NoContent, "{}", ended.text);
    assert_eq!(as_someone(&desk, &first, Method::Get, "account", Value::Null).await.problem(), "not-logged-in");
}

#[rocket::async_test]
async fn whoever_is_removed_is_out_at_once_and_their_name_is_not_given_again() {
    let desk = Desk::open().await;
    let token = desk.someone("vera", "marlbeck", "viewer").await;
    let removed = as_someone(&desk, &desk.token, Method::Delete, "people/vera", json!({})).await;
    assert_eq!(removed.status, Status::NoContent, "{}", removed.text);
    assert_eq!(as_someone(&desk, &token, Method::Get, "account", Value::Null).await.problem(), "not-logged-in");
    assert_eq!(desk.post("log-in", log_in("steam and brass")).await.problem(), "wrong-log-in");
    let made = desk.post("sites/marlbeck/invitations", json!({"for_whom": "v", "role": "owner"})).await.ok();
    let secret = made["address"].as_str().unwrap().split_once('#').unwrap().1;
    let come = json!({"secret": secret, "name": "Vera", "password": "steam and brass"});
    assert_eq!(desk.post("come-in", come).await.problem(), "taken");
    // The last administrator stays.
    let last = as_someone(&desk, &desk.token, Method::Delete, "people/ann", json!({})).await;
    assert_eq!(last.problem(), "last-administrator");
    let no_longer = json!({"is_administrator": false});
    let last = as_someone(&desk, &desk.token, Method::Patch, "people/ann", no_longer).await;
    assert_eq!(last.problem(), "last-administrator");
}

#[rocket::async_test]
async fn a_forgotten_password_is_replaced_by_a_one_time_address() {
    let desk = Desk::open().await;
    let token = desk.someone("vera", "marlbeck", "viewer").await;
    let made = desk.post("people/vera/new-password", json!({})).await.ok();
    let secret = made["address"].as_str().unwrap().split_once("/new-password#").unwrap().1;
    assert_eq!(desk.post("invited", json!({"secret": secret})).await.ok()["person"], "vera");
    let accepted = as_someone(&desk, &desk.token, Method::Post, "accept", json!({"secret": secret})).await;
    assert_eq!(accepted.problem(), "invalid", "it is for a password, not for whoever is logged in");
    let come = json!({"secret": secret, "password": "rails and rivets", "token": true});
    assert_eq!(desk.post("come-in", come).await.ok()["person"], "vera");
    assert_eq!(as_someone(&desk, &token, Method::Get, "account", Value::Null).await.problem(), "not-logged-in");
    desk.post("log-in", log_in("rails and rivets")).await.ok();
}

/// The code of the present half minute, worked out by RFC 6238 apart from the service's own code.
fn code(secret: &str, steps_on: i64) -> String {
    let key = BASE32_NOPAD.decode(secret.as_bytes()).unwrap();
    let now = std::time::SystemTime::now().duration_since(std::time::UNIX_EPOCH).unwrap().as_secs();
    let mut mac = Hmac::<Sha1>::new_from_slice(&key).unwrap();
    mac.update(&((now / 30) as i64 + steps_on).to_be_bytes());
    let digest = mac.finalize().into_bytes();
    let at = usize::from(digest[19] & 15);
    let number = u32::from_be_bytes(digest[at..at + 4].try_into().unwrap()) & 0x7fff_ffff;
    format!("{:06}", number % 1_000_000)
}

#[rocket::async_test]
async fn a_second_factor_is_asked_for_once_it_is_proved() {
    let desk = Desk::open().await;
    let token = desk.someone("vera", "marlbeck", "viewer").await;
    let send = async |method, path: &str, body: Value| as_someone(&desk, &token, method, path, body).await;
    let wrong = send(Method::Post, "account/second-factor", json!({"password": "not mine at all"})).await;
    assert_eq!(wrong.problem(), "wrong-password");
    let offer = send(Method::Post, "account/second-factor", json!({"password": "steam and brass"})).await.ok();
    let secret = offer["secret"].as_str().unwrap().to_owned();
    // Not before its first code.
    desk.post("log-in", log_in("steam and brass")).await.ok();
    let begun = send(Method::Put, "account/second-factor", json!({"code": code(&secret, -1)})).await.ok();
    let recovery = begun["codes"][3].as_str().unwrap().to_owned();

    let with = |second: &str| json!({"name": "vera", "password": "steam and brass", "second": second, "token": true});
    assert_eq!(desk.post("log-in", log_in("steam and brass")).await.problem(), "second-factor-needed");
    assert_eq!(desk.post("log-in", log_in("wrong password")).await.problem(), "wrong-log-in");
    let present = code(&secret, 0);
    desk.post("log-in", with(&present)).await.ok();
    assert_eq!(desk.post("log-in", with(&present)).await.problem(), "wrong-second-factor", "once each");
    desk.post("log-in", with(&recovery.to_uppercase())).await.ok();
    assert_eq!(desk.post("log-in", with(&recovery)).await.problem(), "wrong-second-factor", "once each");
    let account = send(Method::Get, "account", Value::Null).await.ok();
    assert_eq!(account["recovery_codes"], 9);

    // Who lost telephone and codes is helped by an administrator.
    let help = json!({"has_second_factor": false});
    as_someone(&desk, &desk.token, Method::Patch, "people/vera", help).await.ok();
    desk.post("log-in", log_in("steam and brass")).await.ok();
}

#[rocket::async_test]
async fn a_removed_site_comes_back_with_all_it_had() {
    let desk = Desk::open().await;
    let key = desk.device("tower").await;
    assert_eq!(desk.deliver(&key, r#"{"level": 2.3}"#).await.text, "ok 1\n");
    let vera = desk.someone("vera", "marlbeck", "viewer").await;
    as_someone(&desk, &desk.token, Method::Delete, "sites/marlbeck?confirm=marlbeck", json!({})).await.ok();
    assert_eq!(as_someone(&desk, &vera, Method::Get, "sites/marlbeck", Value::Null).await.problem(), "not-found");
    assert!(desk.deliver(&key, r#"{"level": 2.4}"#).await.text.contains("unknown-key"));
    assert_eq!(desk.get("removed-sites").await.ok()["items"][0]["code"], "marlbeck");
    desk.post("removed-sites/marlbeck/restore", json!({})).await.ok();
    assert_eq!(desk.deliver(&key, r#"{"level": 2.5}"#).await.text, "ok 1\n");
    let readings = desk.get("sites/marlbeck/devices/tower/signals/level/readings").await.ok();
    assert_eq!(readings["items"].as_array().unwrap().len(), 2, "{readings}");
    as_someone(&desk, &vera, Method::Get, "sites/marlbeck", Value::Null).await.ok();
    assert_eq!(desk.post("removed-sites/marlbeck/restore", json!({})).await.problem(), "not-found");
}
