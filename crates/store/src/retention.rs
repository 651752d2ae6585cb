//! Keeping less of what is old.

use crate::error::LoadError;
use crate::order::Order;
use crate::series::plan::Rewrite;
use crate::series::sealer;
use crate::series::segment::{self, NewSegment, Sealed, Span};
use crate::types::moment;
use crate::{KindId, Store, StoreError};
use lantern_core::retention::{Kept, Retention};
use lantern_core::series::{Digest, Run};
use lantern_core::{Moment, SignalId};
use sqlx::sqlite::SqliteRow;
use sqlx::{Row, SqliteConnection};

/// Segments changed in one transaction.
const PAGE: u32 = 16;

/// Whose retention it is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Keeper {
    /// One signal's.
    Signal(SignalId),
    /// That of all signals of devices of a kind.
    Kind(KindId),
}

impl Keeper {
    const fn columns(self) -> (Option<i64>, Option<i64>) {
        match self {
            Self::Signal(id) => (Some(id.0), None),
            Self::Kind(id) => (None, Some(id.0)),
        }
    }
}

/// What a retention does, or would do.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Forgotten {
    /// Readings that go.
    pub readings: u64,
    /// Those of them of which summaries stay.
    pub summarized: u64,
    /// Bytes that become free.
    pub bytes: u64,
}

impl std::ops::AddAssign for Forgotten {
    fn add_assign(&mut self, more: Self) {
        self.readings += more.readings;
        self.summarized += more.summarized;
        self.bytes += more.bytes;
    }
}

fn retention(row: &SqliteRow) -> Result<Retention, sqlx::Error> {
    Ok(Retention {
        raw_s: row.try_get("raw_s")?,
        minute_s: row.try_get("minute_s")?,
        hour_s: row.try_get("hour_s")?,
        day_s: row.try_get("day_s")?,
    })
}

impl Store {
    /// The retention that somebody set, if anybody did.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn retention(&self, keeper: Keeper) -> Result<Option<Retention>, StoreError> {
        let (signal, kind) = keeper.columns();
        let row = sqlx::query("SELECT * FROM retention WHERE signal_id = ? OR kind_id = ?")
            .bind(signal)
            .bind(kind)
            .fetch_optional(&self.read)
            .await?;
        Ok(row.as_ref().map(retention).transpose()?)
    }

    /// The retention that holds for a signal: its own, or its kind's.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn retention_of(&self, signal: SignalId) -> Result<Option<Retention>, StoreError> {
        let row = sqlx::query(
            "SELECT r.* FROM signal JOIN device ON device.id = device_id
             JOIN retention AS r ON r.signal_id = signal.id OR r.kind_id = device.kind_id
             WHERE signal.id = ? ORDER BY r.signal_id IS NULL LIMIT 1",
        )
        .bind(signal.0)
        .fetch_optional(&self.read)
        .await?;
        Ok(row.as_ref().map(retention).transpose()?)
    }

    /// Sets a retention, or with `None` takes it away. Nothing is deleted by this;
    /// [`Store::retain`] does that.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn set_retention(&self, keeper: Keeper, retention: Option<Retention>) -> Result<(), StoreError> {
        let (signal, kind) = keeper.columns();
        let mut transaction = self.write.begin_with("BEGIN IMMEDIATE").await?;
        sqlx::query("DELETE FROM retention WHERE signal_id = ? OR kind_id = ?")
            .bind(signal)
            .bind(kind)
            .execute(&mut *transaction)
            .await?;
        if let Some(kept) = retention {
            sqlx::query(
                "INSERT INTO retention (signal_id, kind_id, raw_s, minute_s, hour_s, day_s) VALUES (?, ?, ?, ?, ?, ?)",
            )
            .bind(signal)
            .bind(kind)
            .bind(kept.raw_s)
            .bind(kept.minute_s)
            .bind(kept.hour_s)
            .bind(kept.day_s)
            .execute(&mut *transaction)
            .await?;
        }
        transaction.commit().await?;
        Ok(())
    }

    /// The signals that a retention holds for, if it were set.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn kept_signals(&self, keeper: Keeper) -> Result<Vec<SignalId>, StoreError> {
        let kind = match keeper {
            Keeper::Signal(id) => return Ok(vec![id]),
            Keeper::Kind(id) => id,
        };
        let ids = sqlx::query_scalar(
            "SELECT signal.id FROM signal JOIN device ON device.id = device_id
             WHERE device.kind_id = ? AND signal.removed_at IS NULL
                 AND NOT EXISTS (SELECT 1 FROM retention WHERE signal_id = signal.id)",
        )
        .bind(kind.0)
        .fetch_all(&self.read)
        .await?;
        Ok(ids.into_iter().map(SignalId).collect())
    }

    /// Keeps less of what is old, everywhere, in small steps beside all else.
    ///
    /// # Errors
    /// [`StoreError`]; what was done until then stays done.
    pub async fn retain(&self, now: Moment) -> Result<Forgotten, StoreError> {
        let ids: Vec<i64> = sqlx::query_scalar(
            "SELECT DISTINCT signal.id FROM retention AS r JOIN signal ON r.signal_id = signal.id
             UNION SELECT signal.id FROM retention AS r JOIN device ON device.kind_id = r.kind_id
             JOIN signal ON signal.device_id = device.id",
        )
        .fetch_all(&self.read)
        .await?;
        let mut forgotten = Forgotten::default();
        for id in ids {
            if let Some(retention) = self.retention_of(SignalId(id)).await? {
                let gone = self.forget(SignalId(id), retention, now, false).await?;
                if gone != Forgotten::default() {
                    self.roll_up(SignalId(id)).await;
                }
                forgotten += gone;
            }
        }
        self.disk.look(&self.read).await;
        Ok(forgotten)
    }

    /// What a retention would do to a signal now.
    ///
    /// # Errors
    /// [`StoreError`].
    pub async fn would_forget(
        &self,
        signal: SignalId,
        retention: Retention,
        now: Moment,
    ) -> Result<Forgotten, StoreError> {
        self.forget(signal, retention, now, true).await
    }

    async fn forget(
        &self,
        signal: SignalId,
        retention: Retention,
        now: Moment,
        is_dry: bool,
    ) -> Result<Forgotten, StoreError> {
        let step =
            Step { signal, retention, now, hold: segment::hold(&mut *self.read.acquire().await?, signal).await? };
        let mut forgotten = Forgotten::default();
        let mut from = i64::MIN;
        loop {
            // Segments are planned by one at a time: the sealer waits meanwhile.
            let _planning = self.planning.lock().await;
            if self.tails.is_held(signal) {
                // Its history is being made again; what is too old goes the next time.
                return Ok(forgotten);
            }
            let mut connection = self.read.acquire().await?;
            let span = Span { signal, from, to: now.as_micros() };
            let rows = segment::find(&mut connection, span, Order::Ascending, PAGE, true).await?;
            let mut rewrite = Rewrite::default();
            for row in &rows {
                forgotten += step.forget(&mut connection, row, &mut rewrite).await?;
            }
            drop(connection);
            if !is_dry && !rewrite.gone.is_empty() {
                let recorder = self.seals.upgrade().ok_or(StoreError::Stopping)?;
                sealer::rewrite(&recorder, signal, rewrite)
                    .await
                    .map_err(|error| StoreError::Unsealed(error.into()))?;
            }
            match rows.last() {
                Some(last)
                    if rows.len() == PAGE as usize && retention.kept(moment(last.last_at), now) != Kept::Readings =>
                {
                    from = last.last_at + 1;
                }
                _ => return Ok(forgotten),
            }
        }
    }
}

/// What is the same for all segments of a signal.
struct Step {
    signal: SignalId,
    retention: Retention,
    now: Moment,
    hold: i64,
}

impl Step {
    async fn forget(
        &self,
        connection: &mut SqliteConnection,
        row: &Sealed,
        rewrite: &mut Rewrite,
    ) -> Result<Forgotten, StoreError> {
        let mut forgotten = Forgotten::default();
        let damaged = |error| StoreError::from(LoadError::Digest { first_at: row.first_at, error });
        match (self.retention.kept(moment(row.last_at), self.now), row.data_id) {
            (Kept::Readings, None) => {}
            (Kept::Readings, Some(id)) => {
                if let Some(cut) = self.cut_inside(row) {
                    let run = segment::load(connection, id).await?;
                    let old = run.slice(run.between(i64::MIN, cut));
                    let young = run.slice(run.between(cut, i64::MAX));
                    forgotten.readings = old.len() as u64;
                    forgotten.bytes = segment::size(connection, id).await? * old.len() as u64 / row.count.max(1);
                    rewrite.gone.push(row.first_at);
                    rewrite.new.extend(NewSegment::of(&young, self.hold));
                    forgotten.summarized = self.outlive(&old, rewrite);
                }
            }
            (_, Some(id)) => {
                forgotten.readings = row.count;
                forgotten.bytes = segment::size(connection, id).await?;
                rewrite.gone.push(row.first_at);
                forgotten.summarized = self.outlive(&segment::load(connection, id).await?, rewrite);
            }
            (Kept::Summaries(finest), None) => {
                let mut digest = Digest::decode(&row.digest).map_err(damaged)?;
                let before = digest.tiers.len();
                digest.forget_finer(finest);
                if digest.tiers.len() < before {
                    rewrite.gone.push(row.first_at);
                    let digest = digest.encode();
                    forgotten.bytes = row.digest.len().saturating_sub(digest.len()) as u64;
                    rewrite.new.push(NewSegment { digest, ..NewSegment::without_data(row) });
                }
            }
            (Kept::Nothing, None) => {
                forgotten.bytes = row.digest.len() as u64;
                rewrite.gone.push(row.first_at);
            }
        }
        Ok(forgotten)
    }

    /// Where a segment is cut that would otherwise keep much for longer than it
    /// should be: slow signals have segments of months.
    fn cut_inside(&self, row: &Sealed) -> Option<i64> {
        let cut = self.retention.raw_from(self.now)?.as_micros();
        let slack = (self.retention.raw_s? / 10.0).max(86_400.0) * 1e6;
        (row.first_at < cut && (cut - row.first_at) as f64 > slack).then_some(cut)
    }

    /// Keeps the summaries of readings that go, and says of how many there are any.
    fn outlive(&self, run: &Run, rewrite: &mut Rewrite) -> u64 {
        let Some((first_at, last_at)) = run.span() else { return 0 };
        let Kept::Summaries(finest) = self.retention.kept(moment(last_at), self.now) else { return 0 };
        let digest = Digest::outliving(run, self.hold, finest);
        let Some(whole) = digest.whole else { return 0 };
        rewrite.new.push(NewSegment {
            first_at,
            last_at,
            count: run.len(),
            longest: run.longest_gap(),
            data: None,
            digest: digest.encode(),
        });
        tracing::debug!(signal = self.signal.0, readings = run.len(), "readings are old enough to be summaries only");
        whole.count
    }
}
