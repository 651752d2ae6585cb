//! Rosters, alarms in their hands, and the outbox.

use super::sites::{Place, Sites, at, pages};
use lantern_core::SiteId;
use lantern_core::alarm::Severity;
use lantern_core::callout::{AttemptOutcome, CalloutSort, CalloutState, Way};
use lantern_store::{
    AlarmDeed, AttemptEnd, Calling, CallingChange, CalloutFilter, CalloutRow, NewAlarm, NewCallout, PointChange,
    PointId, RosterId, RosterRow, Store, StoreError,
};

async fn roster(store: &Store, site: SiteId, code: &str, least: Severity) -> RosterId {
    store.add_roster((site, code), ("{}", least), "key", "ann", at(0)).await.unwrap().id
}

/// An alarm of a severity at a place.
async fn raised(store: &Store, place: Place, severity: Severity, second: i64) -> (PointId, i64) {
    let watch = store.add_watch(place.site, &format!("w{second}"), "{}", "ann", at(0)).await.unwrap();
    let on = [(Some(place.device), Some(place.signal))];
    let point = store.add_points(watch.id, &on, "", "").await.unwrap()[0].id;
    let alarm = NewAlarm {
        site: place.site,
        watch: watch.code,
        name: "Too high".to_owned(),
        severity,
        raised_at: at(second),
        value: None,
        is_silent: false,
        found_until: None,
        cause: None,
    };
    (point, deed(store, point, AlarmDeed::Raise(Box::new(alarm)), second).await.unwrap())
}

async fn deed(store: &Store, point: PointId, deed: AlarmDeed, second: i64) -> Option<i64> {
    let change =
        PointChange { point, state: String::new(), memory: String::new(), shelved_until: None, deeds: vec![deed] };
    store.change_points(&[change], at(second)).await.unwrap()[0]
}

fn message(site: SiteId, to: &str, alarms: &[i64]) -> NewCallout {
    NewCallout {
        site,
        roster: "duty".to_owned(),
        callee: "ben".to_owned(),
        to: Ok((Way::Text, to.to_owned())),
        sort: CalloutSort::Call,
        subject: "High: Too high".to_owned(),
        text: "text".to_owned(),
        link: None,
        alarms: alarms.to_vec(),
    }
}

fn end(outcome: AttemptOutcome, state: CalloutState, next: Option<i64>) -> AttemptEnd {
    AttemptEnd { outcome, said: "250 fine".to_owned(), state, next_at: next.map(at) }
}

async fn due(store: &Store, second: i64) -> Vec<Calling> {
    store.callings(at(second), 100).await.unwrap()
}

async fn to_send(store: &Store, second: i64) -> Vec<i64> {
    let rows = store.callouts_to_send(Way::Text, at(second), 100).await.unwrap();
    rows.into_iter().map(|row| row.id).collect()
}

async fn state(store: &Store, site: SiteId, id: i64) -> CalloutState {
    store.callout(site, id).await.unwrap().0.state
}

const NUMBER: &str = "+442079460000";

#[tokio::test]
async fn an_alarm_is_in_the_hands_of_the_rosters_of_its_site_that_call_for_it() {
    let Sites { store, here, there, folder: _folder } = Sites::new().await;
    let all = roster(&store, here.site, "all", Severity::Low).await;
    let worst = roster(&store, here.site, "worst", Severity::Urgent).await;
    roster(&store, there.site, "all", Severity::Low).await;
    let (_, medium) = raised(&store, here, Severity::Medium, 10).await;
    assert!(due(&store, 12).await.is_empty(), "for a moment it may be covered, or gathered with others");
    let (_, urgent) = raised(&store, here, Severity::Urgent, 20).await;
    let mut hands: Vec<_> = due(&store, 23).await.iter().map(|one| (one.alarm.id, one.roster)).collect();
    hands.sort_unstable();
    assert_eq!(hands, [(medium, all), (urgent, all), (urgent, worst)]);
}

#[tokio::test]
async fn a_step_is_due_in_its_time_or_when_the_clock_was_put_back() {
    let Sites { store, here, folder: _folder, .. } = Sites::new().await;
    roster(&store, here.site, "all", Severity::Low).await;
    let (point, _) = raised(&store, here, Severity::High, 10).await;
    let calling = due(&store, 13).await.remove(0);
    assert!(calling.is_due && calling.is_going_on && calling.step == 0);
    store.call_out(&[(calling.id, CallingChange::Step(2, at(313)))], &[], at(13)).await.unwrap();
    assert!(due(&store, 312).await.is_empty());
    assert!(due(&store, 313).await[0].is_due);
    assert!(due(&store, 5).await[0].is_due, "the clock was put back");
    store.call_out(&[(calling.id, CallingChange::AwaitEnd)], &[], at(14)).await.unwrap();
    assert!(due(&store, 1_000).await.is_empty());
    deed(&store, point, AlarmDeed::Clear(at(400)), 400).await;
    let ended = due(&store, 401).await.remove(0);
    assert!(!ended.is_due && !ended.is_going_on && ended.alarm.cleared_at.is_some());
    store.call_out(&[(calling.id, CallingChange::Over)], &[], at(402)).await.unwrap();
    assert!(due(&store, 1_000).await.is_empty());
}

#[tokio::test]
async fn a_message_is_sent_once_and_tells_what_became_of_it() {
    let Sites { store, here, folder: _folder, .. } = Sites::new().await;
    let (_, alarm) = raised(&store, here, Severity::High, 10).await;
    let id = store.add_callout(&message(here.site, NUMBER, &[alarm]), at(13)).await.unwrap();
    assert_eq!(to_send(&store, 13).await, [id]);
    assert!(store.callouts_to_send(Way::Mail, at(13), 9).await.unwrap().is_empty(), "it goes another way");
    assert!(store.begin_callout(id, at(14)).await.unwrap());
    assert!(!store.begin_callout(id, at(14)).await.unwrap(), "somebody has begun");
    assert!(to_send(&store, 14).await.is_empty());
    assert_eq!(store.callouts_being_sent().await.unwrap().len(), 1);
    store.end_callout(id, &end(AttemptOutcome::Later, CalloutState::Waiting, Some(20)), at(15)).await.unwrap();
    assert!(to_send(&store, 19).await.is_empty());
    assert_eq!(to_send(&store, 20).await, [id]);
    assert_eq!(to_send(&store, 14).await, [id], "put off by a clock that was ahead");
    assert!(store.begin_callout(id, at(20)).await.unwrap());
    store.end_callout(id, &end(AttemptOutcome::Sent, CalloutState::Sent, None), at(21)).await.unwrap();
    let (row, attempts, alarms) = store.callout(here.site, id).await.unwrap();
    assert_eq!((row.state, row.attempts, row.ended_at, alarms), (CalloutState::Sent, 2, Some(at(21)), vec![alarm]));
    let told: Vec<_> = attempts.iter().map(|one| (one.began_at, one.ended_at, one.outcome)).collect();
    let (later, sent) = (Some(AttemptOutcome::Later), Some(AttemptOutcome::Sent));
    assert_eq!(told, [(at(14), Some(at(15)), later), (at(20), Some(at(21)), sent)]);
    store.end_callout(id, &end(AttemptOutcome::Refused, CalloutState::Failed, None), at(22)).await.unwrap();
    assert_eq!(state(&store, here.site, id).await, CalloutState::Sent, "it was over");
}

#[tokio::test]
async fn what_nobody_needs_any_more_is_dropped() {
    let Sites { store, here, folder: _folder, .. } = Sites::new().await;
    let (point, first) = raised(&store, here, Severity::High, 10).await;
    let (_, second) = raised(&store, here, Severity::High, 20).await;
    let both = store.add_callout(&message(here.site, NUMBER, &[first, second]), at(23)).await.unwrap();
    let one = store.add_callout(&message(here.site, NUMBER, &[first]), at(23)).await.unwrap();
    deed(&store, point, AlarmDeed::Acknowledge("ann".into()), 24).await;
    assert!(!store.begin_callout(one, at(25)).await.unwrap());
    assert_eq!(state(&store, here.site, one).await, CalloutState::Dropped);
    assert!(store.begin_callout(both, at(25)).await.unwrap(), "one of its alarms waits");
}

#[tokio::test]
async fn nobody_is_waited_for_who_was_not_reached() {
    let Sites { store, here, folder: _folder, .. } = Sites::new().await;
    roster(&store, here.site, "duty", Severity::Low).await;
    let (_, alarm) = raised(&store, here, Severity::High, 10).await;
    let calling = due(&store, 13).await.remove(0);
    let to = [message(here.site, NUMBER, &[alarm]), message(here.site, "+442079460001", &[alarm])];
    store.call_out(&[(calling.id, CallingChange::Step(2, at(313)))], &to, at(13)).await.unwrap();
    let ids = to_send(&store, 13).await;
    for (id, expected) in ids.iter().zip([false, true]) {
        store.begin_callout(*id, at(14)).await.unwrap();
        store.end_callout(*id, &end(AttemptOutcome::Refused, CalloutState::Failed, None), at(15)).await.unwrap();
        let is_due = due(&store, 16).await.iter().any(|one| one.is_due);
        assert_eq!(is_due, expected, "the next one's turn comes once no address is left");
    }
}

#[tokio::test]
async fn whoever_has_no_address_is_recorded_as_not_reached() {
    let Sites { store, here, folder: _folder, .. } = Sites::new().await;
    let (_, alarm) = raised(&store, here, Severity::High, 10).await;
    let nowhere = NewCallout { to: Err("ben has given no address".to_owned()), ..message(here.site, "", &[alarm]) };
    let id = store.add_callout(&nowhere, at(13)).await.unwrap();
    let (row, attempts, _) = store.callout(here.site, id).await.unwrap();
    assert_eq!((row.state, row.way, row.ended_at), (CalloutState::Failed, None, Some(at(13))));
    assert_eq!(attempts[0].said, "ben has given no address");
    assert!(to_send(&store, 100).await.is_empty());
}

#[tokio::test]
async fn an_address_in_a_message_works_once_and_for_its_time() {
    let Sites { store, here, folder: _folder, .. } = Sites::new().await;
    let (_, alarm) = raised(&store, here, Severity::High, 10).await;
    let linked = NewCallout { link: Some(([7; 32], at(100))), ..message(here.site, NUMBER, &[alarm]) };
    let id = store.add_callout(&linked, at(13)).await.unwrap();
    assert_eq!(store.callout_by_link(&[7; 32], at(99)).await.unwrap().id, id, "looking spends nothing");
    assert!(matches!(store.callout_by_link(&[7; 32], at(100)).await, Err(StoreError::NotFound)), "it has ended");
    assert!(matches!(store.spend_callout_link(&[8; 32], at(50)).await, Err(StoreError::NotFound)));
    assert_eq!(store.spend_callout_link(&[7; 32], at(50)).await.unwrap().id, id);
    assert!(matches!(store.spend_callout_link(&[7; 32], at(50)).await, Err(StoreError::NotFound)), "once");
}

#[tokio::test]
async fn who_was_called_where_is_known_by_alarm_number_and_time() {
    let Sites { store, here, there, folder: _folder } = Sites::new().await;
    let (_, alarm) = raised(&store, here, Severity::High, 10).await;
    let sent = store.add_callout(&message(here.site, NUMBER, &[alarm]), at(13)).await.unwrap();
    store.add_callout(&message(here.site, "+442079460001", &[alarm]), at(13)).await.unwrap();
    store.add_callout(&message(there.site, NUMBER, &[]), at(13)).await.unwrap();
    store.begin_callout(sent, at(14)).await.unwrap();
    store.end_callout(sent, &end(AttemptOutcome::Sent, CalloutState::Sent, None), at(15)).await.unwrap();
    let called = store.called(alarm, "duty").await.unwrap();
    let of = |number: &str| ("ben".to_owned(), Way::Text, number.to_owned());
    assert_eq!(called, [of(NUMBER), of("+442079460001")]);
    assert!(store.called(alarm, "night").await.unwrap().is_empty());
    let numbers = async |since| store.calls_to_number(NUMBER, at(since)).await.unwrap().len();
    assert_eq!((numbers(0).await, numbers(13).await), (1, 0), "what went out, and lately");
    let recent = store.recent_callouts(here.site, "duty", "ben", at(43)).await.unwrap();
    assert_eq!((recent.count, recent.since_s), (1, 30.0), "two addresses at once are one call");
    assert_eq!(store.recent_callouts(here.site, "duty", "ben", at(700)).await.unwrap().count, 0);
    assert_eq!(store.recent_callouts(here.site, "duty", "ann", at(43)).await.unwrap().count, 0);
}

#[tokio::test]
async fn the_outbox_is_filtered_paged_and_of_one_site() {
    let Sites { store, here, there, folder: _folder } = Sites::new().await;
    let (_, alarm) = raised(&store, here, Severity::High, 10).await;
    let mut ids = Vec::new();
    for second in 0..5 {
        let about = if second == 2 { vec![alarm] } else { vec![] };
        ids.push(store.add_callout(&message(here.site, NUMBER, &about), at(second)).await.unwrap());
    }
    let other = store.add_callout(&message(there.site, NUMBER, &[]), at(9)).await.unwrap();
    let list = async |filter: CalloutFilter| -> Vec<i64> {
        let rows = store.callouts(here.site, &filter, 100).await.unwrap();
        rows.into_iter().map(|row| row.id).collect()
    };
    ids.reverse();
    assert_eq!(list(CalloutFilter::default()).await, ids);
    assert_eq!(list(CalloutFilter { alarm: Some(alarm), ..Default::default() }).await, [ids[2]]);
    assert!(list(CalloutFilter { state: Some(CalloutState::Sent), ..Default::default() }).await.is_empty());
    let paged = pages(async |last: Option<&CalloutRow>| {
        let before = last.map(|row| row.id);
        store.callouts(here.site, &CalloutFilter { before, ..Default::default() }, 2).await.unwrap()
    });
    assert_eq!(paged.await.into_iter().map(|row| row.id).collect::<Vec<_>>(), ids);
    assert!(matches!(store.callout(here.site, other).await, Err(StoreError::NotFound)), "not of this site");
}

#[tokio::test]
async fn rosters_are_paged_by_code_and_go_with_what_is_in_their_hands() {
    let Sites { store, here, there, folder: _folder } = Sites::new().await;
    for code in ["night", "day", "holidays"] {
        roster(&store, here.site, code, Severity::Low).await;
    }
    roster(&store, there.site, "day", Severity::Low).await;
    let again = store.add_roster((here.site, "day"), ("{}", Severity::Low), "key", "ben", at(1)).await;
    assert!(matches!(again, Err(StoreError::Taken)));
    let paged = pages(async |last: Option<&RosterRow>| {
        store.rosters(here.site, last.map_or("", |row| &row.code), 2).await.unwrap()
    });
    assert_eq!(paged.await.iter().map(|row| row.code.as_str()).collect::<Vec<_>>(), ["day", "holidays", "night"]);
    let day = store.roster(here.site, "day").await.unwrap();
    let changed = store.change_roster(day.id, ("{\"x\":1}", Severity::Urgent), "ben", at(5)).await.unwrap();
    assert_eq!((changed.signing_key.as_str(), changed.changed), ("key", Some(("ben".to_owned(), at(5)))));
    let (_, high) = raised(&store, here, Severity::High, 10).await;
    let hands = |callings: Vec<Calling>| callings.into_iter().filter(|one| one.alarm.id == high).count();
    assert_eq!(hands(due(&store, 20).await), 2, "the day's calls for what is urgent alone");
    store.remove_roster(store.roster(here.site, "night").await.unwrap().id).await.unwrap();
    assert_eq!(hands(due(&store, 20).await), 1);
    assert!(matches!(store.roster_by_id(RosterId(99)).await, Err(StoreError::NotFound)));
}
