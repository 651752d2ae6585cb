//! What comes under a name nobody has declared: it waits, is claimed or passed over.

use super::world::{Place, World};
use lantern_api::Claimed;
use lantern_core::attention::Concern;
use lantern_core::{Moment, Value, ValueType};
use serde_json::json;

async fn claim(world: &World, name: &str, claim: serde_json::Value) -> Result<Claimed, lantern_engine::Problem> {
    let claim = serde_json::from_value(claim).unwrap();
    world.engine.set_up.claim(&world.tower.device, name, claim, "ann").await
}

async fn numbers(world: &World, code: &str) -> Vec<f64> {
    world.values(&world.tower, code).await.iter().filter_map(|(_, value)| value.as_number()).collect()
}

/// How many names wait, as the lamp room says it.
async fn waiting(world: &World) -> Option<String> {
    let now = world.engine.now.of(vec![world.tower.device.clone()], false).await.unwrap();
    let waiting = now[0].attention.iter().find(|one| one.concern == Concern::NamesWaiting);
    waiting.map(|one| one.text.clone())
}

#[tokio::test]
async fn a_name_becomes_a_signal_of_its_own_with_all_that_came() {
    let world = World::new().await;
    for door in [true, false, true] {
        let answer = world.send(&world.tower, &json!({"door": door, "level": 2.0}).to_string()).await;
        assert_eq!(answer.kept, 2, "what waits is kept too: {answer:?}");
    }
    assert_eq!(waiting(&world).await.as_deref(), Some("1 name waits to be declared"));
    claim(&world, "door", json!({"code": "door", "type": "flag", "name": "Hatch"})).await.unwrap();
    assert_eq!(waiting(&world).await, None);
    let signal = world.signal(&world.tower, "door").await;
    assert_eq!((signal.name.as_str(), signal.value_type), ("Hatch", Some(ValueType::Flag)));
    assert_eq!(world.values(&world.tower, "door").await.len(), 3, "what came before goes with it");
    let answer = world.send(&world.tower, r#"{"door": false}"#).await;
    assert_eq!((answer.kept, answer.waiting.len()), (1, 0));
}

#[tokio::test]
async fn a_misspelt_name_becomes_another_name_of_its_signal() {
    let world = World::new().await;
    world.send(&world.tower, r#"{"levle": 3.5}"#).await;
    assert_eq!(numbers(&world, "level").await, [2.5]);
    claim(&world, "levle", json!({"into": "level"})).await.unwrap();
    assert_eq!(numbers(&world, "level").await, [2.5, 3.5], "its past has moved");
    world.send(&world.tower, r#"{"levle": 4.5}"#).await;
    world.send(&world.tower, r#"{"level": 5.5}"#).await;
    assert_eq!(numbers(&world, "level").await, [2.5, 3.5, 4.5, 5.5], "both names are heard from then on");
    assert_eq!(waiting(&world).await, None);
}

#[tokio::test]
async fn what_is_ignored_is_not_kept_until_it_may_wait_again() {
    let world = World::new().await;
    let Place { device, .. } = &world.tower;
    world.send(&world.tower, r#"{"noise": 1}"#).await;
    world.engine.set_up.set_ignored(device, "noise", true).await.unwrap();
    assert_eq!(waiting(&world).await, None, "it needs nobody's attention");
    let passed = world.send(&world.tower, r#"{"noise": 2, "level": 2.0}"#).await;
    assert_eq!((passed.kept, passed.waiting.len()), (1, 0));
    world.engine.set_up.set_ignored(device, "noise", false).await.unwrap();
    world.send(&world.tower, r#"{"noise": 3}"#).await;
    claim(&world, "noise", json!({"code": "noise", "type": "number"})).await.unwrap();
    assert_eq!(numbers(&world, "noise").await, [1.0, 3.0], "what came in between was passed over");
}

#[tokio::test]
async fn a_claim_that_cannot_be_changes_nothing() {
    let world = World::new().await;
    world.send(&world.tower, r#"{"mode": "eco"}"#).await;
    for (what, name, wanted) in [
        ("no such name", "door", json!({"into": "level"})),
        ("no such signal", "mode", json!({"into": "nothing"})),
        ("a code that is taken", "mode", json!({"code": "level", "type": "text"})),
        ("a unit that is none", "mode", json!({"code": "mode", "type": "number", "unit": "no-unit"})),
    ] {
        assert!(claim(&world, name, wanted).await.is_err(), "{what}");
        assert_eq!(waiting(&world).await.as_deref(), Some("1 name waits to be declared"), "{what}");
        assert_eq!(numbers(&world, "level").await, [2.5], "{what}");
    }
}

#[tokio::test]
async fn names_of_one_site_are_nothing_to_another() {
    let world = World::new().await;
    world.send(&world.tower, r#"{"door": true}"#).await;
    let wanted = || serde_json::from_value(json!({"code": "door", "type": "flag"})).unwrap();
    let other = world.engine.set_up.claim(&world.shed.device, "door", wanted(), "ann").await;
    assert!(other.is_err(), "the shed never sent it");
    world.send(&world.shed, r#"{"door": false}"#).await;
    world.engine.set_up.claim(&world.shed.device, "door", wanted(), "ann").await.unwrap();
    let own: Vec<(Moment, Value)> = world.values(&world.shed, "door").await;
    assert_eq!(own.iter().map(|(_, value)| value.clone()).collect::<Vec<_>>(), [Value::Flag(false)]);
    assert_eq!(waiting(&world).await.as_deref(), Some("1 name waits to be declared"), "that of the tower still does");
}
