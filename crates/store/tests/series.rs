//! Series against a simple model: whatever happens, in whatever order.

use crate::world::{SECOND, SMALL, at, execute, query, reading, record, signals, until};
use lantern_core::retention::Retention;
use lantern_core::series::{Buckets, Point, Run};
use lantern_core::{Moment, SignalId, Value};
use lantern_store::{DATABASE_FILE, Forgotten, Keeper, Limits, Order, Page, Recorded, Store, check_directory};
use proptest::prelude::*;
use std::collections::BTreeMap;
use std::sync::Arc;

#[derive(Debug, Clone)]
enum Step {
    /// Readings of one delivery: signal, second, value.
    Record(Vec<(usize, i64, i8)>),
    /// A long run from a second on.
    Burst(usize, i64, i64),
    Delete(usize, i64, i64),
    /// Makes what is there of a signal between two seconds again, or begins to and
    /// gives up, while readings go on.
    Rework {
        signal: usize,
        from: i64,
        to: i64,
        finishes: bool,
        meanwhile: Vec<(usize, i64, i8)>,
    },
    /// Lets the sealer go on.
    Pause,
    Close,
    /// The process ends without closing.
    Crash,
}

fn step() -> impl Strategy<Value = Step> {
    let one = (0usize..2, 0i64..90, 0i8..4);
    let rework = (0usize..2, 0i64..90, 0i64..90, any::<bool>(), prop::collection::vec(one.clone(), 0..8));
    prop_oneof![
        2 => rework.prop_map(|(signal, from, count, finishes, meanwhile)| Step::Rework {
            signal, from, to: from + count, finishes, meanwhile
        }),
        6 => prop::collection::vec(one, 1..16).prop_map(Step::Record),
        2 => (0usize..2, 0i64..120, 5i64..40).prop_map(|(signal, from, count)| Step::Burst(signal, from, count)),
        2 => (0usize..2, 0i64..90, 0i64..60).prop_map(|(signal, from, count)| Step::Delete(signal, from, from + count)),
        2 => Just(Step::Pause),
        1 => Just(Step::Close),
        1 => Just(Step::Crash),
    ]
}

type Model = BTreeMap<(usize, i64), i8>;

fn take_in(model: &mut Model, readings: &[(usize, i64, i8)]) -> Recorded {
    let mut expected = Recorded::default();
    for &(signal, second, value) in readings {
        match model.insert((signal, second), value) {
            None => expected.new += 1,
            Some(old) if old == value => expected.repeated += 1,
            Some(_) => expected.corrected += 1,
        }
    }
    expected
}

async fn assert_agrees(store: &Store, signals: [SignalId; 2], model: &Model) {
    for (index, signal) in signals.into_iter().enumerate() {
        let rows: Vec<(Moment, Value)> = model
            .range((index, i64::MIN)..=(index, i64::MAX))
            .map(|(&(_, second), &value)| (at(second), Value::Number(f64::from(value))))
            .collect();
        let page = |from, to, limit, order| Page { signal, from: at(from), to: at(to), limit, order };
        assert_eq!(store.readings(page(-10, 1_000, 1_000, Order::Ascending)).await.unwrap(), rows);
        let mut back = store.readings(page(-10, 1_000, 7, Order::Descending)).await.unwrap();
        back.reverse();
        assert_eq!(back, rows[rows.len().saturating_sub(7)..], "from the end");
        let part: Vec<_> = rows.iter().filter(|(when, _)| (at(20)..at(50)).contains(when)).cloned().collect();
        assert_eq!(store.readings(page(20, 50, 1_000, Order::Ascending)).await.unwrap(), part, "a part");
        assert_eq!(store.count_readings(signal, 1_000).await.unwrap().count, rows.len() as u64);
        let span = rows.first().zip(rows.last()).map(|(first, last)| (first.0, last.0));
        assert_eq!(store.time_span(signal).await.unwrap(), span);
        assert_eq!(store.time_spans(&signals).await.unwrap()[index], span, "of several at once");
        let mut scanned = 0;
        let mut scan = store.scan(signal, at(-10), at(1_000));
        while let Some(run) = scan.next().await.unwrap() {
            scanned += run.len();
        }
        assert_eq!(scanned, rows.len());
        let gaps: Vec<_> = rows
            .windows(2)
            .filter(|pair| pair[1].0.seconds_since(pair[0].0) > 2.0)
            .map(|pair| (pair[0].0, pair[1].0))
            .collect();
        let found = store.gaps(signal, (at(-10), at(1_000)), 2 * SECOND, 1_000).await.unwrap();
        assert_eq!(found.into_iter().map(|gap| (gap.from, gap.to)).collect::<Vec<_>>(), gaps);
        for width in [1, 7, 60] {
            let buckets = store.summaries(signal, at(-10), at(1_000), Buckets::Even(width * SECOND)).await.unwrap();
            let mut expected: BTreeMap<i64, (u64, f64, f64, f64)> = BTreeMap::new();
            for (when, value) in &rows {
                let start = when.as_micros().div_euclid(width * SECOND) * width * SECOND;
                let number = value.as_number().unwrap();
                let entry = expected.entry(start).or_insert((0, f64::MAX, f64::MIN, 0.0));
                *entry = (entry.0 + 1, entry.1.min(number), entry.2.max(number), entry.3 + number);
            }
            let seen: BTreeMap<i64, _> = buckets
                .iter()
                .map(|b| (b.start, (b.summary.count, b.summary.min, b.summary.max, b.summary.sum)))
                .collect();
            assert_eq!(seen, expected, "buckets of {width} s");
        }
    }
}

async fn play(steps: Vec<Step>) {
    let dir = tempfile::tempdir().unwrap();
    let mut store = Store::open_with(dir.path(), SMALL).await.unwrap();
    let signals = signals(&store).await;
    let mut model = Model::new();
    for step in steps {
        match step {
            Step::Record(readings) => {
                let expected = take_in(&mut model, &readings);
                let sent = readings.iter().map(|&(s, second, value)| reading(signals[s], second, value)).collect();
                assert_eq!(record(&store, sent).await, expected);
            }
            Step::Burst(s, from, count) => {
                let readings: Vec<_> = (from..from + count).map(|second| (s, second, (second % 5) as i8)).collect();
                let expected = take_in(&mut model, &readings);
                let sent = readings.iter().map(|&(s, second, value)| reading(signals[s], second, value)).collect();
                assert_eq!(record(&store, sent).await, expected);
            }
            Step::Delete(s, from, to) => {
                store.delete_readings(signals[s], (at(from), at(to)), Vec::new()).await.unwrap();
                model.retain(|&(signal, second), _| signal != s || !(from..to).contains(&second));
            }
            Step::Rework { signal, from, to, finishes, meanwhile } => {
                rework(&store, signals, &mut model, (signal, from, to, finishes), &meanwhile).await;
            }
            Step::Pause => tokio::time::sleep(std::time::Duration::from_millis(3)).await,
            Step::Close => {
                store.close().await;
                drop(store);
                let checked = check_directory(dir.path(), false, |_, _| {}).await.unwrap();
                assert!(checked.findings.is_empty(), "{:?}", checked.findings);
                store = Store::open_with(dir.path(), SMALL).await.unwrap();
            }
            Step::Crash => {
                drop(store);
                store = Store::open_with(dir.path(), SMALL).await.unwrap();
            }
        }
        assert_agrees(&store, signals, &model).await;
    }
    // The sealer has come through it all: what is deleted leaves nothing behind.
    for signal in signals {
        store.delete_readings(signal, (Moment::MIN, Moment::MAX), Vec::new()).await.unwrap();
    }
    let left =
        "SELECT (SELECT count(*) FROM recent) + (SELECT count(*) FROM segment) + (SELECT count(*) FROM segment_data)
         + (SELECT count(*) FROM rollup)";
    until("nothing left", async || query(dir.path(), left).await == 0).await;
    store.close().await;
}

/// Makes each value the one beside it, with deliveries in between: those are not
/// made again.
async fn rework(
    store: &Store,
    signals: [SignalId; 2],
    model: &mut Model,
    (signal, from, to, finishes): (usize, i64, i64, bool),
    meanwhile: &[(usize, i64, i8)],
) {
    let mut rework = store.rework(signals[signal], at(from), at(to)).await.unwrap();
    assert!(store.rework(signals[signal], at(from), at(to)).await.is_err(), "one at a time");
    let before = model.clone();
    let expected = take_in(model, meanwhile);
    let sent = meanwhile.iter().map(|&(s, second, value)| reading(signals[s], second, value)).collect();
    assert_eq!(record(store, sent).await, expected);
    rework.begin().await.unwrap();
    let mut done = Vec::new();
    let mut scan = rework.scan();
    while let Some(run) = scan.next().await.unwrap() {
        let mut new = Run::default();
        for point in run.points() {
            let value = point.value.as_number().unwrap();
            new.push(Point {
                value: Value::Number(if value % 2.0 == 0.0 { value + 1.0 } else { value - 1.0 }),
                ..point
            });
        }
        done.push(new);
    }
    for run in &done {
        rework.push(run).await.unwrap();
    }
    if !finishes {
        return;
    }
    rework.finish(Vec::new()).await.unwrap();
    for (&(of, second), value) in model.iter_mut() {
        if of == signal && (from..to).contains(&second) && before.get(&(of, second)) == Some(value) {
            *value ^= 1;
        }
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(48))]

    /// Deliveries, late ones, corrections, bursts, deletions and sealing, with the
    /// store closed or cut off in between, leave at any time what a map would hold.
    #[test]
    fn a_series_agrees_with_a_map(steps in prop::collection::vec(step(), 1..24)) {
        tokio::runtime::Runtime::new().unwrap().block_on(play(steps));
    }
}

#[tokio::test]
async fn what_is_taken_in_is_sealed_and_the_journal_trimmed() {
    let dir = tempfile::tempdir().unwrap();
    let store = Store::open_with(dir.path(), SMALL).await.unwrap();
    let [level, temp] = signals(&store).await;
    record(&store, vec![reading(temp, 0, 1)]).await;
    for second in 0..200 {
        record(&store, vec![reading(level, second, 1)]).await;
    }
    until("a short journal", async || query(dir.path(), "SELECT count(*) FROM recent").await <= 20).await;
    let segments = query(dir.path(), "SELECT count(*) FROM segment").await;
    assert!((8..40).contains(&segments), "joined as they come, {segments} segments of 24 are worth it");
    let data = query(dir.path(), "SELECT count(*) FROM segment_data").await;
    assert_eq!(segments, data, "nothing is left behind");
    assert_eq!(store.count_readings(level, 1_000).await.unwrap().count, 200);
    store.close().await;
}

#[tokio::test]
async fn a_signal_that_cannot_be_sealed_holds_up_no_other() {
    let dir = tempfile::tempdir().unwrap();
    let store = Store::open_with(dir.path(), SMALL).await.unwrap();
    let [level, temp] = signals(&store).await;
    assert_eq!(level.0, 1, "the trigger names it");
    let refusing = "CREATE TRIGGER refusing BEFORE INSERT ON segment WHEN NEW.signal_id = 1
        BEGIN SELECT RAISE(ABORT, 'no'); END";
    execute(dir.path(), refusing).await;
    for second in 0..30 {
        record(&store, vec![reading(level, second, 1), reading(temp, second, 2)]).await;
    }
    let sealed = "SELECT coalesce(sum(count), 0) FROM segment WHERE signal_id = 2";
    until("the other to be sealed", async || query(dir.path(), sealed).await >= 20).await;
    assert_eq!(query(dir.path(), "SELECT count(*) FROM segment WHERE signal_id = 1").await, 0);
    execute(dir.path(), "DROP TRIGGER refusing").await;
    let sealed = "SELECT coalesce(sum(count), 0) FROM segment WHERE signal_id = 1";
    until("what had failed to be sealed", async || query(dir.path(), sealed).await >= 5).await;
    for signal in [level, temp] {
        assert_eq!(store.count_readings(signal, 1_000).await.unwrap().count, 30);
    }
    store.close().await;
}

#[tokio::test]
async fn readers_see_a_series_whole_while_it_is_sealed() {
    let dir = tempfile::tempdir().unwrap();
    let store = Arc::new(Store::open_with(dir.path(), SMALL).await.unwrap());
    let [level, _] = signals(&store).await;
    let writer = store.clone();
    let writing = tokio::spawn(async move {
        // All readings have the same value, and each round changes all of them.
        for round in 0..60 {
            record(&writer, (0..40).map(|second| reading(level, second, round)).collect()).await;
        }
    });
    let mut seen = 0;
    while !writing.is_finished() {
        let page = Page { signal: level, from: at(0), to: at(100), limit: 100, order: Order::Ascending };
        let readings = store.readings(page).await.unwrap();
        let Some((_, first)) = readings.first() else { continue };
        assert_eq!(readings.len(), 40);
        assert!(readings.iter().all(|(_, value)| value == first), "old or new, never a mix: {readings:?}");
        seen += 1;
    }
    writing.await.unwrap();
    assert!(seen > 5, "looked {seen} times");
    store.close().await;
}

#[tokio::test]
async fn readers_see_the_old_or_the_new_history_and_a_crash_leaves_the_old() {
    let dir = tempfile::tempdir().unwrap();
    let store = Arc::new(Store::open_with(dir.path(), SMALL).await.unwrap());
    let [level, _] = signals(&store).await;
    for start in [0, 30] {
        record(&store, (start..start + 30).map(|second| reading(level, second, 0)).collect()).await;
    }
    let worker = store.clone();
    let working = tokio::spawn(async move {
        for round in 1..40 {
            let mut rework = worker.rework(level, at(0), at(100)).await.unwrap();
            let mut new = Run::default();
            (0..60).for_each(|second| new.push(reading(level, second, round).point()));
            rework.push(&new).await.unwrap();
            rework.finish(Vec::new()).await.unwrap();
        }
    });
    let mut seen = 0;
    while !working.is_finished() {
        let page = Page { signal: level, from: at(0), to: at(100), limit: 100, order: Order::Ascending };
        let readings = store.readings(page).await.unwrap();
        assert_eq!(readings.len(), 60);
        assert!(readings.iter().all(|(_, value)| *value == readings[0].1), "old or new, never a mix: {readings:?}");
        seen += 1;
    }
    working.await.unwrap();
    assert!(seen > 5, "looked {seen} times");
    let segments = query(dir.path(), "SELECT count(*) FROM segment").await;
    assert_eq!(query(dir.path(), "SELECT count(*) FROM segment_data").await, segments, "the old ones are gone");
    let mut rework = store.rework(level, at(0), at(100)).await.unwrap();
    for start in [0, 140_000] {
        let mut new = Run::default();
        (start..start + 140_000).for_each(|second| new.push(reading(level, second, 99).point()));
        rework.push(&new).await.unwrap();
    }
    assert!(query(dir.path(), "SELECT count(*) FROM segment WHERE signal_id < 0").await > 0);
    std::mem::forget(rework);
    let store = Arc::into_inner(store).unwrap();
    drop(store);
    let store = Store::open_with(dir.path(), SMALL).await.unwrap();
    assert_eq!(query(dir.path(), "SELECT count(*) FROM segment WHERE signal_id < 0").await, 0);
    let readings = store.last_readings(level, 100).await.unwrap();
    assert_eq!((readings.len(), readings[0].1.clone()), (60, Value::Number(39.0)));
    store.close().await;
}

#[tokio::test]
async fn a_full_disk_turns_readings_away_until_there_is_room() {
    let dir = tempfile::tempdir().unwrap();
    let store = Store::open_with(dir.path(), SMALL).await.unwrap();
    let [level, temp] = signals(&store).await;
    record(&store, vec![reading(temp, 0, 1)]).await;
    // Without a reserve SQLite's own limit holds too: as with a full disk, a write
    // in the middle of things fails.
    let used = store.disk_use().await.unwrap().used;
    store.set_disk_budget(used + 100_000).await.unwrap();
    let mut kept = 0;
    let mut refused = 0;
    for second in 0..3_000 {
        let readings = (0..30).map(|i| reading(level, second * 30 + i, (i * second % 100) as i8)).collect();
        match store.record(Arc::new(readings), at(9)).await {
            Ok(recorded) => kept += recorded.new,
            Err(lantern_store::RecordError::Full | lantern_store::RecordError::Busy) => refused += 1,
            Err(error) => panic!("{error}"),
        }
        if refused > 3 {
            break;
        }
    }
    assert!(refused > 3, "it never became full");
    assert_eq!(
        store.count_readings(level, u32::MAX).await.unwrap().count,
        kept as u64,
        "reading works, nothing is lost"
    );
    store.set_disk_budget(used + 1_000_000).await.unwrap();
    until("room again", async || {
        let readings = vec![reading(level, 1_000_000, 1)];
        store.record(Arc::new(readings), at(9)).await.is_ok()
    })
    .await;
    assert_eq!(store.count_readings(level, u32::MAX).await.unwrap().count, kept as u64 + 1);
    store.close().await;
}

#[tokio::test]
async fn rows_of_an_older_version_become_segments() {
    let dir = tempfile::tempdir().unwrap();
    let store = Store::open_with(dir.path(), SMALL).await.unwrap();
    let [level, temp] = signals(&store).await;
    store.close().await;
    drop(store);
    let url = format!("sqlite://{}", dir.path().join(DATABASE_FILE).display());
    let pool = sqlx::SqlitePool::connect(&url).await.unwrap();
    let old = "CREATE TABLE reading (signal_id INTEGER NOT NULL, at INTEGER NOT NULL, value ANY NOT NULL,
               PRIMARY KEY (signal_id, at)) STRICT, WITHOUT ROWID";
    sqlx::query(old).execute(&pool).await.unwrap();
    for (signal, second, value) in [(level, 5, "2.5"), (level, 1, "3.0"), (temp, 1, "1"), (temp, 2, "'wet'")] {
        let sql = format!("INSERT INTO reading VALUES ({}, {}, {value})", signal.0, second * SECOND);
        sqlx::query(sqlx::AssertSqlSafe(sql)).execute(&pool).await.unwrap();
    }
    pool.close().await;
    let store = Store::open_with(dir.path(), SMALL).await.unwrap();
    let page = |signal| Page { signal, from: at(0), to: at(100), limit: 100, order: Order::Ascending };
    let levels = [(at(1), Value::Number(3.0)), (at(5), Value::Number(2.5))];
    assert_eq!(store.readings(page(level)).await.unwrap(), levels);
    let temps = [(at(1), Value::Flag(true)), (at(2), Value::Text("wet".into()))];
    assert_eq!(store.readings(page(temp)).await.unwrap(), temps);
    let again = record(&store, vec![reading(level, 5, 1), reading(level, 6, 1)]).await;
    assert_eq!(again, Recorded { new: 1, corrected: 1, ..Recorded::default() });
    store.close().await;
    assert_eq!(query(dir.path(), "SELECT count(*) FROM sqlite_schema WHERE name = 'reading'").await, 0);
}

const DAY: f64 = 86_400.0;

/// Two readings a minute for so many days, of values 0 to 59.
async fn record_days(store: &Store, signal: SignalId, days: i64) {
    for hour in 0..days * 24 {
        record(store, (0..120).map(|i| reading(signal, hour * 3_600 + i * 30, (i % 60) as i8)).collect()).await;
    }
    store.quiet().await;
}

#[tokio::test]
async fn what_is_old_is_kept_as_summaries() {
    let dir = tempfile::tempdir().unwrap();
    let limits = Limits { segment: 500, dense_segment: 2_000, ..Limits::default() };
    let store = Store::open_with(dir.path(), limits).await.unwrap();
    let [level, temp] = signals(&store).await;
    record_days(&store, level, 20).await;
    record_days(&store, temp, 2).await;
    let now = at(20 * 86_400);
    let whole = async |width: i64| store.summaries(level, at(0), now, Buckets::Even(width * SECOND)).await.unwrap();
    let (hours, days) = (whole(3_600).await, whole(86_400).await);

    let kept = Retention { raw_s: Some(5.0 * DAY), minute_s: Some(5.0 * DAY), hour_s: Some(10.0 * DAY), day_s: None };
    let would = store.would_forget(level, kept, now).await.unwrap();
    assert_eq!(store.count_readings(level, u32::MAX).await.unwrap().count, 20 * 2_880, "a dry run changes nothing");
    store.set_retention(Keeper::Signal(level), Some(kept)).await.unwrap();
    assert_eq!(store.retention_of(level).await.unwrap(), Some(kept));
    assert_eq!(store.retain(now).await.unwrap(), would);

    let left = store.count_readings(level, u32::MAX).await.unwrap().count;
    assert_eq!(left + would.readings, 20 * 2_880);
    assert!((5 * 2_880..7 * 2_880).contains(&left), "five days and no more than one besides: {left}");
    assert_eq!(store.count_readings(temp, u32::MAX).await.unwrap().count, 2 * 2_880, "others keep theirs");
    assert_eq!(whole(86_400).await, days, "days are as they were");
    let after = whole(3_600).await;
    assert_eq!(after[after.len() - 9 * 24..], hours[hours.len() - 9 * 24..], "so are hours of nine days");
    assert_eq!(store.time_span(level).await.unwrap().unwrap().0, at(0));
    assert_eq!(store.retain(now).await.unwrap(), Forgotten::default(), "once is enough");

    // What comes for a time whose readings are gone is not taken in again.
    let late = record(&store, vec![reading(level, 100, 1), reading(level, 20 * 86_400, 1)]).await;
    assert_eq!(late, Recorded { new: 1, expired: 1, ..Recorded::default() });
    // What is deleted there goes from the summaries.
    store.delete_readings(level, (at(0), at(3 * 86_400)), Vec::new()).await.unwrap();
    store.quiet().await;
    assert_eq!(whole(86_400).await[..17], days[3..]);
    store.close().await;
}

#[tokio::test]
async fn a_journal_entry_that_cannot_be_read_is_put_aside() {
    let dir = tempfile::tempdir().unwrap();
    let store = Store::open_with(dir.path(), Limits { entries: 1_000, ..SMALL }).await.unwrap();
    let [level, temp] = signals(&store).await;
    record(&store, vec![reading(level, 1, 1)]).await;
    record(&store, vec![reading(temp, 2, 2)]).await;
    store.close().await;
    drop(store);
    execute(dir.path(), "UPDATE recent SET body = x'fe01' WHERE id = (SELECT min(id) FROM recent)").await;
    let store = Store::open_with(dir.path(), SMALL).await.unwrap();
    for second in 0..100 {
        record(&store, vec![reading(temp, 10 + second, 3)]).await;
    }
    store.quiet().await;
    until("the journal to be trimmed", async || {
        query(dir.path(), "SELECT count(*) FROM recent WHERE id = 1").await == 0
    })
    .await;
    assert_eq!(query(dir.path(), "SELECT count(*) FROM unread_entry WHERE body = x'fe01'").await, 1);
    assert_eq!(store.count_readings(temp, 1_000).await.unwrap().count, 101, "others are all there");
    assert_eq!(store.count_readings(level, 1_000).await.unwrap().count, 0);
    store.close().await;
}

#[tokio::test]
async fn a_damaged_segment_is_found_and_costs_nothing_else() {
    let dir = tempfile::tempdir().unwrap();
    let store = Store::open_with(dir.path(), SMALL).await.unwrap();
    let [level, temp] = signals(&store).await;
    record(&store, (0..20).map(|second| reading(level, second, 1)).collect()).await;
    record(&store, (0..20).map(|second| reading(temp, second, 1)).collect()).await;
    store.quiet().await;
    let url = format!("sqlite://{}", dir.path().join(DATABASE_FILE).display());
    let pool = sqlx::SqlitePool::connect(&url).await.unwrap();
    let sql = "UPDATE segment_data SET data = CAST(x'01ff' || substr(data, 3) AS BLOB)
               WHERE id = (SELECT min(data_id) FROM segment WHERE signal_id = ?)";
    assert_eq!(sqlx::query(sql).bind(level.0).execute(&pool).await.unwrap().rows_affected(), 1);
    pool.close().await;
    let page = |signal| Page { signal, from: at(0), to: at(100), limit: 100, order: Order::Ascending };
    let error = store.readings(page(level)).await.unwrap_err();
    assert!(error.to_string().contains("damaged"), "{error}");
    assert_eq!(store.readings(page(temp)).await.unwrap().len(), 20);
    // Late readings for its time are kept, and the damaged bytes put aside.
    assert_eq!(record(&store, (0..20).map(|second| reading(level, second, 2)).collect()).await.new, 20);
    store.quiet().await;
    assert_eq!(store.readings(page(level)).await.unwrap().len(), 20);
    assert_eq!(query(dir.path(), "SELECT count(*) FROM damaged").await, 1);
    store.close().await;
}
