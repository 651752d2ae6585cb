//! What the intake knows of keys, sites and devices, kept in memory and read
//! again after a change.

use crate::declared;
use crate::meaning::SiteMeanings;
use crate::problem::Problem;
use jiff::tz::TimeZone;
use lantern_core::decode::Decoder;
use lantern_core::intake::{Plan, PlannedSignal};
use lantern_core::meaning::Meaning;
use lantern_core::own_topic::{OwnTopic, Said};
use lantern_core::units::UnitCode;
use lantern_core::{DeviceId, SignalId, SiteId};
use lantern_store::{DeviceState, KeyOwner, Signal, SignalRole, Store, StoreError};
use std::collections::HashMap;
use std::sync::{Arc, PoisonError, RwLock};

/// One device as the intake sees it.
#[derive(Debug)]
pub(crate) struct DevicePlan {
    pub(crate) site: SiteId,
    pub(crate) device: DeviceId,
    pub(crate) code: String,
    pub(crate) plan: Plan,
    /// Its signals, for what goes out.
    pub(crate) signals: HashMap<SignalId, Shown>,
    /// The counter of its messages: the signal, and one more than its largest
    /// number (0 if it has none).
    pub(crate) sequence: Option<(SignalId, u64)>,
    pub(crate) decoder: Option<Decoder>,
    /// The zone of its site.
    pub(crate) zone: TimeZone,
    /// Whether the contact log keeps its payloads.
    pub(crate) keeps_payload: bool,
    /// Whether nobody has declared it.
    pub(crate) is_waiting: bool,
}

/// A signal as others see it.
#[derive(Debug)]
pub(crate) struct Shown {
    pub(crate) code: String,
    pub(crate) unit: Option<String>,
    pub(crate) is_declared: bool,
}

/// Topics that devices of a site were told are their own.
#[derive(Debug, Default)]
pub(crate) struct OwnTopics(Vec<(DeviceId, OwnTopic)>);

impl OwnTopics {
    /// From patterns, which were checked before they were kept.
    pub(crate) fn new<T: AsRef<str>>(topics: impl IntoIterator<Item = (DeviceId, T)>) -> Self {
        let parsed = |(device, topic): (DeviceId, T)| Some((device, OwnTopic::parse(topic.as_ref()).ok()?));
        Self(topics.into_iter().filter_map(parsed).collect())
    }

    /// Whose a topic is, and what it says. Devices of one make may have the same
    /// topic: the sender's own comes first.
    pub(crate) fn find<'t>(&self, topic: &'t str, sender: Option<DeviceId>) -> Option<(DeviceId, Said<'t>)> {
        let mut found = self.0.iter().filter_map(|(device, own)| Some((*device, own.find(topic)?))).peekable();
        let first = found.peek().cloned();
        found.find(|(device, _)| Some(*device) == sender).or(first)
    }
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
    codes: HashMap<SiteId, Arc<str>>,
    topics: HashMap<SiteId, Arc<OwnTopics>>,
    meanings: HashMap<SiteId, Arc<SiteMeanings>>,
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

    /// The code of a site.
    pub(crate) async fn site_code(&self, store: &Store, id: SiteId) -> Result<Arc<str>, Problem> {
        let found = self.look(|inner| inner.codes.get(&id).cloned());
        let read = async { Ok(store.site_by_id(id).await?.code.into()) };
        let code = self.kept(found, read, |inner, code: &Arc<str>| {
            inner.codes.insert(id, code.clone());
        });
        Ok(code.await?)
    }

    /// The topics that devices of a site were told are their own.
    pub(crate) async fn own_topics(&self, store: &Store, id: SiteId) -> Result<Arc<OwnTopics>, Problem> {
        let found = self.look(|inner| inner.topics.get(&id).cloned());
        let topics = self.kept(found, load_topics(store, id), |inner, topics| {
            inner.topics.insert(id, topics.clone());
        });
        Ok(topics.await?)
    }

    /// What the values of a site's signals mean.
    pub(crate) async fn meanings(&self, store: &Store, id: SiteId) -> Result<Arc<SiteMeanings>, StoreError> {
        let found = self.look(|inner| inner.meanings.get(&id).cloned());
        let read = async { Ok(Arc::new(SiteMeanings::load(store, id).await?)) };
        self.kept(found, read, |inner, meanings| {
            inner.meanings.insert(id, meanings.clone());
        })
        .await
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
        inner.topics.clear();
        inner.meanings.clear();
        inner.keys.retain(|_, owner| owner.device != Some(id));
    }

    /// Forgets everything, after a site or a key of one was changed.
    pub(crate) fn forget_all(&self) {
        let mut inner = self.inner.write().unwrap_or_else(PoisonError::into_inner);
        inner.changes += 1;
        inner.devices.clear();
        inner.keys.clear();
        inner.zones.clear();
        inner.codes.clear();
        inner.topics.clear();
        inner.meanings.clear();
    }
}

/// The unit in which a signal's values are sent, unless they say another.
pub(crate) fn sent_in(signal: &Signal, meaning: &Meaning) -> Option<String> {
    match &meaning.conversion {
        Some(conversion) => {
            let from = conversion.from.as_deref().and_then(|from| UnitCode::from_entry(from).ok());
            from.map(|code| code.as_str().to_owned())
        }
        None => signal.value_type.and(signal.unit.clone()),
    }
}

async fn load_topics(store: &Store, id: SiteId) -> Result<Arc<OwnTopics>, StoreError> {
    let devices = store.devices_with_topics(id).await?;
    let topics = devices
        .iter()
        .flat_map(|device| declared::topics(device.topics.as_deref()).into_iter().map(move |topic| (device.id, topic)));
    Ok(Arc::new(OwnTopics::new(topics)))
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
    let mut signals = HashMap::new();
    let mut sequence = None;
    let mut by_id = HashMap::new();
    for signal in store.signals(id).await? {
        let is_declared = signal.value_type.is_some();
        signals.insert(signal.id, Shown { code: signal.code.clone(), unit: signal.unit.clone(), is_declared });
        if signal.role == Some(SignalRole::Sequence) {
            sequence = Some((signal.id, signal.high.map_or(0, |high| high.max(0.0) as u64 + 1)));
        }
        let meaning = crate::meaning::parse(&signal).unwrap_or_default();
        let planned = PlannedSignal {
            id: signal.id,
            value_type: signal.value_type,
            unit: sent_in(&signal, &meaning),
            is_derived: meaning.formula.is_some(),
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
        signals,
        sequence,
        // Checked before it is kept.
        decoder: device.decoder.as_deref().and_then(|form| Decoder::from_json(form).ok()),
        zone: load_zone(store, device.site).await?,
        keeps_payload: device.keeps_payload,
        is_waiting: device.state == DeviceState::Waiting,
    }))
}
