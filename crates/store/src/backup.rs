//! Backing up while running, checking and restoring.

use crate::check::{Checked, check};
use crate::open::{self, DATABASE_FILE};
use crate::{Cause, OpenError, Store, StoreError, schema};
use sqlx::sqlite::SqliteConnectOptions;
use sqlx::{ConnectOptions, Connection, SqliteConnection};
use std::os::unix::fs::OpenOptionsExt;
use std::path::{Path, PathBuf};

/// Why a file was not restored.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum RestoreError {
    /// The directory cannot be used.
    #[error(transparent)]
    Open(#[from] OpenError),
    /// There is a database already.
    #[error(
        "{0} holds a database already; restore into another directory, or with --replace, which keeps the old one beside it"
    )]
    Occupied(PathBuf),
    /// The file is no database of ours.
    #[error("{file} is not a backup of Key Lantern")]
    NotABackup {
        /// The file.
        file: PathBuf,
        /// What was wrong with it.
        #[source]
        cause: Cause,
    },
    /// Something is wrong in it.
    #[error("{file} is damaged in {count} places, the first: {first}; `key-lantern check` on a copy lists them all")]
    Damaged {
        /// The file.
        file: PathBuf,
        /// How many findings.
        count: u64,
        /// The first of them.
        first: String,
    },
    /// It is of a newer service.
    #[error(
        "{file} was written by a newer Key Lantern (schema {found}, this one knows {known}); install that one first"
    )]
    Newer {
        /// The file.
        file: PathBuf,
        /// The version of its schema.
        found: i64,
        /// The newest version this service knows.
        known: i64,
    },
    /// It could not be copied.
    #[error("the backup cannot be copied")]
    Copy(#[from] std::io::Error),
}

async fn connect(file: &Path, may_write: bool) -> Result<SqliteConnection, sqlx::Error> {
    SqliteConnectOptions::new().filename(file).read_only(!may_write).connect().await
}

/// Checks a database file that no service has open, or that is a backup.
async fn check_file(file: &Path, repair: bool, progress: impl FnMut(u64, u64)) -> Result<Checked, sqlx::Error> {
    let mut connection = connect(file, repair).await?;
    let checked = check(&mut connection, repair, progress).await;
    let _ = connection.close().await;
    checked
}

impl Store {
    /// Writes everything, as it is at one moment, into a new file, and checks what
    /// was written. Reading and writing go on meanwhile.
    ///
    /// # Errors
    /// [`StoreError::Database`] if it cannot be written, [`StoreError::Damaged`] if
    /// what was written is not right.
    pub async fn back_up(&self, file: &Path) -> Result<Checked, StoreError> {
        // All readings and the hashes of passwords are in it: nobody else's business. SQLite takes an
        // empty file as it is.
        std::fs::OpenOptions::new()
            .write(true)
            .create_new(true)
            .mode(0o600)
            .open(file)
            .map_err(|error| StoreError::Database(sqlx::Error::Io(error)))?;
        let name = file.to_string_lossy().into_owned();
        sqlx::query("VACUUM INTO ?").bind(name).execute(&self.read).await?;
        let checked = check_file(file, false, |_, _| {}).await?;
        match checked.findings.first() {
            None => Ok(checked),
            Some(first) => Err(StoreError::Damaged(first.what.clone().into())),
        }
    }
}

/// Checks the database in a directory, which no service may have open, and with
/// `repair` puts right what can be.
///
/// # Errors
/// [`OpenError`]: it is in use, or is no database.
pub async fn check_directory(dir: &Path, repair: bool, progress: impl FnMut(u64, u64)) -> Result<Checked, OpenError> {
    let file = dir.join(DATABASE_FILE);
    let broken = |cause: sqlx::Error| OpenError::Database { file: file.clone(), cause: cause.into() };
    if !file.is_file() {
        return Err(OpenError::Database { file, cause: "there is no such file".into() });
    }
    // Opening brings it up to date and takes in what is in the journal of SQLite.
    Store::open(dir).await?.close().await;
    let _lock = open::lock(dir)?;
    check_file(&file, repair, progress).await.map_err(broken)
}

/// Puts a backup into a directory as its database, after checking it. With
/// `replace`, a database that is there is kept beside it, and its name given back.
///
/// # Errors
/// [`RestoreError`]; nothing has changed then.
pub async fn restore(
    backup: &Path,
    dir: &Path,
    replace: bool,
    progress: impl FnMut(u64, u64),
) -> Result<(Checked, Option<PathBuf>), RestoreError> {
    let _lock = open::lock(dir)?;
    let file = dir.join(DATABASE_FILE);
    if file.exists() && !replace {
        return Err(RestoreError::Occupied(dir.to_owned()));
    }
    let not_ours = |cause: Cause| RestoreError::NotABackup { file: backup.to_owned(), cause };
    if !backup.is_file() {
        return Err(not_ours("there is no such file".into()));
    }
    let found = schema_of(backup).await.map_err(|error| not_ours(error.into()))?;
    if found > schema::NEWEST {
        return Err(RestoreError::Newer { file: backup.to_owned(), found, known: schema::NEWEST });
    }
    let checked = check_file(backup, false, progress).await.map_err(|error| not_ours(error.into()))?;
    if let Some(first) = checked.findings.first() {
        let first = first.what.clone();
        return Err(RestoreError::Damaged { file: backup.to_owned(), count: checked.found, first });
    }
    let fresh = dir.join(format!("{DATABASE_FILE}.restoring"));
    tokio::fs::copy(backup, &fresh).await?;
    tokio::fs::File::open(&fresh).await?.sync_all().await?;
    // What SQLite keeps beside a database goes with it, even if the database itself has gone: a fresh one
    // beside a stale journal would be taken for what the journal is of.
    let is_anything_there = ["", "-wal", "-shm"].iter().any(|ending| with_ending(&file, ending).exists());
    let old = if is_anything_there { Some(set_old_aside(&file).await?) } else { None };
    tokio::fs::rename(&fresh, &file).await?;
    tokio::fs::File::open(dir).await?.sync_all().await?;
    Ok((checked, old.filter(|old| old.exists())))
}

/// The version of a database file's schema.
async fn schema_of(file: &Path) -> Result<i64, sqlx::Error> {
    let mut connection = connect(file, false).await?;
    let found = sqlx::query_scalar("SELECT coalesce(max(version), 0) FROM _sqlx_migrations").fetch_one(&mut connection);
    let found = found.await;
    let _ = connection.close().await;
    found
}

fn with_ending(file: &Path, ending: &str) -> PathBuf {
    PathBuf::from(format!("{}{ending}", file.display()))
}

/// Renames a database with what SQLite keeps beside it.
async fn set_old_aside(file: &Path) -> Result<PathBuf, std::io::Error> {
    let beside = |number: u32, ending: &str| PathBuf::from(format!("{}.before-{number}{ending}", file.display()));
    let number = (1..).find(|number| !beside(*number, "").exists()).unwrap_or(1);
    for ending in ["-wal", "-shm", ""] {
        let from = with_ending(file, ending);
        if from.exists() {
            tokio::fs::rename(from, beside(number, ending)).await?;
        }
    }
    Ok(beside(number, ""))
}
