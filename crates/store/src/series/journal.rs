//! The journal: what has been taken in and is not sealed yet.

use super::Limits;
use super::tails::Tails;
use lantern_core::SignalId;
use lantern_core::series::{EncodedLayer, Layer, SegmentError, decode_layers, encode_layers};
use sqlx::{Row, SqliteConnection};
use std::collections::HashMap;

/// Entries read at a time.
pub(crate) const PAGE: u32 = 500;
/// Entries deleted in one transaction; each may be many pages.
pub(crate) const TRIM: u32 = 100;

/// Writes the changes of a group as one entry and gives its number.
pub(crate) async fn append(connection: &mut SqliteConnection, layers: &[EncodedLayer]) -> Result<i64, sqlx::Error> {
    let body = encode_layers(layers.iter());
    Ok(sqlx::query("INSERT INTO recent (body) VALUES (?)").bind(body).execute(connection).await?.last_insert_rowid())
}

/// Deletes entries before one, some at a time.
pub(crate) async fn trim(connection: &mut SqliteConnection, before: i64) -> Result<u64, sqlx::Error> {
    let trimmed =
        sqlx::query("DELETE FROM recent WHERE id IN (SELECT id FROM recent WHERE id < ? ORDER BY id LIMIT ?)")
            .bind(before)
            .bind(TRIM)
            .execute(connection)
            .await?;
    Ok(trimmed.rows_affected())
}

/// Marks that a signal's changes are in its segments up to an entry.
pub(crate) async fn mark_sealed(
    connection: &mut SqliteConnection,
    signal: SignalId,
    entry: i64,
) -> Result<(), sqlx::Error> {
    sqlx::query("INSERT INTO sealed (signal_id, entry) VALUES (?, ?) ON CONFLICT DO UPDATE SET entry = excluded.entry")
        .bind(signal.0)
        .bind(entry)
        .execute(connection)
        .await?;
    Ok(())
}

/// An entry's number, and the changes it holds if it can be read.
pub(crate) type Entry = (i64, Result<Vec<(SignalId, Layer)>, SegmentError>);

/// The next [`PAGE`] entries after one, in order; fewer at the end.
pub(crate) async fn page(connection: &mut SqliteConnection, after: i64) -> Result<Vec<Entry>, sqlx::Error> {
    let rows = sqlx::query("SELECT id, body FROM recent WHERE id > ? ORDER BY id LIMIT ?")
        .bind(after)
        .bind(PAGE)
        .fetch_all(connection)
        .await?;
    rows.iter().map(|row| Ok((row.try_get(0)?, decode_layers(row.try_get(1)?)))).collect()
}

/// Keeps an entry that cannot be read, although the journal is trimmed past it.
async fn put_aside(connection: &mut SqliteConnection, entry: i64) -> Result<(), sqlx::Error> {
    sqlx::query(
        "INSERT INTO unread_entry (id, body, found_at)
         SELECT id, body, CAST(unixepoch('subsec') * 1000000 AS INTEGER) FROM recent WHERE id = ?
         ON CONFLICT DO NOTHING",
    )
    .bind(entry)
    .execute(connection)
    .await?;
    Ok(())
}

/// Brings back what had been taken in and not been sealed.
pub(crate) async fn replay(
    connection: &mut SqliteConnection,
    tails: &Tails,
    limits: &Limits,
) -> Result<(), sqlx::Error> {
    let rows = sqlx::query("SELECT signal_id, entry FROM sealed").fetch_all(&mut *connection).await?;
    let sealed: HashMap<SignalId, i64> =
        rows.iter().map(|row| Ok((SignalId(row.try_get(0)?), row.try_get(1)?))).collect::<Result<_, sqlx::Error>>()?;
    let mut last = 0;
    loop {
        let entries = page(connection, last).await?;
        let is_last = entries.len() < PAGE as usize;
        for (entry, layers) in entries {
            last = entry;
            match layers {
                Ok(layers) => {
                    let open = layers.iter().filter(|(id, _)| sealed.get(id).is_none_or(|entry| *entry < last));
                    tails.apply(last, open.map(|(id, layer)| (*id, layer)), limits);
                }
                Err(error) => {
                    tracing::error!(entry = last, %error, "a journal entry cannot be read; it is put aside");
                    put_aside(connection, last).await?;
                }
            }
        }
        if is_last {
            break;
        }
    }
    // What was sealed may have come after all that is left of the journal.
    let used: i64 = sqlx::query_scalar("SELECT coalesce((SELECT seq FROM sqlite_sequence WHERE name = 'recent'), 0)")
        .fetch_one(connection)
        .await?;
    tails.resume(used);
    Ok(())
}
