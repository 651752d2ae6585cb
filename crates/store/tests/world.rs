//! What tests of series share: a store with two signals, and sizes at which much happens.

use lantern_core::{Moment, Reading, SignalId, Value};
use lantern_store::{DATABASE_FILE, Limits, NewDevice, NewSignal, NewSite, Recorded, Store};
use std::path::Path;
use std::sync::Arc;

pub(crate) const SECOND: i64 = 1_000_000;

/// Small enough that everything happens within a few readings.
pub(crate) const SMALL: Limits = Limits {
    segment: 6,
    dense_segment: 24,
    rollup: 2,
    recent: 20,
    entries: 10,
    journal: 20,
    most_recent: 60,
    burst: 12,
    reserve: 0,
};

pub(crate) fn at(second: i64) -> Moment {
    Moment::from_micros(second * SECOND).unwrap()
}

pub(crate) fn reading(signal: SignalId, second: i64, value: i8) -> Reading {
    Reading::good(signal, at(second), Value::Number(f64::from(value)))
}

pub(crate) async fn signals(store: &Store) -> [SignalId; 2] {
    let new = NewSite { code: "marlbeck", name: "Marlbeck", zone: "UTC", position: None };
    let site = store.add_site(new, at(0)).await.unwrap().id;
    let new = NewDevice { code: "tower", name: "tower", interval_s: 1.0, ..NewDevice::default() };
    let device = store.add_device(site, new, at(0)).await.unwrap().id;
    [
        store.add_signal(device, NewSignal::number("level", Some("m")), at(0)).await.unwrap().id,
        store.add_signal(device, NewSignal::number("temp", Some("Cel")), at(0)).await.unwrap().id,
    ]
}

pub(crate) async fn record(store: &Store, readings: Vec<Reading>) -> Recorded {
    store.record(Arc::new(readings), at(9)).await.unwrap()
}

pub(crate) async fn query(dir: &Path, sql: &'static str) -> i64 {
    let url = format!("sqlite://{}", dir.join(DATABASE_FILE).display());
    let pool = sqlx::SqlitePool::connect(&url).await.unwrap();
    let found = sqlx::query_scalar(sql).fetch_one(&pool).await.unwrap();
    pool.close().await;
    found
}

pub(crate) async fn execute(dir: &Path, sql: &'static str) {
    let url = format!("sqlite://{}", dir.join(DATABASE_FILE).display());
    let pool = sqlx::SqlitePool::connect(&url).await.unwrap();
    sqlx::query(sql).execute(&pool).await.unwrap();
    pool.close().await;
}

/// Waits until something holds; sealing goes on by itself.
pub(crate) async fn until(what: &str, mut holds: impl AsyncFnMut() -> bool) {
    for _ in 0..1_000 {
        if holds().await {
            return;
        }
        tokio::time::sleep(std::time::Duration::from_millis(10)).await;
    }
    panic!("never came: {what}");
}
