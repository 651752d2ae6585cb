//! What the intake knows of keys and devices, kept in memory and read again
//! after a change.

use crate::problem::Problem;
use lantern_core::intake::{Plan, PlannedSignal};
use lantern_core::{DeviceId, SignalId, SiteId};
use lantern_store::{KeyOwner, Store, StoreError};
use std::collections::HashMap;
use std::sync::{Arc, PoisonError, RwLock};

/// One device as the intake sees it.
#[derive(Debug)]
pub(crate) struct DevicePlan {
    pub(crate) site: SiteId,
    pub(crate) device: DeviceId,
    pub(crate) code: String,
    pub(crate) plan: Plan,
    /// Codes of its signals, for live events.
    pub(crate) codes: HashMap<SignalId, String>,
}

/// The plans of all devices heard since the start.
#[derive(Default)]
pub(crate) struct Plans {
    inner: RwLock<Inner>,
}

#[derive(Default)]
struct Inner {
    keys: HashMap<[u8; 32], KeyOwner>,
    devices: HashMap<DeviceId, Arc<DevicePlan>>,
    /// Counts changes: what was read before a change must not be kept after it.
    changes: u64,
}

impl Plans {
    /// The owner of a key by the hash of its secret.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] for an unknown key.
    pub(crate) async fn key_owner(&self, store: &Store, hash: &[u8; 32]) -> Result<KeyOwner, StoreError> {
        let changes = {
            let inner = self.inner.read().unwrap_or_else(PoisonError::into_inner);
            if let Some(owner) = inner.keys.get(hash) {
                return Ok(*owner);
            }
            inner.changes
        };
        let owner = store.key_owner(hash).await?;
        let mut inner = self.inner.write().unwrap_or_else(PoisonError::into_inner);
        if inner.changes == changes {
            inner.keys.insert(*hash, owner);
        }
        Ok(owner)
    }

    /// The plan of a device.
    pub(crate) async fn device(&self, store: &Store, id: DeviceId) -> Result<Arc<DevicePlan>, Problem> {
        let changes = {
            let inner = self.inner.read().unwrap_or_else(PoisonError::into_inner);
            if let Some(plan) = inner.devices.get(&id) {
                return Ok(plan.clone());
            }
            inner.changes
        };
        let plan = Arc::new(load(store, id).await?);
        let mut inner = self.inner.write().unwrap_or_else(PoisonError::into_inner);
        if inner.changes == changes {
            inner.devices.insert(id, plan.clone());
        }
        Ok(plan)
    }

    /// Forgets a device and its keys, after a change of either.
    pub(crate) fn forget(&self, id: DeviceId) {
        let mut inner = self.inner.write().unwrap_or_else(PoisonError::into_inner);
        inner.changes += 1;
        inner.devices.remove(&id);
        inner.keys.retain(|_, owner| owner.device != id);
    }

    /// Forgets everything, after a site was removed.
    pub(crate) fn forget_all(&self) {
        let mut inner = self.inner.write().unwrap_or_else(PoisonError::into_inner);
        inner.changes += 1;
        inner.devices.clear();
        inner.keys.clear();
    }
}

async fn load(store: &Store, id: DeviceId) -> Result<DevicePlan, StoreError> {
    let device = store.device_by_id(id).await?;
    let mut plan = Plan::default();
    let mut codes = HashMap::new();
    for signal in store.signals(id).await? {
        codes.insert(signal.id, signal.code.clone());
        plan.insert(signal.code, PlannedSignal { id: signal.id, value_type: signal.value_type });
    }
    Ok(DevicePlan { site: device.site, device: id, code: device.code, plan, codes })
}
