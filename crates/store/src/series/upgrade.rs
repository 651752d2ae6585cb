//! From rows to segments: what an older version wrote.

use super::Limits;
use super::{plan, segment};
use crate::types::moment;
use crate::value::Stored;
use lantern_core::SignalId;
use lantern_core::series::{Point, Run};
use sqlx::{Connection, Row, SqliteConnection, SqlitePool};

/// Readings moved in one transaction.
const PAGE: usize = 65_536;

/// Makes segments of the rows of the table `reading`, if there is one, in
/// transactions that can be cut short and gone on with.
pub(crate) async fn run(pool: &SqlitePool, limits: &Limits) -> Result<(), sqlx::Error> {
    let mut connection = pool.acquire().await?;
    let is_there: bool =
        sqlx::query_scalar("SELECT EXISTS (SELECT 1 FROM sqlite_schema WHERE type = 'table' AND name = 'reading')")
            .fetch_one(&mut *connection)
            .await?;
    if !is_there {
        return Ok(());
    }
    let mut moved = 0_usize;
    loop {
        let next: Option<i64> =
            sqlx::query_scalar("SELECT min(signal_id) FROM reading").fetch_one(&mut *connection).await?;
        let Some(signal) = next else { break };
        let before = moved;
        moved += move_page(&mut connection, SignalId(signal), limits).await?;
        if moved / 1_000_000 > before / 1_000_000 {
            tracing::info!(readings = moved, "changing readings to the new form");
        }
    }
    sqlx::query("DROP TABLE reading").execute(&mut *connection).await?;
    if moved > 0 {
        tracing::info!(readings = moved, "all readings have the new form");
    }
    Ok(())
}

async fn move_page(connection: &mut SqliteConnection, signal: SignalId, limits: &Limits) -> Result<usize, sqlx::Error> {
    let mut transaction = connection.begin_with("BEGIN IMMEDIATE").await?;
    let rows = sqlx::query("SELECT at, value FROM reading WHERE signal_id = ? ORDER BY at LIMIT ?")
        .bind(signal.0)
        .bind(PAGE as i64)
        .fetch_all(&mut *transaction)
        .await?;
    let run: Run = rows
        .iter()
        .map(|row| Ok(Point::good(moment(row.try_get(0)?), row.try_get::<Stored, _>(1)?.0)))
        .collect::<Result<_, sqlx::Error>>()?;
    let hold = segment::hold(&mut transaction, signal).await?;
    let last = run.span().map_or(i64::MAX, |(_, last)| last);
    let segments = plan::encode(vec![run], *limits, hold).await?;
    segment::replace(&mut transaction, signal, &[], &segments).await?;
    sqlx::query("DELETE FROM reading WHERE signal_id = ? AND at <= ?")
        .bind(signal.0)
        .bind(last)
        .execute(&mut *transaction)
        .await?;
    transaction.commit().await?;
    Ok(rows.len())
}
