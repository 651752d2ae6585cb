//! The way of a command, from whoever gives it to the device and back.

use super::world::{World, delivery};
use lantern_core::CommandId;
use lantern_engine::clock;
use lantern_store::Device;

async fn device(world: &World) -> Device {
    world.store.device_by_id(world.tower.device.id).await.unwrap()
}

#[tokio::test]
async fn a_command_waits_until_its_device_delivers_and_ends_with_its_answer() {
    let world = World::new().await;
    let tower = device(&world).await;
    assert!(world.engine.commands.has_waiting(tower.id), "the world gave one");
    let answer = world.engine.intake.take(delivery(&world.tower.key, r#"{"level": 2.6}"#)).await.unwrap();
    assert_eq!(answer.commands.iter().map(|command| command.name.as_str()).collect::<Vec<_>>(), ["heater"]);
    assert!(!world.engine.commands.has_waiting(tower.id), "it is on its way");
    world.engine.commands.answered(&tower, "heater", br#"{"ok": true, "text": "warm"}"#, clock::now()).await.unwrap();
    let nothing = world.engine.intake.take(delivery(&world.tower.key, r#"{"level": 2.6}"#)).await.unwrap();
    assert!(nothing.commands.is_empty(), "it is done, and is not handed out twice");
    assert!(world.engine.commands.has_waiting(world.shed.device.id), "that of the other site still waits");
}

#[tokio::test]
async fn what_is_withdrawn_never_reaches_the_device() {
    let world = World::new().await;
    let tower = device(&world).await;
    let given = world.engine.commands.standing(tower.id);
    assert_eq!(given.len(), 1);
    world.engine.commands.withdraw(CommandId(given[0].id)).await.unwrap();
    assert!(world.engine.commands.standing(tower.id).is_empty());
    let answer = world.engine.intake.take(delivery(&world.tower.key, r#"{"level": 2.6}"#)).await.unwrap();
    assert!(answer.commands.is_empty());
}

#[tokio::test]
async fn what_the_device_does_not_know_is_not_given() {
    let world = World::new().await;
    let tower = device(&world).await;
    let unknown = world.engine.commands.give(&tower, "launch", &Default::default(), "ann").await.unwrap_err();
    assert!(unknown.detail.contains("launch"), "{unknown}");
    let surplus = [("minutes".to_owned(), lantern_core::Value::Number(5.0))].into();
    let refused = world.engine.commands.give(&tower, "heater", &surplus, "ann").await.unwrap_err();
    assert_eq!(refused.code, "invalid", "{refused}");
    assert_eq!(world.engine.commands.standing(tower.id).len(), 1, "only the one there was");
}

#[tokio::test]
async fn whoever_waits_is_woken() {
    let world = World::new().await;
    let tower = device(&world).await;
    world.engine.commands.collect(tower.id).await.unwrap();
    let patience = std::time::Duration::from_secs(30);
    let (collected, given) = tokio::join!(world.engine.commands.wait(tower.id, patience), async {
        tokio::task::yield_now().await;
        world.engine.commands.give(&tower, "heater", &Default::default(), "ann").await
    });
    assert_eq!(given.unwrap().name, "heater");
    assert_eq!(collected.unwrap().len(), 1);
}

#[tokio::test]
async fn open_commands_survive_a_restart() {
    let world = World::new().await;
    let again = super::world::engine(&world.store).await;
    let names = |engine: &lantern_engine::Engine| -> Vec<String> {
        engine.commands.standing(world.tower.device.id).into_iter().map(|command| command.name).collect()
    };
    assert_eq!(names(&again), ["heater"]);
    assert_eq!(names(&again), names(&world.engine));
}
