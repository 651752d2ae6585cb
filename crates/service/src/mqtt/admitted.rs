//! An admitted client: whose it is.

use lantern_core::{DeviceId, KeyId, SiteId};
use lantern_engine::Engine;
use lantern_store::{Caller, Lineage};
use std::sync::Arc;

/// An admitted client.
pub(super) struct Admitted {
    pub(super) engine: Arc<Engine>,
    /// The hash of its key.
    pub(super) hash: [u8; 32],
    pub(super) key: KeyId,
    /// What the key shares with those it followed.
    pub(super) lineage: Lineage,
    pub(super) site: SiteId,
    pub(super) site_code: Arc<str>,
    /// The device whose key it is.
    pub(super) device: Option<DeviceId>,
    pub(super) device_code: Option<String>,
    /// What a sender with a site's key calls its device.
    pub(super) user_name: Option<String>,
    pub(super) client_id: String,
    pub(super) protocol: &'static str,
    pub(super) from: String,
}

impl Admitted {
    /// Who it is to the contact log.
    pub(super) const fn caller(&self) -> Caller {
        match self.device {
            Some(device) => Caller::Device(self.site, device),
            None => Caller::Site(self.site),
        }
    }
}
