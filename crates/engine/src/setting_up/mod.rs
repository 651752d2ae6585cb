//! Setting up: sites, kinds, devices, signals, keys, and a site's set-up as one document.
//!
//! [`SetUp`] checks what is asked for, changes the store and hands a
//! [`Change`](crate::changes::Change) on. A device's set-up has one form, the
//! [`DeviceSection`]; making a device, moving it to another revision of its kind and applying
//! a document all say what it should be, see how that differs from what it is, and make it so.

mod arrivals;
mod compare;
mod described;
mod device;
mod document;
mod join;
mod keys;
mod kind;
mod restore;
mod several;
mod signal;
mod site;
mod wanted;

pub use described::Described;
pub(crate) use described::declaration;
pub use keys::KeyHolder;
pub use kind::{check as check_kind, parse as parse_kind};
pub use restore::RESTORABLE_S;
pub use several::{MOST_AT_ONCE, Made};

use crate::changes::Changes;
use crate::meaning::{Definitions, Jobs};
use lantern_api::DeviceSection;
use lantern_store::Store;
use std::sync::Arc;

/// Changes the set-up.
pub struct SetUp {
    pub(crate) store: Arc<Store>,
    pub(crate) changes: Arc<Changes>,
    pub(crate) definitions: Arc<Definitions>,
    pub(crate) jobs: Arc<Jobs>,
}
