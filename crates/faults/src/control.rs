//! The file by which the library that spoils files and clock is told what to do.

use anyhow::{Context, Result};
use std::fs::File;
use std::os::unix::fs::FileExt;
use std::path::{Path, PathBuf};

/// How files go wrong.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Files {
    /// They do not.
    Well,
    /// The disk is full.
    Full,
    /// So many of a thousand writes fail.
    Failing(u64),
    /// Each write is so many milliseconds late.
    Slow(u64),
}

/// Tells it.
pub(crate) struct Control {
    file: File,
    path: PathBuf,
}

impl Control {
    pub(crate) fn new(path: PathBuf) -> Result<Self> {
        let file = File::options().create(true).truncate(true).read(true).write(true).open(&path);
        let file = file.with_context(|| format!("cannot make {}", path.display()))?;
        file.write_all_at(&[0; 32], 0)?;
        Ok(Self { file, path })
    }

    pub(crate) fn path(&self) -> &Path {
        &self.path
    }

    pub(crate) fn files(&self, files: Files) -> Result<()> {
        let (mode, amount) = match files {
            Files::Well => (0, 0),
            Files::Full => (1, 0),
            Files::Failing(of_thousand) => (2, of_thousand),
            Files::Slow(milliseconds) => (3, milliseconds),
        };
        self.put(8, amount)?;
        self.put(0, mode)
    }

    /// The wall clock is so many seconds ahead.
    pub(crate) fn clock_ahead(&self, seconds: i64) -> Result<()> {
        self.put(16, (seconds * 1_000_000).cast_unsigned())
    }

    /// Writes that were spoilt so far.
    pub(crate) fn spoilt(&self) -> Result<u64> {
        let mut bytes = [0; 8];
        self.file.read_exact_at(&mut bytes, 24)?;
        Ok(u64::from_ne_bytes(bytes))
    }

    fn put(&self, at: u64, number: u64) -> Result<()> {
        Ok(self.file.write_all_at(&number.to_ne_bytes(), at)?)
    }
}
