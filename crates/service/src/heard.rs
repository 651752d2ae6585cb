//! When devices were last heard, and their presence.
//!
//! Kept in memory and written every few seconds, so that intake costs no extra
//! write; after a crash a device may look a few seconds staler than it is.

use crate::live::Hub;
use crate::translate;
use lantern_api::PresenceEvent;
use lantern_core::presence::Presence;
use lantern_core::{DeviceId, Moment, SiteId};
use lantern_store::{Device, Store, StoreError};
use std::collections::HashMap;
use std::sync::{Mutex, PoisonError};

struct Entry {
    site: SiteId,
    code: String,
    interval_s: f64,
    last: Option<Moment>,
    presence: Presence,
    /// Not written yet.
    dirty: bool,
}

impl Entry {
    fn event(&self) -> PresenceEvent {
        PresenceEvent {
            device: self.code.clone(),
            presence: translate::presence(self.presence),
            since: self.presence.since(self.last, self.interval_s).map(|at| at.to_string()),
        }
    }
}

/// What was last heard of each device.
pub(crate) struct Heard {
    devices: Mutex<HashMap<DeviceId, Entry>>,
    keys: Mutex<HashMap<i64, Moment>>,
}

impl Heard {
    /// Reads all devices.
    pub(crate) async fn load(store: &Store) -> Result<Self, StoreError> {
        let heard = Self { devices: Mutex::default(), keys: Mutex::default() };
        let now = crate::clock::now();
        let mut after = DeviceId(0);
        loop {
            let page = store.all_devices(after, 1_000).await?;
            let Some(last) = page.last() else { return Ok(heard) };
            after = last.id;
            page.iter().for_each(|device| heard.watch(device, now));
        }
    }

    /// Begins to watch a device, or takes in a changed interval.
    pub(crate) fn watch(&self, device: &Device, now: Moment) {
        let mut devices = self.devices.lock().unwrap_or_else(PoisonError::into_inner);
        let known = devices.get(&device.id).and_then(|entry| entry.last);
        let last = known.max(device.last_heard_at);
        let entry = Entry {
            site: device.site,
            code: device.code.clone(),
            interval_s: device.interval_s,
            last,
            presence: Presence::judge(last, device.interval_s, now),
            dirty: known.is_some(),
        };
        devices.insert(device.id, entry);
    }

    /// Stops watching removed devices.
    pub(crate) fn forget(&self, is_gone: impl Fn(DeviceId, SiteId) -> bool) {
        let mut devices = self.devices.lock().unwrap_or_else(PoisonError::into_inner);
        devices.retain(|id, entry| !is_gone(*id, entry.site));
    }

    /// When a device was last heard.
    pub(crate) fn last(&self, device: DeviceId) -> Option<Moment> {
        self.devices.lock().unwrap_or_else(PoisonError::into_inner).get(&device).and_then(|entry| entry.last)
    }

    /// Notes that a device delivered something with a key.
    pub(crate) fn note(&self, device: DeviceId, key: i64, now: Moment, hub: &Hub) {
        self.keys.lock().unwrap_or_else(PoisonError::into_inner).insert(key, now);
        let mut devices = self.devices.lock().unwrap_or_else(PoisonError::into_inner);
        let Some(entry) = devices.get_mut(&device) else { return };
        entry.last = entry.last.max(Some(now));
        entry.dirty = true;
        if entry.presence != Presence::Fresh {
            entry.presence = Presence::Fresh;
            hub.presence(entry.site, &entry.event());
        }
    }

    /// Judges all devices again and tells of those whose presence changed.
    pub(crate) fn judge(&self, now: Moment, hub: &Hub) {
        let mut devices = self.devices.lock().unwrap_or_else(PoisonError::into_inner);
        for entry in devices.values_mut() {
            let presence = Presence::judge(entry.last, entry.interval_s, now);
            if presence != entry.presence {
                entry.presence = presence;
                hub.presence(entry.site, &entry.event());
            }
        }
    }

    /// Writes what was heard since the last time.
    pub(crate) async fn flush(&self, store: &Store) -> Result<(), StoreError> {
        let heard: Vec<(DeviceId, Moment)> = {
            let mut devices = self.devices.lock().unwrap_or_else(PoisonError::into_inner);
            let dirty =
                |(id, entry): (&DeviceId, &mut Entry)| std::mem::take(&mut entry.dirty).then_some((*id, entry.last?));
            devices.iter_mut().filter_map(dirty).collect()
        };
        if !heard.is_empty() {
            store.note_heard(&heard).await?;
        }
        let used: Vec<_> = self.keys.lock().unwrap_or_else(PoisonError::into_inner).drain().collect();
        if used.is_empty() { Ok(()) } else { store.note_key_use(&used).await }
    }
}
