//! What the intake knows of keys, sites and devices, kept in memory and read
//! again after a change.

use crate::problem::Problem;
use jiff::tz::TimeZone;
use lantern_core::decode::Decoder;
use lantern_core::intake::{Plan, PlannedSignal};
use lantern_core::{DeviceId, SignalId, SiteId};
use lantern_store::{DeviceState, KeyOwner, Store, StoreError};
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
    pub(crate) decoder: Option<Decoder>,
    /// The zone of its site.
    pub(crate) zone: TimeZone,
    /// Whether the contact log keeps its payloads.
    pub(crate) keeps_payload: bool,
    /// Whether nobody has declared it.
    pub(crate) is_waiting: bool,
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
    zones: HashMap<SiteId, TimeZone>,
    /// Counts changes: what was read before a change must not be kept after it.
    changes: u64,
}

impl Plans {
    /// The owner of a key by the hash of its secret.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] for an unknown key.
    pub(crate) async fn key_owner(&self, store: &Store, hash: &[u8; 32]) -> Result<KeyOwner, StoreError> {
        let found = self.look(|inner| inner.keys.get(hash).copied());
        self.kept(found, store.key_owner(hash), |inner, owner| {
            inner.keys.insert(*hash, *owner);
        })
        .await
    }

    /// The plan of a device.
    pub(crate) async fn device(&self, store: &Store, id: DeviceId) -> Result<Arc<DevicePlan>, Problem> {
        let found = self.look(|inner| inner.devices.get(&id).cloned());
        let plan = self.kept(found, load(store, id), |inner, plan| {
            inner.devices.insert(id, plan.clone());
        });
        Ok(plan.await?)
    }

    /// The zone of a site.
    pub(crate) async fn zone(&self, store: &Store, id: SiteId) -> Result<TimeZone, Problem> {
        let found = self.look(|inner| inner.zones.get(&id).cloned());
        let zone = self.kept(found, load_zone(store, id), |inner, zone| {
            inner.zones.insert(id, zone.clone());
        });
        Ok(zone.await?)
    }

    fn look<T>(&self, find: impl FnOnce(&Inner) -> Option<T>) -> Result<T, u64> {
        let inner = self.inner.read().unwrap_or_else(PoisonError::into_inner);
        find(&inner).ok_or(inner.changes)
    }

    /// What was found, or what is read instead and kept if nothing changed
    /// meanwhile.
    async fn kept<T>(
        &self,
        found: Result<T, u64>,
        read: impl Future<Output = Result<T, StoreError>>,
        keep: impl FnOnce(&mut Inner, &T),
    ) -> Result<T, StoreError> {
        let changes = match found {
            Ok(found) => return Ok(found),
            Err(changes) => changes,
        };
        let value = read.await?;
        let mut inner = self.inner.write().unwrap_or_else(PoisonError::into_inner);
        if inner.changes == changes {
            keep(&mut inner, &value);
        }
        Ok(value)
    }

    /// Forgets a device and its keys, after a change of either.
    pub(crate) fn forget(&self, id: DeviceId) {
        let mut inner = self.inner.write().unwrap_or_else(PoisonError::into_inner);
        inner.changes += 1;
        inner.devices.remove(&id);
        inner.keys.retain(|_, owner| owner.device != Some(id));
    }

    /// Forgets everything, after a site or a key of one was changed.
    pub(crate) fn forget_all(&self) {
        let mut inner = self.inner.write().unwrap_or_else(PoisonError::into_inner);
        inner.changes += 1;
        inner.devices.clear();
        inner.keys.clear();
        inner.zones.clear();
    }
}

async fn load_zone(store: &Store, id: SiteId) -> Result<TimeZone, StoreError> {
    let site = store.site_by_id(id).await?;
    // A zone is checked before it is kept; one that a later release of the zone
    // names has lost must not stop the intake.
    Ok(TimeZone::get(&site.zone).unwrap_or(TimeZone::UTC))
}

async fn load(store: &Store, id: DeviceId) -> Result<Arc<DevicePlan>, StoreError> {
    let device = store.device_by_id(id).await?;
    let mut plan = Plan::default();
    let mut codes = HashMap::new();
    let mut by_id = HashMap::new();
    for signal in store.signals(id).await? {
        codes.insert(signal.id, signal.code.clone());
        let planned = PlannedSignal {
            id: signal.id,
            value_type: signal.value_type,
            unit: signal.value_type.and(signal.unit),
            is_ignored: signal.ignored_at.is_some(),
        };
        by_id.insert(signal.id, planned.clone());
        plan.insert(signal.code, planned);
    }
    for (name, signal) in store.signal_names(id).await? {
        // A signal that has the name as its code comes before.
        if let Some(planned) = by_id.get(&signal)
            && plan.get(&name).is_none_or(|known| known.value_type.is_none())
        {
            plan.insert(name, planned.clone());
        }
    }
    Ok(Arc::new(DevicePlan {
        site: device.site,
        device: id,
        code: device.code,
        plan,
        codes,
        // Checked before it is kept.
        decoder: device.decoder.as_deref().and_then(|form| Decoder::from_json(form).ok()),
        zone: load_zone(store, device.site).await?,
        keeps_payload: device.keeps_payload,
        is_waiting: device.state == DeviceState::Waiting,
    }))
}
