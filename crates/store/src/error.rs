//! What can go wrong in the store.

use lantern_core::series::SegmentError;
use std::error::Error;
use std::path::PathBuf;
use std::sync::Arc;

/// What caused an error, whatever it was.
pub type Cause = Box<dyn Error + Send + Sync>;

/// An error with all that caused it, as one line for a log or an operator.
///
/// ```
/// let error = lantern_store::OpenError::Database { file: "a.sqlite".into(), cause: "no space".into() };
/// assert_eq!(lantern_store::with_sources(&error), "the database a.sqlite cannot be opened: no space");
/// ```
#[must_use]
pub fn with_sources(error: &dyn Error) -> String {
    let mut text = error.to_string();
    let mut source = error.source();
    while let Some(cause) = source {
        text = format!("{text}: {cause}");
        source = cause.source();
    }
    text
}

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
    #[error("the database {file} cannot be opened")]
    Database {
        /// The database file.
        file: PathBuf,
        /// What SQLite or the system said.
        #[source]
        cause: Cause,
    },
}

/// Why a delivery was not recorded. Nothing of it was kept.
#[derive(Debug, Clone, thiserror::Error)]
pub enum RecordError {
    /// The queue is full: try again later.
    #[error("too many readings are waiting to be written")]
    Busy,
    /// The disk, or what the service may use of it, is full: try again later.
    #[error("there is no room left for readings")]
    Full,
    /// The database could not take it.
    #[error("the readings could not be written")]
    Failed(#[source] Arc<dyn Error + Send + Sync>),
    /// The store is being closed.
    #[error("the service is stopping")]
    Stopping,
}

/// Why a segment's readings cannot be had.
#[derive(Debug, thiserror::Error)]
pub(crate) enum LoadError {
    #[error(transparent)]
    Database(#[from] sqlx::Error),
    #[error("segment {id} cannot be read")]
    Damaged {
        id: i64,
        #[source]
        error: SegmentError,
    },
    #[error("the digest of the segment that begins at {first_at} cannot be read")]
    Digest {
        first_at: i64,
        #[source]
        error: SegmentError,
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
    #[error("the database failed")]
    Database(#[source] sqlx::Error),
    /// A row or a segment cannot be read.
    #[error("what is stored is damaged (`key-lantern check` finds all such places)")]
    Damaged(#[source] Cause),
    /// Segments could not be changed; they are as they were.
    #[error("segments could not be rewritten")]
    Unsealed(#[source] Cause),
    /// The store is being closed.
    #[error("the service is stopping")]
    Stopping,
    /// The recorder did not take a change of readings.
    #[error(transparent)]
    Recorder(#[from] RecordError),
}

impl From<sqlx::Error> for StoreError {
    fn from(error: sqlx::Error) -> Self {
        match &error {
            sqlx::Error::RowNotFound => Self::NotFound,
            sqlx::Error::Database(cause) if cause.is_unique_violation() => Self::Taken,
            sqlx::Error::ColumnDecode { .. } => Self::Damaged(error.into()),
            _ => Self::Database(error),
        }
    }
}

impl From<LoadError> for StoreError {
    fn from(error: LoadError) -> Self {
        match error {
            LoadError::Database(error) => error.into(),
            LoadError::Damaged { .. } | LoadError::Digest { .. } => Self::Damaged(error.into()),
        }
    }
}
