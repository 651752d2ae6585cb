//! When devices were last heard, and their presence.
//!
//! Kept in memory and written every few seconds, so that intake costs no extra
//! write; after a crash a device may look a few seconds staler than it is.

use crate::clock;
use crate::live::Live;
use lantern_api::{Connection, PresenceEvent};
use lantern_core::clock_offset::ClockOffset;
use lantern_core::presence::{Patience, Presence};
use lantern_core::{DeviceId, DeviceState, KeyId, Moment, SiteId, Steady};
use lantern_store::{Device, KeyUse, PresenceChange, Store, StoreError};
use std::collections::HashMap;
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};

/// Changes of presence that may wait to be written.
const MAX_CHANGES: usize = 100_000;

struct Entry {
    site: SiteId,
    code: String,
    /// What carries it.
    carrier: Option<DeviceId>,
    /// Whether it is relied upon.
    is_live: bool,
    patience: Patience,
    last: Option<Moment>,
    /// The same by the clock that cannot leap.
    last_steady: Option<Steady>,
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

/// How far two clocks may be apart without a leap, in seconds, and in seconds of each that has passed:
/// a clock that is put right slowly is wrong by half a thousandth at most.
const APART: (f64, f64) = (2.0, 0.001);

impl Entry {
    /// When the device was last heard, by the clock as it is now: a leap of the clock does not make a
    /// device silent, nor lets a silent one look fresh.
    fn heard_at(&self, now: Moment, steady: Steady) -> Option<Moment> {
        let (last, silence_s) = (self.last?, steady.seconds_since(self.last_steady?));
        let by_steady = now.plus_seconds(-silence_s);
        let apart = by_steady.seconds_since(last).abs();
        Some(if apart <= APART.0 + APART.1 * silence_s { last } else { by_steady })
    }

    fn event(&self, now: Moment) -> PresenceEvent {
        let heard = self.heard_at(now, clock::steady());
        PresenceEvent {
            device: self.code.clone(),
            presence: self.presence,
            since: self.presence.since(heard, self.patience).map(|at| at.to_string()),
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
        let now = clock::now();
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
        let (heard, heard_steady, clock, connection) =
            known.map_or_else(Default::default, |entry| (entry.last, entry.last_steady, entry.clock, entry.connection));
        let last = heard.or(device.last_heard_at);
        // How long ago it was before the service started can be told by the clock alone. What lies
        // ahead of a clock that was put back was heard just now.
        let steady = clock::steady();
        let ago = |last: Moment| steady.plus_seconds(-now.seconds_since(last).max(0.0));
        let last_steady = heard_steady.or_else(|| last.map(ago));
        let patience = device.patience();
        let entry = Entry {
            site: device.site,
            code: device.code.clone(),
            carrier: device.carrier,
            is_live: device.state == DeviceState::Live,
            patience,
            last,
            last_steady,
            presence: Presence::Never,
            clock,
            connection,
            dirty: heard.is_some(),
        };
        let presence = Presence::judge(entry.heard_at(now, steady), patience, now);
        let entry = Entry { presence, ..entry };
        devices.insert(device.id, entry);
    }

    /// Stops watching removed devices.
    pub(crate) fn forget(&self, is_gone: impl Fn(DeviceId, SiteId) -> bool) {
        let mut devices = self.devices();
        devices.retain(|id, entry| !is_gone(*id, entry.site));
    }

    /// When a device was last heard.
    pub fn last(&self, device: DeviceId) -> Option<Moment> {
        self.devices().get(&device).and_then(|entry| entry.heard_at(clock::now(), clock::steady()))
    }

    /// How a device was doing when it was last judged.
    pub fn presence(&self, device: DeviceId) -> Option<Presence> {
        Some(self.devices().get(&device)?.presence)
    }

    /// What carries a device.
    pub(crate) fn carrier(&self, device: DeviceId) -> Option<DeviceId> {
        self.devices().get(&device)?.carrier
    }

    /// How often a device is expected to report, in seconds.
    pub(crate) fn interval_s(&self, device: DeviceId) -> Option<f64> {
        Some(self.devices().get(&device)?.patience.interval_s)
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
        self.live.presence(entry.site, &entry.event(now));
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
        self.live.presence(entry.site, &entry.event(now));
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
        entry.last = Some(now);
        entry.last_steady = Some(clock::steady());
        entry.dirty = true;
        if entry.presence != Presence::Fresh {
            self.turn(device, entry, Presence::Fresh, now);
        }
    }

    /// Judges all devices again and tells of those whose presence changed.
    pub fn judge(&self) {
        let (now, steady) = (clock::now(), clock::steady());
        let mut devices = self.devices();
        for (device, entry) in devices.iter_mut() {
            let presence = Presence::judge(entry.heard_at(now, steady), entry.patience, now);
            if presence != entry.presence {
                self.turn(*device, entry, presence, now);
            }
        }
    }

    /// A device is in another state from now on, or since it should have reported.
    fn turn(&self, device: DeviceId, entry: &mut Entry, presence: Presence, now: Moment) {
        entry.presence = presence;
        let at = presence.since(entry.heard_at(now, clock::steady()), entry.patience).unwrap_or(now);
        let change = PresenceChange { device, at, presence };
        self.changes.lock().unwrap_or_else(PoisonError::into_inner).push(change);
        self.live.presence(entry.site, &entry.event(now));
    }

    /// Writes what was heard since the last time. What could not be written is kept for the
    /// next time.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn flush(&self) -> Result<(), StoreError> {
        let heard: Vec<(DeviceId, Moment)> = {
            let mut devices = self.devices();
            let (now, steady) = (clock::now(), clock::steady());
            let dirty = |(id, entry): (&DeviceId, &mut Entry)| {
                std::mem::take(&mut entry.dirty).then_some((*id, entry.heard_at(now, steady)?))
            };
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
