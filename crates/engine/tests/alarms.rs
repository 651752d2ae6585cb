//! Watches at work: from a reading to an alarm, and what people answer.

use super::world::{Place, World, delivery, engine};
use lantern_api::{Alarm, AlarmFigures, Mark, MarkKind};
use lantern_core::Moment;
use lantern_core::watch::Watch;
use lantern_engine::alarms::{Answer, shown_alarm};
use lantern_engine::clock::shifted::pass;
use lantern_engine::{Engine, clock, marks};
use lantern_store::AlarmFilter;
use serde_json::{Value, json};

fn watch(watch: Value) -> Watch {
    serde_json::from_value(watch).unwrap()
}

/// The level of the tower is too high above 3 m.
fn too_high() -> Watch {
    watch(json!({"name": "Too high", "on": {"device": "tower", "signal": "level"},
        "when": {"is": "above", "limit": 300, "unit": "cm"}, "severity": "high"}))
}

async fn alarms(engine: &Engine, place: &Place, filter: AlarmFilter<'_>) -> Vec<Alarm> {
    engine.alarms.look().await;
    let rows = engine.store.alarms(place.site.id, &filter, 100).await.unwrap();
    rows.into_iter().map(shown_alarm).collect()
}

async fn all(world: &World) -> Vec<Alarm> {
    alarms(&world.engine, &world.tower, AlarmFilter::default()).await
}

fn told(alarms: &[Alarm]) -> Vec<(&str, &str)> {
    alarms.iter().map(|alarm| (alarm.watch.as_str(), alarm.state.as_str())).collect()
}

async fn level(world: &World, value: f64) {
    world.send(&world.tower, &json!({"level": value}).to_string()).await;
}

async fn with(world: &World, code: &str, watch: Watch) {
    world.engine.alarms.add(&world.tower.site, code, &watch, "ann").await.unwrap();
}

#[tokio::test]
async fn an_alarm_is_raised_acknowledged_and_cleared() {
    let world = World::new().await;
    with(&world, "high", too_high()).await;
    let (mut events, ..) = world.engine.live.listen(None);
    assert_eq!(told(&all(&world).await), []);
    level(&world, 3.2).await;
    level(&world, 3.3).await;
    let raised = all(&world).await;
    assert_eq!(told(&raised), [("high", "unacknowledged")], "one, however many readings say so");
    let alarm = &raised[0];
    assert_eq!((alarm.device.as_deref(), alarm.signal.as_deref()), (Some("tower"), Some("level")));
    assert_eq!((&alarm.value, alarm.symbol.as_deref()), (&Some(lantern_core::Value::Number(3.2)), Some("m")));
    let site = &world.tower.site;
    let (row, steps) =
        world.engine.alarms.answer(site, alarm.id, Answer::Acknowledge, "ann", "on my way").await.unwrap();
    assert_eq!(shown_alarm(row).state, "acknowledged");
    let words: Vec<_> =
        steps.iter().map(|step| (step.step.as_str(), step.who.as_deref(), step.note.as_str())).collect();
    assert_eq!(words, [("raised", None, ""), ("acknowledged", Some("ann"), "on my way")]);
    let again = world.engine.alarms.answer(site, alarm.id, Answer::Acknowledge, "bob", "").await.unwrap_err();
    assert_eq!(again.code, "not-so");
    level(&world, 2.9).await;
    assert_eq!(told(&all(&world).await), [("high", "cleared")]);
    let open = AlarmFilter { is_open: true, ..AlarmFilter::default() };
    assert!(alarms(&world.engine, &world.tower, open).await.is_empty());
    let told: Vec<String> = std::iter::from_fn(|| events.try_next())
        .filter(|event| event.name == "alarm")
        .map(|event| serde_json::from_str::<Alarm>(&event.json).unwrap().state)
        .collect();
    assert_eq!(told, ["unacknowledged", "acknowledged", "cleared"], "each step is told once");
    level(&world, 3.4).await;
    assert_eq!(all(&world).await.len(), 2, "it is another one");
}

#[tokio::test]
async fn what_nobody_saw_waits_until_somebody_has_looked() {
    let world = World::new().await;
    with(&world, "high", too_high()).await;
    level(&world, 3.2).await;
    level(&world, 2.0).await;
    let returned = all(&world).await;
    assert_eq!(told(&returned), [("high", "returned")]);
    assert_eq!(world.store.count_waiting_alarms(world.tower.site.id).await.unwrap(), [0, 0, 1, 0]);
    level(&world, 3.5).await;
    let both = all(&world).await;
    assert_eq!(told(&both), [("high", "unacknowledged"), ("high", "cleared")], "the newest is waited for");
    world.engine.alarms.answer(&world.tower.site, both[0].id, Answer::Acknowledge, "ann", "").await.unwrap();
    assert_eq!(world.store.count_waiting_alarms(world.tower.site.id).await.unwrap(), [0; 4]);
}

#[tokio::test]
async fn a_button_that_people_press_is_an_alarm_until_somebody_answers() {
    let world = World::new().await;
    with(&world, "help", watch(json!({"name": "Help", "when": {"is": "pressed"}, "severity": "urgent"}))).await;
    with(&world, "high", too_high()).await;
    let site = &world.tower.site;
    world.engine.alarms.press(site, "help", "ben", "Fire in the shed").await.unwrap();
    let first = all(&world).await;
    assert_eq!(told(&first), [("help", "returned")], "it waits for somebody");
    let (_, steps) = world.store.alarm(site.id, first[0].id).await.unwrap();
    let pressed = steps.iter().find(|step| step.step == "pressed").unwrap();
    assert_eq!((pressed.who.as_deref(), pressed.note.as_str()), (Some("ben"), "Fire in the shed"));
    world.engine.alarms.press(site, "help", "ben", "").await.unwrap();
    assert_eq!(told(&all(&world).await), [("help", "returned"), ("help", "cleared")], "each press is an alarm");
    assert_eq!(world.engine.alarms.press(site, "high", "ben", "").await.unwrap_err().code, "not-so");
    assert_eq!(world.engine.alarms.press(site, "none", "ben", "").await.unwrap_err().code, "not-found");
    let slow = watch(json!({"name": "Help", "when": {"is": "pressed"}, "delay_on_s": 5}));
    assert_eq!(world.engine.alarms.add(site, "slow", &slow, "ann").await.unwrap_err().code, "invalid");
}

#[tokio::test]
async fn who_shelves_says_why_and_for_how_long() {
    let world = World::new().await;
    with(&world, "high", too_high()).await;
    level(&world, 3.2).await;
    let id = all(&world).await[0].id;
    let site = &world.tower.site;
    let answer = async |answer, note| world.engine.alarms.answer(site, id, answer, "ann", note).await;
    assert_eq!(answer(Answer::Shelve(3_600.0), " ").await.unwrap_err().code, "invalid");
    assert_eq!(answer(Answer::Shelve(1.0), "works").await.unwrap_err().code, "invalid");
    answer(Answer::Shelve(3_600.0), "works at the tank").await.unwrap();
    let shelved = all(&world).await;
    assert_eq!(told(&shelved), [("high", "shelved")]);
    assert!(shelved[0].shelved_until.is_some());
    assert_eq!(world.store.count_waiting_alarms(site.id).await.unwrap(), [0; 4]);
    assert_eq!(answer(Answer::Acknowledge, "").await.unwrap_err().code, "not-so");
    pass(3_599.0);
    assert_eq!(told(&all(&world).await), [("high", "shelved")]);
    pass(2.0);
    let again = all(&world).await;
    assert_eq!(told(&again), [("high", "unacknowledged")], "it still holds, and somebody has to know");
    assert_eq!(world.store.count_waiting_alarms(site.id).await.unwrap(), [0, 0, 1, 0]);
    // While it is out of service it is recorded, and nobody is called.
    answer(Answer::TakeOut, "new float").await.unwrap();
    level(&world, 2.0).await;
    level(&world, 3.6).await;
    let out = all(&world).await;
    assert_eq!(told(&out), [("high", "out_of_service"), ("high", "cleared")]);
    assert!(out[0].is_silent && !out[1].is_silent);
    world.engine.alarms.answer(site, out[0].id, Answer::PutBack, "ann", "").await.unwrap();
    assert_eq!(told(&all(&world).await)[0], ("high", "unacknowledged"));
}

#[tokio::test]
async fn delays_are_over_though_nothing_comes() {
    let world = World::new().await;
    let watch = Watch { delay_on_s: 60.0, ..too_high() };
    with(&world, "high", watch).await;
    level(&world, 3.2).await;
    pass(59.0);
    assert!(all(&world).await.is_empty());
    pass(2.0);
    let raised = all(&world).await;
    assert_eq!(told(&raised), [("high", "unacknowledged")]);
    let at = Moment::parse_rfc3339(&raised[0].raised_at).unwrap();
    assert!((clock::now().seconds_since(at) - 1.0).abs() < 0.9, "as of when the minute was over: {at}");
}

#[tokio::test]
async fn a_watch_begins_with_what_holds_when_it_is_made_or_changed() {
    let world = World::new().await;
    level(&world, 3.2).await;
    with(&world, "high", too_high()).await;
    assert_eq!(told(&all(&world).await), [("high", "unacknowledged")], "it is too high already");
    let higher = Watch { when: serde_json::from_value(json!({"is": "above", "limit": 4})).unwrap(), ..too_high() };
    world.engine.alarms.change(&world.tower.site, "high", &higher, "ann").await.unwrap();
    assert_eq!(told(&all(&world).await), [("high", "returned")], "by the new limit it is not");
    level(&world, 4.5).await;
    assert_eq!(all(&world).await.len(), 2);
    world.engine.alarms.remove(&world.tower.site, "high").await.unwrap();
    let ended = all(&world).await;
    assert_eq!(told(&ended), [("high", "cleared"), ("high", "cleared")], "they stay in the history");
    level(&world, 9.0).await;
    assert_eq!(all(&world).await.len(), 2);
}

#[tokio::test]
async fn a_restart_neither_loses_nor_repeats_an_alarm() {
    let world = World::new().await;
    with(&world, "high", too_high()).await;
    level(&world, 3.2).await;
    assert_eq!(all(&world).await.len(), 1);
    // It ends at once, after readings that were not judged.
    level(&world, 2.0).await;
    level(&world, 3.7).await;
    for round in 0..2 {
        let again = engine(&world.store).await;
        again.alarms.begin().await.unwrap();
        let found = alarms(&again, &world.tower, AlarmFilter::default()).await;
        assert_eq!(told(&found), [("high", "unacknowledged"), ("high", "cleared")], "start {round}");
        assert_eq!(found[0].value, Some(lantern_core::Value::Number(3.7)));
    }
}

#[tokio::test]
async fn what_comes_late_is_found_and_calls_nobody() {
    let world = World::new().await;
    with(&world, "high", too_high()).await;
    let ago = |seconds: f64, value: f64| json!({"at": clock::now().plus_seconds(-seconds).to_string(), "level": value});
    level(&world, 2.0).await;
    assert!(all(&world).await.is_empty());
    for (seconds, value) in [(3_600.0, 2.0), (3_000.0, 3.5), (2_400.0, 2.0)] {
        world.send(&world.tower, &ago(seconds, value).to_string()).await;
    }
    assert!(all(&world).await.is_empty());
    world.engine.alarms.look_each_minute().await;
    let found = all(&world).await;
    assert_eq!(told(&found), [("high", "cleared")]);
    assert!(found[0].is_found && found[0].is_silent);
    assert_eq!(world.store.count_waiting_alarms(world.tower.site.id).await.unwrap(), [0; 4]);
    world.send(&world.tower, &ago(2_700.0, 3.6).to_string()).await;
    world.engine.alarms.look().await;
    world.engine.alarms.look_each_minute().await;
    assert_eq!(all(&world).await.len(), 1, "it is the same one");
}

#[tokio::test]
async fn a_silent_gateway_is_the_cause_of_what_it_carries() {
    let world = World::new().await;
    let site = &world.tower.site;
    let set_up = &world.engine.set_up;
    for code in ["shed-1", "shed-2", "shed-3"] {
        let new = json!({"name": code, "code": code, "carrier": "tower", "identity": code, "interval_s": 30, "state": "live"});
        set_up.add_device(site, serde_json::from_value(new).unwrap(), "ann").await.unwrap();
    }
    with(&world, "silent", watch(json!({"name": "Silent", "when": {"is": "silent"}}))).await;
    let shed = async |code: &str| world.store.device(site.id, code).await.unwrap().id;
    let ids = [shed("shed-1").await, shed("shed-2").await, shed("shed-3").await];
    let hear = |devices: &[lantern_core::DeviceId]| {
        devices.iter().chain([&world.tower.device.id]).for_each(|id| world.engine.heard.note(*id, clock::now()));
    };
    hear(&ids);
    let look = async || {
        world.engine.heard.judge();
        all(&world).await
    };
    assert!(look().await.is_empty());
    // The gateway falls silent, and so does all it carries: one alarm.
    pass(151.0);
    let found = look().await;
    let of = |alarms: &[Alarm], device: &str| {
        alarms.iter().find(|alarm| alarm.device.as_deref() == Some(device)).map(|alarm| alarm.state.clone())
    };
    assert_eq!(of(&found, "tower").as_deref(), Some("unacknowledged"), "{found:?}");
    for code in ["shed-1", "shed-2", "shed-3"] {
        assert_eq!(of(&found, code).as_deref(), Some("covered"), "{found:?}");
    }
    assert_eq!(world.store.count_waiting_alarms(site.id).await.unwrap(), [0, 1, 0, 0]);
    // It comes back with two of them: the third is silent by itself.
    hear(&ids[..2]);
    look().await;
    pass(40.0);
    hear(&ids[..2]);
    let found = look().await;
    assert_eq!(of(&found, "tower").as_deref(), Some("returned"));
    assert_eq!(of(&found, "shed-1").as_deref(), Some("cleared"));
    assert_eq!(of(&found, "shed-3").as_deref(), Some("unacknowledged"), "{found:?}");
}

#[tokio::test]
async fn a_watch_is_on_what_is_there() {
    let world = World::new().await;
    let site = &world.tower.site;
    let on_all = watch(json!({"name": "Frost", "on": {"signal": "temp", "except": ["shed"]},
        "when": {"is": "below", "limit": 0, "unit": "Cel"}}));
    with(&world, "frost", on_all).await;
    let row = world.engine.alarms.find_watch(site, "frost").await.unwrap();
    assert_eq!(world.engine.alarms.standing(row.id), (1, 0));
    for code in ["hut", "shed"] {
        let new = json!({"name": code, "code": code, "state": "live",
            "signals": [{"code": "temp", "type": "number", "unit": "[degF]"}]});
        world.engine.set_up.add_device(site, serde_json::from_value(new).unwrap(), "ann").await.unwrap();
    }
    world.engine.alarms.look().await;
    assert_eq!(world.engine.alarms.standing(row.id), (2, 0), "the hut is new, and the shed is excepted");
    // Nobody is called for what is in trial; once it is live it is watched.
    let new = json!({"name": "Attic", "code": "attic",
        "signals": [{"code": "temp", "type": "number", "unit": "Cel"}]});
    world.engine.set_up.add_device(site, serde_json::from_value(new).unwrap(), "ann").await.unwrap();
    world.engine.alarms.look().await;
    assert_eq!(world.engine.alarms.standing(row.id), (2, 0));
    // Nothing of another site is watched.
    let hut = world.store.device(site.id, "hut").await.unwrap();
    world.engine.set_up.remove_device(&hut).await.unwrap();
    world.engine.alarms.look().await;
    assert_eq!(world.engine.alarms.standing(row.id), (1, 0));
    let refused = async |json: Value| world.engine.alarms.add(site, "x", &watch(json), "ann").await.unwrap_err();
    let wrong_unit = refused(json!({"name": "W", "on": {"device": "tower", "signal": "level"},
        "when": {"is": "above", "limit": 3, "unit": "Cel"}}))
    .await;
    assert!(
        wrong_unit.detail.contains("does not fit the signal") && wrong_unit.detail.contains("tower/level"),
        "{wrong_unit}"
    );
    let nothing = refused(json!({"name": "W", "on": {"device": "nowhere", "signal": "level"},
        "when": {"is": "above", "limit": 3}}))
    .await;
    assert!(nothing.detail.contains("nowhere"), "{nothing}");
    let taken = world.engine.alarms.add(site, "frost", &too_high(), "ann").await.unwrap_err();
    assert_eq!(taken.code, "taken");
    let other = world.engine.alarms.add(&world.shed.site, "high", &too_high(), "ann").await.unwrap_err();
    assert!(other.detail.contains("tower"), "the tower is of another site: {other}");
}

#[tokio::test]
async fn what_a_watch_would_have_done_is_told_before_it_is_made() {
    let world = World::new().await;
    let now = clock::now();
    let body: Vec<Value> = (0..100)
        .map(|i| {
            let value = if i % 20 == 0 { 3.5 } else { 2.0 };
            json!({"at": now.plus_seconds(f64::from(i - 100) * 60.0).to_string(), "level": value})
        })
        .collect();
    world.engine.intake.take(delivery(&world.tower.key, &Value::from(body).to_string())).await.unwrap();
    let tried =
        world.engine.alarms.try_out(&world.tower.site, &too_high(), (now.plus_seconds(-86_400.0), now)).await.unwrap();
    assert_eq!((tried.places.len(), tried.places[0].count, tried.readings), (1, 5, 101), "the one there was too");
    assert_eq!(tried.places[0].held_s, 300.0);
    assert!((tried.rating.per_day - 5.0).abs() < 1e-9 && tried.rating.remarks.is_empty(), "{:?}", tried.rating);
    assert!(all(&world).await.is_empty(), "nothing was kept");
}

/// The figures of an engine that has kept them, which have to be those of one that reads all alarms anew.
async fn figures(world: &World) -> AlarmFigures {
    world.engine.alarms.look().await;
    let now = clock::now();
    let (site, time) = (&world.tower.site, (now.plus_seconds(-86_400.0), now.plus_seconds(60.0)));
    let kept = world.engine.alarms.figures(site, time, 1.0).await.unwrap();
    let anew = engine(&world.store).await.alarms.figures(site, time, 1.0).await.unwrap();
    assert_eq!(json!(kept), json!(anew));
    kept
}

#[tokio::test]
async fn figures_follow_what_becomes_of_alarms() {
    let world = World::new().await;
    with(&world, "high", too_high()).await;
    assert_eq!(figures(&world).await.count, 0);
    level(&world, 3.2).await;
    assert_eq!((figures(&world).await.count, figures(&world).await.acknowledged), (1, 0));
    let alarm = all(&world).await[0].id;
    world.engine.alarms.answer(&world.tower.site, alarm, Answer::Acknowledge, "ann", "").await.unwrap();
    assert_eq!(figures(&world).await.acknowledged, 1);
    pass(30.0);
    level(&world, 2.0).await;
    let cleared = figures(&world).await;
    assert!((30.0..31.0).contains(&cleared.longest[0].stood_s), "{cleared:?}");
    // What was found afterwards does not count.
    world
        .send(&world.tower, &json!([{"level": 4, "at": clock::now().plus_seconds(-20.0).to_string()}]).to_string())
        .await;
    assert_eq!(figures(&world).await.count, 1);
    level(&world, 3.4).await;
    assert_eq!(figures(&world).await.count, 2);
    // Of another site nothing is seen, and its alarms do not end what is kept of this one.
    let shed =
        json!({"name": "Too high", "on": {"device": "shed", "signal": "level"}, "when": {"is": "above", "limit": 3}});
    world.engine.alarms.add(&world.shed.site, "high", &watch(shed), "ann").await.unwrap();
    world.send(&world.shed, &json!({"level": 5}).to_string()).await;
    assert_eq!(figures(&world).await.count, 2);
    // Alarms go with what they are on.
    world.execute("DELETE FROM alarm WHERE id = (SELECT min(id) FROM alarm)").await;
    assert_eq!(figures(&world).await.count, 1);
}

#[tokio::test]
async fn alarms_stand_beside_the_readings_of_what_they_are_on() {
    let world = World::new().await;
    with(&world, "high", too_high()).await;
    level(&world, 3.2).await;
    let alarm = all(&world).await[0].id;
    let now = clock::now();
    let beside = async |place: &Place, code: &str, from_s: f64| -> Vec<Mark> {
        let signals = [world.signal(place, code).await];
        let span = (now.plus_seconds(from_s), now.plus_seconds(3_600.0));
        let marks = marks::of_signals(&world.store, &place.site, &signals, span).await.unwrap().marks;
        marks.into_iter().filter(|mark| mark.kind == MarkKind::Alarm).collect()
    };
    let goes_on = beside(&world.tower, "level", -60.0).await.remove(0);
    assert_eq!((goes_on.about.as_str(), goes_on.text.as_str()), ("tower/level", "high alarm: Too high"));
    assert_eq!((goes_on.to, goes_on.by, goes_on.id), (None, None, Some(alarm)));
    world.engine.alarms.answer(&world.tower.site, alarm, Answer::Acknowledge, "ann", "").await.unwrap();
    pass(30.0);
    level(&world, 2.0).await;
    world.engine.alarms.look().await;
    let over = beside(&world.tower, "level", -60.0).await.remove(0);
    assert!(over.to.is_some() && over.by.as_deref() == Some("ann"), "{over:?}");
    assert_eq!(beside(&world.tower, "level", 600.0).await, [], "it was over by then");
    assert_eq!(beside(&world.tower, "temp", -60.0).await, [], "it is on another signal");
    assert_eq!(beside(&world.shed, "level", -60.0).await, [], "it is on another site");
}
