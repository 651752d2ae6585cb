//! The set-up: what is refused, and what a document makes of it.

use super::world::World;
use serde_json::{Value, json};

fn from<T: serde::de::DeserializeOwned>(value: Value) -> T {
    serde_json::from_value(value).unwrap()
}

#[tokio::test]
async fn what_cannot_be_so_is_refused_and_changes_nothing() {
    let world = World::new().await;
    let site = &world.tower.site;
    let devices = async || world.store.devices(site.id, "", 100).await.unwrap().len();
    assert_eq!(devices().await, 1);
    let cases = [
        (json!({"name": ""}), "invalid"),
        (json!({"name": "Tower", "code": "tower"}), "taken"),
        (json!({"name": "Tower", "code": "To wer"}), "invalid"),
        (json!({"name": "Hut", "interval_s": -5}), "invalid"),
        (json!({"name": "Hut", "position": {"latitude": 91, "longitude": 0}}), "invalid"),
        (json!({"name": "Hut", "signals": [{"code": "a", "type": "number", "unit": "furlong-ish"}]}), "invalid"),
        (
            json!({"name": "Hut", "signals": [{"code": "a", "type": "number"}, {"code": "a", "type": "flag"}]}),
            "invalid",
        ),
        (json!({"name": "Hut", "late_after": 5, "silent_after": 2}), "invalid"),
        (json!({"name": "Hut", "carrier": "nobody"}), "not-found"),
        (json!({"name": "Hut", "kind": "nothing"}), "not-found"),
    ];
    for (new, code) in cases {
        let text = new.to_string();
        let problem = world.engine.set_up.add_device(site, from(new), "ann").await.map(|device| device.code);
        let problem = problem.map_or_else(|problem| problem, |made| panic!("{text} made {made}"));
        assert!([code, "invalid"].contains(&problem.code), "{text}: {problem}");
        assert!(!problem.detail.is_empty() && problem.remedy.ends_with('.'), "{problem}");
    }
    assert_eq!(devices().await, 1, "nothing was made by halves");
}

#[tokio::test]
async fn the_same_code_may_stand_on_two_sites() {
    let world = World::new().await;
    let new = from(json!({"name": "Tower", "code": "tower", "interval_s": 60}));
    let other = world.engine.set_up.add_device(&world.shed.site, new, "ann").await.unwrap();
    assert_ne!(other.id, world.tower.device.id);
    let plan = world.engine.plans.device(other.id).await.unwrap();
    assert!(plan.signals.is_empty(), "it has nothing of its namesake");
}

#[tokio::test]
async fn a_signal_that_others_need_cannot_go() {
    let world = World::new().await;
    let (site, device) = (&world.tower.site, &world.tower.device);
    let new = from(json!({"code": "double", "type": "number", "unit": "Cel"}));
    let double = world.engine.set_up.add_signal(site, device, &new, "ann").await.unwrap();
    let meaning = from(json!({"formula": "max(temp, temp)"}));
    world.engine.set_up.define(site, device, &double, Some(&meaning), "ann").await.unwrap();
    let temp = world.signal(&world.tower, "temp").await;
    let problem = world.engine.set_up.remove_signal(device, &temp).await.unwrap_err();
    assert!(problem.detail.contains("double"), "{problem}");
    let double = world.signal(&world.tower, "double").await;
    world.engine.set_up.define(site, device, &double, None, "ann").await.unwrap();
    world.engine.set_up.remove_signal(device, &temp).await.unwrap();
    world.send(&world.tower, r#"{"level": 1.5}"#).await;
    assert!(world.store.signal_named(site.id, &device.code, "temp").await.is_err());
}

#[tokio::test]
async fn a_meaning_that_needs_itself_is_refused() {
    let world = World::new().await;
    let (site, device) = (&world.tower.site, &world.tower.device);
    let mut made = Vec::new();
    for code in ["one", "two"] {
        let new = from(json!({"code": code, "type": "number", "unit": "Cel"}));
        made.push(world.engine.set_up.add_signal(site, device, &new, "ann").await.unwrap());
    }
    let define = async |at: usize, formula: &str| {
        let meaning = from(json!({"formula": formula}));
        world.engine.set_up.define(site, device, &made[at], Some(&meaning), "ann").await
    };
    define(0, "two").await.unwrap();
    for (at, formula) in [(1, "one"), (1, "two"), (1, "max(one, temp)")] {
        let problem = define(at, formula).await.unwrap_err();
        assert_eq!(problem.code, "bad-meaning", "{formula}: {problem}");
    }
    define(1, "temp").await.unwrap();
}

#[tokio::test]
async fn a_key_that_replaces_one_ends_when_that_would_have() {
    use lantern_core::Moment;
    use lantern_engine::clock;
    use lantern_engine::setting_up::KeyHolder;
    use lantern_store::Grants;
    let world = World::new().await;
    let holder = KeyHolder::Device(Box::new(world.tower.device.clone()));
    let now = clock::now();
    let week: Option<Moment> = Some(now.plus_seconds(7.0 * 86_400.0));
    for (what, end, expected) in
        [("no end", None, None), ("an end", week, week), ("an end that is past", Some(now.plus_seconds(-60.0)), None)]
    {
        let (old, _) = world.engine.set_up.issue_key(&holder, "mast", Grants::SEND, end).await.unwrap();
        let (new, _) = world.engine.set_up.replace_key(&holder, old.id, Some(60.0)).await.unwrap();
        assert_eq!((new.expires_at, new.note.as_str()), (expected, "mast"), "{what}");
    }
}
