//! What the service takes meanwhile: memory and open files.

use std::sync::Arc;
use std::sync::atomic::{AtomicU32, AtomicU64, Ordering};
use std::time::Duration;
use tokio::task::JoinHandle;

const LOOK: Duration = Duration::from_millis(500);

/// The most that was seen.
#[derive(Debug, Default)]
pub(crate) struct Watch {
    process: AtomicU32,
    memory_kib: AtomicU64,
    files: AtomicU64,
}

impl Watch {
    /// Looks at a process from now on, until another is named.
    pub(crate) fn at(&self, process: u32) {
        self.process.store(process, Ordering::Relaxed);
    }

    /// Megabytes that were in use at most.
    pub(crate) fn memory_mb(&self) -> u64 {
        self.memory_kib.load(Ordering::Relaxed) * 1_024 / 1_000_000
    }

    /// Files that were open at most.
    pub(crate) fn files(&self) -> u64 {
        self.files.load(Ordering::Relaxed)
    }

    pub(crate) fn start(self: &Arc<Self>) -> JoinHandle<()> {
        let watch = self.clone();
        tokio::spawn(async move {
            loop {
                let process = watch.process.load(Ordering::Relaxed);
                watch.memory_kib.fetch_max(memory_kib(process), Ordering::Relaxed);
                watch.files.fetch_max(files(process), Ordering::Relaxed);
                tokio::time::sleep(LOOK).await;
            }
        })
    }
}

fn memory_kib(process: u32) -> u64 {
    let status = std::fs::read_to_string(format!("/proc/{process}/status")).unwrap_or_default();
    let line = status.lines().find_map(|line| line.strip_prefix("VmRSS:")).unwrap_or_default();
    line.split_whitespace().next().and_then(|number| number.parse().ok()).unwrap_or(0)
}

/// Files a process has open.
pub(crate) fn files(process: u32) -> u64 {
    std::fs::read_dir(format!("/proc/{process}/fd")).map_or(0, |entries| entries.count() as u64)
}
