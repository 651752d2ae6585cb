//! The clock leaps, forward and back, while the service runs and while it is off: whatever waits,
//! runs out or is counted goes on by the time that really passes.

use super::world::{AMPLE, World, delivery, engine};
use lantern_core::Moment;
use lantern_core::allowance::Allowance;
use lantern_core::command::Stage;
use lantern_core::presence::Presence;
use lantern_engine::clock::shifted::{leap, pass};
use lantern_engine::people::Wanted;
use lantern_engine::window::open_window;
use lantern_engine::{Engine, Limits, clock};
use lantern_store::{Outcome, SessionKind};
use std::sync::Arc;
use std::time::{Duration, Instant};

const HOUR_S: f64 = 3_600.0;
const DAY_S: f64 = 86_400.0;
const YEARS_S: f64 = 3_650.0 * DAY_S;
const LEAPS_S: [f64; 8] = [HOUR_S, DAY_S, 40.0 * DAY_S, YEARS_S, -HOUR_S, -DAY_S, -40.0 * DAY_S, -YEARS_S];

fn presence(engine: &Engine, world: &World) -> Presence {
    engine.heard.judge();
    engine.heard.presence(world.tower.device.id).unwrap()
}

/// The stages of the commands of the tower that are not over.
async fn waiting(engine: &Engine, world: &World) -> Vec<(String, Stage)> {
    engine.commands.look().await;
    let standing = engine.commands.standing(world.tower.device.id);
    standing.into_iter().map(|command| (command.name, command.stage)).collect()
}

fn both() -> Vec<(String, Stage)> {
    ["heater", "probe"].map(|name| (name.to_owned(), Stage::Waiting)).into()
}

/// The tower reports every 30 s; it is late after two intervals and silent after five.
#[tokio::test]
async fn a_device_is_late_and_silent_when_it_really_is() {
    for leap_s in LEAPS_S {
        let world = World::new().await;
        pass(10.0);
        leap(leap_s);
        let seen = world.engine.heard.last(world.tower.device.id).unwrap();
        assert!((clock::now().seconds_since(seen) - 10.0).abs() < 1.0, "{leap_s}: heard 10 s ago, not at {seen}");
        for (passing_s, expected) in [(0.0, Presence::Fresh), (52.0, Presence::Late), (90.0, Presence::Silent)] {
            pass(passing_s);
            assert_eq!(presence(&world.engine, &world), expected, "{leap_s}");
        }
        world.send(&world.tower, r#"{"level": 2.5}"#).await;
        assert_eq!(presence(&world.engine, &world), Presence::Fresh, "{leap_s}");
        // The clock is set right: the next report counts as any other.
        leap(-leap_s);
        pass(62.0);
        assert_eq!(presence(&world.engine, &world), Presence::Late, "{leap_s} and back");
        world.send(&world.tower, r#"{"level": 2.5}"#).await;
        assert_eq!(presence(&world.engine, &world), Presence::Fresh, "{leap_s} and back");
    }
}

/// What the clock of a board without a battery says at a start is all there is. A device is not called
/// fresh for as long as the clock was ahead before.
#[tokio::test]
async fn a_start_with_a_clock_that_is_behind_waits_no_longer_than_usual() {
    for leap_s in LEAPS_S {
        let world = World::new().await;
        world.engine.commands.give(&world.tower.device, "probe", &Default::default(), "ann").await.unwrap();
        world.engine.heard.flush().await.unwrap();
        leap(leap_s);
        let again = engine(&world.store).await;
        let is_ahead = leap_s > 0.0;
        let expected = if is_ahead { Presence::Silent } else { Presence::Fresh };
        assert_eq!(presence(&again, &world), expected, "{leap_s}");
        assert_eq!(waiting(&again, &world).await.len(), if is_ahead { 1 } else { 2 }, "{leap_s}");
        pass(62.0);
        let expected = if is_ahead { Presence::Silent } else { Presence::Late };
        assert_eq!(presence(&again, &world), expected, "{leap_s}");
        assert_eq!(waiting(&again, &world).await.len(), 1, "{leap_s}: the one that stands");
        leap(-leap_s);
    }
}

#[tokio::test]
async fn a_command_waits_as_long_as_it_says() {
    for leap_s in LEAPS_S {
        let world = World::new().await;
        let commands = &world.engine.commands;
        commands.give(&world.tower.device, "probe", &Default::default(), "ann").await.unwrap();
        pass(10.0);
        leap(leap_s);
        assert_eq!(waiting(&world.engine, &world).await, both(), "{leap_s}");
        pass(45.0);
        assert_eq!(waiting(&world.engine, &world).await, both(), "{leap_s}");
        pass(10.0);
        assert_eq!(waiting(&world.engine, &world).await.len(), 1, "{leap_s}: nobody came for it");
        // One that is on its way is waited for as long.
        commands.give(&world.tower.device, "probe", &Default::default(), "ann").await.unwrap();
        let id = commands.standing(world.tower.device.id).last().unwrap().id;
        commands.collect(world.tower.device.id).await.unwrap();
        leap(-leap_s);
        pass(50.0);
        commands.look().await;
        let stage =
            async || world.store.command(world.tower.device.id, lantern_core::CommandId(id)).await.unwrap().stage;
        assert_eq!(stage().await, Stage::Delivered, "{leap_s} and back");
        pass(15.0);
        commands.look().await;
        assert_eq!(stage().await, Stage::Unanswered, "{leap_s} and back");
    }
}

#[tokio::test]
async fn an_allowance_comes_back_with_the_time_that_passes() {
    for leap_s in LEAPS_S {
        let world = World::new().await;
        let few = Limits { requests: Allowance { capacity: 2.0, per_second: 1.0 / 60.0 }, readings: AMPLE };
        let engine = Engine::open(world.store.clone(), &few).await.unwrap();
        let ask = async || engine.intake.take(delivery(&world.tower.key, r#"{"level": 2.5}"#)).await.is_ok();
        assert_eq!([ask().await, ask().await, ask().await], [true, true, false], "{leap_s}");
        leap(leap_s);
        assert!(!ask().await, "{leap_s}: nothing is given away");
        pass(61.0);
        assert_eq!([ask().await, ask().await], [true, false], "{leap_s}: nor withheld");
        leap(-leap_s);
        pass(61.0);
        assert_eq!([ask().await, ask().await], [true, false], "{leap_s} and back");
    }
}

#[tokio::test]
async fn a_joining_window_is_closed_by_a_leap_of_a_day() {
    for leap_s in LEAPS_S {
        let world = World::new().await;
        let until = clock::now().plus_seconds(600.0);
        let device = world.engine.set_up.set_joining(&world.tower.device, Some((until, None))).await.unwrap();
        let is_open = || open_window(&device, clock::now()).is_some();
        assert!(is_open(), "{leap_s}");
        leap(leap_s);
        assert_eq!(is_open(), (-DAY_S + 600.0..0.0).contains(&leap_s), "{leap_s}");
        leap(-leap_s);
        assert!(is_open(), "{leap_s} and back");
        pass(601.0);
        assert!(!is_open(), "{leap_s} and back");
    }
}

#[tokio::test]
async fn log_ins_outlive_a_leap() {
    for leap_s in LEAPS_S {
        let world = World::new().await;
        let people = &world.engine.people;
        let ann = people.make_first("ann", "a long enough one".to_owned()).await.unwrap();
        let wanted = Wanted { kind: SessionKind::Browser, agent: "a browser", from: "here" };
        let opened = people.open_session(ann.clone(), &wanted).await.unwrap();
        let is_in = async || people.check(&opened.secret, SessionKind::Browser, "marlbeck").await.is_ok();
        assert!(is_in().await);
        leap(leap_s);
        // Nobody is let in for longer than they may be; who comes in now ends nobody else's.
        assert_eq!(is_in().await, leap_s < 29.0 * DAY_S, "{leap_s}");
        people.open_session(ann, &wanted).await.unwrap();
        leap(-leap_s);
        assert!(is_in().await, "{leap_s} and back");
    }
}

#[tokio::test]
async fn nothing_is_deleted_for_its_age_by_a_leap() {
    // An hour may pass unseen, and is just at the edge.
    for leap_s in LEAPS_S.into_iter().filter(|leap_s| *leap_s != HOUR_S) {
        let world = World::new().await;
        world.engine.trusted.now().await.unwrap();
        pass(10.0);
        leap(leap_s);
        assert_eq!(world.engine.trusted.now().await.is_none(), leap_s > HOUR_S, "{leap_s}");
        leap(-leap_s);
        pass(10.0);
        assert!(world.engine.trusted.now().await.is_some(), "{leap_s} and back");
    }
}

/// Histories that are made again are that whatever the clock says, and in the order in which they were asked
/// for, also when the service starts again with another clock.
#[tokio::test]
async fn jobs_go_on_over_a_leap() {
    for leap_s in LEAPS_S {
        let world = World::new().await;
        let (site, signal) = (world.tower.site.id, world.signal(&world.tower, "level").await);
        let all = (Moment::MIN, Moment::MAX);
        let first = world.engine.jobs.add(signal.id, all, "ann").await.unwrap();
        leap(leap_s);
        let engine = Arc::new(engine(&world.store).await);
        let second = engine.jobs.add(signal.id, all, "ann").await.unwrap();
        let work = engine.tasks().into_iter().find(|task| task.name == "jobs").unwrap().work;
        let working = tokio::spawn(work);
        let mut ended = Vec::new();
        for id in [first, second] {
            let deadline = Instant::now() + Duration::from_secs(60);
            loop {
                let job = world.store.job(site, id).await.unwrap();
                if let Some((_, outcome)) = job.ended {
                    ended.push(outcome);
                    break;
                }
                assert!(Instant::now() < deadline, "{leap_s}: {job:?}");
                tokio::time::sleep(Duration::from_millis(5)).await;
            }
        }
        working.abort();
        assert_eq!(ended, [Outcome::Done, Outcome::Done], "{leap_s}");
    }
}
