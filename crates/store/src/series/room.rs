//! Room on the disk: what the database may take and what it takes.

use sqlx::{AssertSqlSafe, SqliteConnection, SqlitePool};
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicBool, AtomicU64, Ordering::Relaxed};
use std::time::Duration;

/// What SQLite calls a full disk, and the limit on pages as well.
const SQLITE_FULL: &str = "13";
/// SQLite's largest file.
const MOST_PAGES: u64 = u32::MAX as u64 - 1;
/// The share of the budget above which there is a warning.
const WARN_ABOVE: f64 = 0.9;

/// Whether a statement failed because there was no room.
pub(crate) fn is_full(error: &sqlx::Error) -> bool {
    matches!(error, sqlx::Error::Database(cause) if cause.code().is_some_and(|code| code == SQLITE_FULL))
}

/// How much of the disk the database takes.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct DiskUse {
    /// Bytes that hold something. The file may be larger: freed room is used again.
    pub used: u64,
    /// What it may use, in bytes; 0 if there is no limit.
    pub budget: u64,
    /// What is free on the disk, in bytes; none if that cannot be told.
    pub free: Option<u64>,
}

impl DiskUse {
    /// Bytes that are left to use: of the budget, and on the disk.
    #[must_use]
    pub fn left(&self) -> Option<u64> {
        let of_budget = (self.budget > 0).then(|| self.budget.saturating_sub(self.used));
        match (of_budget, self.free) {
            (Some(budget), Some(free)) => Some(budget.min(free)),
            (budget, free) => budget.or(free),
        }
    }

    /// Whether so much of the budget is used that somebody should be told.
    #[must_use]
    pub fn is_nearly_full(&self) -> bool {
        self.budget > 0 && self.used as f64 > self.budget as f64 * WARN_ABOVE
    }
}

/// Keeps count of the room, in bytes.
#[derive(Default)]
pub(crate) struct Room {
    /// Where the database is.
    dir: PathBuf,
    /// As [`super::Limits::reserve`].
    reserve: u64,
    used: AtomicU64,
    budget: AtomicU64,
    has_warned: AtomicBool,
    longest_sealing_us: AtomicU64,
}

impl Room {
    pub(crate) fn new(dir: &Path, reserve: u64) -> Self {
        Self { dir: dir.to_owned(), reserve, ..Self::default() }
    }

    /// Whether readings may be taken in.
    pub(crate) fn has_room(&self) -> bool {
        let budget = self.budget.load(Relaxed);
        budget == 0 || self.used.load(Relaxed) < budget
    }

    pub(crate) fn note_sealing(&self, took: Duration) {
        let micros = u64::try_from(took.as_micros()).unwrap_or(u64::MAX);
        self.longest_sealing_us.fetch_max(micros, Relaxed);
    }

    /// Lets the database use so many bytes, 0 for all there are.
    pub(crate) fn set_budget(&self, bytes: u64) {
        self.budget.store(bytes, Relaxed);
    }

    /// The longest time for which sealing has held up what comes in.
    pub(crate) fn longest_sealing(&self) -> Duration {
        Duration::from_micros(self.longest_sealing_us.load(Relaxed))
    }

    pub(crate) fn usage(&self) -> DiskUse {
        let free = rustix::fs::statvfs(&self.dir).ok().map(|stat| stat.f_bavail.saturating_mul(stat.f_frsize));
        DiskUse { used: self.used.load(Relaxed), budget: self.budget.load(Relaxed), free }
    }

    /// Sets SQLite's own limit, which holds for whatever is written and for one
    /// connection alone.
    pub(crate) async fn limit(&self, connection: &mut SqliteConnection) -> Result<(), sqlx::Error> {
        let page: i64 = sqlx::query_scalar("PRAGMA page_size").fetch_one(&mut *connection).await?;
        let pages = match self.budget.load(Relaxed) {
            0 => MOST_PAGES,
            bytes => ((bytes + self.reserve) / page.unsigned_abs().max(1)).min(MOST_PAGES),
        };
        sqlx::query(AssertSqlSafe(format!("PRAGMA max_page_count = {pages}"))).execute(connection).await?;
        Ok(())
    }

    /// Counts what is used now.
    pub(crate) async fn look(&self, pool: &SqlitePool) {
        match used(pool).await {
            Ok(used) => self.used.store(used, Relaxed),
            Err(error) => tracing::warn!(%error, "the size of the database cannot be read"),
        }
        let usage = self.usage();
        let was_warned = self.has_warned.swap(usage.is_nearly_full(), Relaxed);
        if usage.is_nearly_full() && !was_warned {
            tracing::warn!(
                used_mb = usage.used >> 20,
                budget_mb = usage.budget >> 20,
                "the database has used most of its budget; when it is full, readings are turned away. Keep less (retention), or raise `disk_budget_mb`"
            );
        }
    }
}

async fn used(pool: &SqlitePool) -> Result<u64, sqlx::Error> {
    let pages: i64 = sqlx::query_scalar(
        "SELECT (page_count - freelist_count) * page_size
         FROM pragma_page_count(), pragma_freelist_count(), pragma_page_size()",
    )
    .fetch_one(pool)
    .await?;
    Ok(pages.unsigned_abs())
}
