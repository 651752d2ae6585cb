//! What goes out: last values as they come, lamps as they change, commands.

use super::Mqtt;
use crate::intake::{check_key, known_key};
use crate::plans::{DevicePlan, Shown};
use lantern_api as api;
use lantern_core::lamp::Lamp;
use lantern_core::{DeviceId, Moment, Reading, SignalId, SiteId, Value};
use lantern_mqtt::codec::Reason;
use lantern_mqtt::{Carried, Message};
use std::collections::HashMap;
use std::ops::Range;
use std::sync::{Arc, Mutex, PoisonError, Weak};
use tokio::sync::Notify;

/// What waits to be published. Of each signal only the newest reading does, so
/// that it is bounded however much comes in.
#[derive(Default)]
pub(crate) struct Outward {
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

/// The last value of a signal on its two topics: as JSON, and as it stands.
pub(super) fn now_payloads(topic: &str, shown: &Shown, at: Moment, value: &Value) -> [(String, String); 2] {
    let bare = match value {
        Value::Number(number) => number.to_string(),
        Value::Flag(flag) => flag.to_string(),
        Value::Text(text) => text.clone(),
    };
    let mut object = serde_json::Map::new();
    object.insert(
        "value".to_owned(),
        match value {
            Value::Number(number) => serde_json::json!(number),
            Value::Flag(flag) => serde_json::json!(flag),
            Value::Text(text) => serde_json::json!(text),
        },
    );
    if let Some(unit) = &shown.unit {
        object.insert("unit".to_owned(), serde_json::json!(unit));
    }
    object.insert("at".to_owned(), serde_json::json!(at.to_string()));
    [(topic.to_owned(), serde_json::Value::Object(object).to_string()), (format!("{topic}/value"), bare)]
}

/// A command as its device gets it.
pub(crate) fn command_message(site: &str, device: &str, command: &api::Command) -> Message {
    let mut payload = serde_json::Map::new();
    payload.insert("id".to_owned(), serde_json::json!(command.id));
    for (name, value) in &command.arguments {
        payload.insert(name.clone(), serde_json::to_value(value).unwrap_or_default());
    }
    let expires_at = command.expires_at.as_deref().and_then(|at| Moment::parse_rfc3339(at).ok());
    Message {
        expires_at,
        carried: Carried {
            is_text: true,
            content_type: Some("application/json".to_owned()),
            response_topic: Some(format!("{site}/{device}/done/{}", command.name)),
            correlation: Some(command.id.to_string().into_bytes().into()),
            user: Vec::new(),
        },
        token: Some(command.id),
        ..Message::own(format!("{site}/{device}/do/{}", command.name), serde_json::Value::Object(payload).to_string())
    }
}

impl Outward {
    /// From now on there is somewhere to publish.
    pub(super) fn open(&self, server: &Arc<Mqtt>) {
        *lock(&self.server) = Arc::downgrade(server);
    }

    /// The server, while it runs.
    pub(crate) fn server(&self) -> Option<Arc<Mqtt>> {
        lock(&self.server).upgrade()
    }

    /// Takes readings that have been kept.
    pub(crate) fn readings(&self, plan: &Arc<DevicePlan>, readings: &[Reading], range: Range<usize>) {
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

    /// Publishes what comes, until the service stops.
    pub(super) async fn publish(self: Arc<Self>, app: Arc<crate::app::App>) {
        loop {
            self.signal.notified().await;
            let Some(server) = self.server() else { return };
            let waiting: Vec<(SignalId, Arc<DevicePlan>, Moment, Value)> = lock(&self.newest)
                .iter_mut()
                .filter(|(_, newest)| !newest.is_sent)
                .map(|(id, newest)| {
                    newest.is_sent = true;
                    (*id, newest.plan.clone(), newest.at, newest.value.clone())
                })
                .collect();
            for (signal, plan, at, value) in waiting {
                let Some(shown) = plan.signals.get(&signal) else { continue };
                let Ok(site) = app.plans.site_code(&app.store, plan.site).await else { continue };
                let topic = format!("{site}/{}/now/{}", plan.code, shown.code);
                for (topic, payload) in now_payloads(&topic, shown, at, &value) {
                    let is_heard = server.broker().is_heard(plan.site, &topic);
                    if is_heard {
                        server
                            .publish(plan.site, Message { retain: false, ..super::door::own_message(topic, payload) })
                            .await;
                    }
                }
            }
        }
    }

    /// Ends the connections of keys that are good no longer.
    pub(crate) async fn recheck(&self, app: &crate::app::App) {
        let Some(server) = self.server() else { return };
        let principals = server.broker().principals();
        let now = crate::clock::now();
        for principal in principals {
            let Ok(hash) = <[u8; 32]>::try_from(&*principal) else { continue };
            let text = match known_key(app, &hash).await.and_then(|owner| check_key(&owner, now)) {
                Err(problem) if matches!(problem.status.code, 401 | 403) => problem.detail.clone(),
                _ => continue,
            };
            server.broker().close_where(Reason::NotAuthorized, &text, |_, other| *other == *principal);
        }
    }

    /// Publishes lamps that have changed since the last time.
    pub(super) async fn lamps(&self, app: &crate::app::App, server: &Mqtt) {
        let mut changed: Vec<(SiteId, String, Lamp)> = Vec::new();
        let mut sites: HashMap<SiteId, Lamp> = HashMap::new();
        {
            let mut known = lock(&self.lamps);
            for (device, site, code, presence) in app.heard.all() {
                let lamp = Lamp::of(presence);
                let worst = sites.entry(site).or_insert(Lamp::Calm);
                *worst = (*worst).max(lamp);
                if known.insert(device, lamp) != Some(lamp) {
                    changed.push((site, format!("{code}/lamp"), lamp));
                }
            }
        }
        {
            let mut known = lock(&self.site_lamps);
            for (site, lamp) in sites {
                if known.insert(site, lamp) != Some(lamp) {
                    changed.push((site, "lamp".to_owned(), lamp));
                }
            }
        }
        for (site, rest, lamp) in changed {
            if !server.broker().has_listeners(site) {
                continue;
            }
            let Ok(code) = app.plans.site_code(&app.store, site).await else { continue };
            let message = super::door::own_message(format!("{code}/{rest}"), lamp.as_str().to_owned());
            server.publish(site, Message { retain: false, ..message }).await;
        }
    }
}
