//! The limit of everything that keeps readings: the same rows inserted by
//! nothing but SQL into a table of the same layout.
//!
//! It stands apart from the store on purpose: what is measured must not be the
//! measure.

use crate::work::{DELIVERIES, DEVICES, READINGS, SIGNALS, TIMES, at_s, value};
use anyhow::Result;
use sqlx::sqlite::{SqliteConnectOptions, SqliteJournalMode, SqliteSynchronous};
use sqlx::{AssertSqlSafe, ConnectOptions, Connection, SqliteConnection};
use std::path::Path;
use std::sync::Arc;
use std::time::Instant;

/// Rows of one transaction.
const TRANSACTION: usize = 8_000;
/// Rows of one statement: a whole transaction. Smaller ones were not faster.
const STATEMENT: usize = TRANSACTION;

/// A new table of rows and nothing else, with so many KiB of cache.
pub(crate) async fn create(file: &Path, cache_kib: u32) -> Result<SqliteConnection> {
    let options = SqliteConnectOptions::new()
        .filename(file)
        .create_if_missing(true)
        .journal_mode(SqliteJournalMode::Wal)
        .synchronous(SqliteSynchronous::Full)
        .pragma("cache_size", format!("-{cache_kib}"))
        .pragma("wal_autocheckpoint", "4000");
    let mut connection = options.connect().await?;
    sqlx::query(
        "CREATE TABLE reading (signal_id INTEGER NOT NULL, at INTEGER NOT NULL, value ANY NOT NULL,
             PRIMARY KEY (signal_id, at)) STRICT, WITHOUT ROWID",
    )
    .execute(&mut connection)
    .await?;
    Ok(connection)
}

/// Inserts all readings in order of time and gives back rows a second.
pub(crate) async fn insert(dir: &Path) -> Result<f64> {
    let mut connection = create(&dir.join("plain.sqlite"), 16_000).await?;
    let rows = rows();
    let sql: Arc<str> =
        format!("INSERT INTO reading (signal_id, at, value) VALUES {}", vec!["(?,?,?)"; STATEMENT].join(",")).into();
    let started = Instant::now();
    for transaction_rows in rows.chunks(TRANSACTION) {
        let mut transaction = connection.begin_with("BEGIN IMMEDIATE").await?;
        for statement_rows in transaction_rows.chunks_exact(STATEMENT) {
            let mut query = sqlx::query(AssertSqlSafe(sql.clone()));
            for &(signal, at, value) in statement_rows {
                query = query.bind(signal).bind(at).bind(value);
            }
            query.execute(&mut *transaction).await?;
        }
        transaction.commit().await?;
    }
    let rate = READINGS as f64 / started.elapsed().as_secs_f64();
    connection.close().await?;
    Ok(rate)
}

/// All rows in the order in which they come in the field: by time.
fn rows() -> Vec<(i64, i64, f64)> {
    let mut rows = Vec::with_capacity(READINGS);
    for delivery in 0..DELIVERIES {
        for time in 0..TIMES {
            let at = at_s(delivery, time);
            for device in 0..DEVICES {
                for signal in 0..SIGNALS {
                    let id = (device * SIGNALS + signal) as i64;
                    rows.push((id, at * 1_000_000, value(device, signal, at)));
                }
            }
        }
    }
    rows
}
