//! After any change of the set-up, everything the engine remembers is what an engine says that
//! has just been started and remembers nothing.

use super::world::{Place, World, engine, hash};
use lantern_core::Moment;
use lantern_engine::Engine;
use lantern_engine::setting_up::{KeyHolder, check_kind};
use serde_json::{Value, json};
use std::collections::BTreeMap;
use std::sync::Arc;

/// What each part that remembers something says of a place.
async fn picture(engine: &Engine, place: &Place) -> BTreeMap<&'static str, String> {
    let (site, device) = (place.site.id, place.device.id);
    let plan = match engine.plans.device(device).await {
        Ok(plan) => {
            let shown = |signal: &lantern_engine::plans::PublishedSignal| {
                (signal.code.clone(), signal.unit.clone(), signal.is_declared)
            };
            let mut signals: Vec<_> = plan.signals.values().map(shown).collect();
            signals.sort();
            let zone = plan.zone.iana_name().map(str::to_owned);
            let flags = (plan.keeps_payload, plan.is_waiting, plan.sequence.is_some());
            let decoder = plan.decoder.as_ref().map(Option::is_some).map_err(ToString::to_string);
            format!("{:?}", (&plan.code, zone, signals, flags, decoder))
        }
        Err(error) => error.to_string(),
    };
    let zone = engine.plans.zone(site).await.map(|zone| zone.iana_name().map(str::to_owned));
    let topics = engine.plans.own_topics(site).await.map(|own| own.find("old/board/level", None).map(|(of, _)| of));
    let signals = engine.store.signals(device).await.unwrap();
    let mut means = Vec::new();
    let mut latest = Vec::new();
    for signal in &signals {
        let meanings = engine.plans.meanings(site).await.unwrap();
        means.push((signal.code.clone(), meanings.get(signal.id).is_some(), meanings.rank(signal.id)));
        latest.push((signal.code.clone(), engine.latest.readings(signal.id).await.unwrap()));
    }
    engine.heard.judge();
    let heard: Vec<_> = engine.heard.all().into_iter().filter(|(id, ..)| *id == device).collect();
    let device_now = match engine.store.device_by_id(device).await {
        Ok(device) => engine.now.of(vec![device], true).await.unwrap().pop(),
        Err(_) => None,
    };
    let now = device_now.map(|now| {
        let signals = now.signals.into_iter().map(|s| (s.signal, s.name, s.symbol, s.decimals, s.last, s.doubt));
        let signals: Vec<_> = signals.collect();
        format!("{:?}", (signals, now.kind, now.attention, now.trace.map(|trace| trace.means)))
    });
    let commands: Vec<String> = engine.commands.standing(device).into_iter().map(|command| command.name).collect();
    BTreeMap::from([
        ("plan", plan),
        ("zone", format!("{zone:?}")),
        ("site code", format!("{:?}", engine.plans.site_code(site).await)),
        ("topics", format!("{topics:?}")),
        ("key", format!("{:?}", engine.plans.key_owner(&hash(&place.key)).await)),
        ("meanings", format!("{means:?}")),
        ("latest", format!("{latest:?}")),
        ("now", format!("{now:?}")),
        ("heard", format!("{heard:?}")),
        ("commands", format!("{commands:?}")),
    ])
}

type Done<'w> = std::pin::Pin<Box<dyn Future<Output = ()> + 'w>>;
type Case = (&'static str, for<'w> fn(&'w World) -> Done<'w>, &'static [&'static str]);

fn from<T: serde::de::DeserializeOwned>(value: Value) -> T {
    serde_json::from_value(value).unwrap()
}

fn holder(place: &Place) -> KeyHolder {
    KeyHolder::Device(Box::new(place.device.clone()))
}

async fn change_device(world: &World, change: Value) {
    let Place { site, device, .. } = &world.tower;
    world.engine.set_up.change_device(site, device, from(change)).await.unwrap();
}

/// Every kind of change, and some of what it has to reach.
const CASES: &[Case] = &[
    (
        "the site's zone",
        |world| {
            Box::pin(async {
                let change = from(json!({"zone": "Europe/Madrid"}));
                world.engine.set_up.change_site(&world.tower.site, change).await.unwrap();
            })
        },
        &["zone", "plan"],
    ),
    (
        "the site removed",
        |world| Box::pin(async { world.engine.set_up.remove_site(&world.tower.site).await.unwrap() }),
        &["key", "heard", "commands"],
    ),
    (
        "the device's topics",
        |world| Box::pin(change_device(world, json!({"topics": ["old/board/{signal}"]}))),
        &["topics"],
    ),
    ("what of its payloads is kept", |world| Box::pin(change_device(world, json!({"keeps_payload": true}))), &["plan"]),
    (
        "how often it reports",
        |world| Box::pin(change_device(world, json!({"interval_s": 3600, "late_after": 1, "silent_after": 1.5}))),
        &[],
    ),
    (
        "its decoder",
        |world| Box::pin(change_device(world, json!({"decoder": {"form": "bare", "field": {"name": "level"}}}))),
        &["plan"],
    ),
    (
        "the device removed",
        |world| Box::pin(async { world.engine.set_up.remove_device(&world.tower.device).await.unwrap() }),
        &["key", "heard", "commands"],
    ),
    (
        "the device removed and brought back",
        |world| {
            Box::pin(async {
                let Place { site, device, .. } = &world.tower;
                world.engine.set_up.remove_device(device).await.unwrap();
                // What is asked meanwhile may be remembered, too.
                picture(&world.engine, &world.tower).await;
                world.engine.set_up.restore_device(site, &device.code, "ann").await.unwrap();
            })
        },
        &[],
    ),
    (
        "a signal removed and brought back",
        |world| {
            Box::pin(async {
                let Place { site, device, .. } = &world.tower;
                let signal = world.signal(&world.tower, "level").await;
                world.engine.set_up.remove_signal(device, &signal).await.unwrap();
                picture(&world.engine, &world.tower).await;
                world.engine.set_up.restore_signal(site, device, "level", "ann").await.unwrap();
            })
        },
        &[],
    ),
    (
        "a signal declared",
        |world| {
            Box::pin(async {
                let Place { site, device, .. } = &world.tower;
                let new = from(json!({"code": "pump", "type": "flag"}));
                world.engine.set_up.add_signal(site, device, &new, "ann").await.unwrap();
            })
        },
        &["plan", "now"],
    ),
    (
        "a signal's unit",
        |world| {
            Box::pin(async {
                let Place { site, device, .. } = &world.tower;
                let signal = world.signal(&world.tower, "level").await;
                let change = from(json!({"unit": "cm"}));
                world.engine.set_up.change_signal(site, device, &signal, change).await.unwrap();
            })
        },
        &["plan", "now"],
    ),
    (
        "a signal removed",
        |world| {
            Box::pin(async {
                let signal = world.signal(&world.tower, "level").await;
                world.engine.set_up.remove_signal(&world.tower.device, &signal).await.unwrap();
            })
        },
        &["plan", "now"],
    ),
    (
        "a signal's meaning",
        |world| {
            Box::pin(async {
                let Place { site, device, .. } = &world.tower;
                let signal = world.signal(&world.tower, "temp").await;
                let meaning = from(json!({"screen": {"possible": {"low": -40, "high": 60}}}));
                world.engine.set_up.define(site, device, &signal, Some(&meaning), "ann").await.unwrap();
            })
        },
        &["meanings"],
    ),
    (
        "a key issued",
        |world| {
            Box::pin(async {
                let grants = lantern_store::Grants::SEND;
                world.engine.set_up.issue_key(&holder(&world.tower), "", grants, None).await.unwrap();
            })
        },
        &[],
    ),
    (
        "the key revoked",
        |world| {
            Box::pin(async {
                let owner = world.engine.plans.key_owner(&hash(&world.tower.key)).await.unwrap();
                world.engine.set_up.revoke_key(&holder(&world.tower), owner.id).await.unwrap();
            })
        },
        &["key"],
    ),
    (
        "a kind",
        |world| {
            Box::pin(async {
                let kind = from(json!({"name": "Tank gauge", "signals": [{"code": "level", "type": "number"}]}));
                world.engine.set_up.add_kind(&world.tower.site, &check_kind(&kind).unwrap(), "ann").await.unwrap();
            })
        },
        &[],
    ),
    (
        "on trial again",
        |world| {
            Box::pin(async {
                world.engine.commissionings.begin_trial(&world.tower.device).await.unwrap();
            })
        },
        &["now"],
    ),
    (
        "live without its readings",
        |world| {
            Box::pin(async {
                world.engine.commissionings.begin_trial(&world.tower.device).await.unwrap();
                let device = world.store.device_by_id(world.tower.device.id).await.unwrap();
                let order = from(json!({"trial_readings": "clear", "anyway": true}));
                world.engine.commissionings.go_live(&device, &order, "ann").await.unwrap();
            })
        },
        &[],
    ),
    (
        "readings deleted",
        |world| {
            Box::pin(async {
                let signal = world.signal(&world.tower, "level").await;
                let all = (Moment::MIN, Moment::MAX);
                world.engine.by_hand.delete(&world.tower.device, &signal, all).await.unwrap();
            })
        },
        &["latest", "now"],
    ),
    (
        "a reading entered by hand",
        |world| {
            Box::pin(async {
                let signal = world.signal(&world.tower, "level").await;
                let new = from(json!({"value": 2.75}));
                world.engine.by_hand.enter(&world.tower.device, &signal, new, "ann").await.unwrap();
            })
        },
        &["latest", "now"],
    ),
    (
        "an undeclared name",
        |world| {
            Box::pin(async {
                let answer = world.send(&world.tower, r#"{"door": true}"#).await;
                assert_eq!(answer.waiting.len(), 1, "{answer:?}");
            })
        },
        &["plan", "now"],
    ),
];

#[tokio::test]
async fn whatever_changes_everything_that_remembers_it_learns_it() {
    for (what, change, reached) in CASES {
        let world = World::new().await;
        let before = picture(&world.engine, &world.tower).await;
        let other = picture(&world.engine, &world.shed).await;
        let plan = world.engine.plans.device(world.shed.device.id).await.unwrap();
        change(&world).await;
        world.engine.heard.flush().await.unwrap();
        let after = picture(&world.engine, &world.tower).await;
        let fresh = engine(&world.store).await;
        for (part, says) in picture(&fresh, &world.tower).await {
            assert_eq!(after[part], says, "{what}: {part} is remembered as it was");
        }
        for part in *reached {
            assert_ne!(before[part], after[part], "{what}: {part} should have changed");
        }
        assert_eq!(picture(&world.engine, &world.shed).await, other, "{what}: another site changed");
        let same = world.engine.plans.device(world.shed.device.id).await.unwrap();
        assert!(Arc::ptr_eq(&plan, &same), "{what}: another site's plan was read again");
    }
}

#[tokio::test]
async fn each_change_is_told_to_who_listens() {
    let world = World::new().await;
    let (mut events, ..) = world.engine.live.listen(None);
    change_device(&world, json!({"name": "Water tower"})).await;
    let event = events.try_next().expect("it was told before the change was answered");
    assert!(event.json.contains("tower") && event.json.contains("device"), "{}", event.json);
}
