//! Calling people: who gets which message, when, and what becomes of it.

use super::world::{World, engine};
use futures::future::BoxFuture;
use lantern_api::TextReply;
use lantern_core::callout::AttemptOutcome::{self, Later, Refused, Sent, Uncertain};
use lantern_core::callout::CalloutState;
use lantern_core::callout::{Roster, TEXT_CHARACTERS, Way};
use lantern_core::watch::Watch;
use lantern_engine::Engine;
use lantern_engine::alarms::Answer as Answered;
use lantern_engine::callouts::{Answer, Outgoing, Post, Replies, Sender};
use lantern_engine::clock::shifted::{leap, pass};
use lantern_store::{AlarmFilter, CalloutFilter, CalloutRow, PersonChange};
use serde_json::{Value, json};
use std::collections::HashMap;
use std::sync::{Arc, Mutex};

/// A sender that keeps what it gets, and answers as it is told.
#[derive(Default)]
struct Desk {
    got: Mutex<Vec<Outgoing>>,
    answers: Mutex<HashMap<Way, AttemptOutcome>>,
}

impl Desk {
    fn answers(&self, way: Way, outcome: AttemptOutcome) {
        self.answers.lock().unwrap().insert(way, outcome);
    }

    /// Where messages went since the last time.
    fn got(&self) -> Vec<String> {
        self.got.lock().unwrap().drain(..).map(|message| message.address).collect()
    }

    fn take(&self) -> Vec<Outgoing> {
        self.got.lock().unwrap().drain(..).collect()
    }
}

impl Sender for Desk {
    fn can_send(&self, way: Way) -> bool {
        way != Way::Topic
    }

    fn send<'a>(&'a self, message: &'a Outgoing) -> BoxFuture<'a, Answer> {
        let outcome = self.answers.lock().unwrap().get(&message.way).copied().unwrap_or(Sent);
        if outcome != Later {
            self.got.lock().unwrap().push(message.clone());
        }
        Box::pin(async move { Answer::new(outcome, "what the server said") })
    }

    fn knock<'a>(&'a self, _address: &'a str) -> BoxFuture<'a, Result<(), String>> {
        Box::pin(async { Ok(()) })
    }
}

const ANN: &str = "ann@railway.example";
const BEN: &str = "+442079460000";

fn open(engine: &Engine) -> Arc<Desk> {
    let desk = Arc::<Desk>::default();
    engine.callouts.open(Post {
        sender: desk.clone(),
        public_url: "https://lantern.example".to_owned(),
        sign_of_life: None,
        replies: Some(Replies { key: "a key".into(), from: "von".into(), text: "body".into() }),
    });
    desk
}

/// A site with Ann, who is called first, and Ben; the tower is watched.
async fn world() -> (World, Arc<Desk>) {
    let world = World::new().await;
    let desk = open(&world.engine);
    let ann = world.store.add_first_person("ann", "-", lantern_engine::clock::now()).await.unwrap();
    let change = PersonChange { addresses: Some(vec![ANN.to_owned()]), ..PersonChange::default() };
    world.store.change_person(ann.id, &change).await.unwrap();
    watch(
        &world,
        "high",
        json!({"name": "Too high", "on": {"device": "tower", "signal": "level"},
        "when": {"is": "above", "limit": 3}, "severity": "high", "advice": "Close the valve"}),
    )
    .await;
    (world, desk)
}

async fn watch(world: &World, code: &str, watch: Value) {
    let watch: Watch = serde_json::from_value(watch).unwrap();
    world.engine.alarms.add(&world.tower.site, code, &watch, "ann").await.unwrap();
}

async fn roster(world: &World, change: impl FnOnce(&mut Roster)) {
    let roster = json!({"name": "Duty", "least": "high", "order": ["ann", BEN], "pass_on_min": 5, "rounds": 2});
    let mut roster: Roster = serde_json::from_value(roster).unwrap();
    change(&mut roster);
    world.engine.callouts.add(&world.tower.site, "duty", &roster, "ann").await.unwrap();
}

async fn level(world: &World, value: f64) {
    world.send(&world.tower, &json!({"level": value}).to_string()).await;
    world.engine.alarms.look().await;
}

/// Lets time pass, calls and sends.
async fn after(world: &World, seconds: f64) {
    pass(seconds);
    look(&world.engine).await;
}

/// Raises an alarm and makes its message, which is not sent yet.
async fn make_message(world: &World) {
    level(world, 3.5).await;
    pass(4.0);
    world.engine.callouts.call().await.unwrap();
}

async fn look(engine: &Engine) {
    engine.callouts.call().await.unwrap();
    for way in Way::ALL {
        engine.callouts.send(way).await.unwrap();
    }
}

async fn callouts(world: &World) -> Vec<CalloutRow> {
    let mut rows = world.store.callouts(world.tower.site.id, &CalloutFilter::default(), 500).await.unwrap();
    rows.reverse();
    rows
}

async fn newest_alarm(world: &World) -> i64 {
    world.store.alarms(world.tower.site.id, &AlarmFilter::default(), 1).await.unwrap()[0].id
}

async fn acknowledge(world: &World) {
    let alarm = newest_alarm(world).await;
    world.engine.alarms.answer(&world.tower.site, alarm, Answered::Acknowledge, "ann", "").await.unwrap();
}

#[tokio::test]
async fn a_call_is_passed_on_until_somebody_acknowledges_and_the_called_hear_of_its_end() {
    let (world, desk) = world().await;
    roster(&world, |_| ()).await;
    level(&world, 3.5).await;
    after(&world, 1.0).await;
    assert!(desk.got().is_empty(), "alarms are gathered for a moment");
    after(&world, 3.0).await;
    let first = desk.take();
    assert_eq!(first.len(), 1);
    assert_eq!((first[0].address.as_str(), first[0].subject.as_str()), (ANN, "High: Too high"));
    for words in ["level: 3.5 m", "above 3 m", "Close the valve", "temp 8 °C", "https://lantern.example/acknowledge#"]
    {
        assert!(first[0].text.contains(words), "{words}: {}", first[0].text);
    }
    after(&world, 60.0).await;
    assert!(desk.got().is_empty(), "one message for a step");
    after(&world, 241.0).await;
    let second = desk.take();
    assert_eq!(second[0].address, BEN);
    assert!(second[0].text.ends_with(&format!("Reply OK {}", newest_alarm(&world).await)), "{}", second[0].text);
    after(&world, 301.0).await;
    assert_eq!(desk.got(), [ANN], "the second round");
    acknowledge(&world).await;
    after(&world, 301.0).await;
    assert!(desk.got().is_empty(), "nobody else is called");
    level(&world, 2.0).await;
    after(&world, 1.0).await;
    let end = desk.take();
    let told: Vec<_> = end.iter().map(|one| (one.address.as_str(), one.subject.as_str())).collect();
    assert_eq!(told, [(ANN, "Over: Too high"), (BEN, "Over: Too high")]);
    assert!(end[0].text.contains("Acknowledged by ann"), "{}", end[0].text);
    after(&world, 3_600.0).await;
    assert!(desk.got().is_empty());
}

#[tokio::test]
async fn calling_goes_on_after_a_restart_and_nobody_is_called_twice() {
    let (world, desk) = world().await;
    roster(&world, |_| ()).await;
    level(&world, 3.5).await;
    // The service ends before anybody is called.
    let second = engine(&world.store).await;
    let second_desk = open(&second);
    pass(4.0);
    look(&second).await;
    assert_eq!((desk.got().len(), second_desk.got()), (0, vec![ANN.to_owned()]));
    // It ends while a message is being sent.
    pass(301.0);
    second.callouts.call().await.unwrap();
    let waiting = callouts(&world).await.pop().unwrap();
    assert!(world.store.begin_callout(waiting.id, lantern_engine::clock::now()).await.unwrap());
    let third = engine(&world.store).await;
    let third_desk = open(&third);
    third.callouts.recover().await.unwrap();
    look(&third).await;
    assert!(third_desk.got().is_empty(), "it may have been sent");
    let told = third.callouts.history(&world.tower.site, waiting.id).await.unwrap();
    assert_eq!(told.callout.state, CalloutState::Uncertain);
    assert!(told.attempts[0].said.contains("may have been sent"), "{told:?}");
    pass(301.0);
    look(&third).await;
    assert_eq!(third_desk.got(), [ANN], "the call goes on");
}

#[tokio::test]
async fn a_webhook_that_may_have_been_sent_is_sent_again_with_the_same_number() {
    let (world, desk) = world().await;
    roster(&world, |roster| (roster.order, roster.also) = (vec![], vec!["https://hook.example/a".to_owned()])).await;
    desk.answers(Way::Webhook, Uncertain);
    level(&world, 3.5).await;
    after(&world, 4.0).await;
    let first = desk.take();
    assert_eq!(first.len(), 1);
    let body: Value = serde_json::from_str(&first[0].text).unwrap();
    assert_eq!((&body["sort"], &body["alarms"][0]["watch"]), (&json!("call"), &json!("high")));
    assert!(first[0].signed.is_some());
    desk.answers(Way::Webhook, Sent);
    after(&world, 6.0).await;
    let again = desk.take();
    assert_eq!((again.len(), again[0].id), (1, first[0].id));
    level(&world, 2.0).await;
    after(&world, 1.0).await;
    assert_eq!(desk.take().len(), 1, "programs are told of the end");
}

#[tokio::test]
async fn a_mail_server_that_is_down_for_an_hour_gets_the_message_then_and_others_are_called_meanwhile() {
    let (world, desk) = world().await;
    roster(&world, |_| ()).await;
    desk.answers(Way::Mail, Later);
    level(&world, 3.5).await;
    after(&world, 4.0).await;
    after(&world, 301.0).await;
    assert_eq!(desk.got(), [BEN], "the call is passed on as usual");
    for _ in 0..11 {
        after(&world, 300.0).await;
    }
    desk.got();
    desk.answers(Way::Mail, Sent);
    after(&world, 301.0).await;
    assert_eq!(desk.got(), [ANN, ANN], "both calls to her");
    let first = callouts(&world).await.remove(0);
    assert_eq!(first.state, CalloutState::Sent);
    assert!((10..=30).contains(&first.attempts), "{} attempts in an hour", first.attempts);
}

#[tokio::test]
async fn what_somebody_has_acknowledged_meanwhile_is_not_sent_any_more() {
    let (world, desk) = world().await;
    roster(&world, |_| ()).await;
    desk.answers(Way::Mail, Later);
    level(&world, 3.5).await;
    after(&world, 4.0).await;
    acknowledge(&world).await;
    desk.answers(Way::Mail, Sent);
    after(&world, 60.0).await;
    assert!(desk.got().is_empty());
    assert_eq!(callouts(&world).await[0].state, CalloutState::Dropped);
}

#[tokio::test]
async fn whoever_cannot_be_reached_is_passed_over_at_once() {
    let (world, desk) = world().await;
    roster(&world, |roster| roster.order = vec!["Nobody".into(), "ann".into(), BEN.into()]).await;
    desk.answers(Way::Mail, Refused);
    level(&world, 3.5).await;
    after(&world, 4.0).await;
    assert!(desk.got().is_empty());
    after(&world, 2.0).await;
    assert_eq!(desk.got(), [ANN], "there is nobody of that name");
    after(&world, 1.0).await;
    assert_eq!(desk.got(), [BEN], "her mail was refused for good");
    let rows = callouts(&world).await;
    let states: Vec<_> = rows.iter().map(|row| (row.callee.as_str(), row.state)).collect();
    assert_eq!(states, [("Nobody", CalloutState::Failed), ("ann", CalloutState::Failed), (BEN, CalloutState::Sent)]);
}

#[tokio::test]
async fn a_thousand_alarms_at_once_are_one_message() {
    let (world, desk) = world().await;
    roster(&world, |roster| roster.order = vec!["ann".into()]).await;
    for number in 0..40 {
        watch(
            &world,
            &format!("w{number}"),
            json!({"name": "Too warm", "on": {"device": "tower", "signal": "temp"},
            "when": {"is": "above", "limit": 20 + number}, "severity": "high"}),
        )
        .await;
    }
    world.send(&world.tower, r#"{"temp": 99}"#).await;
    world.engine.alarms.look().await;
    after(&world, 4.0).await;
    let got = desk.take();
    assert_eq!(got.len(), 1);
    assert_eq!(got[0].subject, "High: 40 alarms at marlbeck");
    assert!(got[0].text.starts_with("40 × Too warm"), "{}", got[0].text);
    let alarms = world.store.alarms_of_callout(got[0].id, 100).await.unwrap();
    assert_eq!(alarms.len(), 40);
}

#[tokio::test]
async fn an_alarm_that_comes_and_goes_does_not_send_a_message_each_time() {
    let (world, desk) = world().await;
    roster(&world, |roster| (roster.order, roster.says_end) = (vec!["ann".into()], false)).await;
    for _ in 0..30 {
        level(&world, 3.5).await;
        after(&world, 4.0).await;
        level(&world, 2.0).await;
        after(&world, 6.0).await;
    }
    let count = desk.got().len();
    assert!((10..=12).contains(&count), "{count} messages for thirty alarms in five minutes");
}

#[tokio::test]
async fn what_another_alarm_explains_or_somebody_shelved_calls_nobody() {
    let (world, desk) = world().await;
    roster(&world, |_| ()).await;
    level(&world, 3.5).await;
    let alarm = newest_alarm(&world).await;
    world.engine.alarms.answer(&world.tower.site, alarm, Answered::Shelve(3_600.0), "ann", "works").await.unwrap();
    after(&world, 10.0).await;
    assert!(desk.got().is_empty());
    world.engine.alarms.answer(&world.tower.site, alarm, Answered::Unshelve, "ann", "").await.unwrap();
    after(&world, 10.0).await;
    assert_eq!(desk.got(), [ANN], "it still holds, and now it calls");
}

#[tokio::test]
async fn the_address_in_a_message_acknowledges_once() {
    let (world, desk) = world().await;
    roster(&world, |_| ()).await;
    level(&world, 3.5).await;
    after(&world, 4.0).await;
    let text = desk.take().remove(0).text;
    let secret = text.rsplit('#').next().unwrap();
    let callouts = &world.engine.callouts;
    let called = callouts.called_for(secret).await.unwrap();
    assert_eq!(
        (called.callee.as_str(), called.alarms[0].state.as_str()),
        ("ann", "unacknowledged"),
        "asking changes nothing"
    );
    let called = callouts.acknowledge(secret).await.unwrap();
    assert_eq!(called.alarms[0].acknowledged_by.as_deref(), Some("ann"));
    assert_eq!(callouts.acknowledge(secret).await.unwrap_err().code, "no-such-call");
    assert_eq!(callouts.called_for("something else").await.unwrap_err().code, "no-such-call");
    after(&world, 301.0).await;
    assert!(desk.got().is_empty(), "nobody else is called");
}

#[tokio::test]
async fn a_button_that_is_let_go_of_goes_on_calling_at_the_usual_pace() {
    let (world, desk) = world().await;
    watch(
        &world,
        "help",
        json!({"name": "Help", "on": {"device": "tower", "signal": "temp"},
        "when": {"is": "above", "limit": 50}, "severity": "urgent"}),
    )
    .await;
    roster(&world, |_| ()).await;
    world.send(&world.tower, r#"{"temp": 99}"#).await;
    world.send(&world.tower, r#"{"temp": 8}"#).await;
    world.engine.alarms.look().await;
    after(&world, 4.0).await;
    for _ in 0..10 {
        after(&world, 10.0).await;
    }
    assert_eq!(desk.got(), [ANN], "one message for a step, although it is over");
    after(&world, 201.0).await;
    assert_eq!(desk.got(), [BEN]);
    acknowledge(&world).await;
    after(&world, 301.0).await;
    let ends: Vec<String> = desk.take().into_iter().map(|one| one.subject).collect();
    assert_eq!(ends, ["Over: Help", "Over: Help"]);
}

#[tokio::test]
async fn an_address_ends_after_a_day() {
    let (world, desk) = world().await;
    roster(&world, |roster| roster.rounds = 1).await;
    level(&world, 3.5).await;
    after(&world, 4.0).await;
    let text = desk.take().remove(0).text;
    pass(86_401.0);
    let late = world.engine.callouts.acknowledge(text.rsplit('#').next().unwrap()).await.unwrap_err();
    assert_eq!(late.code, "no-such-call");
}

#[tokio::test]
async fn a_text_message_acknowledges_what_its_sender_was_called_for() {
    let (world, desk) = world().await;
    roster(&world, |roster| roster.order = vec![BEN.into()]).await;
    level(&world, 3.5).await;
    after(&world, 4.0).await;
    assert_eq!(desk.got(), [BEN]);
    let alarm = newest_alarm(&world).await;
    let reply = async |key: &str, from: &str, text: &str| {
        let fields = HashMap::from([("von".to_owned(), from.to_owned()), ("body".to_owned(), text.to_owned())]);
        world.engine.callouts.reply(key, &fields).await.map_err(|problem| problem.code)
    };
    assert_eq!(reply("another key", BEN, "ok").await, Err("no-gateway"));
    assert_eq!(reply("a key", BEN, "what?").await, Err("invalid"));
    assert_eq!(reply("a key", "+442079460001", "ok").await, Ok(vec![]), "a number nobody called");
    assert_eq!(reply("a key", BEN, &format!("ok {}", alarm + 1)).await, Ok(vec![]));
    assert_eq!(reply("a key", "+44 20 7946 0000", &format!("Ok {alarm}")).await, Ok(vec![alarm]));
    assert_eq!(reply("a key", BEN, "ok").await, Ok(vec![]), "it is acknowledged already");
    let _: TextReply = serde_json::from_value(json!({"from": BEN, "text": "ok"})).unwrap();
}

#[tokio::test]
async fn a_clock_that_leaps_neither_loses_nor_repeats_a_call() {
    for by in [-86_400.0, 86_400.0] {
        let (world, desk) = world().await;
        roster(&world, |_| ()).await;
        level(&world, 3.5).await;
        leap(by);
        after(&world, 4.0).await;
        assert_eq!(desk.got(), [ANN], "leap by {by} before the call");
        leap(-by);
        after(&world, 1.0).await;
        after(&world, 1.0).await;
        let soon = desk.got();
        assert!(soon.len() <= 1, "leap by {by} after it: {soon:?}");
        after(&world, 302.0).await;
        after(&world, 302.0).await;
        let later = desk.got();
        assert!(!later.is_empty() && soon.len() + later.len() <= 3, "leap by {by}: {soon:?} {later:?}");
        leap(0.0);
    }
}

#[tokio::test]
async fn a_clock_that_is_put_right_holds_no_message_up() {
    let (world, desk) = world().await;
    roster(&world, |_| ()).await;
    leap(120.0);
    make_message(&world).await;
    leap(-120.0);
    desk.answers(Way::Mail, Later);
    after(&world, 1.0).await;
    assert_eq!(callouts(&world).await[0].attempts, 1, "its first attempt");
    leap(120.0);
    after(&world, 6.0).await;
    leap(-120.0);
    desk.answers(Way::Mail, Sent);
    after(&world, 1.0).await;
    assert!(desk.got().contains(&ANN.to_owned()), "its next attempt, which was put off by the wrong clock");
}

#[tokio::test]
async fn a_message_that_was_made_by_a_clock_that_was_behind_is_not_given_up() {
    let (world, desk) = world().await;
    roster(&world, |_| ()).await;
    make_message(&world).await;
    leap(864_000.0);
    desk.answers(Way::Mail, Later);
    after(&world, 1.0).await;
    desk.answers(Way::Mail, Sent);
    after(&world, 6.0).await;
    assert!(desk.got().contains(&ANN.to_owned()));
}

#[tokio::test]
async fn how_an_attempt_ended_is_written_once_the_database_takes_it() {
    let (world, desk) = world().await;
    roster(&world, |_| ()).await;
    make_message(&world).await;
    world
        .execute(
            "CREATE TRIGGER refusing BEFORE UPDATE ON callout_attempt BEGIN SELECT RAISE(ABORT, 'disk is full'); END",
        )
        .await;
    world.engine.callouts.send(Way::Mail).await.unwrap_err();
    assert_eq!(callouts(&world).await[0].state, CalloutState::Sending);
    world.execute("DROP TRIGGER refusing").await;
    after(&world, 1.0).await;
    assert_eq!(callouts(&world).await[0].state, CalloutState::Sent);
    assert_eq!(desk.got(), [ANN], "sent once");
}

#[tokio::test]
async fn a_text_message_keeps_what_answers_it_however_long_its_words_are() {
    let (world, desk) = world().await;
    roster(&world, |roster| roster.order = vec![BEN.into()]).await;
    watch(
        &world,
        "long",
        json!({"name": "Too high", "on": {"device": "tower", "signal": "level"},
        "when": {"is": "above", "limit": 3}, "severity": "urgent", "advice": "Go there. ".repeat(40)}),
    )
    .await;
    level(&world, 3.5).await;
    after(&world, 4.0).await;
    let messages = desk.take();
    assert_eq!(messages.len(), 2);
    for message in messages {
        let link = message.text.lines().find(|line| line.starts_with("https://lantern.example/acknowledge#"));
        assert_eq!(link.map(str::len), Some(68), "{}", message.text);
        assert!(message.text.lines().last().unwrap().starts_with("Reply OK "), "{}", message.text);
        assert!(message.text.chars().count() <= TEXT_CHARACTERS, "{}", message.text);
    }
}

#[tokio::test]
async fn a_message_leads_to_where_the_device_is_now() {
    let (world, desk) = world().await;
    roster(&world, |_| ()).await;
    let declared = serde_json::from_value(json!({"code": "pos", "type": "position"})).unwrap();
    world.engine.set_up.add_signal(&world.tower.site, &world.tower.device, &declared, "ann").await.unwrap();
    world.send(&world.tower, &json!({"pos": {"latitude": 54.5, "longitude": -2.25}}).to_string()).await;
    level(&world, 3.5).await;
    after(&world, 4.0).await;
    let text = desk.take().remove(0).text;
    assert!(text.contains("geo:54.500000,-2.250000"), "{text}");
    assert!(text.contains("It is wrong when above 3 m"), "{text}");
    assert!(text.contains("temp 8"), "the other signals: {text}");
}

#[tokio::test]
async fn a_roster_says_what_would_keep_somebody_from_being_called() {
    let (world, _) = world().await;
    world
        .store
        .add_roster((world.tower.site.id, "bad"), ("{", Default::default()), "k", "ann", lantern_engine::clock::now())
        .await
        .unwrap();
    roster(&world, |roster| roster.order = vec!["ann".into(), "Nobody".into()]).await;
    let shown = async |code: &str| {
        let row = world.engine.callouts.find(&world.tower.site, code).await.unwrap();
        world.engine.callouts.shown(row).await.unwrap()
    };
    let duty = shown("duty").await;
    assert_eq!(duty.on_duty, ["ann", "Nobody"]);
    assert_eq!(duty.troubles, ["There is nobody of the name Nobody."]);
    assert!(shown("bad").await.damaged.is_some());
    let refused = serde_json::from_value(json!({"name": "D", "order": ["ann"], "devices": ["no-such"]})).unwrap();
    let refused = world.engine.callouts.add(&world.tower.site, "x", &refused, "ann").await.unwrap_err();
    assert_eq!(refused.code, "invalid");
}

#[tokio::test]
async fn a_test_shows_the_conversation_and_calls_nobody_else() {
    let (world, desk) = world().await;
    roster(&world, |_| ()).await;
    let site = &world.tower.site;
    let sent = world.engine.callouts.test(site, "duty", "ann", "ben").await.unwrap();
    assert_eq!(desk.got(), [ANN]);
    assert_eq!(
        (sent[0].callout.state, sent[0].attempts[0].said.as_str()),
        (CalloutState::Sent, "what the server said")
    );
    desk.answers(Way::Mail, Later);
    let sent = world.engine.callouts.test(site, "duty", "ann", "ben").await.unwrap();
    assert_eq!(sent[0].callout.state, CalloutState::Failed, "whoever tests wants to know now");
}
