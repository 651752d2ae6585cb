//! Checking a database: segments, summaries against readings, references.

use crate::error::LoadError;
use crate::series::segment::{self, NewSegment, Sealed};
use crate::series::{journal, rollup, summing};
use lantern_core::SignalId;
use lantern_core::series::Digest;
use sqlx::sqlite::SqliteConnection;
use sqlx::{Connection, Row};
use std::fmt;

/// Segments looked at at a time.
const PAGE: u32 = 64;
/// Findings that are listed; more are counted.
const LISTED: usize = 1_000;

/// Something that is wrong.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Finding {
    /// Where and what.
    pub what: String,
    /// Whether it was put right, or `None` if it cannot be.
    pub mended: Option<bool>,
}

impl fmt::Display for Finding {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let end = match self.mended {
            Some(true) => "put right",
            Some(false) => "can be put right with --repair",
            None => "cannot be put right from what is here",
        };
        write!(f, "{}; {end}", self.what)
    }
}

/// What a check came to.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Checked {
    /// Segments looked at.
    pub segments: u64,
    /// Readings in them.
    pub readings: u64,
    /// Journal entries looked at.
    pub entries: u64,
    /// What is wrong, the first thousand.
    pub findings: Vec<Finding>,
    /// How many there are in all.
    pub found: u64,
}

impl Checked {
    fn add(&mut self, what: String, mended: Option<bool>) {
        self.found += 1;
        if self.findings.len() < LISTED {
            self.findings.push(Finding { what, mended });
        }
    }
}

/// Checks a database, and with `repair` puts right what can be. `progress` is told
/// how many of how many segments have been looked at.
///
/// # Errors
/// What SQLite says if the file cannot be read at all.
pub(crate) async fn check(
    connection: &mut SqliteConnection,
    repair: bool,
    mut progress: impl FnMut(u64, u64),
) -> Result<Checked, sqlx::Error> {
    let mut checked = Checked::default();
    check_file(connection, &mut checked).await?;
    let total: i64 = sqlx::query_scalar("SELECT count(*) FROM segment").fetch_one(&mut *connection).await?;
    let mut after = (i64::MIN, i64::MIN);
    let mut before: Option<(i64, i64)> = None;
    loop {
        let rows = page(connection, after).await?;
        for (signal, sealed) in &rows {
            if let Some((same, last_at)) = before
                && same == signal.0
                && sealed.first_at <= last_at
            {
                checked.add(format!("{} overlaps the segment before it", place(*signal, sealed)), None);
            }
            before = Some((signal.0, sealed.last_at));
            check_segment(connection, *signal, sealed, repair, &mut checked).await?;
            checked.segments += 1;
            checked.readings += sealed.count;
        }
        progress(checked.segments, total.unsigned_abs());
        match rows.last() {
            Some((signal, sealed)) if rows.len() == PAGE as usize => after = (signal.0, sealed.first_at),
            _ => break,
        }
    }
    check_rollups(connection, repair, &mut checked).await?;
    check_journal(connection, &mut checked).await?;
    check_orphans(connection, repair, &mut checked).await?;
    Ok(checked)
}

async fn check_file(connection: &mut SqliteConnection, checked: &mut Checked) -> Result<(), sqlx::Error> {
    let problems: Vec<String> = sqlx::query_scalar("PRAGMA integrity_check(100)").fetch_all(&mut *connection).await?;
    for problem in problems.into_iter().filter(|problem| problem != "ok") {
        checked.add(format!("the file itself: {problem}"), None);
    }
    for row in sqlx::query("PRAGMA foreign_key_check").fetch_all(connection).await? {
        let (table, parent): (String, String) = (row.try_get(0)?, row.try_get(2)?);
        let id: Option<i64> = row.try_get(1)?;
        let id = id.map_or_else(String::new, |id| format!(" {id}"));
        checked.add(format!("{table}{id} belongs to a {parent} that is not there"), None);
    }
    Ok(())
}

async fn page(connection: &mut SqliteConnection, after: (i64, i64)) -> Result<Vec<(SignalId, Sealed)>, sqlx::Error> {
    let rows = sqlx::query(
        "SELECT first_at, last_at, count, longest, data_id, digest, signal_id FROM segment
         WHERE (signal_id, first_at) > (?, ?) ORDER BY signal_id, first_at LIMIT ?",
    )
    .bind(after.0)
    .bind(after.1)
    .bind(PAGE)
    .fetch_all(connection)
    .await?;
    rows.iter().map(|row| Ok((SignalId(row.try_get(6)?), segment::sealed(row)?))).collect()
}

fn place(signal: SignalId, sealed: &Sealed) -> String {
    format!("the segment of signal {} from {}", signal.0, crate::types::moment(sealed.first_at))
}

async fn check_segment(
    connection: &mut SqliteConnection,
    signal: SignalId,
    sealed: &Sealed,
    repair: bool,
    checked: &mut Checked,
) -> Result<(), sqlx::Error> {
    let here = place(signal, sealed);
    let digest = Digest::decode(&sealed.digest);
    let Some(id) = sealed.data_id else {
        if let Err(error) = digest {
            checked.add(format!("{here}: its summaries cannot be read ({error}) and its readings are gone"), None);
        }
        return Ok(());
    };
    let new = match segment::load(connection, id).await {
        Ok(run) => {
            let hold = match &digest {
                Ok(digest) => digest.hold,
                Err(_) => segment::hold(connection, signal).await?,
            };
            let right = digest.as_ref().is_ok_and(|digest| *digest == Digest::of(&run, hold));
            let described = run.span() == Some((sealed.first_at, sealed.last_at))
                && run.len() as u64 == sealed.count
                && run.longest_gap() == sealed.longest;
            if right && described {
                return Ok(());
            }
            checked.add(format!("{here}: what is known of it is not what its readings say"), Some(repair));
            NewSegment::of(&run, hold).into_iter().collect::<Vec<_>>()
        }
        Err(LoadError::Database(sqlx::Error::RowNotFound)) => {
            checked.add(format!("{here}: its readings are missing; its summaries stay"), Some(repair));
            digest.is_ok().then(|| NewSegment::without_data(sealed)).into_iter().collect()
        }
        Err(LoadError::Database(error)) => return Err(error),
        Err(LoadError::Damaged { error, .. } | LoadError::Digest { error, .. }) => {
            let what = format!("{here}: {error}; {} readings; put aside, its summaries stay", sealed.count);
            checked.add(what, Some(repair));
            digest.is_ok().then(|| NewSegment::without_data(sealed)).into_iter().collect()
        }
    };
    if repair {
        let mut transaction = connection.begin_with("BEGIN IMMEDIATE").await?;
        if new.iter().all(|segment| segment.data.is_none()) {
            segment::set_aside(&mut transaction, signal, sealed.first_at).await?;
        }
        segment::replace(&mut transaction, signal, &[sealed.first_at], &new).await?;
        transaction.commit().await?;
    }
    Ok(())
}

/// Those that are wrong go with a repair; they are made again when readings are
/// sealed.
async fn check_rollups(
    connection: &mut SqliteConnection,
    repair: bool,
    checked: &mut Checked,
) -> Result<(), sqlx::Error> {
    let mut after = (i64::MIN, i64::MIN);
    while let Some((signal, rollup)) = rollup::after(connection, after).await? {
        after = (signal.0, rollup.first_at);
        match summing::is_right(connection, signal, &rollup).await {
            Ok(true) => continue,
            Ok(false) | Err(LoadError::Damaged { .. } | LoadError::Digest { .. }) => {}
            Err(LoadError::Database(error)) => return Err(error),
        }
        let from = crate::types::moment(rollup.first_at);
        checked.add(format!("the sums of signal {} from {from} are not what its segments say", signal.0), Some(repair));
        if repair {
            rollup::drop_over(connection, signal, rollup.first_at, rollup.last_at).await?;
        }
    }
    Ok(())
}

async fn check_journal(connection: &mut SqliteConnection, checked: &mut Checked) -> Result<(), sqlx::Error> {
    let mut last = 0_i64;
    loop {
        let entries = journal::page(connection, last).await?;
        for (entry, layers) in &entries {
            last = *entry;
            checked.entries += 1;
            if let Err(error) = layers {
                checked.add(format!("journal entry {last} cannot be read ({error}); its readings are missing"), None);
            }
        }
        if entries.len() < journal::PAGE as usize {
            return Ok(());
        }
    }
}

async fn check_orphans(
    connection: &mut SqliteConnection,
    repair: bool,
    checked: &mut Checked,
) -> Result<(), sqlx::Error> {
    let lost: i64 = sqlx::query_scalar(
        "SELECT count(*) FROM segment_data WHERE id NOT IN (SELECT data_id FROM segment WHERE data_id IS NOT NULL)",
    )
    .fetch_one(&mut *connection)
    .await?;
    if lost > 0 {
        checked.add(format!("{lost} segments' readings belong to no segment"), Some(repair));
    }
    let strays: Vec<i64> =
        sqlx::query_scalar("SELECT DISTINCT signal_id FROM segment WHERE signal_id NOT IN (SELECT id FROM signal)")
            .fetch_all(&mut *connection)
            .await?;
    for signal in &strays {
        checked.add(format!("there are readings of signal {signal}, which is not there"), Some(repair));
    }
    if repair && (lost > 0 || !strays.is_empty()) {
        let mut transaction = connection.begin_with("BEGIN IMMEDIATE").await?;
        for sql in [
            "DELETE FROM segment WHERE signal_id NOT IN (SELECT id FROM signal)",
            "DELETE FROM segment_data WHERE id NOT IN (SELECT data_id FROM segment WHERE data_id IS NOT NULL)",
        ] {
            sqlx::query(sql).execute(&mut *transaction).await?;
        }
        transaction.commit().await?;
    }
    Ok(())
}
