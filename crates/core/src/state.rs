//! State that some part of the service wants kept durably, as keyed bytes: the
//! store writes it without knowing what it means.

use crate::{Moment, SignalId, SiteId};
use std::sync::Arc;

/// Where a piece of state lies.
#[derive(Debug, Clone, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct StateKey {
    /// The site it is of.
    pub site: SiteId,
    /// Whose it is within the site; what it owns is removed together.
    pub owner: Arc<str>,
    /// Which part of its owner's state.
    pub part: &'static str,
    /// Which piece of that part.
    pub item: String,
}

/// A change of state.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum StateChange {
    /// This piece is kept from now on.
    Put(StateKey, Vec<u8>),
    /// This piece is removed.
    Remove(StateKey),
    /// All pieces of this owner are removed.
    RemoveAll {
        /// The site.
        site: SiteId,
        /// The owner.
        owner: Arc<str>,
    },
    /// Stateful steps of a signal remember this.
    Remember {
        /// The signal.
        signal: SignalId,
        /// What they remember.
        memory: Vec<u8>,
    },
    /// A derived signal has to be worked out for readings of these times.
    Recompute {
        /// The derived signal.
        signal: SignalId,
        /// The first time.
        from: Moment,
        /// The last.
        to: Moment,
    },
    /// A derived signal was worked out for all that had come up to a number.
    Recomputed {
        /// The derived signal.
        signal: SignalId,
        /// The number of the last due time.
        through: i64,
    },
}

/// A piece of state as it was kept.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct KeptState {
    /// The site it is of.
    pub site: SiteId,
    /// Whose it is.
    pub owner: String,
    /// Which part of its owner's state.
    pub part: String,
    /// Which piece of that part.
    pub item: String,
    /// The bytes.
    pub value: Vec<u8>,
}
