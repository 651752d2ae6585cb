//! When devices were last heard, and their presence.
//!
//! Kept in memory and written every few seconds, so that intake costs no extra
//! write; after a crash a device may look a few seconds staler than it is.

use crate::live::Live;
use lantern_api::{Connection, PresenceEvent};
use lantern_core::clock_offset::ClockOffset;
use lantern_core::presence::{Patience, Presence};
use lantern_core::{DeviceId, DeviceState, KeyId, Moment, SiteId};
use lantern_store::{Device, KeyUse, PresenceChange, Store, StoreError};
use std::collections::HashMap;
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};

/// Changes of presence that may wait to be written.
const MAX_CHANGES: usize = 100_000;

struct Entry {
    site: SiteId,
    code: String,
    /// Whether it is relied upon.
    is_live: bool,
    patience: Patience,
    last: Option<Moment>,
    presence: Presence,
    clock: ClockOffset,
    connection: Option<Line>,
    /// Not written yet.
    dirty: bool,
}

/// A device's connection, or the last one it had since the service started.
#[derive(Debug, Clone)]
struct Line {
    /// Connections there are: a new one may come before the old one is given up.
    up: u32,
    since: Moment,
    protocol: &'static str,
    from: String,
    ended: Option<String>,
}

impl Entry {
    fn event(&self) -> PresenceEvent {
        PresenceEvent {
            device: self.code.clone(),
            presence: self.presence,
            since: self.presence.since(self.last, self.patience).map(|at| at.to_string()),
            connection: self.connection.as_ref().map(Line::shown),
        }
    }
}

impl Line {
    fn shown(&self) -> Connection {
        Connection {
            is_up: self.up > 0,
            since: self.since.to_string(),
            protocol: self.protocol.to_owned(),
            from: self.from.clone(),
            ended: self.ended.clone().filter(|_| self.up == 0),
        }
    }
}

/// What was last heard of each device.
pub struct Heard {
    store: Arc<Store>,
    live: Arc<Live>,
    devices: Mutex<HashMap<DeviceId, Entry>>,
    keys: Mutex<HashMap<KeyId, (Moment, String)>>,
    /// Changes of presence that are not written yet.
    changes: Mutex<Vec<PresenceChange>>,
}

impl Heard {
    /// Reads all devices.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub(crate) async fn load(store: Arc<Store>, live: Arc<Live>) -> Result<Self, StoreError> {
        let heard = Self { store, live, devices: Mutex::default(), keys: Mutex::default(), changes: Mutex::default() };
        let now = crate::clock::now();
        let mut after = DeviceId(0);
        loop {
            let page = heard.store.all_devices(after, 1_000).await?;
            let Some(last) = page.last() else { return Ok(heard) };
            after = last.id;
            page.iter().for_each(|device| heard.watch(device, now));
        }
    }

    fn devices(&self) -> MutexGuard<'_, HashMap<DeviceId, Entry>> {
        self.devices.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Begins to watch a device, or takes in a changed interval.
    pub(crate) fn watch(&self, device: &Device, now: Moment) {
        let mut devices = self.devices();
        let known = devices.remove(&device.id);
        let (heard, clock, connection) =
            known.map_or_else(Default::default, |entry| (entry.last, entry.clock, entry.connection));
        let last = heard.max(device.last_heard_at);
        let patience = device.patience();
        let entry = Entry {
            site: device.site,
            code: device.code.clone(),
            is_live: device.state == DeviceState::Live,
            patience,
            last,
            presence: Presence::judge(last, patience, now),
            clock,
            connection,
            dirty: heard.is_some(),
        };
        devices.insert(device.id, entry);
    }

    /// Stops watching removed devices.
    pub(crate) fn forget(&self, is_gone: impl Fn(DeviceId, SiteId) -> bool) {
        let mut devices = self.devices();
        devices.retain(|id, entry| !is_gone(*id, entry.site));
    }

    /// When a device was last heard.
    pub fn last(&self, device: DeviceId) -> Option<Moment> {
        self.devices().get(&device).and_then(|entry| entry.last)
    }

    /// How a device was doing when it was last judged.
    pub fn presence(&self, device: DeviceId) -> Option<Presence> {
        Some(self.devices().get(&device)?.presence)
    }

    /// How far a device's clock is behind, in seconds.
    pub fn clock_offset_s(&self, device: DeviceId) -> Option<f64> {
        self.devices().get(&device)?.clock.offset_s()
    }

    /// A device's connection, where its protocol has one.
    pub fn connection(&self, device: DeviceId) -> Option<Connection> {
        self.devices().get(&device)?.connection.as_ref().map(Line::shown)
    }

    /// Notes that a device has a connection.
    pub fn connected(&self, device: DeviceId, protocol: &'static str, from: &str, now: Moment) {
        let mut devices = self.devices();
        let Some(entry) = devices.get_mut(&device) else { return };
        let up = entry.connection.as_ref().map_or(0, |line| line.up) + 1;
        entry.connection = Some(Line { up, since: now, protocol, from: from.to_owned(), ended: None });
        self.live.presence(entry.site, &entry.event());
    }

    /// Notes that a device has lost a connection, and how.
    pub fn disconnected(&self, device: DeviceId, how: &str, now: Moment) {
        let mut devices = self.devices();
        let Some(entry) = devices.get_mut(&device) else { return };
        let Some(line) = &mut entry.connection else { return };
        line.up = line.up.saturating_sub(1);
        if line.up == 0 {
            line.since = now;
            line.ended = Some(how.to_owned());
        }
        self.live.presence(entry.site, &entry.event());
    }

    /// The presence of all devices that can be relied upon, with site and code.
    pub fn all(&self) -> Vec<(DeviceId, SiteId, String, Presence)> {
        let devices = self.devices();
        devices
            .iter()
            .filter(|(_, entry)| entry.is_live)
            .map(|(id, entry)| (*id, entry.site, entry.code.clone(), entry.presence))
            .collect()
    }

    /// Notes when and from where a key was used.
    pub fn note_key(&self, key: KeyId, now: Moment, from: &str) {
        self.keys.lock().unwrap_or_else(PoisonError::into_inner).insert(key, (now, from.to_owned()));
    }

    /// Notes the newest time a device put into a message.
    pub(crate) fn note_clock(&self, device: DeviceId, now: Moment, sent: Moment) {
        let mut devices = self.devices();
        if let Some(entry) = devices.get_mut(&device) {
            entry.clock.note(now, sent);
        }
    }

    /// Notes that a device delivered something.
    pub fn note(&self, device: DeviceId, now: Moment) {
        let mut devices = self.devices();
        let Some(entry) = devices.get_mut(&device) else { return };
        entry.last = entry.last.max(Some(now));
        entry.dirty = true;
        if entry.presence != Presence::Fresh {
            self.turn(device, entry, Presence::Fresh, now);
        }
    }

    /// Judges all devices again and tells of those whose presence changed.
    pub fn judge(&self, now: Moment) {
        let mut devices = self.devices();
        for (device, entry) in devices.iter_mut() {
            let presence = Presence::judge(entry.last, entry.patience, now);
            if presence != entry.presence {
                self.turn(*device, entry, presence, now);
            }
        }
    }

    /// A device is in another state from now on, or since it should have reported.
    fn turn(&self, device: DeviceId, entry: &mut Entry, presence: Presence, now: Moment) {
        entry.presence = presence;
        let at = presence.since(entry.last, entry.patience).unwrap_or(now);
        let change = PresenceChange { device, at, presence };
        self.changes.lock().unwrap_or_else(PoisonError::into_inner).push(change);
        self.live.presence(entry.site, &entry.event());
    }

    /// Writes what was heard since the last time. What could not be written is kept for the
    /// next time.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn flush(&self) -> Result<(), StoreError> {
        let heard: Vec<(DeviceId, Moment)> = {
            let mut devices = self.devices();
            let dirty =
                |(id, entry): (&DeviceId, &mut Entry)| std::mem::take(&mut entry.dirty).then_some((*id, entry.last?));
            devices.iter_mut().filter_map(dirty).collect()
        };
        if !heard.is_empty() {
            self.store.note_heard(&heard).await.inspect_err(|_| {
                let mut devices = self.devices();
                for (id, _) in &heard {
                    devices.get_mut(id).into_iter().for_each(|entry| entry.dirty = true);
                }
            })?;
        }
        self.flush_changes().await?;
        self.flush_keys().await
    }

    async fn flush_changes(&self) -> Result<(), StoreError> {
        let changes = || self.changes.lock().unwrap_or_else(PoisonError::into_inner);
        let waiting = std::mem::take(&mut *changes());
        if waiting.is_empty() {
            return Ok(());
        }
        let written = self.store.add_presence_changes(&waiting).await;
        if written.is_err() {
            let mut later = changes();
            let room = MAX_CHANGES.saturating_sub(later.len());
            later.splice(0..0, waiting.into_iter().take(room));
        }
        written
    }

    async fn flush_keys(&self) -> Result<(), StoreError> {
        let used = std::mem::take(&mut *self.keys.lock().unwrap_or_else(PoisonError::into_inner));
        let used: Vec<_> = used.into_iter().map(|(key, (at, from))| KeyUse { key, at, from }).collect();
        if used.is_empty() {
            return Ok(());
        }
        let written = self.store.note_key_use(&used).await;
        if written.is_err() {
            let mut keys = self.keys.lock().unwrap_or_else(PoisonError::into_inner);
            for KeyUse { key, at, from } in used {
                keys.entry(key).or_insert((at, from));
            }
        }
        written
    }
}
