//! Making rollups: many digests of segments into one.

use super::Limits;
use super::rollup::Rollup;
use super::segment::{self, Sealed, Span};
use crate::error::LoadError;
use crate::order::Order;
use lantern_core::SignalId;
use lantern_core::series::{self, Digest, SealedDigest};
use sqlx::{Row, SqliteConnection};

/// How far [`make`] came.
pub(crate) struct Step {
    /// The rollup it made, if those segments can have one.
    pub(crate) made: Option<Rollup>,
    /// From where on to look for more, microseconds since 1970.
    pub(crate) next: i64,
}

/// Makes the first rollup that is missing from a time on; `None` if none is.
pub(crate) async fn make(
    connection: &mut SqliteConnection,
    signal: SignalId,
    from: i64,
    limits: &Limits,
) -> Result<Option<Step>, LoadError> {
    let worth = limits.worth_rollup();
    let Some((since, count)) = gap(connection, signal, from, limits).await? else { return Ok(None) };
    let span = Span { signal, from: since, to: i64::MAX };
    let count = u32::try_from(count).unwrap_or(u32::MAX);
    let rows = segment::find(connection, span, Order::Ascending, count, true).await?;
    let Some(last) = rows.last() else { return Ok(None) };
    let (taken, mut digest) = over(connection, &rows).await?;
    if (worth..rows.len()).contains(&taken) {
        // Its widths follow from what it is over.
        digest = over(connection, &rows[..taken]).await?.1;
    }
    let next = rows.get(taken.max(1)).map_or(last.last_at + 1, |row| row.first_at);
    let made = (taken >= worth).then(|| Rollup {
        first_at: rows[0].first_at,
        last_at: rows[taken - 1].last_at,
        segments: taken,
        digest: digest.encode(),
    });
    Ok(Some(Step { made, next }))
}

/// Where segments lie that have no rollup and are worth one, and of how many to make it.
async fn gap(
    connection: &mut SqliteConnection,
    signal: SignalId,
    from: i64,
    limits: &Limits,
) -> Result<Option<(i64, usize)>, sqlx::Error> {
    let (size, worth) = (limits.rollup, limits.worth_rollup());
    let row = sqlx::query(
        "WITH gap AS (
             SELECT ?2 AS since,
                    coalesce((SELECT min(first_at) FROM rollup WHERE signal_id = ?1 AND first_at >= ?2), ?5) AS until
             UNION ALL
             SELECT last_at + 1, lead(first_at, 1, ?5) OVER (ORDER BY first_at)
             FROM rollup WHERE signal_id = ?1 AND first_at >= ?2
         )
         SELECT since, segments FROM (
             SELECT since, until, (SELECT count(*) FROM (
                 SELECT 1 FROM segment WHERE signal_id = ?1 AND first_at >= since AND first_at < until LIMIT ?3 + ?4
             )) AS segments FROM gap
         ) WHERE segments >= CASE until WHEN ?5 THEN ?3 + ?4 ELSE ?4 END ORDER BY since LIMIT 1",
    )
    .bind(signal.0)
    .bind(from)
    .bind(size as i64)
    .bind(worth as i64)
    .bind(i64::MAX)
    .fetch_optional(connection)
    .await?;
    row.map(|row| {
        let count = usize::try_from(row.try_get::<i64, _>(1)?).unwrap_or(0);
        // What is more than one, and not enough for another, is taken along.
        Ok((row.try_get(0)?, if count < size + worth { count } else { size }))
    })
    .transpose()
}

/// One digest over as many of the rows, from the first on, as can have one, and how
/// many those are: values have to be held for the same time in all of them.
async fn over(connection: &mut SqliteConnection, rows: &[Sealed]) -> Result<(usize, Digest), LoadError> {
    let span = rows[rows.len() - 1].last_at.saturating_sub(rows[0].first_at);
    let hold = SealedDigest::open(&rows[0].digest).map_or(0, |digest| digest.hold);
    let mut rollup = series::Rollup::new(span, hold);
    for (index, row) in rows.iter().enumerate() {
        if !take(connection, &mut rollup, row, hold).await? {
            return Ok((index, rollup.finish()));
        }
    }
    Ok((rows.len(), rollup.finish()))
}

/// Takes in a segment, if it can be read and its values are held for as long.
async fn take(
    connection: &mut SqliteConnection,
    rollup: &mut series::Rollup,
    row: &Sealed,
    hold: i64,
) -> Result<bool, LoadError> {
    let Some(digest) = SealedDigest::open(&row.digest).ok().filter(|digest| digest.hold == hold) else {
        return Ok(false);
    };
    match (rollup.take_digest(&digest), row.data_id) {
        (Ok(false), Some(id)) => {
            rollup.take_run(&segment::load(connection, id).await?);
            Ok(true)
        }
        (taken, _) => Ok(taken.unwrap_or(false)),
    }
}

/// Whether a rollup says what its segments say.
pub(crate) async fn is_right(
    connection: &mut SqliteConnection,
    signal: SignalId,
    rollup: &Rollup,
) -> Result<bool, LoadError> {
    let span = Span { signal, from: rollup.first_at, to: rollup.last_at.saturating_add(1) };
    let limit = u32::try_from(rollup.segments + 1).unwrap_or(u32::MAX);
    let rows = segment::find(connection, span, Order::Ascending, limit, true).await?;
    let (Some(first), Some(last)) = (rows.first(), rows.last()) else { return Ok(false) };
    let (taken, digest) = over(connection, &rows).await?;
    Ok((first.first_at, last.last_at, rows.len()) == (rollup.first_at, rollup.last_at, rollup.segments)
        && taken == rows.len()
        && digest.encode() == rollup.digest)
}
