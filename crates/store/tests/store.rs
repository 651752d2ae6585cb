//! The store as the service uses it: on a real file, opened and opened again.

use lantern_core::command::Stage;
use lantern_core::series::{Buckets, Point};
use lantern_core::state::{StateChange, StateKey};
use lantern_core::{DeviceId, Moment, Reading, SignalId, SiteId, Value};
use lantern_store::{
    CONTACTS_KEPT, Caller, DATABASE_FILE, Grants, Moved, NewArrival, NewCommand, NewContact, NewDevice, NewKey,
    NewSignal, NewSite, OpenError, Order, OtherName, Page, Recorded, Store, StoreError,
};
use proptest::prelude::*;
use std::collections::BTreeMap;
use std::path::Path;
use std::sync::Arc;

fn at(second: i64) -> Moment {
    Moment::from_micros(second * 1_000_000).unwrap()
}

fn number(signal: SignalId, second: i64, value: f64) -> Reading {
    Reading::good(signal, at(second), Value::Number(value))
}

fn all(signal: SignalId) -> Page {
    Page { signal, from: at(-1_000_000), to: at(10_000_000), limit: 100_000, order: Order::Ascending }
}

async fn open(dir: &Path) -> Store {
    Store::open(dir).await.unwrap()
}

async fn device(store: &Store, site: &str, code: &str) -> DeviceId {
    let site = match store.site(site).await {
        Ok(site) => site.id,
        Err(_) => {
            let new = NewSite { code: site, name: site, zone: "UTC", position: None };
            store.add_site(new, at(0)).await.unwrap().id
        }
    };
    let new = NewDevice { code, name: code, interval_s: 30.0, ..NewDevice::default() };
    store.add_device(site, new, at(0)).await.unwrap().id
}

async fn signal(store: &Store, device: DeviceId, code: &str) -> SignalId {
    let new = NewSignal::number(code, Some("m"));
    store.add_signal(device, new, at(0)).await.unwrap().id
}

fn arrival(name: &str) -> NewArrival<'_> {
    NewArrival { name, unit: None }
}

async fn record(store: &Store, readings: Vec<Reading>) -> Recorded {
    store.record(Arc::new(readings), at(9)).await.unwrap()
}

#[tokio::test]
async fn tells_new_repeated_and_corrected_readings_apart() {
    let dir = tempfile::tempdir().unwrap();
    let store = open(dir.path()).await;
    let tower = device(&store, "marlbeck", "tower").await;
    let level = signal(&store, tower, "level").await;

    let first = record(&store, vec![number(level, 1, 2.0), number(level, 2, 2.1)]).await;
    assert_eq!(first, Recorded { new: 2, ..Recorded::default() });
    let again = record(&store, vec![number(level, 1, 2.0), number(level, 2, 9.9), number(level, 0, 1.9)]).await;
    assert_eq!(again, Recorded { new: 1, repeated: 1, corrected: 1, expired: 0 });

    let kept = store.readings(all(level)).await.unwrap();
    let expected = [(0, 1.9), (1, 2.0), (2, 9.9)].map(|(s, v)| (at(s), Value::Number(v)));
    assert_eq!(kept, expected);
    store.close().await;
}

#[tokio::test]
async fn values_come_back_with_their_types() {
    let dir = tempfile::tempdir().unwrap();
    let store = open(dir.path()).await;
    let tower = device(&store, "marlbeck", "tower").await;
    let odd = signal(&store, tower, "odd").await;
    let values = [
        Value::Number(3.0),
        Value::Flag(true),
        Value::Flag(false),
        Value::Text("eco".into()),
        Value::Text(String::new()),
        Value::Number(-0.1),
        Value::Number(1e308),
    ];
    let readings = values.iter().enumerate().map(|(i, v)| Reading::good(odd, at(i as i64), v.clone())).collect();
    record(&store, readings).await;
    let kept: Vec<Value> = store.readings(all(odd)).await.unwrap().into_iter().map(|(_, v)| v).collect();
    assert_eq!(kept, values);
    store.close().await;
}

#[tokio::test]
async fn many_deliveries_at_once_are_each_answered_for_themselves() {
    let dir = tempfile::tempdir().unwrap();
    let store = Arc::new(open(dir.path()).await);
    let tower = device(&store, "marlbeck", "tower").await;
    let level = signal(&store, tower, "level").await;
    let tasks: Vec<_> = (0..64)
        .map(|i| {
            let store = store.clone();
            // Each pair of deliveries is the same: one of the two must be new.
            tokio::spawn(async move { record(&store, vec![number(level, i / 2, 1.0)]).await })
        })
        .collect();
    let mut total = Recorded::default();
    for task in tasks {
        let recorded = task.await.unwrap();
        total.new += recorded.new;
        total.repeated += recorded.repeated;
    }
    assert_eq!(total, Recorded { new: 32, repeated: 32, corrected: 0, expired: 0 });
    store.close().await;
}

#[tokio::test]
async fn summaries_leave_empty_buckets_out() {
    let dir = tempfile::tempdir().unwrap();
    let store = open(dir.path()).await;
    let tower = device(&store, "marlbeck", "tower").await;
    let level = signal(&store, tower, "level").await;
    let mut readings: Vec<_> =
        [(-5, 7.0), (0, 1.0), (5, 3.0), (9, 2.0), (35, 5.0)].iter().map(|&(s, v)| number(level, s, v)).collect();
    readings.push(Reading::good(level, at(6), Value::Text("no number".into())));
    record(&store, readings).await;
    let summaries = store.summaries(level, at(-100), at(100), Buckets::Even(10_000_000)).await.unwrap();
    let seen: Vec<_> = summaries
        .iter()
        .map(|b| (b.start / 1_000_000, b.summary.min, b.summary.max, b.summary.mean(), b.summary.count))
        .collect();
    assert_eq!(seen, [(-10, 7.0, 7.0, 7.0, 1), (0, 1.0, 3.0, 2.0, 3), (30, 5.0, 5.0, 5.0, 1)]);
    store.close().await;
}

#[tokio::test]
async fn an_arrival_becomes_the_declared_signal_with_its_readings() {
    let dir = tempfile::tempdir().unwrap();
    let store = open(dir.path()).await;
    let tower = device(&store, "marlbeck", "tower").await;
    let waiting = store.add_arrivals(tower, &[arrival("supply"), arrival("supply")], at(1)).await.unwrap();
    assert_eq!(waiting[0].id, waiting[1].id);
    record(&store, vec![number(waiting[0].id, 1, 12.3)]).await;
    assert!(matches!(store.signal(tower, "supply").await, Err(StoreError::NotFound)));

    let declared = signal(&store, tower, "supply").await;
    assert_eq!(declared, waiting[0].id);
    assert_eq!(store.readings(all(declared)).await.unwrap().len(), 1);
    assert!(matches!(store.add_signal(tower, NewSignal::number("supply", None), at(2)).await, Err(StoreError::Taken)));
    store.close().await;
}

#[tokio::test]
async fn an_arrival_claimed_into_a_signal_brings_its_readings_and_its_name() {
    let dir = tempfile::tempdir().unwrap();
    let store = open(dir.path()).await;
    let tower = device(&store, "marlbeck", "tower").await;
    let level = signal(&store, tower, "level").await;
    record(&store, (0..10).map(|s| number(level, s, 1.0)).collect()).await;
    let lvl = store.add_arrivals(tower, &[arrival("lvl")], at(1)).await.unwrap().remove(0);
    let mut readings: Vec<_> = (8..12_000).map(|s| number(lvl.id, s, 2.0)).collect();
    readings.push(Reading::good(lvl.id, at(12_000), Value::Text("wet".into())));
    record(&store, readings).await;

    let numbers = |point: Point| matches!(point.value, Value::Number(_)).then_some(point);
    let moved = store.claim_into(&lvl, &store.signal_by_id(level).await.unwrap(), numbers, at(20_000)).await.unwrap();
    assert_eq!(moved, Moved { moved: 11_992, left: 1 });
    let kept = store.readings(all(level)).await.unwrap();
    assert_eq!(kept.len(), 12_000);
    assert_eq!(kept[8].1, Value::Number(2.0), "what came later for the same time holds");
    assert_eq!(
        store.signal_names(tower).await.unwrap(),
        [OtherName { name: "lvl".to_owned(), signal: level, part: None }]
    );
    assert!(store.arrival(tower, "lvl").await.unwrap().ignored_at.is_some(), "what could not be moved is not lost");
    // The recorder knows of what was moved: newer and older readings go on.
    let more = record(&store, vec![number(level, 11_999, 2.0), number(level, 12_001, 3.0)]).await;
    assert_eq!(more, Recorded { new: 1, repeated: 1, corrected: 0, expired: 0 });
    store.close().await;
}

#[tokio::test]
async fn the_contact_log_is_bounded_in_rows_and_age() {
    let dir = tempfile::tempdir().unwrap();
    let store = open(dir.path()).await;
    let tower = device(&store, "marlbeck", "tower").await;
    let site = store.site("marlbeck").await.unwrap().id;
    let caller = Caller::Device(site, tower);
    let contact = |caller, second: i64| NewContact { caller, at: at(second), details: "{}".into(), payload: None };
    let many: Vec<_> = (0..i64::from(CONTACTS_KEPT) + 100).map(|s| contact(caller, s)).collect();
    store.add_contacts(&many).await.unwrap();
    store.add_contacts(&[contact(Caller::Unknown, 5), contact(Caller::Site(site), 6)]).await.unwrap();
    store.trim_contacts(&[caller, Caller::Unknown], at(2_000)).await.unwrap();
    let kept = store.contacts(caller, i64::MAX, 10_000).await.unwrap();
    assert_eq!((kept.len(), kept[0].at), (CONTACTS_KEPT as usize, at(1_099)));
    assert_eq!(store.contacts(Caller::Unknown, i64::MAX, 10).await.unwrap().len(), 1);
    store.trim_contacts(&[caller, Caller::Unknown, Caller::Site(site)], at(31 * 86_400)).await.unwrap();
    for caller in [caller, Caller::Unknown, Caller::Site(site)] {
        assert_eq!(store.contacts(caller, i64::MAX, 10).await.unwrap().len(), 0, "older than a month");
    }
    store.close().await;
}

#[tokio::test]
async fn clearing_readings_leaves_the_signals_fit_to_go_on() {
    let dir = tempfile::tempdir().unwrap();
    let store = open(dir.path()).await;
    let tower = device(&store, "marlbeck", "tower").await;
    let level = signal(&store, tower, "level").await;
    record(&store, (0..25_000).map(|s| number(level, s, 1.0)).collect()).await;
    assert_eq!(store.reading_times(tower, at(10), at(20), 5).await.unwrap(), [16, 17, 18, 19, 20].map(at));
    assert_eq!(store.clear_readings(tower).await.unwrap(), 25_000);
    let again = record(&store, vec![number(level, 5, 2.0), number(level, 5, 2.0)]).await;
    assert_eq!(again, Recorded { new: 1, repeated: 1, corrected: 0, expired: 0 });
    store.close().await;
}

#[tokio::test]
async fn what_is_removed_is_gone_at_once_and_swept_later() {
    let dir = tempfile::tempdir().unwrap();
    let store = open(dir.path()).await;
    let tower = device(&store, "marlbeck", "tower").await;
    let level = signal(&store, tower, "level").await;
    let other = device(&store, "marlbeck", "larder").await;
    let kept = signal(&store, other, "temp").await;
    let site = store.site("marlbeck").await.unwrap().id;
    let new = NewKey {
        secret_hash: b"secret",
        hint: "cret",
        note: "",
        grants: Grants::SEND,
        expires_at: None,
        follows: None,
    };
    store.add_key(site, Some(tower), new, at(0)).await.unwrap();
    record(&store, (0..25_000).map(|s| number(level, s, 1.0)).collect()).await;
    record(&store, vec![number(kept, 1, 1.0)]).await;

    store.remove_device(tower, at(5)).await.unwrap();
    assert!(matches!(store.key_owner(b"secret").await, Err(StoreError::NotFound)));
    assert!(matches!(store.signal(tower, "level").await, Err(StoreError::NotFound)));
    let same_code = device(&store, "marlbeck", "tower").await;
    assert_ne!(same_code, tower, "ids are never used again");

    // What was removed just now waits for deliveries under way.
    assert!(!store.sweep(at(5)).await.unwrap());
    assert_eq!(store.readings(all(level)).await.unwrap().len(), 25_000);
    while store.sweep(at(6)).await.unwrap() {}
    assert_eq!(store.readings(all(level)).await.unwrap(), []);
    assert_eq!(store.readings(all(kept)).await.unwrap().len(), 1);
    store.close().await;
}

#[tokio::test]
async fn codes_are_unique_in_a_site_and_free_in_another() {
    let dir = tempfile::tempdir().unwrap();
    let store = open(dir.path()).await;
    device(&store, "marlbeck", "tower").await;
    device(&store, "elsewhere", "tower").await;
    let new = NewDevice { code: "tower", name: "x", interval_s: 1.0, ..NewDevice::default() };
    assert!(matches!(store.add_device(SiteId(1), new, at(0)).await, Err(StoreError::Taken)));
    assert_eq!(store.devices(SiteId(1), "", 10).await.unwrap().len(), 1);
    store.close().await;
}

#[tokio::test]
async fn only_the_first_person_is_made_without_one() {
    let dir = tempfile::tempdir().unwrap();
    let store = open(dir.path()).await;
    store.add_first_person("ann", "hash", at(0)).await.unwrap();
    assert!(matches!(store.add_first_person("bob", "hash", at(0)).await, Err(StoreError::Taken)));
    assert_eq!(store.person_by_name("ANN").await.unwrap().name, "ann");
    store.close().await;
}

#[tokio::test]
async fn a_second_service_on_the_same_directory_is_refused() {
    let dir = tempfile::tempdir().unwrap();
    let store = open(dir.path()).await;
    assert!(matches!(Store::open(dir.path()).await, Err(OpenError::Locked(_))));
    store.close().await;
    drop(store);
    open(dir.path()).await.close().await;
}

#[tokio::test]
async fn a_newer_or_damaged_database_is_refused_with_a_sentence() {
    let dir = tempfile::tempdir().unwrap();
    open(dir.path()).await.close().await;
    let url = format!("sqlite://{}", dir.path().join(DATABASE_FILE).display());
    let pool = sqlx::SqlitePool::connect(&url).await.unwrap();
    sqlx::query(
        "INSERT INTO _sqlx_migrations (version, description, success, checksum, execution_time)
         VALUES (9999, 'from the future', 1, x'00', 1)",
    )
    .execute(&pool)
    .await
    .unwrap();
    pool.close().await;
    let Err(error) = Store::open(dir.path()).await else { panic!("opened a newer database") };
    assert!(matches!(error, OpenError::Newer { found: 9999, .. }), "{error}");
    assert!(error.to_string().contains("newer Key Lantern"), "{error}");

    let damaged = tempfile::tempdir().unwrap();
    std::fs::write(damaged.path().join(DATABASE_FILE), "this is no database, whatever its name says".repeat(99))
        .unwrap();
    assert!(matches!(Store::open(damaged.path()).await, Err(OpenError::Database { .. })));
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(12))]

    /// Any deliveries in any order, with the file closed and opened in between,
    /// leave what a map would hold.
    #[test]
    fn the_record_agrees_with_a_map(
        deliveries in prop::collection::vec(prop::collection::vec((0usize..3, 0i64..40, 0i8..4), 1..30), 1..8),
        reopen_after in 0usize..8,
    ) {
        let runtime = tokio::runtime::Runtime::new().unwrap();
        runtime.block_on(async {
            let dir = tempfile::tempdir().unwrap();
            let mut store = open(dir.path()).await;
            let tower = device(&store, "marlbeck", "tower").await;
            let mut signals = Vec::new();
            for code in ["a", "b", "c"] {
                signals.push(signal(&store, tower, code).await);
            }
            let mut model: BTreeMap<(usize, i64), i8> = BTreeMap::new();
            for (i, delivery) in deliveries.iter().enumerate() {
                let mut expected = Recorded::default();
                // The recorder takes readings of one time in the order they came.
                for &(signal, second, value) in delivery {
                    match model.insert((signal, second), value) {
                        None => expected.new += 1,
                        Some(old) if old == value => expected.repeated += 1,
                        Some(_) => expected.corrected += 1,
                    }
                }
                let readings =
                    delivery.iter().map(|&(s, second, v)| number(signals[s], second, f64::from(v))).collect();
                assert_eq!(record(&store, readings).await, expected);
                if i == reopen_after {
                    store.close().await;
                    drop(store);
                    store = open(dir.path()).await;
                }
            }
            for (index, &signal) in signals.iter().enumerate() {
                let kept: Vec<_> = store.readings(all(signal)).await.unwrap();
                let wanted: Vec<_> = model
                    .range((index, i64::MIN)..=(index, i64::MAX))
                    .map(|(&(_, second), &v)| (at(second), Value::Number(f64::from(v))))
                    .collect();
                assert_eq!(kept, wanted);
            }
            store.close().await;
        });
    }
}

#[tokio::test]
async fn state_is_kept_with_the_readings_beside_it_and_goes_with_its_site() {
    let dir = tempfile::tempdir().unwrap();
    let store = open(dir.path()).await;
    let tower = device(&store, "a", "tower").await;
    let level = signal(&store, tower, "level").await;
    let site = store.site("a").await.unwrap().id;
    let key = |owner: &str, item: &str| StateKey { site, owner: owner.into(), part: "message", item: item.to_owned() };
    let put = |owner: &str, item: &str, byte: u8| StateChange::Put(key(owner, item), vec![byte]);
    let readings = Arc::new(vec![number(level, 1, 1.0)]);
    let changes = vec![put("one", "1", 1), put("one", "2", 2), put("two", "1", 3)];
    store.record_with(readings, changes, at(1)).await.unwrap();
    // Later changes hold, in the order they were given.
    let changes =
        vec![put("one", "1", 9), StateChange::Remove(key("one", "2")), put("one", "2", 4), put("two", "2", 5)];
    store.keep(changes).await.unwrap();
    store.close().await;
    drop(store);
    let store = open(dir.path()).await;
    let kept = async |store: &Store| -> Vec<(String, String, u8)> {
        let pieces = store.kept_state().await.unwrap();
        pieces.into_iter().map(|piece| (piece.owner, piece.item, piece.value[0])).collect()
    };
    let piece = |owner: &str, item: &str, byte| (owner.to_owned(), item.to_owned(), byte);
    let all_pieces = [piece("one", "1", 9), piece("one", "2", 4), piece("two", "1", 3), piece("two", "2", 5)];
    assert_eq!(kept(&store).await, all_pieces);
    assert_eq!(store.readings(all(level)).await.unwrap().len(), 1);
    store.keep(vec![StateChange::RemoveAll { site, owner: "two".into() }]).await.unwrap();
    assert_eq!(kept(&store).await, all_pieces[..2]);
    store.remove_site(site, at(2)).await.unwrap();
    assert_eq!(kept(&store).await, []);
}

#[tokio::test]
async fn a_command_goes_through_its_stages_once() {
    let dir = tempfile::tempdir().unwrap();
    let store = open(dir.path()).await;
    let points = device(&store, "a", "points").await;
    let new = NewCommand {
        device: points,
        name: "heater",
        arguments: "{}",
        given_by: "ann",
        expires_at: None,
        timeout_s: 30.0,
    };
    let receipt = StateKey { site: SiteId(1), owner: "points".into(), part: "received", item: "7".to_owned() };
    let with_it = [StateChange::Put(receipt, Vec::new())];
    let given = store.add_command(new, &with_it, at(1)).await.unwrap();
    let kept = store.kept_state().await.unwrap();
    assert_eq!(kept.iter().map(|piece| piece.item.as_str()).collect::<Vec<_>>(), ["7"], "both or none");
    assert_eq!((given.stage, store.open_commands().await.unwrap().len()), (Stage::Waiting, 1));
    store.advance_command(given.id, Stage::Delivered, "", at(2)).await.unwrap();
    let done = store.advance_command(given.id, Stage::Done, "warm", at(3)).await.unwrap();
    assert_eq!((done.delivered_at, done.ended_at, done.answer.as_str()), (Some(at(2)), Some(at(3)), "warm"));
    let late = store.advance_command(given.id, Stage::Unanswered, "", at(4)).await;
    assert!(matches!(late, Err(StoreError::NotFound)), "what is over stays as it is");
    assert_eq!(store.open_commands().await.unwrap(), []);
    assert_eq!(store.commands(points, i64::MAX, 10).await.unwrap(), [done]);
}
