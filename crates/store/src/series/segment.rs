//! Rows of segments.

use super::rollup;
use crate::error::LoadError;
use crate::order::Order;
use lantern_core::SignalId;
use lantern_core::presence::Patience;
use lantern_core::series::{Digest, Run, decode_segment, encode_segment};
use lantern_core::state::StateChange;
use sqlx::sqlite::SqliteRow;
use sqlx::{AssertSqlSafe, Row, SqliteConnection};
use std::collections::HashMap;

/// What is known of a segment without reading it.
#[derive(Debug, Clone)]
pub(crate) struct Sealed {
    /// Time of the first reading, microseconds since 1970.
    pub(crate) first_at: i64,
    /// Time of the last.
    pub(crate) last_at: i64,
    /// How many readings.
    pub(crate) count: u64,
    /// The longest time between two of them, in microseconds.
    pub(crate) longest: i64,
    /// Where the readings are; `None` if only the digest is left.
    pub(crate) data_id: Option<i64>,
    /// The encoded digest; empty if it was not asked for.
    pub(crate) digest: Vec<u8>,
}

/// A segment to be written.
pub(crate) struct NewSegment {
    pub(crate) first_at: i64,
    pub(crate) last_at: i64,
    pub(crate) count: usize,
    pub(crate) longest: i64,
    /// The encoded readings; `None` if only the digest is kept.
    pub(crate) data: Option<Vec<u8>>,
    pub(crate) digest: Vec<u8>,
}

impl NewSegment {
    /// A run as a segment; `None` if it is empty.
    pub(crate) fn of(run: &Run, hold: i64) -> Option<Self> {
        let (first_at, last_at) = run.span()?;
        Some(Self {
            first_at,
            last_at,
            count: run.len(),
            longest: run.longest_gap(),
            data: Some(encode_segment(run)),
            digest: Digest::of(run, hold).encode(),
        })
    }

    /// A segment whose readings are gone, as it is.
    pub(crate) fn without_data(sealed: &Sealed) -> Self {
        Self {
            first_at: sealed.first_at,
            last_at: sealed.last_at,
            count: usize::try_from(sealed.count).unwrap_or(usize::MAX),
            longest: sealed.longest,
            data: None,
            digest: sealed.digest.clone(),
        }
    }

    /// How many bytes it takes.
    pub(crate) fn size(&self) -> usize {
        self.data.as_ref().map_or(0, Vec::len) + self.digest.len()
    }
}

/// Which segments of a signal to look for: those that have anything from a time
/// on and before another.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Span {
    pub(crate) signal: SignalId,
    pub(crate) from: i64,
    pub(crate) to: i64,
}

impl Span {
    /// Everything of a signal.
    pub(crate) const fn all(signal: SignalId) -> Self {
        Self { signal, from: i64::MIN, to: i64::MAX }
    }
}

/// Reads a row of the columns that [`find`] selects.
pub(crate) fn sealed(row: &SqliteRow) -> Result<Sealed, sqlx::Error> {
    Ok(Sealed {
        first_at: row.try_get(0)?,
        last_at: row.try_get(1)?,
        count: row.try_get::<i64, _>(2)?.unsigned_abs(),
        longest: row.try_get(3)?,
        data_id: row.try_get(4)?,
        digest: row.try_get::<Option<Vec<u8>>, _>(5)?.unwrap_or_default(),
    })
}

/// Segments of a span in order, at most `limit`.
pub(crate) async fn find(
    connection: &mut SqliteConnection,
    span: Span,
    order: Order,
    limit: u32,
    with_digests: bool,
) -> Result<Vec<Sealed>, sqlx::Error> {
    let direction = match order {
        Order::Ascending => "ASC",
        Order::Descending => "DESC",
    };
    // Segments do not overlap, so of those that begin before the span only the
    // last can reach into it.
    let sql = format!(
        "SELECT first_at, last_at, count, longest, data_id, CASE WHEN ?5 OR data_id IS NULL THEN digest END FROM segment
         WHERE signal_id = ?1 AND first_at < ?3 AND last_at >= ?2 AND first_at >= coalesce(
             (SELECT max(first_at) FROM segment WHERE signal_id = ?1 AND first_at <= ?2), ?2)
         ORDER BY first_at {direction} LIMIT ?4"
    );
    let rows = sqlx::query(AssertSqlSafe(sql))
        .bind(span.signal.0)
        .bind(span.from)
        .bind(span.to)
        .bind(limit)
        .bind(with_digests)
        .fetch_all(connection)
        .await?;
    rows.iter().map(sealed).collect()
}

/// The segment with the last readings before a time, and where the next begins.
pub(crate) async fn around(
    connection: &mut SqliteConnection,
    signal: SignalId,
    at: i64,
) -> Result<(Option<Sealed>, i64), sqlx::Error> {
    let before = sqlx::query(
        "SELECT first_at, last_at, count, longest, data_id, NULL FROM segment
         WHERE signal_id = ? AND first_at <= ? ORDER BY first_at DESC LIMIT 1",
    )
    .bind(signal.0)
    .bind(at)
    .fetch_optional(&mut *connection)
    .await?;
    let next: Option<i64> =
        sqlx::query_scalar("SELECT min(first_at) FROM segment WHERE signal_id = ? AND first_at > ?")
            .bind(signal.0)
            .bind(at)
            .fetch_one(connection)
            .await?;
    Ok((before.as_ref().map(sealed).transpose()?, next.unwrap_or(i64::MAX)))
}

/// The time of the last sealed reading of a signal.
pub(crate) async fn last_at(connection: &mut SqliteConnection, signal: SignalId) -> Result<Option<i64>, sqlx::Error> {
    sqlx::query_scalar("SELECT last_at FROM segment WHERE signal_id = ? ORDER BY first_at DESC LIMIT 1")
        .bind(signal.0)
        .fetch_optional(connection)
        .await
}

/// First and last sealed times of several signals, in their order.
pub(crate) async fn ends(
    connection: &mut SqliteConnection,
    signals: &[SignalId],
) -> Result<Vec<Option<(i64, i64)>>, sqlx::Error> {
    let list = signals.iter().map(|signal| signal.0.to_string()).collect::<Vec<_>>().join(",");
    let rows = sqlx::query(
        "SELECT (SELECT first_at FROM segment WHERE signal_id = value ORDER BY first_at LIMIT 1),
                (SELECT last_at FROM segment WHERE signal_id = value ORDER BY first_at DESC LIMIT 1)
         FROM json_each(?) ORDER BY key",
    )
    .bind(format!("[{list}]"))
    .fetch_all(connection)
    .await?;
    rows.iter().map(|row| Ok(row.try_get::<Option<i64>, _>(0)?.zip(row.try_get(1)?))).collect()
}

/// The readings of a segment.
pub(crate) async fn load(connection: &mut SqliteConnection, id: i64) -> Result<Run, LoadError> {
    let row = sqlx::query("SELECT data FROM segment_data WHERE id = ?").bind(id).fetch_one(connection).await?;
    let data: &[u8] = row.try_get(0)?;
    read(id, data)
}

/// The readings of some segments as they are kept, by the segments' numbers.
pub(crate) async fn load_many(
    connection: &mut SqliteConnection,
    ids: &[i64],
) -> Result<HashMap<i64, Vec<u8>>, sqlx::Error> {
    let places = vec!["?"; ids.len()].join(", ");
    let sql = format!("SELECT id, data FROM segment_data WHERE id IN ({places})");
    let query = ids.iter().fold(sqlx::query_as(AssertSqlSafe(sql)), |query, id| query.bind(*id));
    Ok(query.fetch_all(connection).await?.into_iter().collect())
}

/// Reads what was loaded of a segment.
pub(crate) fn read(id: i64, data: &[u8]) -> Result<Run, LoadError> {
    decode_segment(data).map_err(|error| LoadError::Damaged { id, error })
}

/// How many bytes a segment's readings take.
pub(crate) async fn size(connection: &mut SqliteConnection, id: i64) -> Result<u64, sqlx::Error> {
    let size: i64 =
        sqlx::query_scalar("SELECT length(data) FROM segment_data WHERE id = ?").bind(id).fetch_one(connection).await?;
    Ok(size.unsigned_abs())
}

/// Puts the bytes of a segment that cannot be read aside, before it is taken away.
pub(crate) async fn set_aside(
    connection: &mut SqliteConnection,
    signal: SignalId,
    first_at: i64,
) -> Result<(), sqlx::Error> {
    sqlx::query(
        "INSERT INTO damaged (signal_id, first_at, last_at, count, data)
         SELECT signal_id, first_at, last_at, count, data FROM segment
         JOIN segment_data ON id = data_id WHERE signal_id = ? AND first_at = ?",
    )
    .bind(signal.0)
    .bind(first_at)
    .execute(connection)
    .await?;
    Ok(())
}

/// For how long values of a signal are held in time-weighted means, in
/// microseconds: until its device would be called silent.
pub(crate) async fn hold(connection: &mut SqliteConnection, signal: SignalId) -> Result<i64, sqlx::Error> {
    let seconds: Option<f64> = sqlx::query_scalar(
        "SELECT coalesce(silent_after, ?) * coalesce(signal.interval_s, device.interval_s)
         FROM signal JOIN device ON device.id = device_id
         WHERE signal.id = ?",
    )
    .bind(Patience::SILENT_AFTER)
    .bind(signal.0)
    .fetch_optional(connection)
    .await?;
    Ok((seconds.unwrap_or(3_600.0) * 1e6) as i64)
}

/// How many readings the segments of a span hold; those at its ends count whole.
pub(crate) async fn count_readings(connection: &mut SqliteConnection, span: Span) -> Result<u64, sqlx::Error> {
    let count: Option<i64> = sqlx::query_scalar(
        "SELECT sum(count) FROM segment WHERE signal_id = ?1 AND first_at < ?3 AND first_at >=
             coalesce((SELECT max(first_at) FROM segment WHERE signal_id = ?1 AND first_at <= ?2), ?2)",
    )
    .bind(span.signal.0)
    .bind(span.from)
    .bind(span.to)
    .fetch_one(connection)
    .await?;
    Ok(count.unwrap_or_default().unsigned_abs())
}

/// Takes segments away, by the times they begin at, and puts others in place.
pub(crate) async fn replace(
    connection: &mut SqliteConnection,
    signal: SignalId,
    gone: &[i64],
    new: &[NewSegment],
) -> Result<(), sqlx::Error> {
    let changed = || gone.iter().copied().chain(new.iter().flat_map(|segment| [segment.first_at, segment.last_at]));
    if let (Some(first), Some(last)) = (changed().min(), changed().max()) {
        rollup::drop_over(connection, signal, first, last).await?;
    }
    for first_at in gone {
        let data: Option<i64> =
            sqlx::query_scalar("DELETE FROM segment WHERE signal_id = ? AND first_at = ? RETURNING data_id")
                .bind(signal.0)
                .bind(first_at)
                .fetch_one(&mut *connection)
                .await?;
        sqlx::query("DELETE FROM segment_data WHERE id = ?").bind(data).execute(&mut *connection).await?;
    }
    for segment in new {
        let data_id = match &segment.data {
            Some(data) => Some(
                sqlx::query("INSERT INTO segment_data (data) VALUES (?)")
                    .bind(data)
                    .execute(&mut *connection)
                    .await?
                    .last_insert_rowid(),
            ),
            None => None,
        };
        sqlx::query(
            "INSERT INTO segment (signal_id, first_at, last_at, count, longest, data_id, digest)
             VALUES (?, ?, ?, ?, ?, ?, ?)",
        )
        .bind(signal.0)
        .bind(segment.first_at)
        .bind(segment.last_at)
        .bind(segment.count as i64)
        .bind(segment.longest)
        .bind(data_id)
        .bind(&segment.digest)
        .execute(&mut *connection)
        .await?;
    }
    Ok(())
}

/// A history that was made again, to take the place of the old.
pub(crate) struct Swap {
    pub(crate) signal: SignalId,
    /// Whole segments from this time on
    pub(crate) from: i64,
    /// and before this one.
    pub(crate) to: i64,
    /// The last journal entry that is part of it.
    pub(crate) through: i64,
    /// What changes with it.
    pub(crate) changes: Vec<StateChange>,
}

/// Where the new segments of a signal lie until they take their place, and the old
/// ones afterwards until they are deleted.
pub(crate) const fn shadow(signal: SignalId) -> SignalId {
    SignalId(-signal.0)
}

/// Exchanges segments of a signal with those of its shadow. Those whose readings are
/// gone stay: there is nothing to make them again from.
pub(crate) async fn swap(connection: &mut SqliteConnection, swap: &Swap) -> Result<(), sqlx::Error> {
    rollup::drop_over(connection, swap.signal, swap.from, swap.to).await?;
    let (signal, shadow) = (swap.signal.0, shadow(swap.signal).0);
    let aside = i64::MIN;
    sqlx::query(
        "UPDATE segment SET signal_id = ?1
         WHERE signal_id = ?2 AND first_at >= ?3 AND first_at < ?4 AND data_id IS NOT NULL",
    )
    .bind(aside)
    .bind(signal)
    .bind(swap.from)
    .bind(swap.to)
    .execute(&mut *connection)
    .await?;
    for (from, to) in [(shadow, signal), (aside, shadow)] {
        sqlx::query("UPDATE segment SET signal_id = ? WHERE signal_id = ?")
            .bind(to)
            .bind(from)
            .execute(&mut *connection)
            .await?;
    }
    Ok(())
}

/// Deletes what unfinished reworks have left behind.
pub(crate) async fn clear_shadows(connection: &mut SqliteConnection) -> Result<(), sqlx::Error> {
    loop {
        let rows = sqlx::query("SELECT signal_id, first_at FROM segment WHERE signal_id < 0 LIMIT 64")
            .fetch_all(&mut *connection)
            .await?;
        if rows.is_empty() {
            return Ok(());
        }
        for row in &rows {
            replace(connection, SignalId(row.try_get(0)?), &[row.try_get(1)?], &[]).await?;
        }
    }
}
