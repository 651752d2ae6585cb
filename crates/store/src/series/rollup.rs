//! Rows of rollups: one digest for many segments of a signal in a row.
//!
//! Whoever changes segments drops the rollups over them in the same transaction
//! ([`drop_over`]). Whoever plans changes of segments makes what is missing
//! ([`summing`](super::summing)). A chart is right without them, only slower.

use lantern_core::SignalId;
use sqlx::sqlite::SqliteRow;
use sqlx::{Row, SqliteConnection};

/// What is known of some hundred segments without looking at each.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct Rollup {
    /// Time of the first reading, microseconds since 1970.
    pub(crate) first_at: i64,
    /// Time of the last.
    pub(crate) last_at: i64,
    /// How many segments.
    pub(crate) segments: usize,
    /// The encoded digest.
    pub(crate) digest: Vec<u8>,
}

/// Rollups of a signal in order of time: those that lie from a time on and before
/// another as a whole.
pub(crate) async fn find(
    connection: &mut SqliteConnection,
    signal: SignalId,
    (from, to): (i64, i64),
    limit: u32,
) -> Result<Vec<Rollup>, sqlx::Error> {
    let rows = sqlx::query(
        "SELECT first_at, last_at, segments, digest FROM rollup
         WHERE signal_id = ? AND first_at >= ? AND last_at < ? ORDER BY first_at LIMIT ?",
    )
    .bind(signal.0)
    .bind(from)
    .bind(to)
    .bind(limit)
    .fetch_all(connection)
    .await?;
    rows.iter().map(rollup).collect()
}

/// The next rollup after a signal and the time at which one of it begins.
pub(crate) async fn after(
    connection: &mut SqliteConnection,
    after: (i64, i64),
) -> Result<Option<(SignalId, Rollup)>, sqlx::Error> {
    let row = sqlx::query(
        "SELECT first_at, last_at, segments, digest, signal_id FROM rollup
         WHERE (signal_id, first_at) > (?, ?) ORDER BY signal_id, first_at LIMIT 1",
    )
    .bind(after.0)
    .bind(after.1)
    .fetch_optional(connection)
    .await?;
    row.map(|row| Ok((SignalId(row.try_get(4)?), rollup(&row)?))).transpose()
}

fn rollup(row: &SqliteRow) -> Result<Rollup, sqlx::Error> {
    Ok(Rollup {
        first_at: row.try_get(0)?,
        last_at: row.try_get(1)?,
        segments: usize::try_from(row.try_get::<i64, _>(2)?).unwrap_or(0),
        digest: row.try_get(3)?,
    })
}

/// Drops the rollups of a signal over anything from a time to another, both inside.
pub(crate) async fn drop_over(
    connection: &mut SqliteConnection,
    signal: SignalId,
    first: i64,
    last: i64,
) -> Result<(), sqlx::Error> {
    // They do not overlap, so of those that begin before only the last can reach in.
    sqlx::query(
        "DELETE FROM rollup WHERE signal_id = ?1 AND last_at >= ?2 AND first_at <= ?3 AND first_at >= coalesce(
             (SELECT max(first_at) FROM rollup WHERE signal_id = ?1 AND first_at <= ?2), ?2)",
    )
    .bind(signal.0)
    .bind(first)
    .bind(last)
    .execute(connection)
    .await
    .map(drop)
}

/// Puts a rollup in place.
pub(crate) async fn insert(
    connection: &mut SqliteConnection,
    signal: SignalId,
    rollup: &Rollup,
) -> Result<(), sqlx::Error> {
    sqlx::query("INSERT INTO rollup (signal_id, first_at, last_at, segments, digest) VALUES (?, ?, ?, ?, ?)")
        .bind(signal.0)
        .bind(rollup.first_at)
        .bind(rollup.last_at)
        .bind(rollup.segments as i64)
        .bind(&rollup.digest)
        .execute(connection)
        .await
        .map(drop)
}
