//! Opening, migrating and closing the database.

use crate::error::OpenError;
use crate::recorder::Recorder;
use crate::schema;
use crate::series::room::Room;
use crate::series::sealer::Sealer;
use crate::series::sealing::Seal;
use crate::series::tails::Tails;
use crate::series::{Limits, journal, segment, upgrade};
use crate::workload::Workload;
use sqlx::migrate::MigrateError;
use sqlx::sqlite::{SqliteConnectOptions, SqliteJournalMode, SqlitePoolOptions, SqliteSynchronous};
use sqlx::{Connection, SqlitePool, pool::PoolOptions};
use std::collections::HashMap;
use std::fs::{DirBuilder, File, TryLockError};
use std::os::unix::fs::DirBuilderExt;
use std::os::unix::fs::OpenOptionsExt as _;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::time::Duration;
use tokio::sync::{Mutex, mpsc};
use tokio::task::AbortHandle;

/// The name of the database in the data directory.
pub const DATABASE_FILE: &str = "key-lantern.sqlite";
const LOCK_FILE: &str = "key-lantern.lock";
const READERS: u32 = 4;

/// The open database of one service. Closed with [`Store::close`].
pub struct Store {
    pub(crate) read: SqlitePool,
    /// One connection: a queue in which all writers stand.
    pub(crate) write: SqlitePool,
    pub(crate) recorder: Recorder,
    pub(crate) tails: Arc<Tails>,
    pub(crate) limits: Limits,
    pub(crate) disk: Arc<Room>,
    /// The sealer's way to the recorder.
    pub(crate) seals: mpsc::WeakSender<Seal>,
    /// Held by whoever plans changes of segments.
    pub(crate) planning: Arc<Mutex<()>>,
    sealer: AbortHandle,
    /// Held for as long as the store is open, so that no second service writes.
    _lock: File,
}

impl Store {
    /// Locks and opens the database in `dir`, making both if missing, and brings
    /// its schema up to date.
    ///
    /// # Errors
    /// [`OpenError`], with a sentence for the operator.
    pub async fn open(dir: &Path) -> Result<Self, OpenError> {
        Self::open_with(dir, Limits::default()).await
    }

    /// As [`Store::open`], with sizes of one's own.
    ///
    /// # Errors
    /// [`OpenError`], with a sentence for the operator.
    pub async fn open_with(dir: &Path, limits: Limits) -> Result<Self, OpenError> {
        let lock = lock(dir)?;
        sweep_backups(dir);
        let file = dir.join(DATABASE_FILE);
        let disk = Arc::new(Room::new(dir, limits.reserve));
        let write = connect(&file, 1, 16_000, &disk).await?;
        migrate(&write, &file).await?;
        let read = connect(&file, READERS, 4_000, &disk).await?;
        let tails = Arc::new(Tails::default());
        resume(&write, &tails, &limits)
            .await
            .map_err(|cause| OpenError::Database { file: file.clone(), cause: cause.into() })?;
        let (recorder, seals) = Recorder::start(write.clone(), tails.clone(), limits, disk.clone());
        let planning = Arc::<Mutex<()>>::default();
        let to_recorder = seals.downgrade();
        let sealer = Sealer {
            pool: read.clone(),
            tails: tails.clone(),
            limits,
            recorder: seals,
            disk: disk.clone(),
            planning: planning.clone(),
            written: HashMap::new(),
        };
        let sealer = tokio::spawn(sealer.run()).abort_handle();
        Ok(Self { read, write, recorder, tails, limits, disk, seals: to_recorder, planning, sealer, _lock: lock })
    }

    /// What the recorder has to do, and has done since the start.
    #[must_use]
    pub fn workload(&self) -> Workload {
        self.recorder.workload((self.tails.weight(), self.limits.most_recent))
    }

    /// Waits until something that the store cannot do without has ended, and says what.
    pub async fn ended(&self) -> &'static str {
        loop {
            if let Some(what) = self.dead() {
                return what;
            }
            tokio::time::sleep(Duration::from_secs(1)).await;
        }
    }

    /// What has ended that the store cannot do without, if something has.
    #[must_use]
    pub fn dead(&self) -> Option<&'static str> {
        if self.recorder.is_finished() {
            return Some("the recorder");
        }
        self.sealer.is_finished().then_some("the sealer")
    }

    /// Writes what is still queued and closes the file.
    pub async fn close(&self) {
        // What is not sealed yet is in the journal.
        self.sealer.abort();
        self.recorder.stop().await;
        self.read.close().await;
        self.write.close().await;
    }
}

impl Drop for Store {
    fn drop(&mut self) {
        self.sealer.abort();
    }
}

/// Removes backups that were being sent when the service was killed.
fn sweep_backups(dir: &Path) {
    let is_left = |name: &str| name.starts_with("backup-") && name.ends_with(".sqlite");
    for entry in std::fs::read_dir(dir).into_iter().flatten().flatten() {
        if entry.file_name().to_str().is_some_and(is_left)
            && let Err(error) = std::fs::remove_file(entry.path())
        {
            tracing::warn!(%error, file = %entry.path().display(), "a left-over backup could not be removed");
        }
    }
}

async fn resume(pool: &SqlitePool, tails: &Tails, limits: &Limits) -> Result<(), sqlx::Error> {
    upgrade::run(pool, limits).await?;
    let mut connection = pool.acquire().await?;
    segment::clear_shadows(&mut connection).await?;
    journal::replay(&mut connection, tails, limits).await
}

/// Takes the lock of a data directory, making the directory if it is missing.
pub(crate) fn lock(dir: &Path) -> Result<File, OpenError> {
    let unwritable = |cause| OpenError::Unwritable { dir: dir.to_owned(), cause };
    // Password hashes and all readings lie in it: nobody else's business.
    DirBuilder::new().recursive(true).mode(0o700).create(dir).map_err(unwritable)?;
    let file =
        File::options().create(true).truncate(false).write(true).open(dir.join(LOCK_FILE)).map_err(unwritable)?;
    match file.try_lock() {
        Ok(()) => Ok(file),
        Err(TryLockError::WouldBlock) => Err(OpenError::Locked(dir.to_owned())),
        Err(TryLockError::Error(cause)) => Err(unwritable(cause)),
    }
}

async fn connect(file: &Path, connections: u32, cache_kib: u32, disk: &Arc<Room>) -> Result<SqlitePool, OpenError> {
    let options = SqliteConnectOptions::new()
        .filename(file)
        .create_if_missing(true)
        .journal_mode(SqliteJournalMode::Wal)
        .synchronous(SqliteSynchronous::Full)
        .foreign_keys(true)
        .busy_timeout(Duration::from_secs(10))
        // Each signal's newest reading lies on a page of its own, and a commit writes
        // whole pages: small ones halve what many slow senders cost. Holds for a
        // new file; one that is there keeps its own.
        .page_size(2_048)
        // The recorder's statements are a hundred, and none should push another out.
        .statement_cache_capacity(256)
        .pragma("cache_size", format!("-{cache_kib}"))
        .pragma("temp_store", "MEMORY")
        // Checkpointing each 16 MB instead of 4 writes hot pages less often.
        .pragma("wal_autocheckpoint", "8000")
        .pragma("journal_size_limit", "67108864");
    let disk = disk.clone();
    let pool: SqlitePoolOptions = PoolOptions::new();
    pool.max_connections(connections)
        .min_connections(1)
        .idle_timeout(Duration::from_secs(60))
        // When the disk is full, SQLite itself ends a transaction, which the library
        // does not notice: such a connection would refuse every later one.
        .before_acquire(|connection, _| Box::pin(async { Ok(!connection.is_in_transaction()) }))
        .after_connect(move |connection, _| {
            let disk = disk.clone();
            Box::pin(async move { disk.limit(connection).await })
        })
        .connect_with(options)
        .await
        .map_err(|cause| OpenError::Database { file: file.to_owned(), cause: cause.into() })
}

/// Keeps a copy of a database before its schema is changed: `key-lantern.sqlite.schema-12`. One of an
/// earlier start that did not get further is written anew.
async fn keep_copy(pool: &SqlitePool, file: &Path) -> Result<(), OpenError> {
    let failed = |cause: sqlx::Error| OpenError::Database { file: file.to_owned(), cause: cause.into() };
    let is_ours = "SELECT EXISTS (SELECT 1 FROM sqlite_master WHERE name = '_sqlx_migrations')";
    if !sqlx::query_scalar::<_, bool>(is_ours).fetch_one(pool).await.map_err(failed)? {
        return Ok(());
    }
    let version = sqlx::query_scalar("SELECT coalesce(max(version), 0) FROM _sqlx_migrations").fetch_one(pool);
    let version: i64 = version.await.map_err(failed)?;
    if version == 0 || version >= schema::NEWEST {
        return Ok(());
    }
    let copy = PathBuf::from(format!("{}.schema-{version}", file.display()));
    let prepared = File::options().create(true).write(true).truncate(true).mode(0o600).open(&copy);
    prepared.map_err(|error| failed(sqlx::Error::Io(error)))?;
    let name = copy.to_string_lossy().into_owned();
    sqlx::query("VACUUM INTO ?").bind(name).execute(pool).await.map_err(failed)?;
    tracing::info!(copy = %copy.display(), "a copy was kept before the database is brought up to date");
    Ok(())
}

async fn migrate(pool: &SqlitePool, file: &Path) -> Result<(), OpenError> {
    keep_copy(pool, file).await?;
    let known = schema::NEWEST;
    match schema::migrator().run(pool).await {
        Ok(()) => Ok(()),
        Err(MigrateError::VersionMissing(found)) => Err(OpenError::Newer { file: file.to_owned(), found, known }),
        Err(cause) => Err(OpenError::Database { file: PathBuf::from(file), cause: cause.into() }),
    }
}
