//! Backup, check and restore on real files.

use lantern_core::{Moment, Reading, SignalId, Value};
use lantern_store::{
    DATABASE_FILE, Limits, NewDevice, NewSignal, NewSite, RestoreError, Store, check_directory, restore,
};
use std::path::Path;
use std::sync::Arc;

fn at(second: i64) -> Moment {
    Moment::from_micros(second * 1_000_000).unwrap()
}

/// A store with 500 readings, some of them sealed.
async fn filled(dir: &Path) -> (Store, SignalId) {
    let limits = Limits { segment: 50, dense_segment: 100, ..Limits::default() };
    let store = Store::open_with(dir, limits).await.unwrap();
    let site = store.add_site(NewSite { code: "a", name: "a", zone: "UTC", position: None }, at(0)).await.unwrap().id;
    let new = NewDevice { code: "tower", name: "tower", interval_s: 1.0, ..NewDevice::default() };
    let device = store.add_device(site, new, at(0)).await.unwrap().id;
    let signal = store.add_signal(device, NewSignal::number("level", None), at(0)).await.unwrap().id;
    record(&store, signal, 0..500).await;
    store.quiet().await;
    (store, signal)
}

async fn record(store: &Store, signal: SignalId, seconds: std::ops::Range<i64>) {
    for second in seconds {
        let value = Value::Number((second % 7) as f64);
        store.record(Arc::new(vec![Reading::good(signal, at(second), value)]), at(0)).await.unwrap();
    }
}

async fn run(dir: &Path, sql: &'static str) {
    let url = format!("sqlite://{}", dir.join(DATABASE_FILE).display());
    let pool = sqlx::SqlitePool::connect(&url).await.unwrap();
    let done = sqlx::query(sql).execute(&pool).await.unwrap_or_else(|error| panic!("{sql}: {error}"));
    assert!(done.rows_affected() > 0, "{sql}");
    pool.close().await;
}

#[tokio::test]
async fn a_backup_is_what_was_there_at_its_moment() {
    let dirs = [(); 3].map(|()| tempfile::tempdir().unwrap());
    let [from, to, other] = [&dirs[0], &dirs[1], &dirs[2]].map(|dir| dir.path());
    let (store, level) = filled(from).await;
    let file = other.join("backup.sqlite");
    let checked = store.back_up(&file).await.unwrap();
    assert!(checked.segments > 3 && checked.readings <= 500, "{checked:?}");
    record(&store, level, 500..510).await;
    assert!(store.back_up(&file).await.is_err(), "a file that is there is not written over");
    store.close().await;

    let (_, old) = restore(&file, to, false, |_, _| {}).await.unwrap();
    assert_eq!(old, None);
    assert!(matches!(restore(&file, to, false, |_, _| {}).await, Err(RestoreError::Occupied(_))));
    let restored = Store::open(to).await.unwrap();
    assert_eq!(restored.count_readings(level, 10_000).await.unwrap().count, 500);
    record(&restored, level, 500..501).await;
    restored.close().await;
    drop(restored);
    let (_, old) = restore(&file, to, true, |_, _| {}).await.unwrap();
    assert!(old.unwrap().exists(), "what was there is kept");
    let restored = Store::open(to).await.unwrap();
    assert_eq!(restored.count_readings(level, 10_000).await.unwrap().count, 500);
    restored.close().await;
}

#[tokio::test]
async fn what_is_no_sound_backup_is_refused() {
    let dirs = [(); 3].map(|()| tempfile::tempdir().unwrap());
    let [from, to, other] = [&dirs[0], &dirs[1], &dirs[2]].map(|dir| dir.path());
    let text = other.join("text");
    std::fs::write(&text, "no database ".repeat(500)).unwrap();
    for file in [text, other.join("missing")] {
        let error = restore(&file, to, false, |_, _| {}).await.unwrap_err();
        assert!(matches!(error, RestoreError::NotABackup { .. }), "{error}");
    }
    let (store, _) = filled(from).await;
    store.close().await;
    drop(store);
    run(from, "UPDATE segment_data SET data = x'0100000000000000' WHERE id = (SELECT max(id) FROM segment_data)").await;
    let error = restore(&from.join(DATABASE_FILE), to, false, |_, _| {}).await.unwrap_err();
    assert!(matches!(error, RestoreError::Damaged { count: 1, .. }), "{error}");
    assert!(!to.join(DATABASE_FILE).exists(), "nothing was put in place");
}

#[tokio::test]
async fn a_check_finds_what_is_wrong_and_mends_what_can_be() {
    let dir = tempfile::tempdir().unwrap();
    let dir = dir.path();
    let (store, level) = filled(dir).await;
    store.close().await;
    drop(store);
    let sound = check_directory(dir, false, |_, _| {}).await.unwrap();
    assert_eq!((sound.found, sound.readings > 300), (0, true), "{sound:?}");

    let damages: [(&str, &'static str); 5] = [
        (
            "checksum",
            "UPDATE segment_data SET data = CAST(x'01ff' || substr(data, 3) AS BLOB) WHERE id = (SELECT min(id) FROM segment_data)",
        ),
        (
            "not what its readings say",
            "UPDATE segment SET count = count + 1 WHERE first_at = (SELECT max(first_at) FROM segment)",
        ),
        (
            "not what its readings say",
            "UPDATE segment SET digest = (SELECT digest FROM segment ORDER BY first_at LIMIT 1)
            WHERE first_at = (SELECT max(first_at) FROM segment)",
        ),
        ("belong to no segment", "INSERT INTO segment_data (data) VALUES (x'00')"),
        (
            "which is not there",
            "INSERT INTO segment SELECT 999, first_at, last_at, count, longest, NULL, digest FROM segment LIMIT 1",
        ),
    ];
    for (expected, damage) in damages {
        run(dir, damage).await;
        let found = check_directory(dir, false, |_, _| {}).await.unwrap();
        assert!(found.found >= 1 && found.findings.iter().any(|f| f.what.contains(expected)), "{expected}: {found:?}");
        let mended = check_directory(dir, true, |_, _| {}).await.unwrap();
        assert_eq!(mended.found, found.found);
        assert!(mended.findings.iter().all(|finding| finding.mended == Some(true)), "{mended:?}");
        let sound = check_directory(dir, false, |_, _| {}).await.unwrap();
        assert_eq!(sound.found, 0, "after {expected}: {sound:?}");
    }
    // The readings whose bytes were damaged are gone; their summaries are not.
    let store = Store::open(dir).await.unwrap();
    let buckets = lantern_core::series::Buckets::Even(86_400_000_000);
    let summed = store.summaries(level, at(0), at(1_000), buckets).await.unwrap();
    assert_eq!(summed.iter().map(|b| b.summary.count).sum::<u64>(), 500);
    assert!(store.count_readings(level, 10_000).await.unwrap().count < 500);
    store.close().await;
}

fn in_dir(dir: &Path, ending: &str) -> std::path::PathBuf {
    dir.join(format!("{DATABASE_FILE}{ending}"))
}

#[tokio::test]
async fn a_stale_journal_is_set_aside_with_the_database_that_has_gone() {
    let dirs = [(); 3].map(|()| tempfile::tempdir().unwrap());
    let [from, to, other] = [&dirs[0], &dirs[1], &dirs[2]].map(|dir| dir.path());
    let (store, level) = filled(from).await;
    let file = other.join("backup.sqlite");
    store.back_up(&file).await.unwrap();
    let mode = std::os::unix::fs::PermissionsExt::mode(&file.metadata().unwrap().permissions());
    assert_eq!(mode & 0o777, 0o600, "passwords' hashes are in it");
    // A service was killed here, and somebody took the database away but not its journal.
    record(&store, level, 500..900).await;
    std::fs::copy(in_dir(from, "-wal"), in_dir(to, "-wal")).unwrap();
    assert!(in_dir(to, "-wal").metadata().unwrap().len() > 0);
    store.close().await;
    let (_, old) = restore(&file, to, false, |_, _| {}).await.unwrap();
    assert_eq!(old, None);
    let restored = Store::open(to).await.unwrap();
    assert_eq!(restored.count_readings(level, 10_000).await.unwrap().count, 500);
    restored.close().await;
    drop(restored);
    let checked = check_directory(to, false, |_, _| {}).await.unwrap();
    assert_eq!(checked.found, 0, "{checked:?}");
}

#[tokio::test]
async fn a_backup_of_a_newer_service_is_refused_before_anything_is_replaced() {
    let dirs = [(); 3].map(|()| tempfile::tempdir().unwrap());
    let [from, to, other] = [&dirs[0], &dirs[1], &dirs[2]].map(|dir| dir.path());
    let (store, _) = filled(from).await;
    store.close().await;
    drop(store);
    run(from, "INSERT INTO _sqlx_migrations SELECT 900, 'later', installed_on, success, checksum, 0 FROM _sqlx_migrations LIMIT 1").await;
    let file = other.join("newer.sqlite");
    std::fs::copy(in_dir(from, ""), &file).unwrap();
    let (there, level) = filled(to).await;
    there.close().await;
    drop(there);
    let refused = restore(&file, to, true, |_, _| {}).await;
    assert!(matches!(refused, Err(RestoreError::Newer { found: 900, .. })), "{refused:?}");
    let still = Store::open(to).await.unwrap();
    assert_eq!(still.count_readings(level, 10_000).await.unwrap().count, 500);
    still.close().await;
}

#[tokio::test]
async fn backups_that_were_left_over_go_at_the_next_start() {
    let dir = tempfile::tempdir().unwrap();
    std::fs::write(dir.path().join("backup-17.sqlite"), "half").unwrap();
    std::fs::write(dir.path().join("my-backup.sqlite"), "mine").unwrap();
    Store::open(dir.path()).await.unwrap().close().await;
    assert!(!dir.path().join("backup-17.sqlite").exists());
    assert!(dir.path().join("my-backup.sqlite").exists(), "it is somebody's");
}
