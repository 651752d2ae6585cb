//! Series to measure the store with.

use crate::plain_rows;
use anyhow::Result;
use lantern_core::{Moment, Reading, SignalId, Value};
use lantern_store::{NewDevice, NewSignal, NewSite, Store};
use sqlx::{Connection, SqliteConnection};
use std::path::Path;
use std::sync::Arc;

/// 2025-05-01T00:00:00Z in microseconds.
pub(crate) const BEGIN: i64 = 1_746_057_600_000_000;

/// The same numbers each time (SplitMix64, Steele, Lea and Flood 2014).
pub(crate) struct Random(pub(crate) u64);

impl Random {
    pub(crate) fn next(&mut self) -> u64 {
        self.0 = self.0.wrapping_add(0x9e37_79b9_7f4a_7c15);
        let mut z = self.0;
        z = (z ^ (z >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
        z = (z ^ (z >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
        z ^ (z >> 31)
    }

    pub(crate) fn below(&mut self, limit: u64) -> i64 {
        (self.next() % limit) as i64
    }
}

/// A slow sensor: every 10 s, up to 100 ms late, a temperature to one decimal that
/// follows the day and wavers by some tenths.
pub(crate) fn slow(seed: u64, count: usize) -> impl Iterator<Item = (i64, f64)> {
    let mut random = Random(seed);
    (0..count as i64).map(move |i| {
        let at = BEGIN + i * 10_000_000 + random.below(100) * 1_000;
        let day = (i as f64 / 8_640.0 * std::f64::consts::TAU).sin() * 50.0;
        (at, (120.0 + day + random.below(5) as f64).round() / 10.0)
    })
}

/// A digitizer: 250 samples a second of 12 bits, all of which are noise.
pub(crate) fn waveform(seed: u64, count: usize) -> impl Iterator<Item = (i64, f64)> {
    let mut random = Random(seed);
    (0..count as i64).map(move |i| (BEGIN + i * 4_000, random.below(4_096) as f64))
}

/// One site with devices of a few signals each.
pub(crate) async fn signals(store: &Store, count: usize) -> Result<Vec<SignalId>> {
    let now = Moment::EPOCH;
    let site = store.add_site(NewSite { code: "bench", name: "bench", zone: "UTC", position: None }, now).await?;
    let mut signals = Vec::with_capacity(count);
    for device in 0..count.div_ceil(50) {
        let name = format!("d{device}");
        let new = NewDevice { code: &name, name: &name, interval_s: 10.0, ..NewDevice::default() };
        let device = store.add_device(site.id, new, now).await?;
        for signal in 0..(count - signals.len()).min(50) {
            let code = format!("s{signal}");
            signals.push(store.add_signal(device.id, NewSignal::number(&code, None), now).await?.id);
        }
    }
    Ok(signals)
}

/// Records a signal's readings in deliveries of a size.
pub(crate) async fn record(
    store: &Store,
    signal: SignalId,
    readings: impl Iterator<Item = (i64, f64)>,
    delivery: usize,
) -> Result<()> {
    let mut readings = readings.peekable();
    while readings.peek().is_some() {
        let part = readings.by_ref().take(delivery).map(|(at, value)| {
            Reading::good(signal, Moment::from_micros(at).unwrap_or(Moment::EPOCH), Value::Number(value))
        });
        let part: Arc<Vec<Reading>> = Arc::new(part.collect());
        loop {
            match store.record(part.clone(), Moment::EPOCH).await {
                Err(lantern_store::RecordError::Busy) => tokio::task::yield_now().await,
                other => break other.map(drop)?,
            }
        }
    }
    Ok(())
}

/// The same readings as plain rows of a table and nothing else.
pub(crate) async fn fill_plain_rows(
    file: &Path,
    signals: impl Iterator<Item = (i64, Vec<(i64, f64)>)>,
) -> Result<SqliteConnection> {
    let mut connection = plain_rows::create(file, 64_000).await?;
    let sql: Arc<str> =
        format!("INSERT INTO reading (signal_id, at, value) VALUES {}", vec!["(?,?,?)"; 1_000].join(",")).into();
    for (signal, readings) in signals {
        let mut transaction = connection.begin().await?;
        for part in readings.chunks_exact(1_000) {
            let mut query = sqlx::query(sqlx::AssertSqlSafe(sql.clone()));
            for (at, value) in part {
                query = query.bind(signal).bind(at).bind(value);
            }
            query.execute(&mut *transaction).await?;
        }
        transaction.commit().await?;
    }
    Ok(connection)
}
