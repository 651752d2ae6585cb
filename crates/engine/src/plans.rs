//! What the intake knows of keys, sites and devices, kept in memory and read
//! again after a change.

use crate::declared;
use crate::definitions::{self, meaning_of};
use crate::documents::{self, Damaged};
use crate::shared::Shared;
use crate::shown;
use jiff::tz::TimeZone;
use lantern_core::decode::Decoder;
use lantern_core::decode::decoder::Form;
use lantern_core::intake::{Plan, PlannedSignal};
use lantern_core::meaning::{Meaning, SiteMeanings};
use lantern_core::own_topic::{OwnTopic, Said};
use lantern_core::units::UnitCode;
use lantern_core::{DeviceId, DeviceState, SignalId, SignalRole, SiteId};
use lantern_store::{Device, KeyOwner, OtherName, Signal, Store, StoreError};
use std::collections::HashMap;
use std::sync::Arc;

/// One device as the intake sees it.
#[derive(Debug)]
pub struct DevicePlan {
    /// Its site.
    pub site: SiteId,
    /// The device.
    pub device: DeviceId,
    /// Its code.
    pub code: String,
    /// The names it sends, and what becomes of them.
    pub plan: Plan,
    /// Its signals, for what goes out.
    pub signals: HashMap<SignalId, PublishedSignal>,
    /// The counter of its messages: the signal, and one more than its largest
    /// number (0 if it has none).
    pub sequence: Option<(SignalId, u64)>,
    /// How its payloads are read, if it has a decoder. With a damaged one they are refused.
    pub decoder: Result<Option<Decoder>, Damaged>,
    /// The zone of its site.
    pub zone: TimeZone,
    /// Whether the contact log keeps its payloads.
    pub keeps_payload: bool,
    /// Whether nobody has declared it.
    pub is_waiting: bool,
}

impl DevicePlan {
    /// A device that sends nothing known yet.
    #[must_use]
    pub fn empty(site: SiteId, zone: TimeZone) -> Self {
        Self {
            site,
            device: DeviceId(0),
            code: String::new(),
            plan: Plan::default(),
            signals: HashMap::new(),
            sequence: None,
            decoder: Ok(None),
            zone,
            keeps_payload: false,
            is_waiting: false,
        }
    }
}

/// A signal as it is published.
#[derive(Debug)]
pub struct PublishedSignal {
    /// Its code.
    pub code: String,
    /// The UCUM code of its unit.
    pub unit: Option<String>,
    /// Whether somebody has declared it.
    pub is_declared: bool,
}

/// A signal, and what its meaning says of it.
#[derive(Debug)]
pub struct DeclaredSignal {
    /// The signal.
    pub signal: Signal,
    /// What was sent becomes its values by this, if by anything.
    pub meaning: Option<Meaning>,
    /// How its unit is shown.
    pub symbol: String,
}

impl From<Signal> for DeclaredSignal {
    fn from(signal: Signal) -> Self {
        let meaning = meaning_of(&signal).ok().flatten();
        Self { meaning, symbol: shown::symbol(signal.unit.as_deref()), signal }
    }
}

impl DeclaredSignal {
    /// The UCUM code of the unit its values are sent in.
    #[must_use]
    pub fn sent_in(&self) -> Option<String> {
        self.meaning.as_ref().map_or_else(|| self.signal.unit.clone(), |meaning| sent_in(&self.signal, meaning))
    }
}

/// A device whose senders were asked for by name.
#[derive(Debug, Clone)]
pub(crate) struct Called {
    pub(crate) device: DeviceId,
    pub(crate) code: String,
    pub(crate) carrier: Option<DeviceId>,
    pub(crate) identity: Option<String>,
}

impl From<Device> for Called {
    fn from(device: Device) -> Self {
        Self { device: device.id, code: device.code, carrier: device.carrier, identity: device.identity }
    }
}

/// Topics that devices of a site were told are their own.
#[derive(Debug, Default)]
pub struct OwnTopics(Vec<(DeviceId, OwnTopic)>);

impl OwnTopics {
    /// From patterns, which were checked before they were kept.
    pub fn new<T: AsRef<str>>(topics: impl IntoIterator<Item = (DeviceId, T)>) -> Self {
        let parsed = |(device, topic): (DeviceId, T)| Some((device, OwnTopic::parse(topic.as_ref()).ok()?));
        Self(topics.into_iter().filter_map(parsed).collect())
    }

    /// Whose a topic is, and what it says. Devices of one make may have the same
    /// topic: the sender's own comes first.
    #[must_use]
    pub fn find<'t>(&self, topic: &'t str, sender: Option<DeviceId>) -> Option<(DeviceId, Said<'t>)> {
        let mut found = self.0.iter().filter_map(|(device, own)| Some((*device, own.find(topic)?))).peekable();
        let first = found.peek().cloned();
        found.find(|(device, _)| Some(*device) == sender).or(first)
    }
}

/// The plans of all devices heard since the start, and what goes with them. Each site's
/// are read and forgotten apart from those of others.
pub struct Plans {
    store: Arc<Store>,
    keys: Shared<[u8; 32], KeyOwner>,
    devices: Shared<DeviceId, Arc<DevicePlan>>,
    signals: Shared<DeviceId, Arc<[DeclaredSignal]>>,
    zones: Shared<SiteId, TimeZone>,
    codes: Shared<SiteId, Arc<str>>,
    topics: Shared<SiteId, Arc<OwnTopics>>,
    called: Shared<(SiteId, String), Called>,
    meanings: Shared<SiteId, Arc<SiteMeanings>>,
}

impl Plans {
    /// Nothing is known yet.
    #[must_use]
    pub fn new(store: Arc<Store>) -> Self {
        Self {
            store,
            keys: Shared::default(),
            devices: Shared::default(),
            signals: Shared::default(),
            zones: Shared::default(),
            codes: Shared::default(),
            topics: Shared::default(),
            called: Shared::default(),
            meanings: Shared::default(),
        }
    }

    /// The owner of a key by the hash of its secret.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] for an unknown key.
    pub async fn key_owner(&self, hash: &[u8; 32]) -> Result<KeyOwner, StoreError> {
        self.keys.get(hash, || self.store.key_owner(hash)).await
    }

    /// The plan of a device.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] if there is no such device any more.
    pub async fn device(&self, id: DeviceId) -> Result<Arc<DevicePlan>, StoreError> {
        self.devices.get(&id, || self.load(id)).await
    }

    /// The signals of a device in the order they were declared, and what waits.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn signals(&self, id: DeviceId) -> Result<Arc<[DeclaredSignal]>, StoreError> {
        let read = || async { Ok(self.store.signals(id).await?.into_iter().map(DeclaredSignal::from).collect()) };
        self.signals.get(&id, read).await
    }

    /// The zone of a site.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] if there is no such site any more.
    pub async fn zone(&self, id: SiteId) -> Result<TimeZone, StoreError> {
        let read = || async {
            let site = self.store.site_by_id(id).await?;
            // A zone is checked before it is kept; one that a later release of the zone
            // names has lost must not stop the intake.
            Ok(TimeZone::get(&site.zone).unwrap_or(TimeZone::UTC))
        };
        self.zones.get(&id, read).await
    }

    /// The code of a site.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] if there is no such site any more.
    pub async fn site_code(&self, id: SiteId) -> Result<Arc<str>, StoreError> {
        let read = || async { Ok(self.store.site_by_id(id).await?.code.into()) };
        self.codes.get(&id, read).await
    }

    /// The topics that devices of a site were told are their own.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn own_topics(&self, id: SiteId) -> Result<Arc<OwnTopics>, StoreError> {
        let read = || async {
            let devices = self.store.devices_with_topics(id).await?;
            let topics =
                devices.iter().flat_map(|device| topics_of(device).into_iter().map(move |topic| (device.id, topic)));
            Ok(Arc::new(OwnTopics::new(topics)))
        };
        self.topics.get(&id, read).await
    }

    /// The device of a site that its senders call so, or else whose code it is.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] if there is none.
    pub(crate) async fn called(&self, site: SiteId, identity: String, code: &str) -> Result<Called, StoreError> {
        let key = (site, identity);
        // Only names that devices have are remembered: there are no more of them than devices.
        let read = || async { Ok(Called::from(self.store.device_called(site, &key.1, "").await?)) };
        match self.called.get(&key, read).await {
            Err(StoreError::NotFound) => Ok(Called::from(self.store.device_called(site, &key.1, code).await?)),
            known => known,
        }
    }

    /// What the values of a site's signals mean.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn meanings(&self, id: SiteId) -> Result<Arc<SiteMeanings>, StoreError> {
        let read = || async { Ok(Arc::new(definitions::load(&self.store, id).await?)) };
        self.meanings.get(&id, read).await
    }

    /// Forgets what a device sends: names began to wait, or are ignored.
    pub(crate) fn forget_names(&self, device: DeviceId) {
        self.devices.forget(&device);
        self.signals.forget(&device);
    }

    /// Forgets a device and its keys, and what its site's devices have in common.
    pub(crate) fn forget_device(&self, site: SiteId, device: DeviceId) {
        self.devices.forget(&device);
        self.signals.forget(&device);
        self.forget_keys(site, Some(device));
        self.called.retain(|(of, _), _| *of != site);
        self.topics.forget(&site);
        self.meanings.forget(&site);
    }

    /// Forgets the keys of a device, or those of the site itself.
    pub(crate) fn forget_keys(&self, site: SiteId, device: Option<DeviceId>) {
        self.keys.retain(|_, owner| owner.site != site || owner.device != device);
    }

    /// Forgets the signals of devices that were removed.
    pub(crate) fn forget_signals(&self, devices: &[DeviceId]) {
        devices.iter().for_each(|device| self.signals.forget(device));
    }

    /// Forgets all of a site but the signals of its devices.
    pub(crate) fn forget_site(&self, site: SiteId) {
        self.zones.forget(&site);
        self.codes.forget(&site);
        self.called.retain(|(of, _), _| *of != site);
        self.topics.forget(&site);
        self.meanings.forget(&site);
        self.devices.retain(|_, plan| plan.site != site);
        self.keys.retain(|_, owner| owner.site != site);
    }

    async fn load(&self, id: DeviceId) -> Result<Arc<DevicePlan>, StoreError> {
        let device = self.store.device_by_id(id).await?;
        let mut plan = DevicePlan {
            device: id,
            decoder: decoder_of(&device),
            keeps_payload: device.keeps_payload,
            is_waiting: device.state == DeviceState::Waiting,
            ..DevicePlan::empty(device.site, self.zone(device.site).await?)
        };
        if let Err(damaged) = &plan.decoder {
            tracing::error!(device = device.code, %damaged, "a decoder is damaged");
        }
        plan.code = device.code;
        let mut by_id = HashMap::new();
        for signal in self.store.signals(id).await? {
            let published = PublishedSignal {
                code: signal.code.clone(),
                unit: signal.unit.clone(),
                is_declared: signal.value_type.is_some(),
            };
            plan.signals.insert(signal.id, published);
            if signal.role == Some(SignalRole::Sequence) {
                plan.sequence = Some((signal.id, signal.high.map_or(0, |high| high.max(0.0) as u64 + 1)));
            }
            let planned = planned(&signal);
            by_id.insert(signal.id, planned.clone());
            plan.plan.insert(signal.code, planned);
        }
        for OtherName { name, signal, part } in self.store.signal_names(id).await? {
            let Some(planned) = by_id.get(&signal) else { continue };
            match part {
                Some(part) => {
                    let position = plan.signals.get(&signal).map(|signal| signal.code.clone()).unwrap_or_default();
                    plan.plan.insert_part(name, position, part);
                }
                // A signal that has the name as its code comes before.
                None if plan.plan.get(&name).is_none_or(|known| known.value_type.is_none()) => {
                    plan.plan.insert(name, planned.clone());
                }
                None => {}
            }
        }
        Ok(Arc::new(plan))
    }
}

fn planned(signal: &Signal) -> PlannedSignal {
    // The values of a signal whose meaning is damaged are rejected when they are given it.
    let meaning = meaning_of(signal).ok().flatten().unwrap_or_default();
    PlannedSignal {
        id: signal.id,
        value_type: signal.value_type,
        unit: sent_in(signal, &meaning),
        is_derived: meaning.formula.is_some(),
        is_ignored: signal.ignored_at.is_some(),
    }
}

/// The decoder of a device.
///
/// # Errors
/// [`Damaged`] if it cannot be read, or is not what a decoder may be.
pub(crate) fn decoder_of(device: &Device) -> Result<Option<Decoder>, Damaged> {
    let Some(form) = documents::read_optional::<Form>(device.decoder.as_deref())? else { return Ok(None) };
    let decoder = Decoder::new(form);
    decoder.map(Some).map_err(|error| Damaged { what: "decoder", why: error.to_string() })
}

/// The topics of a device's own; none if they cannot be read, which its page says.
fn topics_of(device: &Device) -> Vec<String> {
    declared::topics(device.topics.as_deref()).unwrap_or_else(|damaged| {
        tracing::error!(device = device.code, %damaged, "the topics of a device are damaged");
        Vec::new()
    })
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
