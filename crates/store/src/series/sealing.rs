//! What the sealer hands to the recorder.

use super::plan::Rewrite;
use super::rollup::Rollup;
use super::segment::Swap;
use lantern_core::SignalId;
use tokio::sync::oneshot;

/// Changes to segments that the sealer has prepared: one transaction.
#[derive(Default)]
pub(crate) struct Sealing {
    pub(crate) rewrites: Vec<(SignalId, Rewrite)>,
    /// A rollup over segments that nobody changes meanwhile.
    pub(crate) rollup: Option<(SignalId, Rollup)>,
    /// Signals whose changes are sealed up to an entry.
    pub(crate) marks: Vec<(SignalId, i64)>,
    /// Entries before this one may go, some of them now.
    pub(crate) trim: i64,
    /// A history that was made again and takes the place of the old.
    pub(crate) swap: Option<Swap>,
}

impl Sealing {
    /// Whether it changes nothing.
    pub(crate) const fn is_empty(&self) -> bool {
        let Self { rewrites, rollup, marks, trim, swap } = self;
        rewrites.is_empty() && rollup.is_none() && marks.is_empty() && *trim == 0 && swap.is_none()
    }
}

pub(crate) struct Seal {
    pub(crate) sealing: Sealing,
    /// How many entries were trimmed.
    pub(crate) answer: oneshot::Sender<Result<u64, sqlx::Error>>,
}
