//! Watches, alarms and their figures.

use super::sites::{Place, Sites, at, pages};
use lantern_core::alarm::Severity;
use lantern_core::{Moment, SiteId};
use lantern_store::{AlarmDeed, AlarmFilter, AlarmRow, NewAlarm, PointChange, PointId, PointRow, Store, StoreError};

async fn watched(store: &Store, place: Place, code: &str) -> PointRow {
    let watch = store.add_watch(place.site, code, "{}", "ann", at(0)).await.unwrap();
    let on = [(Some(place.device), Some(place.signal))];
    store.add_points(watch.id, &on, "\"calm\"", "{}").await.unwrap().remove(0)
}

fn alarm(site: SiteId, severity: Severity, second: i64) -> NewAlarm {
    NewAlarm {
        site,
        watch: "high".to_owned(),
        name: "Too high".to_owned(),
        severity,
        raised_at: at(second),
        value: Some("3.5".to_owned()),
        is_silent: false,
        found_until: None,
        cause: None,
    }
}

fn raise(site: SiteId, second: i64) -> AlarmDeed {
    AlarmDeed::Raise(Box::new(alarm(site, Severity::High, second)))
}

async fn change(store: &Store, point: PointId, deeds: Vec<AlarmDeed>, second: i64) -> Option<i64> {
    let (state, memory) = ("\"odd\"".to_owned(), "{\"x\":1}".to_owned());
    let change = PointChange { point, state, memory, shelved_until: None, deeds };
    store.change_points(&[change], at(second)).await.unwrap()[0]
}

async fn all(store: &Store, site: SiteId) -> Vec<AlarmRow> {
    store.alarms(site, &AlarmFilter::default(), 100).await.unwrap()
}

#[tokio::test]
async fn an_alarm_goes_through_its_steps_and_is_told_with_them() {
    let Sites { store, here, folder: _folder, .. } = Sites::new().await;
    let point = watched(&store, here, "high").await;
    let raised = change(&store, point.id, vec![raise(here.site, 10)], 12).await.unwrap();
    let noted = AlarmDeed::Step { at: at(20), step: "acknowledged", who: Some("ann".into()), note: "on my way".into() };
    let still = change(&store, point.id, vec![AlarmDeed::Acknowledge("ann".into()), noted], 20).await;
    assert_eq!(still, Some(raised), "it goes on");
    change(&store, point.id, vec![AlarmDeed::Clear(at(30))], 31).await;
    let (row, steps) = store.alarm(here.site, raised).await.unwrap();
    assert_eq!((row.raised_at, row.recorded_at, row.cleared_at), (at(10), at(12), Some(at(30))));
    assert_eq!(row.acknowledged, Some((Some("ann".to_owned()), at(20))));
    assert_eq!(
        (row.device.as_deref(), row.signal.as_deref(), row.unit.as_deref()),
        (Some("tower"), Some("level"), Some("m"))
    );
    assert_eq!((row.value.as_deref(), row.severity), (Some("3.5"), Severity::High));
    let told: Vec<_> = steps.iter().map(|step| (step.step.as_str(), step.at, step.note.as_str())).collect();
    assert_eq!(told, [("raised", at(10), ""), ("acknowledged", at(20), "on my way"), ("cleared", at(30), "")]);
}

#[tokio::test]
async fn what_is_raised_twice_is_one_alarm_and_what_comes_again_is_another() {
    let Sites { store, here, folder: _folder, .. } = Sites::new().await;
    let point = watched(&store, here, "high").await;
    let first = change(&store, point.id, vec![raise(here.site, 10)], 12).await;
    assert_eq!(change(&store, point.id, vec![raise(here.site, 10)], 13).await, first, "the same once more");
    assert_eq!(all(&store, here.site).await.len(), 1);
    change(&store, point.id, vec![AlarmDeed::Clear(at(20))], 21).await;
    let second = change(&store, point.id, vec![raise(here.site, 30)], 31).await;
    assert_ne!(second, first);
    let rows = all(&store, here.site).await;
    assert_eq!(rows.iter().map(|row| row.raised_at).collect::<Vec<_>>(), [at(30), at(10)]);
    assert_eq!(rows[1].acknowledged, Some((None, at(31))), "nobody is waited for any more");
    let steps = store.alarm(here.site, first.unwrap()).await.unwrap().1;
    assert_eq!(steps.last().unwrap().step, "raised_again");
}

#[tokio::test]
async fn what_is_found_in_the_history_changes_nothing_that_goes_on() {
    let Sites { store, here, folder: _folder, .. } = Sites::new().await;
    let point = watched(&store, here, "high").await;
    let open = change(&store, point.id, vec![raise(here.site, 100)], 101).await;
    let found = NewAlarm { found_until: Some(at(60)), ..alarm(here.site, Severity::Low, 50) };
    assert_eq!(change(&store, point.id, vec![AlarmDeed::Raise(Box::new(found))], 200).await, open);
    let rows = all(&store, here.site).await;
    assert_eq!(
        rows.iter().map(|row| (row.is_found, row.cleared_at)).collect::<Vec<_>>(),
        [(false, None), (true, Some(at(60)))]
    );
    assert_eq!(store.count_waiting_alarms(here.site).await.unwrap(), [0, 0, 1, 0]);
    let spans = store.alarm_spans(point.id, at(0)).await.unwrap();
    assert_eq!(spans, [(at(50), Some(at(60))), (at(100), None)]);
    assert_eq!(store.alarm_spans(point.id, at(61)).await.unwrap(), [(at(100), None)]);
}

#[tokio::test]
async fn lists_are_filtered_paged_and_of_one_site() {
    let Sites { store, here, there, folder: _folder } = Sites::new().await;
    let (point, other) = (watched(&store, here, "high").await, watched(&store, there, "high").await);
    for (second, severity) in [(10, Severity::Low), (20, Severity::Urgent), (30, Severity::Medium)] {
        let raised = AlarmDeed::Raise(Box::new(alarm(here.site, severity, second)));
        change(&store, point.id, vec![raised, AlarmDeed::Clear(at(second + 5))], second + 5).await;
    }
    change(&store, other.id, vec![raise(there.site, 15)], 15).await;
    let list = async |filter: AlarmFilter<'_>| -> Vec<i64> {
        let rows = store.alarms(here.site, &filter, 100).await.unwrap();
        rows.iter().map(|row| (row.raised_at.seconds_since(at(0))) as i64).collect()
    };
    let none = AlarmFilter::default;
    let cases: [(AlarmFilter<'_>, &[i64]); 9] = [
        (none(), &[30, 20, 10]),
        (AlarmFilter { is_open: true, ..none() }, &[30]),
        (AlarmFilter { least: Some(Severity::Medium), ..none() }, &[30, 20]),
        (AlarmFilter { device: Some("tower"), signal: Some("level"), ..none() }, &[30, 20, 10]),
        (AlarmFilter { device: Some("shed"), ..none() }, &[]),
        (AlarmFilter { watch: Some("low"), ..none() }, &[]),
        (AlarmFilter { from: Some(at(25)), ..none() }, &[30, 20]),
        (AlarmFilter { from: Some(at(26)), ..none() }, &[30]),
        (AlarmFilter { to: Some(at(20)), ..none() }, &[10]),
    ];
    for (filter, expected) in cases {
        assert_eq!(list(filter.clone()).await, expected, "{filter:?}");
    }
    let paged = pages(async |last: Option<&AlarmRow>| {
        let before = last.map(|row| (row.raised_at, row.id));
        store.alarms(here.site, &AlarmFilter { before, ..none() }, 2).await.unwrap()
    });
    assert_eq!(paged.await, all(&store, here.site).await);
    let of_there = all(&store, there.site).await[0].id;
    assert!(matches!(store.alarm(here.site, of_there).await, Err(StoreError::NotFound)), "not of this site");
}

#[tokio::test]
async fn a_watch_that_is_removed_ends_its_alarms_and_leaves_them_in_the_history() {
    let Sites { store, here, there, folder: _folder } = Sites::new().await;
    let point = watched(&store, here, "high").await;
    let other = watched(&store, there, "high").await;
    let raised = change(&store, point.id, vec![raise(here.site, 10)], 10).await.unwrap();
    change(&store, other.id, vec![raise(there.site, 10)], 10).await;
    assert!(matches!(store.add_watch(here.site, "high", "{}", "ben", at(11)).await, Err(StoreError::Taken)));
    store.remove_watch(point.watch, at(40)).await.unwrap();
    let (row, steps) = store.alarm(here.site, raised).await.unwrap();
    assert_eq!((row.cleared_at, row.acknowledged), (Some(at(40)), Some((None, at(40)))));
    assert_eq!(steps.last().unwrap().step, "unwatched");
    assert_eq!(all(&store, there.site).await[0].cleared_at, None, "the other site's goes on");
    assert!(store.watch_points_of_site(here.site).await.unwrap().is_empty());
    assert!(matches!(store.remove_watch(point.watch, at(41)).await, Err(StoreError::NotFound)));
}

#[tokio::test]
async fn points_are_made_once_and_keep_what_is_remembered() {
    let sites = Sites::new().await;
    let (store, here) = (&sites.store, sites.here);
    let shed = sites.device("shed").await;
    let point = watched(store, here, "high").await;
    change(store, point.id, vec![], 5).await;
    let on = [(Some(here.device), Some(here.signal)), (Some(shed), None), (None, None)];
    let points = store.add_points(point.watch, &on, "\"calm\"", "{}").await.unwrap();
    assert_eq!(points.iter().map(|one| (one.device, one.signal)).collect::<Vec<_>>(), on);
    assert_eq!((points[0].id, points[0].memory.as_str()), (point.id, "{\"x\":1}"), "it is not begun anew");
    assert_eq!(store.watch_points(point.watch).await.unwrap(), points);
    store.remove_points(&[points[1].id], at(9)).await.unwrap();
    assert_eq!(store.watch_points(point.watch).await.unwrap().len(), 2);
}

#[tokio::test]
async fn watches_are_paged_by_code_and_changed_by_somebody() {
    let Sites { store, here, there, folder: _folder } = Sites::new().await;
    for code in ["c", "a", "b"] {
        store.add_watch(here.site, code, "{}", "ann", at(1)).await.unwrap();
    }
    store.add_watch(there.site, "z", "{}", "ann", at(1)).await.unwrap();
    let paged = pages(async |last: Option<&lantern_store::WatchRow>| {
        store.watches(here.site, last.map_or("", |row| &row.code), 2).await.unwrap()
    });
    assert_eq!(paged.await.iter().map(|row| row.code.as_str()).collect::<Vec<_>>(), ["a", "b", "c"]);
    assert_eq!(store.count_watches(here.site).await.unwrap(), 3);
    let b = store.watch(here.site, "b").await.unwrap();
    let changed = store.change_watch(b.id, "{\"name\":\"B\"}", "ben", at(7)).await.unwrap();
    assert_eq!((changed.made, changed.changed), (("ann".to_owned(), at(1)), Some(("ben".to_owned(), at(7)))));
    assert!(matches!(store.watch(here.site, "z").await, Err(StoreError::NotFound)));
}

#[tokio::test]
async fn figures_count_what_somebody_had_to_attend_to() {
    let Sites { store, here, there, folder: _folder } = Sites::new().await;
    let (point, other) = (watched(&store, here, "high").await, watched(&store, there, "high").await);
    let counted = async |since: Moment| -> Vec<i64> {
        let rows = store.counted_alarms(here.site, since, 100).await.unwrap();
        assert!(rows.iter().all(|(_, _, occurrence)| occurrence.is_some()));
        let extent = store.alarm_extent(here.site, since).await.unwrap();
        assert_eq!(extent.count as usize, rows.len());
        assert_eq!(extent.sum, rows.iter().map(|(id, ..)| id).sum::<i64>());
        rows.into_iter().map(|(id, ..)| id).collect()
    };
    let before = store.newest_alarm_step().await.unwrap();
    let first = change(&store, point.id, vec![raise(here.site, 10)], 10).await.unwrap();
    let silent = NewAlarm { is_silent: true, ..alarm(here.site, Severity::High, 20) };
    let found = NewAlarm { found_until: Some(at(6)), ..alarm(here.site, Severity::High, 5) };
    let silent = change(&store, point.id, vec![AlarmDeed::Raise(Box::new(silent))], 20).await.unwrap();
    change(&store, point.id, vec![AlarmDeed::Raise(Box::new(found))], 21).await;
    change(&store, other.id, vec![raise(there.site, 10)], 10).await;
    assert_eq!(counted(at(0)).await, [first]);
    assert!(counted(at(11)).await.is_empty());
    let changed = async |step| {
        let rows = store.changed_alarms(here.site, at(0), step, 100).await.unwrap();
        rows.into_iter().map(|(id, _, occurrence)| (id, occurrence.is_some())).collect::<Vec<_>>()
    };
    let mut all = changed(before).await;
    all.sort_unstable();
    assert_eq!(all, [(first, true), (silent, false), (silent + 1, false)]);
    let step = store.newest_alarm_step().await.unwrap();
    assert!(changed(step).await.is_empty());
    change(&store, point.id, vec![AlarmDeed::Uncover], 30).await;
    assert_eq!(changed(step).await, [(silent, true)], "it counts from now on");
    assert_eq!(counted(at(0)).await, [first, silent]);
    let place = store.alarm_place(here.site, point.id.0).await.unwrap();
    assert_eq!(
        (place.watch.as_str(), place.device.as_deref(), place.signal.as_deref()),
        ("high", Some("tower"), Some("level"))
    );
    assert!(matches!(store.alarm_place(there.site, point.id.0).await, Err(StoreError::NotFound)));
}
