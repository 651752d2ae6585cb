//! What goes out: last values as they come, lamps as they change, commands.

use super::messages::{callout_message, command_message, now_payloads, own_message};
use super::{Mqtt, holder};
use futures::future::BoxFuture;
use lantern_api as api;
use lantern_core::lamp::Lamp;
use lantern_core::{DeviceId, Moment, Reading, SignalId, SiteId, Value};
use lantern_engine::lamps::{DeviceLamp, Lamps};
use lantern_engine::plans::{DevicePlan, Plans};
use lantern_engine::publish::{ClientSession, Outlet};
use lantern_engine::{Problem, clock, keys};
use lantern_mqtt::codec::Reason;
use lantern_mqtt::{Message, SessionView};
use lantern_store::{Device, Store};
use std::collections::HashMap;
use std::ops::Range;
use std::sync::{Arc, Mutex, PoisonError, Weak};
use tokio::sync::Notify;

/// What waits to be published. Of each signal only the newest reading does, so
/// that it is bounded however much comes in.
pub(super) struct Outward {
    plans: Arc<Plans>,
    at_a_glance: Arc<Lamps>,
    store: Arc<Store>,
    server: Mutex<Weak<Mqtt>>,
    newest: Mutex<HashMap<SignalId, Newest>>,
    signal: Notify,
    /// Lamps as they were last published.
    lamps: Mutex<HashMap<DeviceId, Lamp>>,
    site_lamps: Mutex<HashMap<SiteId, Lamp>>,
}

struct Newest {
    plan: Arc<DevicePlan>,
    at: Moment,
    value: Value,
    is_sent: bool,
}

fn lock<T>(mutex: &Mutex<T>) -> std::sync::MutexGuard<'_, T> {
    mutex.lock().unwrap_or_else(PoisonError::into_inner)
}

impl Outward {
    pub(super) fn new(plans: Arc<Plans>, at_a_glance: Arc<Lamps>, store: Arc<Store>) -> Self {
        Self {
            plans,
            at_a_glance,
            store,
            server: Mutex::default(),
            newest: Mutex::default(),
            signal: Notify::new(),
            lamps: Mutex::default(),
            site_lamps: Mutex::default(),
        }
    }

    /// From now on there is somewhere to publish.
    pub(super) fn open(&self, server: &Arc<Mqtt>) {
        *lock(&self.server) = Arc::downgrade(server);
    }

    /// The server, while it runs.
    fn server(&self) -> Option<Arc<Mqtt>> {
        lock(&self.server).upgrade()
    }

    /// Publishes what comes, for as long as there is a server.
    pub(super) async fn publish(self: Arc<Self>) {
        loop {
            self.signal.notified().await;
            let Some(server) = self.server() else { return };
            for (signal, plan, at, value) in self.take_newest() {
                self.publish_reading(&server, signal, &plan, at, &value).await;
            }
        }
    }

    fn take_newest(&self) -> Vec<(SignalId, Arc<DevicePlan>, Moment, Value)> {
        let mut newest = lock(&self.newest);
        let waiting = newest.iter_mut().filter(|(_, newest)| !newest.is_sent);
        waiting
            .map(|(id, newest)| {
                newest.is_sent = true;
                (*id, newest.plan.clone(), newest.at, newest.value.clone())
            })
            .collect()
    }

    async fn publish_reading(&self, server: &Mqtt, signal: SignalId, plan: &DevicePlan, at: Moment, value: &Value) {
        let Some(shown) = plan.signals.get(&signal) else { return };
        let Ok(site) = self.plans.site_code(plan.site).await else { return };
        let topic = format!("{site}/{}/now/{}", plan.code, shown.code);
        for (topic, payload) in now_payloads(&topic, shown, at, value) {
            let is_heard = server.broker().is_heard(plan.site, &topic);
            if is_heard {
                server.publish(plan.site, Message { retain: false, ..own_message(topic, payload) }).await;
            }
        }
    }

    /// Ends the connections of keys that are good no longer.
    pub(super) async fn recheck(&self) {
        let Some(server) = self.server() else { return };
        let credentials = server.broker().credentials();
        let now = clock::now();
        for credential in credentials {
            let Ok(hash) = <[u8; 32]>::try_from(&*credential) else { continue };
            let found = keys::known(&self.plans, &hash).await;
            let text = match found.and_then(|owner| keys::check(&owner, now)) {
                Err(problem) if problem.class.is_of_key() => problem.detail.clone(),
                _ => continue,
            };
            server.broker().close_where(Reason::NotAuthorized, &text, |_, other| *other == *credential);
        }
    }

    /// Ends sessions that wait for clients of which no key is good any longer.
    pub(super) async fn end_orphans(&self) {
        let Some(server) = self.server() else { return };
        let away = server.broker().lineages_away();
        let now = clock::now();
        for (site, bytes) in away {
            let Some(lineage) = holder::lineage(&bytes) else { continue };
            match self.store.has_usable_key(lineage, now).await {
                Ok(true) => {}
                Ok(false) => {
                    if let Err(refused) = server.end_away(site, &bytes).await {
                        tracing::warn!(text = %refused.text, "sessions of a revoked key were not ended for good");
                    }
                }
                Err(error) => tracing::warn!(%error, "keys of sessions could not be looked up"),
            }
        }
    }

    /// Publishes lamps that have changed since the last time.
    pub(super) async fn publish_lamps(&self, server: &Mqtt) {
        for (site, rest, lamp) in self.changed_lamps() {
            if !server.broker().has_listeners(site) {
                continue;
            }
            let Ok(code) = self.plans.site_code(site).await else { continue };
            let message = own_message(format!("{code}/{rest}"), lamp.as_str().to_owned());
            server.publish(site, Message { retain: false, ..message }).await;
        }
    }

    /// Site, topic below the site's, and lamp, of devices and sites.
    fn changed_lamps(&self) -> Vec<(SiteId, String, Lamp)> {
        let mut changed: Vec<(SiteId, String, Lamp)> = Vec::new();
        let mut devices: HashMap<DeviceId, Lamp> = HashMap::new();
        let mut sites: HashMap<SiteId, Lamp> = HashMap::new();
        let mut known = lock(&self.lamps);
        for DeviceLamp { device, site, code, lamp, .. } in self.at_a_glance.all() {
            let worst = sites.entry(site).or_insert_with(|| self.at_a_glance.of_service(site));
            *worst = (*worst).max(lamp);
            if known.get(&device) != Some(&lamp) {
                changed.push((site, format!("{code}/lamp"), lamp));
            }
            devices.insert(device, lamp);
        }
        *known = devices;
        let mut known = lock(&self.site_lamps);
        let of_sites = sites.iter().filter(|(site, lamp)| known.get(site) != Some(lamp));
        changed.extend(of_sites.map(|(site, lamp)| (*site, "lamp".to_owned(), *lamp)));
        *known = sites;
        changed
    }
}

impl Outlet for Outward {
    fn readings(&self, plan: &Arc<DevicePlan>, readings: &[Reading], range: Range<usize>) {
        if plan.is_waiting || range.is_empty() {
            return;
        }
        let Some(server) = self.server() else { return };
        if !server.broker().has_listeners(plan.site) {
            return;
        }
        let mut newest = lock(&self.newest);
        for reading in readings[range].iter().filter(|reading| reading.quality.is_good()) {
            let is_shown = plan.signals.get(&reading.signal).is_some_and(|shown| shown.is_declared);
            let is_newer = newest.get(&reading.signal).is_none_or(|known| known.at < reading.at);
            if is_shown && is_newer {
                let value = reading.value.clone();
                newest.insert(reading.signal, Newest { plan: plan.clone(), at: reading.at, value, is_sent: false });
            }
        }
        drop(newest);
        self.signal.notify_one();
    }

    fn command<'a>(&'a self, device: &'a Device, command: &'a api::Command) -> BoxFuture<'a, ()> {
        Box::pin(async move {
            let Some(server) = self.server() else { return };
            match self.plans.site_code(device.site).await {
                Ok(site) => server.publish(device.site, command_message(&site, &device.code, command)).await,
                // It waits for the device, and is there when it subscribes.
                Err(error) => tracing::warn!(%error, "a command was not published yet"),
            }
        })
    }

    fn callout<'a>(&'a self, site: SiteId, topic: &'a str, text: &'a str) -> BoxFuture<'a, ()> {
        Box::pin(async move {
            let Some(server) = self.server() else { return };
            match self.plans.site_code(site).await {
                Ok(code) => server.publish(site, callout_message(&code, topic, text)).await,
                Err(error) => tracing::warn!(%error, "somebody was not called by MQTT"),
            }
        })
    }

    fn keys_ended(&self) -> BoxFuture<'_, ()> {
        Box::pin(async move {
            self.recheck().await;
            self.end_orphans().await;
        })
    }

    fn site_removed(&self, site: SiteId) {
        if let Some(server) = self.server() {
            server.broker().forget_site(site);
        }
    }

    fn sessions(&self, site: SiteId, after: &str, limit: usize) -> Vec<ClientSession> {
        let Some(server) = self.server() else { return Vec::new() };
        let views = server.broker().sessions(site, after, limit);
        let shown = |view: SessionView| ClientSession {
            lineage: holder::lineage(&view.lineage),
            client: view.client,
            is_connected: view.is_connected,
            is_kept: view.is_kept,
            ends_at: view.ends_at,
            waiting: view.waiting,
            waiting_bytes: view.waiting_bytes,
            given_up: view.given_up,
            subscriptions: view.filters,
        };
        views.into_iter().map(shown).collect()
    }

    fn end_session<'a>(&'a self, site: SiteId, client: &'a str, why: &'a str) -> BoxFuture<'a, Result<bool, Problem>> {
        Box::pin(async move {
            match self.server() {
                Some(server) => server.end(site, client, why).await.map_err(|_| Problem::storage()),
                None => Ok(false),
            }
        })
    }
}
