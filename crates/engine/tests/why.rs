//! Why nothing is seen, where that takes time to come about.

use crate::world::World;
use lantern_api::NewSignal;
use lantern_core::retention::Retention;
use lantern_core::why::Mend;
use lantern_engine::clock;
use lantern_engine::why::Asked;
use lantern_store::Keeper;
use serde_json::json;

const DAY_S: f64 = 86_400.0;

#[tokio::test]
async fn readings_that_were_kept_for_a_while_only_are_told_of() {
    let world = World::new().await;
    let depth = NewSignal { code: "depth".to_owned(), ..NewSignal::default() };
    world.engine.set_up.add_signal(&world.tower.site, &world.tower.device, &depth, "ann").await.unwrap();
    let depth = world.signal(&world.tower, "depth").await;
    let begin = clock::now().plus_seconds(-40.0 * DAY_S);
    for day in 0..4 {
        let start = begin.plus_seconds(f64::from(day) * DAY_S).to_string();
        let values = vec![1.5; 5_000];
        world.send(&world.tower, &json!({"at": start, "every": 10, "depth": values}).to_string()).await;
    }
    let why = async || world.engine.whys.why(&world.tower.device, Some(&depth), Asked::default()).await.unwrap();
    assert_eq!(why().await.code, "no-longer-sent", "it is there, and old");

    let kept = Retention { raw_s: Some(DAY_S), ..Retention::default() };
    world.store.set_retention(Keeper::Signal(depth.id), Some(kept)).await.unwrap();
    world.store.quiet().await;
    let forgotten = world.store.retain(clock::now()).await.unwrap();
    assert_eq!(forgotten.readings, 20_000, "all of it was old");
    let found = why().await;
    assert_eq!((found.code.as_str(), &found.mend), ("no-longer-kept", &Mend::SeeRetention), "{found:?}");
}
