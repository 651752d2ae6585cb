use super::world::{Place, World, engine};
use lantern_api::{Carries, DeviceNow};
use lantern_core::Moment;
use lantern_core::attention::Concern;
use lantern_engine::{Engine, clock};
use serde_json::{Value, json};

async fn now_of(engine: &Engine, place: &Place) -> DeviceNow {
    let device = engine.store.device_by_id(place.device.id).await.unwrap();
    engine.now.of(vec![device], true).await.unwrap().remove(0)
}

async fn change(world: &World, change: Value) {
    let Place { site, device, .. } = &world.tower;
    world.engine.set_up.change_device(site, device, serde_json::from_value(change).unwrap()).await.unwrap();
}

fn minutes_ago(minutes: f64) -> Moment {
    clock::now().plus_seconds(-60.0 * minutes)
}

/// Whatever comes after a trace was read: it is what somebody says who reads it for the first
/// time.
#[tokio::test]
async fn a_trace_takes_in_what_comes_and_counts_nothing_twice() {
    let world = World::new().await;
    let times: Vec<String> = [90.0, 30.0, 29.5, 5.0, 4.9].map(|ago| minutes_ago(ago).to_string()).into();
    let sent = |index: usize, level: f64| json!({"at": times[index], "level": level}).to_string();
    let screened = json!({"screen": {"possible": {"low": 0, "high": 10}}});
    let signal = world.signal(&world.tower, "level").await;
    let Place { site, device, .. } = &world.tower;
    let meaning = serde_json::from_value(screened).unwrap();
    world.engine.set_up.define(site, device, &signal, Some(&meaning), "ann").await.unwrap();
    // The world's own reading is of now, and everything else would be late.
    world.engine.by_hand.delete(device, &signal, (Moment::MIN, Moment::MAX)).await.unwrap();
    let steps = [
        ("the first", sent(1, 1.0)),
        ("a newer one in the same bucket", sent(2, 2.0)),
        ("the same again", sent(2, 2.0)),
        ("a correction", sent(2, 3.0)),
        ("a late one", sent(0, 4.0)),
        ("one that cannot be believed", sent(3, 99.0)),
        ("it is corrected", sent(3, 5.0)),
        ("a good one turns out wrong", sent(3, -1.0)),
        ("one more", sent(4, 6.0)),
        ("many at once, one of them known", format!("[{},{}]", sent(1, 7.0), sent(4, 6.0))),
    ];
    for (what, body) in steps {
        now_of(&world.engine, &world.tower).await;
        world.send(&world.tower, &body).await;
        let seen = now_of(&world.engine, &world.tower).await;
        let fresh = now_of(&engine(&world.store).await, &world.tower).await;
        assert_eq!(seen.trace.unwrap().means, fresh.trace.unwrap().means, "{what}");
        let last = |now: &DeviceNow| (now.signals[0].last.clone(), now.signals[0].doubt.clone());
        let (seen, fresh) =
            (now_of(&world.engine, &world.tower).await, now_of(&engine(&world.store).await, &world.tower).await);
        assert_eq!(last(&seen), last(&fresh), "{what}");
    }
}

#[tokio::test]
async fn what_needs_attention_is_said_with_its_reason() {
    let world = World::new().await;
    change(&world, json!({"interval_s": 3600})).await;
    assert_eq!(now_of(&world.engine, &world.tower).await.attention, []);
    let Place { site, device, .. } = &world.tower;
    for new in [
        json!({"code": "count", "type": "number", "role": "sequence", "high": 65_535}),
        json!({"code": "supply", "name": "Supply", "type": "number", "unit": "V", "role": "battery", "low": 2, "high": 4.2}),
    ] {
        let new = serde_json::from_value(new).unwrap();
        world.engine.set_up.add_signal(site, device, &new, "ann").await.unwrap();
    }
    // Of forty numbers every fourth does not come.
    for number in (0..40).filter(|number| number % 4 != 3) {
        world.send(&world.tower, &json!({"count": number, "supply": 2.1}).to_string()).await;
    }
    world.send(&world.tower, r#"{"count": 40, "door": true}"#).await;
    world.engine.commissionings.begin_trial(&world.tower.device).await.unwrap();
    let now = now_of(&world.engine, &world.tower).await;
    let said: Vec<_> = now.attention.iter().map(|one| (one.concern, one.text.as_str())).collect();
    let expected = [
        (Concern::Losses, "lost 24 % of a day's messages"),
        (Concern::BatteryLow, "battery low: 2.1 V"),
        (Concern::NamesWaiting, "1 name waits to be declared"),
        (Concern::Trial, "in trial"),
    ];
    assert_eq!(said, expected);
    assert_eq!(now.battery.unwrap().value, 2.1);
    let day = now.day.unwrap();
    assert_eq!((day.received, day.lost), (31, 10));
    world.engine.links.flush(clock::now()).await.unwrap();
    assert_eq!(now_of(&world.engine, &world.tower).await.day, Some(day), "written or not, it is the same");
}

#[tokio::test]
async fn a_gateway_says_what_it_carries_and_others_do_not() {
    let world = World::new().await;
    let Place { site, device, .. } = &world.tower;
    for code in ["shed-1", "shed-2"] {
        let new = json!({"name": code, "code": code, "carrier": device.code, "identity": code});
        world.engine.set_up.add_device(site, serde_json::from_value(new).unwrap(), "ann").await.unwrap();
    }
    assert_eq!(now_of(&world.engine, &world.tower).await.carries, Some(Carries { devices: 2, fresh: 0 }));
    assert_eq!(now_of(&world.engine, &world.shed).await.carries, None);
}

#[tokio::test]
async fn what_was_converted_shows_no_more_digits_than_the_sensor_resolves() {
    let world = World::new().await;
    let signal = world.signal(&world.tower, "temp").await;
    let Place { site, device, .. } = &world.tower;
    let meaning = json!({"conversion": {"steps": [
        {"step": "counts", "bits": 12, "reference_v": 3.3},
        {"step": "scale", "factor": 100, "offset": -50, "unit": "Cel"},
    ]}});
    let meaning = serde_json::from_value(meaning).unwrap();
    world.engine.set_up.define(site, device, &signal, Some(&meaning), "ann").await.unwrap();
    for (index, counts) in [900, 901, 899, 902].into_iter().enumerate() {
        let time = minutes_ago(9.0 - index as f64).to_string();
        world.send(&world.tower, &json!({"at": time, "temp": counts}).to_string()).await;
    }
    let now = now_of(&world.engine, &world.tower).await;
    let temp = now.signals.iter().find(|one| one.signal == "temp").unwrap();
    assert_eq!(temp.decimals, 1, "a count is 0.08 °C: {:?}", temp.last);
}
