//! Checking and restoring a database that no service has open.

use lantern_store::{Cause, Checked, check_directory, restore as put_in_place};
use std::path::{Path, PathBuf};

fn wait<T>(work: impl Future<Output = Result<T, Cause>>) -> Result<T, Cause> {
    tokio::runtime::Runtime::new()?.block_on(work)
}

/// Checks the database in a directory, and with `repair` puts right what can be; `progress` is
/// told how many of how many segments are checked.
///
/// # Errors
/// The database is in use, or is none.
pub fn check(data: &Path, repair: bool, progress: impl FnMut(u64, u64)) -> Result<Checked, Cause> {
    wait(Box::pin(async { Ok(check_directory(data, repair, progress).await?) }))
}

/// Puts a backup in place as the database of a directory, after checking it. With `replace` a
/// database that is there is kept beside it, and its name given back.
///
/// # Errors
/// The backup is none, or damaged, or there is a database already.
pub fn restore(
    backup: &Path,
    data: &Path,
    replace: bool,
    progress: impl FnMut(u64, u64),
) -> Result<(Checked, Option<PathBuf>), Cause> {
    wait(Box::pin(async { Ok(put_in_place(backup, data, replace, progress).await?) }))
}
