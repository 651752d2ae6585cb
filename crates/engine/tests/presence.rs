//! Whether a device is there, in time that is only told.

use super::world::{World, engine};
use lantern_core::Moment;
use lantern_core::presence::Presence;
use lantern_engine::{Engine, clock};

fn presence(engine: &Engine, world: &World) -> Presence {
    let all = engine.heard.all();
    all.into_iter().find(|(device, ..)| *device == world.tower.device.id).map(|(.., presence)| presence).unwrap()
}

/// The tower reports every 30 s; it is late after two intervals and silent after five.
fn after(heard: Moment, seconds: f64) -> Moment {
    heard.plus_seconds(seconds)
}

#[tokio::test]
async fn a_device_is_late_and_then_silent_and_comes_back() {
    let world = World::new().await;
    let heard = world.engine.heard.last(world.tower.device.id).unwrap();
    let (mut events, ..) = world.engine.live.listen(None);
    for (seconds, expected) in
        [(1.0, Presence::Fresh), (59.0, Presence::Fresh), (61.0, Presence::Late), (151.0, Presence::Silent)]
    {
        world.engine.heard.judge(after(heard, seconds));
        assert_eq!(presence(&world.engine, &world), expected, "after {seconds} s");
    }
    world.engine.heard.note(world.tower.device.id, after(heard, 200.0));
    world.engine.heard.judge(after(heard, 201.0));
    assert_eq!(presence(&world.engine, &world), Presence::Fresh);
    let mut told = Vec::new();
    while let Ok(event) = events.try_recv() {
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
    again.heard.judge(clock::now());
    assert_eq!(presence(&again, &world), Presence::Fresh);
    let kept = again.heard.last(world.tower.device.id).unwrap();
    assert!(heard.seconds_since(kept).abs() < 1.0, "{heard} {kept}");
}
