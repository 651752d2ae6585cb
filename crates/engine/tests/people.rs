//! People: coming in, roles, log-ins and tokens, leaving and removal.

use super::world::World;
use lantern_api as api;
use lantern_core::access::Role;
use lantern_engine::clock::shifted::pass;
use lantern_engine::people::Wanted;
use lantern_engine::problem::Problem;
use lantern_store::{Person, Session, SessionKind, StoreError};
use serde_json::json;

const GOOD: &str = "seven green signals";
const OTHER: &str = "nine rusty wagons";

fn code<T>(result: Result<T, Problem>) -> String {
    result.err().map_or_else(|| "none".to_owned(), |problem| problem.code.to_string())
}

fn from<T: serde::de::DeserializeOwned>(value: serde_json::Value) -> T {
    serde_json::from_value(value).unwrap()
}

async fn invite(world: &World, role: Role, days: u32) -> String {
    let new = from(json!({"for_whom": "somebody", "role": role, "days": days}));
    world.engine.people.invite(&world.tower.site, &new, "ann").await.unwrap().secret
}

fn come(secret: &str, name: &str) -> api::ComeIn {
    from(json!({"secret": secret, "name": name, "password": GOOD}))
}

async fn ann(world: &World) -> Person {
    world.engine.people.make_first("ann", GOOD.to_owned()).await.unwrap()
}

async fn joined(world: &World, name: &str, role: Role) -> Person {
    let secret = invite(world, role, 7).await;
    world.engine.people.come_in(come(&secret, name)).await.unwrap()
}

async fn log_in(world: &World, person: &Person, kind: SessionKind) -> String {
    let wanted = Wanted { kind, agent: "a browser", from: "192.0.2.1" };
    world.engine.people.open_session(person.clone(), &wanted).await.unwrap().secret
}

async fn session_of(world: &World, secret: &str, kind: SessionKind, site: Option<&str>) -> Result<Session, StoreError> {
    let held = world.engine.people.holder(secret, kind, site, || "192.0.2.2".to_owned()).await;
    held.map(|holder| holder.session)
}

#[tokio::test]
async fn the_first_one_is_made_once_and_logs_in_with_name_and_password() {
    let world = World::new().await;
    let people = &world.engine.people;
    for (name, password, expected) in [
        ("", GOOD, "invalid"),
        ("a/b", GOOD, "invalid"),
        ("ann", "short", "invalid"),
        ("ann", "password123", "invalid"),
        ("ann", GOOD, "none"),
        ("ben", GOOD, "already-set-up"),
    ] {
        assert_eq!(code(people.make_first(name, password.to_owned()).await), expected, "{name} {password}");
    }
    for (name, password, expected) in
        [("ann", GOOD, "none"), (" ann ", GOOD, "none"), ("ann", OTHER, "wrong-log-in"), ("ben", GOOD, "wrong-log-in")]
    {
        assert_eq!(code(people.log_in(name, password.to_owned(), None).await), expected, "{name} {password}");
    }
}

#[tokio::test]
async fn an_invitation_lets_one_person_into_one_site() {
    let world = World::new().await;
    ann(&world).await;
    let people = &world.engine.people;
    let secret = invite(&world, Role::Operator, 7).await;
    let shown = people.invited(&secret).await.unwrap();
    assert_eq!(
        (shown.site_code.as_deref(), shown.role, shown.is_administrator),
        (Some("marlbeck"), Some(Role::Operator), false)
    );
    assert_eq!(code(people.come_in(come(&secret, "ann")).await), "taken");
    let ben = people.come_in(come(&secret, "ben")).await.unwrap();
    assert!(!ben.is_administrator);
    assert_eq!(code(people.come_in(come(&secret, "eve")).await), "invitation-over", "it works once");
    assert_eq!(people.member(&world.tower.site, "ben").await.unwrap(), Role::Operator);
    assert_eq!(code(people.member(&world.shed.site, "ben").await), "not-found", "the other site is closed");
    assert_eq!(code(people.change_member(&world.shed.site, "ben", Role::Owner).await), "not-found");
}

#[tokio::test]
async fn invitations_end_and_are_withdrawn() {
    let world = World::new().await;
    ann(&world).await;
    let people = &world.engine.people;
    for days in [0, 91] {
        let new = from(json!({"for_whom": "somebody", "role": "viewer", "days": days}));
        assert_eq!(code(people.invite(&world.tower.site, &new, "ann").await), "invalid", "{days} days");
    }
    let (short, long) = (invite(&world, Role::Viewer, 1).await, invite(&world, Role::Viewer, 30).await);
    pass(86_401.0);
    assert_eq!(code(people.invited(&short).await), "invitation-over");
    let waiting = people.invitations(Some(&world.tower.site), 0, 10).await.unwrap();
    assert_eq!(waiting.len(), 1);
    assert_eq!(code(people.withdraw(Some(&world.shed.site), waiting[0].id).await), "not-found", "of another site");
    people.withdraw(Some(&world.tower.site), waiting[0].id).await.unwrap();
    assert_eq!(code(people.come_in(come(&long, "ben")).await), "invitation-over");
    assert_eq!(code(people.invited("made up").await), "invitation-over");
}

#[tokio::test]
async fn whoever_is_here_already_accepts_and_keeps_the_higher_role() {
    let world = World::new().await;
    ann(&world).await;
    let ben = joined(&world, "ben", Role::Operator).await;
    let people = &world.engine.people;
    let lower = invite(&world, Role::Viewer, 7).await;
    people.accept(&ben, &lower).await.unwrap();
    assert_eq!(people.member(&world.tower.site, "ben").await.unwrap(), Role::Operator);
    let higher = invite(&world, Role::Owner, 7).await;
    people.accept(&ben, &higher).await.unwrap();
    assert_eq!(people.member(&world.tower.site, "ben").await.unwrap(), Role::Owner);
    assert_eq!(code(people.accept(&ben, &higher).await), "invitation-over");
}

#[tokio::test]
async fn a_new_password_is_chosen_by_a_one_time_address_and_ends_all_log_ins() {
    let world = World::new().await;
    let ann = ann(&world).await;
    let people = &world.engine.people;
    let session = log_in(&world, &ann, SessionKind::Token).await;
    let made = people.way_to_new_password("ann", "ben").await.unwrap();
    assert_eq!(people.invited(&made.secret).await.unwrap().person.as_deref(), Some("ann"));
    assert_eq!(code(people.accept(&ann, &made.secret).await), "invalid", "it is no invitation");
    let chosen: api::ComeIn = from(json!({"secret": made.secret, "password": OTHER}));
    assert_eq!(people.come_in(chosen).await.unwrap().name, "ann");
    assert!(session_of(&world, &session, SessionKind::Token, None).await.is_err());
    assert_eq!(code(people.log_in("ann", GOOD.to_owned(), None).await), "wrong-log-in");
    assert_eq!(code(people.log_in("ann", OTHER.to_owned(), None).await), "none");
    assert_eq!(code(people.way_to_new_password("eve", "ann").await), "not-found");
}

#[tokio::test]
async fn a_password_is_changed_by_who_knows_it_and_other_log_ins_end() {
    let world = World::new().await;
    let ann = ann(&world).await;
    let people = &world.engine.people;
    let here = log_in(&world, &ann, SessionKind::Token).await;
    let elsewhere = log_in(&world, &ann, SessionKind::Browser).await;
    let this = session_of(&world, &here, SessionKind::Token, None).await.unwrap().id;
    let change = |old: &str, new: &str| from::<api::NewPassword>(json!({"old": old, "new": new}));
    assert_eq!(code(people.change_password(&ann, this, change(OTHER, OTHER)).await), "wrong-password");
    assert_eq!(code(people.change_password(&ann, this, change(GOOD, "short")).await), "invalid");
    people.change_password(&ann, this, change(GOOD, OTHER)).await.unwrap();
    assert!(session_of(&world, &here, SessionKind::Token, None).await.is_ok());
    assert!(session_of(&world, &elsewhere, SessionKind::Browser, None).await.is_err());
}

#[tokio::test]
async fn log_ins_are_of_their_sort_listed_and_ended_by_their_person() {
    let world = World::new().await;
    let ann = ann(&world).await;
    let ben = joined(&world, "ben", Role::Viewer).await;
    let people = &world.engine.people;
    let secret = log_in(&world, &ann, SessionKind::Browser).await;
    assert!(session_of(&world, &secret, SessionKind::Token, None).await.is_err(), "a cookie is no token");
    let session = session_of(&world, &secret, SessionKind::Browser, None).await.unwrap();
    let listed = people.sessions(&ann, session.id, 0, 10).await.unwrap();
    assert_eq!((listed.len(), listed[0].is_this, listed[0].last_from.as_str()), (1, true, "192.0.2.2"));
    assert_eq!(code(people.end_session(&ben, session.id).await), "not-found", "it is not his");
    people.end_session(&ann, session.id).await.unwrap();
    assert!(session_of(&world, &secret, SessionKind::Browser, None).await.is_err());
    let days = log_in(&world, &ann, SessionKind::Browser).await;
    pass(366.0 * 86_400.0);
    assert!(session_of(&world, &days, SessionKind::Browser, None).await.is_err(), "log-ins end");
}

#[tokio::test]
async fn a_token_is_bound_to_its_site_and_to_what_its_person_may_do() {
    let world = World::new().await;
    ann(&world).await;
    let ben = joined(&world, "ben", Role::Operator).await;
    let people = &world.engine.people;
    let token = |site: &str, days: u32| {
        from::<api::NewToken>(json!({"name": "export", "site": site, "at_most": "viewer", "days": days}))
    };
    assert_eq!(code(people.make_token(&ben, &token("fellside", 7), "").await), "not-found", "it is not his site");
    assert_eq!(code(people.make_token(&ben, &token("marlbeck", 0), "").await), "invalid");
    let made = people.make_token(&ben, &token("marlbeck", 7), "192.0.2.1").await.unwrap();
    assert_eq!((made.session.site.as_deref(), made.session.at_most), (Some("marlbeck"), Some(Role::Viewer)));
    let holder = people.check(&made.token, SessionKind::Token, "marlbeck").await.unwrap();
    assert_eq!(
        (holder.role, holder.session.at_most),
        (Some(Role::Operator), Some(Role::Viewer)),
        "less than its person"
    );
    let elsewhere = people.check(&made.token, SessionKind::Token, "fellside").await;
    assert!(elsewhere.is_err() || elsewhere.is_ok_and(|holder| holder.role.is_none()), "nothing on another site");
    people.remove_member(&world.tower.site, "ben").await.unwrap();
    let after = people.check(&made.token, SessionKind::Token, "marlbeck").await;
    assert!(after.is_err() || after.is_ok_and(|holder| holder.role.is_none()), "it ends with the role");
}

#[tokio::test]
async fn who_changes_their_account_keeps_within_what_can_be() {
    let world = World::new().await;
    let ann = ann(&world).await;
    joined(&world, "ben", Role::Viewer).await;
    let people = &world.engine.people;
    let eleven: Vec<String> = (0..9).map(|number| format!("ann{number}@railway.example")).collect();
    for (change, expected) in [
        (json!({"name": "ben"}), "taken"),
        (json!({"name": "a/b"}), "invalid"),
        (json!({"zone": "Moon/Crater"}), "invalid"),
        (json!({"addresses": eleven}), "invalid"),
        (json!({"addresses": ["ann@railway.example"], "zone": "Europe/London"}), "none"),
    ] {
        assert_eq!(code(people.change_account(&ann, from(change.clone())).await), expected, "{change}");
    }
    let account = people.account(&people.person("ann").await.unwrap()).await.unwrap();
    assert_eq!((account.addresses.len(), account.zone.as_deref()), (1, Some("Europe/London")));
    assert_eq!(people.account(&people.person("ben").await.unwrap()).await.unwrap().sites.len(), 1);
}

#[tokio::test]
async fn the_last_administrator_stays() {
    let world = World::new().await;
    let ann = ann(&world).await;
    joined(&world, "ben", Role::Owner).await;
    let people = &world.engine.people;
    let lets_go = from::<api::PersonChange>(json!({"is_administrator": false}));
    assert_eq!(code(people.change_person("ann", &lets_go).await), "last-administrator");
    assert_eq!(code(people.remove_person("ann").await), "last-administrator");
    people.change_person("ben", &from(json!({"is_administrator": true}))).await.unwrap();
    let session = log_in(&world, &ann, SessionKind::Token).await;
    people.remove_person("ann").await.unwrap();
    assert!(session_of(&world, &session, SessionKind::Token, None).await.is_err());
    assert_eq!(code(people.log_in("ann", GOOD.to_owned(), None).await), "wrong-log-in");
    let secret = invite(&world, Role::Viewer, 7).await;
    assert_eq!(code(people.come_in(come(&secret, "ann")).await), "taken", "a name is given once");
    assert_eq!(people.everyone("", 10).await.unwrap().len(), 1);
}

#[tokio::test]
async fn a_second_factor_needs_the_password_and_its_first_code() {
    let world = World::new().await;
    let ann = ann(&world).await;
    let people = &world.engine.people;
    assert_eq!(code(people.begin_second(&ann, "123456").await), "no-second-factor");
    assert_eq!(code(people.offer_second(&ann, OTHER.to_owned()).await), "wrong-password");
    let offer = people.offer_second(&ann, GOOD.to_owned()).await.unwrap();
    assert!(offer.address.starts_with("otpauth://totp/") && offer.address.contains(&offer.secret.replace(' ', "")));
    let ann = people.person("ann").await.unwrap();
    for wrong in ["", "12345", "abcdef", "0000000"] {
        assert_eq!(code(people.begin_second(&ann, wrong).await), "invalid", "{wrong}");
    }
    assert_eq!(code(people.log_in("ann", GOOD.to_owned(), None).await), "none", "it has not begun");
    assert_eq!(code(people.change_person("ann", &from(json!({"has_second_factor": true}))).await), "invalid");
}
