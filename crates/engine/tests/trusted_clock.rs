//! Clocks that leap: nothing is deleted for its age by a clock that is not believed.

use super::world::{World, engine};
use lantern_engine::clock;

const DAY_S: f64 = 86_400.0;

#[tokio::test]
async fn a_leap_ahead_is_not_believed_until_it_is_confirmed_or_over() {
    let world = World::new().await;
    let clock = &world.engine.trusted;
    let begin = clock.now().await.unwrap();
    let started = clock::steady();
    let judge = async |wall_s: f64, passed_s: f64| {
        clock.judge(begin.plus_seconds(wall_s), started.plus_seconds(passed_s)).await
    };
    assert!(judge(60.0, 60.0).await.is_some());
    assert_eq!(judge(400.0 * DAY_S, 120.0).await, None);
    assert_eq!(clock.leap().unwrap().1, begin.plus_seconds(400.0 * DAY_S));
    let health = world.engine.healths.now().await;
    assert_eq!(health.status, "failing");
    let part = health.parts.iter().find(|part| part.name == "clock").unwrap();
    assert!(!part.is_well && part.detail.contains("leapt"), "{}", part.detail);
    // It is set right.
    assert!(judge(180.0, 180.0).await.is_some());
    assert_eq!(world.engine.healths.now().await.status, "ok");
    // An hour and more passes while it is held back: it still counts from when it was believed.
    assert_eq!(judge(9.0 * DAY_S, 4_000.0).await, None);
    clock.confirm().await.unwrap();
    assert!(clock.leap().is_none() && clock.now().await.is_some());
}

#[tokio::test]
async fn what_was_believed_outlives_a_restart() {
    let world = World::new().await;
    world.engine.trusted.confirm().await.unwrap();
    let begin = world.engine.trusted.now().await.unwrap();
    // The board has no clock of its own: it wakes up years ahead, or in 1970.
    for (wall_s, is_believed) in [(400.0 * DAY_S, false), (-20_000.0 * DAY_S, true), (2.0 * DAY_S, true)] {
        let again = engine(&world.store).await;
        let judged = again.trusted.judge(begin.plus_seconds(wall_s), clock::steady()).await;
        assert_eq!(judged.is_some(), is_believed, "{wall_s}");
    }
}

#[tokio::test]
async fn a_fresh_service_keeps_the_time_at_once() {
    let world = World::new().await;
    let kept = world.store.trusted_time().await.unwrap().unwrap();
    // It is killed at once, and the clock is a day behind at the next start; then it is set right.
    let again = engine(&world.store).await;
    let started = clock::steady();
    assert!(again.trusted.judge(kept.plus_seconds(-DAY_S), started).await.is_some());
    assert!(again.trusted.judge(kept.plus_seconds(2.0), started.plus_seconds(2.0)).await.is_some());
    assert!(again.trusted.leap().is_none());
}
