//! The series store.

use crate::store_data::{BEGIN, fill_plain_rows, record, signals, slow, waveform};
use crate::{Entry, median};
use anyhow::{Result, ensure};
use lantern_core::series::{Buckets, CalendarUnit, bucket_width};
use lantern_core::{Moment, Reading, SignalId, Value};
use lantern_store::Store;
use sqlx::Row;
use sqlx::sqlite::SqliteConnection;
use std::hint::black_box;
use std::path::Path;
use std::sync::Arc;
use std::time::Instant;

fn at(micros: i64) -> Moment {
    Moment::from_micros(micros).unwrap_or(Moment::EPOCH)
}

async fn size(connection: &mut SqliteConnection) -> Result<f64> {
    let bytes: i64 = sqlx::query_scalar(
        "SELECT (page_count - freelist_count) * page_size
         FROM pragma_page_count(), pragma_freelist_count(), pragma_page_size()",
    )
    .fetch_one(connection)
    .await?;
    Ok(bytes as f64)
}

/// Bytes of a reading on disk, with all that belongs to it: four or eight
/// million readings, in deliveries as they come. Limit: the same as plain rows.
pub(crate) async fn bytes(name: &'static str) -> Result<Entry> {
    let (count, delivery) = if name == "store-bytes-slow" { (500_000, 1_000) } else { (1_000_000, 5_000) };
    let readings = |seed: u64| -> Vec<(i64, f64)> {
        if name == "store-bytes-slow" { slow(seed, count).collect() } else { waveform(seed, count).collect() }
    };
    let dir = tempfile::tempdir()?;
    let store = Store::open(dir.path()).await?;
    let ids = signals(&store, 8).await?;
    let empty = store.disk_use().await?.used;
    for (seed, id) in ids.iter().enumerate() {
        record(&store, *id, readings(seed as u64).into_iter(), delivery).await?;
    }
    store.quiet().await;
    let used = store.disk_use().await?.used - empty;
    store.close().await;
    let mut plain =
        fill_plain_rows(&dir.path().join("plain"), (0..8).map(|seed| (seed, readings(seed as u64)))).await?;
    let total = (8 * count) as f64;
    let (figure, limit) = (used as f64 / total, size(&mut plain).await? / total);
    Ok(Entry { name, figure, unit: "bytes", limit, ratio: limit / figure })
}

/// One signal over a year, a reading every 10 s, in 1,000 buckets. Limit: GROUP BY
/// over plain rows.
pub(crate) async fn chart_year(rounds: u8) -> Result<Entry> {
    const COUNT: usize = 3_154_000;
    let dir = tempfile::tempdir()?;
    let store = Store::open(dir.path()).await?;
    let id = signals(&store, 1).await?[0];
    record(&store, id, slow(1, COUNT), 5_000).await?;
    store.quiet().await;
    let mut plain = fill_plain_rows(&dir.path().join("plain"), [(1, slow(1, COUNT).collect())].into_iter()).await?;
    let (from, to) = (BEGIN, BEGIN + COUNT as i64 * 10_000_000);
    let width = bucket_width(to - from, 1_000);
    let (mut figures, mut limits) = (Vec::new(), Vec::new());
    for _ in 0..rounds {
        let started = Instant::now();
        let ours = store.summaries(id, at(from), at(to), Buckets::Even(width)).await?;
        figures.push(started.elapsed().as_secs_f64() * 1e3);
        let started = Instant::now();
        let rows = sqlx::query(
            "SELECT at / ?1 AS bucket, min(value), max(value), avg(value), count(*) FROM reading
             WHERE signal_id = 1 AND at >= ?2 AND at < ?3 GROUP BY bucket ORDER BY bucket",
        )
        .bind(width)
        .bind(from)
        .bind(to)
        .fetch_all(&mut plain)
        .await?;
        limits.push(started.elapsed().as_secs_f64() * 1e3);
        ensure!(rows.len() == ours.len(), "{} buckets and {} rows", ours.len(), rows.len());
        for (row, bucket) in rows.iter().zip(&ours) {
            let (min, max, count): (f64, f64, i64) = (row.try_get(1)?, row.try_get(2)?, row.try_get(4)?);
            let summary = &bucket.summary;
            let ours = (summary.min, summary.max, summary.count as i64);
            // The plain rows are whole thousands.
            ensure!(
                ours == (min, max, count) || Some(bucket.start) == rows.last().map(|_| width * (to / width)),
                "{ours:?}"
            );
        }
    }
    let (figure, limit) = (median(figures), median(limits));
    Ok(Entry { name: "store-chart-year", figure, unit: "ms", limit, ratio: limit / figure })
}

/// Signals of one writer of [`append`].
const APPEND_SIGNALS: usize = 50;
/// Deliveries of one writer, of a thousand readings each.
const APPEND_DELIVERIES: usize = 500;

/// Durable batches of 1,000 readings over 50 signals by 8 writers, until all that
/// is due is sealed. Limit: plain rows, 8,000 a transaction.
pub(crate) async fn append(rounds: u8) -> Result<Entry> {
    let total = (8 * APPEND_DELIVERIES * 1_000) as f64;
    let (mut figures, mut limits) = (Vec::new(), Vec::new());
    let mut longest = 0.0_f64;
    for _ in 0..rounds.min(3) {
        let dir = tempfile::tempdir()?;
        let store = Arc::new(Store::open(dir.path()).await?);
        let ids = signals(&store, 8 * APPEND_SIGNALS).await?;
        let started = Instant::now();
        let writers: Vec<_> = (0..8)
            .map(|writer| {
                let ids = ids[writer * APPEND_SIGNALS..(writer + 1) * APPEND_SIGNALS].to_vec();
                tokio::spawn(write(store.clone(), ids))
            })
            .collect();
        for writer in writers {
            writer.await??;
        }
        store.quiet().await;
        figures.push(total / started.elapsed().as_secs_f64());
        longest = longest.max(store.longest_sealing().as_secs_f64() * 1e3);
        store.close().await;
        limits.push(crate::plain_rows::insert(dir.path()).await?);
    }
    println!("{:24} sealing held up what comes in for {longest:.1} ms at most", "");
    let (figure, limit) = (median(figures), median(limits));
    Ok(Entry { name: "store-append", figure, unit: "readings/s", limit, ratio: figure / limit })
}

async fn write(store: Arc<Store>, ids: Vec<SignalId>) -> Result<()> {
    for delivery in 0..APPEND_DELIVERIES as i64 {
        let readings: Vec<Reading> = (0..1_000_i64)
            .map(|i| {
                let time = delivery * 20 + i / 50;
                let value = Value::Number(((time * 7 + i * 13) % 500) as f64 / 10.0);
                Reading::good(ids[(i % 50) as usize], at(BEGIN + time * 10_000_000), value)
            })
            .collect();
        store.record(Arc::new(readings), Moment::EPOCH).await?;
    }
    Ok(())
}

/// How answers grow with the number of readings of one signal: printed, and the
/// chart of a hundred million beside that of a hundred thousand.
pub(crate) async fn growth() -> Result<Entry> {
    let dir = tempfile::tempdir()?;
    let store = Store::open(dir.path()).await?;
    let ids = signals(&store, 4).await?;
    let mut charts = Vec::new();
    println!(
        "{:>12} {:>10} {:>10} {:>12} {:>12} {:>12} {:>10}",
        "readings", "bytes", "chart ms", "last day ms", "newest ms", "span ms", "count ms"
    );
    for (id, count) in ids.iter().zip([100_000_usize, 1_000_000, 10_000_000, 100_000_000]) {
        let before = store.disk_use().await?.used;
        record(&store, *id, slow(9, count), 100_000).await?;
        store.quiet().await;
        let bytes = store.disk_use().await?.used - before;
        let (from, to) = (at(BEGIN), at(BEGIN + count as i64 * 10_000_000));
        let width = bucket_width(to.as_micros() - from.as_micros(), 1_000);
        let chart = time(async || store.summaries(*id, from, to, Buckets::Even(width)).await.map(drop)).await?;
        let day = to.plus_seconds(-86_400.0);
        let last_day = time(async || store.summaries(*id, day, to, Buckets::Even(120_000_000)).await.map(drop)).await?;
        let newest = time(async || store.last_readings(*id, 12).await.map(drop)).await?;
        let span = time(async || store.time_span(*id).await.map(drop)).await?;
        let counting = time(async || store.count_readings(*id, u32::MAX).await.map(drop)).await?;
        println!(
            "{count:>12} {:>10.2} {chart:>10.2} {last_day:>12.2} {newest:>12.2} {span:>12.2} {counting:>10.2}",
            bytes as f64 / count as f64
        );
        charts.push(chart);
    }
    store.close().await;
    let (figure, limit) = (charts[3], charts[0]);
    Ok(Entry { name: "store-growth", figure, unit: "ms", limit, ratio: limit / figure })
}

/// A hundred million readings of one signal in at most 1,000 buckets. Limit: 10 ms.
/// Printed beside it: a span that begins and ends inside of rollups, and months of a
/// zone, whose edges lie in summaries of days.
pub(crate) async fn chart_all() -> Result<Entry> {
    const COUNT: usize = 100_000_000;
    let dir = tempfile::tempdir()?;
    let store = Store::open(dir.path()).await?;
    let id = signals(&store, 1).await?[0];
    record(&store, id, slow(9, COUNT), 100_000).await?;
    store.quiet().await;
    let (from, to) = (at(BEGIN), at(BEGIN + COUNT as i64 * 10_000_000));
    let width = bucket_width(to.as_micros() - from.as_micros(), 1_000);
    let chart = |from: Moment, to: Moment, buckets: Buckets| {
        let store = &store;
        time(async move || store.summaries(id, from, to, buckets.clone()).await.map(drop))
    };
    let figure = chart(from, to, Buckets::Even(width)).await?;
    let inside = chart(from.plus_seconds(40.0 * 86_400.0), to.plus_seconds(-40.0 * 86_400.0), Buckets::Even(width));
    println!("{:24} from inside a rollup to inside another: {:.2} ms", "", inside.await?);
    let zone = jiff::tz::TimeZone::get("Europe/London")?;
    if let Some(months) = Buckets::calendar(CalendarUnit::Month, &zone, from, to) {
        println!("{:24} months of a zone: {:.2} ms", "", chart(from, to, months).await?);
    }
    store.close().await;
    let limit = 10.0;
    Ok(Entry { name: "store-chart-all", figure, unit: "ms", limit, ratio: limit / figure })
}

/// The median of some runs, in milliseconds, after one to warm up.
async fn time<E>(mut run: impl AsyncFnMut() -> Result<(), E>) -> Result<f64, E> {
    run().await?;
    let mut times = Vec::new();
    for _ in 0..9 {
        let started = Instant::now();
        black_box(run().await?);
        times.push(started.elapsed().as_secs_f64() * 1e3);
    }
    Ok(median(times))
}

/// A hundred million readings of 1,000 signals on disk, and what a service that
/// was killed leaves in the journal.
pub(crate) async fn fill(dir: &Path) -> Result<Vec<SignalId>> {
    let store = Store::open(dir).await?;
    let ids = signals(&store, 1_000).await?;
    for (seed, id) in ids.iter().enumerate() {
        record(&store, *id, slow(seed as u64, 100_000), 100_000).await?;
    }
    // Half a million readings that are not sealed yet, in 2,500 entries.
    for time in 0..500 {
        for some in ids.chunks(200) {
            let readings = some
                .iter()
                .map(|id| Reading::good(*id, at(BEGIN + (100_000 + time) * 10_000_000), Value::Number(12.5)));
            store.record(Arc::new(readings.collect()), Moment::EPOCH).await?;
        }
    }
    Ok(ids)
}

/// From start to the first answers, with a hundred million readings on disk.
/// Limit: a second.
pub(crate) async fn start() -> Result<Entry> {
    let dir = tempfile::tempdir()?;
    let ids = fill(dir.path()).await?;
    let mut times = Vec::new();
    for id in [ids[0], ids[500], ids[999]] {
        // The lock of the one before is let go of when its tasks have ended.
        let started = loop {
            let started = Instant::now();
            match Store::open(dir.path()).await {
                Ok(store) => {
                    let newest = store.last_readings(id, 12).await?;
                    let (from, to) = (at(BEGIN), newest.last().map_or(Moment::EPOCH, |(at, _)| *at));
                    let chart = store.summaries(id, from, to, Buckets::Even(3_600_000_000)).await?;
                    let took = started.elapsed();
                    ensure!(
                        newest.len() == 12 && chart.len() > 270,
                        "{} readings, {} buckets",
                        newest.len(),
                        chart.len()
                    );
                    store.close().await;
                    break took;
                }
                Err(lantern_store::OpenError::Locked(_)) => tokio::task::yield_now().await,
                Err(error) => return Err(error.into()),
            }
        };
        times.push(started.as_secs_f64() * 1e3);
    }
    let figure = times[0].max(median(times));
    Ok(Entry { name: "store-start", figure, unit: "ms", limit: 1_000.0, ratio: 1_000.0 / figure })
}

/// Samples of a day at 250 a second.
const DAY_OF_SAMPLES: usize = 21_600_000;

/// A day of a waveform, charted from all of it down to single samples: printed,
/// and the slowest of them. Limit: 50 ms.
pub(crate) async fn waveform_day() -> Result<Entry> {
    let dir = tempfile::tempdir()?;
    let store = Store::open(dir.path()).await?;
    let id = signals(&store, 1).await?[0];
    let started = Instant::now();
    record(&store, id, waveform(3, DAY_OF_SAMPLES), 5_000).await?;
    store.quiet().await;
    let rate = DAY_OF_SAMPLES as f64 / started.elapsed().as_secs_f64() / 1e6;
    println!("{:24} {rate:.1} million samples/s in deliveries of 5,000, sealed", "");
    let middle = BEGIN + 43_200_000_000;
    let mut slowest = 0.0_f64;
    for (seconds, what) in
        [(86_400, "a day"), (3_600, "an hour"), (600, "10 min"), (60, "a minute"), (10, "10 s"), (4, "4 s")]
    {
        let from = if seconds == 86_400 { BEGIN } else { middle };
        let to = from + seconds * 1_000_000;
        let width = bucket_width(to - from, 1_000);
        let chart = time(async || store.summaries(id, at(from), at(to), Buckets::Even(width)).await.map(drop)).await?;
        let buckets = store.summaries(id, at(from), at(to), Buckets::Even(width)).await?;
        let count: u64 = buckets.iter().map(|bucket| bucket.summary.count).sum();
        ensure!(count == 250 * seconds as u64, "{count} samples in {what}");
        println!("{:24} {what}: {} buckets in {chart:.2} ms", "", buckets.len());
        slowest = slowest.max(chart);
    }
    store.close().await;
    Ok(Entry { name: "store-waveform-day", figure: slowest, unit: "ms", limit: 50.0, ratio: 50.0 / slowest })
}
