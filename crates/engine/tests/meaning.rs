//! What is sent becomes what it means.

use super::world::{World, engine};
use lantern_core::quality::{Cause, Quality};
use lantern_core::{Moment, Value};
use lantern_store::{Order, Page};
use serde_json::{Value as Json, json};

async fn define(world: &World, code: &str, meaning: Json) {
    let (site, device) = (&world.tower.site, &world.tower.device);
    let signal = world.signal(&world.tower, code).await;
    let meaning = serde_json::from_value(meaning).unwrap();
    world.engine.set_up.define(site, device, &signal, Some(&meaning), "ann").await.unwrap();
}

/// Value, what was sent, and whether it is good, of all readings since a second.
async fn stored(world: &World, code: &str, since: i64) -> Vec<(Value, Option<f64>, bool)> {
    let signal = world.signal(&world.tower, code).await;
    let page = Page {
        signal: signal.id,
        from: Moment::from_micros(since * 1_000_000).unwrap(),
        to: Moment::MAX,
        order: Order::Ascending,
        limit: 100,
    };
    let points = world.store.points(page).await.unwrap();
    points.into_iter().map(|point| (point.value, point.raw, point.quality.is_good())).collect()
}

const T: i64 = 1_777_636_800;

#[tokio::test]
async fn a_value_is_converted_and_what_was_sent_is_kept() {
    let world = World::new().await;
    define(
        &world,
        "level",
        json!({"conversion": {"steps": [{"step": "scale", "factor": 0.5, "offset": 1, "unit": "m"}]}}),
    )
    .await;
    world.send(&world.tower, &format!(r#"{{"at": {T}, "level": 3}}"#)).await;
    assert_eq!(stored(&world, "level", T).await[0], (Value::Number(2.5), Some(3.0), true));
    let again = world.send(&world.tower, &format!(r#"{{"at": {T}, "level": 3}}"#)).await;
    assert_eq!((again.repeated, again.corrected), (1, 0), "the same sent again is the same");
}

#[tokio::test]
async fn what_cannot_be_believed_is_kept_and_marked() {
    let world = World::new().await;
    define(&world, "temp", json!({"screen": {"markers": [-127], "possible": {"low": -40, "high": 60}}})).await;
    let answer = world
        .send(
            &world.tower,
            &format!(
                r#"[{{"at": {T}, "temp": 21}}, {{"at": {}, "temp": -127}}, {{"at": {}, "temp": 80}}, {{"at": {}, "temp": 22}}]"#,
                T + 30,
                T + 60,
                T + 90
            ),
        )
        .await;
    assert_eq!((answer.kept, answer.not_good), (4, 2), "{answer:?}");
    let good: Vec<bool> = stored(&world, "temp", T).await.into_iter().take(4).map(|(.., good)| good).collect();
    assert_eq!(good, [true, false, false, true]);
}

#[tokio::test]
async fn a_text_where_a_number_belongs_stays_rejected_whatever_the_meaning() {
    let world = World::new().await;
    let cases = [
        (json!({}), (Value::Number(21.0), None, true)),
        (
            json!({"conversion": {"steps": [{"step": "scale", "factor": 2, "unit": "Cel"}]}}),
            (Value::Number(42.0), Some(21.0), true),
        ),
        (json!({"screen": {"possible": {"low": -40, "high": 60}}}), (Value::Number(21.0), None, true)),
    ];
    for (from, (meaning, number)) in (T..).step_by(100).zip(cases) {
        define(&world, "temp", meaning.clone()).await;
        let rows = format!(r#"[{{"at": {from}, "temp": 21}}, {{"at": {}, "temp": "ERR"}}]"#, from + 30);
        let answer = world.send(&world.tower, &rows).await;
        assert_eq!((answer.kept, answer.not_good, answer.refused_count), (2, 1, 0), "{answer:?}");
        assert_eq!(answer.remarks[0].code, "not-a-number");
        let kept = stored(&world, "temp", from).await;
        assert_eq!(kept[..2], [number, (Value::Text("ERR".into()), None, false)], "{meaning}");
    }
}

#[tokio::test]
async fn what_a_step_remembers_survives_a_restart() {
    let mut world = World::new().await;
    define(&world, "level", json!({"conversion": {"from": "m", "steps": [{"step": "median", "window": 3}]}})).await;
    for (after, level) in [(0, 1.0), (10, 9.0)] {
        world.send(&world.tower, &format!(r#"{{"at": {}, "level": {level}}}"#, T + after)).await;
    }
    world.engine = engine(&world.store).await;
    world.send(&world.tower, &format!(r#"{{"at": {}, "level": 2}}"#, T + 20)).await;
    let last = stored(&world, "level", T + 20).await[0].clone();
    assert_eq!(last, (Value::Number(2.0), Some(2.0), true), "the median of 1, 9 and 2");
}

#[tokio::test]
async fn a_meaning_of_one_site_is_nothing_to_another() {
    let world = World::new().await;
    define(&world, "level", json!({"conversion": {"steps": [{"step": "scale", "factor": 100, "unit": "m"}]}})).await;
    world.send(&world.shed, &format!(r#"{{"at": {T}, "level": 3}}"#)).await;
    let values = world.values(&world.shed, "level").await;
    assert!(values.iter().any(|(_, value)| *value == Value::Number(3.0)), "{values:?}");
    assert!(values.iter().all(|(_, value)| *value != Value::Number(300.0)), "{values:?}");
}

#[tokio::test]
async fn what_people_enter_is_screened_and_not_converted() {
    let world = World::new().await;
    let device = &world.tower.device;
    let meaning = |high: f64| json!({"conversion": {"steps": [{"step": "scale", "factor": 0.5}]}, "screen": {"possible": {"low": 0, "high": high}}});
    define(&world, "level", meaning(4.0)).await;
    let enter = async |second: i64, value: f64| {
        let at = Moment::from_micros((T + second) * 1_000_000).unwrap().to_string();
        let new = serde_json::from_value(json!({"value": value, "at": at})).unwrap();
        world
            .engine
            .by_hand
            .enter(device, &world.signal(&world.tower, "level").await, new, "ann")
            .await
            .unwrap()
            .quality
    };
    assert!(enter(0, 3.5).await.is_good());
    assert_eq!(enter(1, 35.0).await, Quality::Rejected(Cause::Range), "a decimal point was forgotten");
}
