//! Whether a device is there, in time that tests let pass.

use super::world::{World, engine};
use lantern_core::presence::Presence;
use lantern_engine::clock::shifted::pass;
use lantern_engine::{Engine, clock};

fn presence(engine: &Engine, world: &World) -> Presence {
    engine.heard.judge();
    engine.heard.presence(world.tower.device.id).unwrap()
}

/// The tower reports every 30 s; it is late after two intervals and silent after five.
#[tokio::test]
async fn a_device_is_late_and_then_silent_and_comes_back() {
    let world = World::new().await;
    let (mut events, ..) = world.engine.live.listen(None);
    for (seconds, expected) in
        [(1.0, Presence::Fresh), (58.0, Presence::Fresh), (2.0, Presence::Late), (90.0, Presence::Silent)]
    {
        pass(seconds);
        assert_eq!(presence(&world.engine, &world), expected, "after {seconds} s more");
    }
    pass(50.0);
    world.engine.heard.note(world.tower.device.id, clock::now());
    pass(1.0);
    assert_eq!(presence(&world.engine, &world), Presence::Fresh);
    let mut told = Vec::new();
    while let Some(event) = events.try_next() {
        if event.name == "presence" && event.site == world.tower.site.id {
            told.push(event.json.clone());
        }
    }
    assert_eq!(told.len(), 3, "late, silent and back, each once: {told:?}");
}

#[tokio::test]
async fn what_was_heard_survives_a_restart() {
    let world = World::new().await;
    let heard = world.engine.heard.last(world.tower.device.id).unwrap();
    world.engine.heard.flush().await.unwrap();
    let again = engine(&world.store).await;
    assert_eq!(presence(&again, &world), Presence::Fresh);
    let kept = again.heard.last(world.tower.device.id).unwrap();
    assert!(heard.seconds_since(kept).abs() < 1.0, "{heard} {kept}");
}
