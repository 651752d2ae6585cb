//! Rollups: charts over many segments.

use crate::world::{SECOND, at, query, reading, record, signals, until};
use lantern_core::series::Buckets;
use lantern_store::{Checked, DATABASE_FILE, DeviceChange, Limits, Store, check_directory};

#[tokio::test]
async fn segments_are_summed_up_and_again_after_they_change() {
    let dir = tempfile::tempdir().unwrap();
    let limits = Limits { segment: 60, dense_segment: 60, rollup: 8, burst: 60, ..Limits::default() };
    let store = Store::open_with(dir.path(), limits).await.unwrap();
    let [level, _] = signals(&store).await;
    for minute in 0..64 {
        record(&store, (0..60).map(|second| reading(level, minute * 60 + second, (second % 7) as i8)).collect()).await;
        store.quiet().await;
    }
    let over = "SELECT coalesce(sum(segments), 0) FROM rollup";
    until("most of 64 segments have one", async || query(dir.path(), over).await >= 40).await;
    let minutes = async || store.summaries(level, at(0), at(3_840), Buckets::Even(60 * SECOND)).await.unwrap();
    let as_made = minutes().await;
    assert_eq!(as_made.len(), 64);

    // With wrong digests under them, only what is asked of rollups is still right.
    let url = format!("sqlite://{}", dir.path().join(DATABASE_FILE).display());
    let pool = sqlx::SqlitePool::connect(&url).await.unwrap();
    let under = "UPDATE segment SET digest = x'00' WHERE last_at <= (SELECT max(last_at) FROM rollup)";
    assert!(sqlx::query(under).execute(&pool).await.unwrap().rows_affected() >= 40);
    assert_eq!(minutes().await, as_made);
    assert!(
        store.summaries(level, at(0), at(3_840), Buckets::Even(30 * SECOND)).await.is_err(),
        "half minutes are not"
    );

    // A reading that comes late takes the rollup over it away.
    record(&store, vec![reading(level, 70, 100)]).await;
    record(&store, (0..60).map(|second| reading(level, 3_840 + second, 1)).collect()).await;
    assert!(store.summaries(level, at(0), at(480), Buckets::Even(60 * SECOND)).await.is_err(), "it says the old");
    store.close().await;
    drop(store);

    let first = |found: &Checked| found.findings.iter().filter(|finding| finding.what.contains("segment of")).count();
    let found = check_directory(dir.path(), true, |_, _| {}).await.unwrap();
    assert!(first(&found) >= 40, "{:?}", found.findings);
    let store = Store::open_with(dir.path(), limits).await.unwrap();
    for minute in 65..80 {
        record(&store, (0..60).map(|second| reading(level, minute * 60 + second, 1)).collect()).await;
    }
    store.quiet().await;
    let from_0 = "SELECT count(*) FROM rollup WHERE first_at = 0";
    until("the first is made again", async || query(dir.path(), from_0).await == 1).await;
    let again = store.summaries(level, at(0), at(3_840), Buckets::Even(60 * SECOND)).await.unwrap();
    assert_eq!(again[1].summary.max, 100.0);
    assert_eq!(again[2..], as_made[2..]);
    store.close().await;
    pool.close().await;

    // One that is wrong is found, and goes.
    let pool = sqlx::SqlitePool::connect(&url).await.unwrap();
    let wrong = "UPDATE rollup SET digest = (SELECT max(digest) FROM segment) WHERE first_at = 0";
    assert_eq!(sqlx::query(wrong).execute(&pool).await.unwrap().rows_affected(), 1);
    pool.close().await;
    drop(store);
    let found = check_directory(dir.path(), true, |_, _| {}).await.unwrap();
    assert_eq!(found.findings.len(), 1, "{:?}", found.findings);
    assert!(found.findings[0].what.contains("the sums of signal"), "{:?}", found.findings);
    assert!(check_directory(dir.path(), false, |_, _| {}).await.unwrap().findings.is_empty());
}

#[tokio::test]
async fn a_rollup_that_ends_early_is_what_its_segments_say() {
    let dir = tempfile::tempdir().unwrap();
    let limits = Limits { segment: 60, dense_segment: 60, rollup: 8, burst: 60, ..Limits::default() };
    let store = Store::open_with(dir.path(), limits).await.unwrap();
    let [level, _] = signals(&store).await;
    let device = store.signal_by_id(level).await.unwrap().device;
    for piece in 0..24 {
        if piece == 3 {
            // From here on values are held for longer, so the first rollup ends here.
            let change = DeviceChange { interval_s: Some(60.0), ..DeviceChange::default() };
            store.change_device(device, change).await.unwrap();
        }
        record(&store, (0..60).map(|i| reading(level, (piece * 60 + i) * 600, (i % 7) as i8)).collect()).await;
        store.quiet().await;
    }
    let first = "SELECT count(*) FROM rollup WHERE first_at = 0 AND segments = 3";
    until("the first rollup is over three", async || query(dir.path(), first).await == 1).await;
    store.close().await;
    drop(store);
    let found = check_directory(dir.path(), false, |_, _| {}).await.unwrap();
    assert!(found.findings.is_empty(), "{:?}", found.findings);
}
