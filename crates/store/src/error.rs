//! What can go wrong in the store.

use crate::series::segment::LoadError;
use std::path::PathBuf;

/// Why the store cannot be opened. Each message is a sentence for the operator.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum OpenError {
    /// The directory is missing and cannot be made, or cannot be written.
    #[error(
        "the data directory {dir} cannot be written ({cause}); choose another with --data, or give this user the right to write it"
    )]
    Unwritable {
        /// The directory.
        dir: PathBuf,
        /// What the system said.
        cause: std::io::Error,
    },
    /// Another service holds the lock.
    #[error(
        "the data directory {0} is in use by another running Key Lantern; stop that one, or choose another directory with --data"
    )]
    Locked(PathBuf),
    /// The file was written by a newer version.
    #[error(
        "the database {file} was written by a newer Key Lantern (its schema is {found}, this one knows {known}); run that version or a newer one"
    )]
    Newer {
        /// The database file.
        file: PathBuf,
        /// The newest migration found in it.
        found: i64,
        /// The newest migration this binary has.
        known: i64,
    },
    /// Not a database, damaged, or an input error.
    #[error("the database {file} cannot be opened: {cause}")]
    Database {
        /// The database file.
        file: PathBuf,
        /// What SQLite said.
        cause: String,
    },
}

/// Why an operation on the store did not happen.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum StoreError {
    /// Another one has that code or name already.
    #[error("already taken")]
    Taken,
    /// There is no such row (any more).
    #[error("not found")]
    NotFound,
    /// SQLite failed; the transaction was rolled back.
    #[error("database failure: {0}")]
    Database(sqlx::Error),
    /// A segment cannot be read.
    #[error("what is stored is damaged: {0}; `key-lantern check` finds all such places")]
    Damaged(String),
    /// Segments could not be changed; they are as they were.
    #[error("segments could not be rewritten: {0}")]
    Unsealed(String),
    /// The store is being closed.
    #[error("the service is stopping")]
    Stopping,
    /// The recorder did not take a change of readings.
    #[error(transparent)]
    Recorder(#[from] crate::RecordError),
}

impl From<sqlx::Error> for StoreError {
    fn from(error: sqlx::Error) -> Self {
        match &error {
            sqlx::Error::RowNotFound => Self::NotFound,
            sqlx::Error::Database(cause) if cause.is_unique_violation() => Self::Taken,
            _ => Self::Database(error),
        }
    }
}

impl From<LoadError> for StoreError {
    fn from(error: LoadError) -> Self {
        match error {
            LoadError::Database(error) => error.into(),
            LoadError::Damaged { .. } => Self::Damaged(error.to_string()),
        }
    }
}
