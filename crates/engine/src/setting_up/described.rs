//! A device's set-up as it is.

use super::DeviceSection;
use crate::declared;
use crate::definitions::meaning_of;
use crate::documents::Damaged;
use crate::plans::decoder_of;
use crate::problem::Problem;
use lantern_api::NewSignal;
use lantern_core::{DeviceId, ValueType};
use lantern_store::{self as store, Device, KindId, Store, StoreError};

/// A device's set-up with all that it has, its kind's part too, and what of it is damaged.
pub struct Described {
    /// The set-up, without what is damaged.
    pub section: DeviceSection,
    /// What cannot be read.
    pub damaged: Vec<Damaged>,
}

impl Described {
    /// Describes a device.
    ///
    /// # Errors
    /// [`StoreError`] if the database fails.
    pub async fn of(store: &Store, device: &Device) -> Result<Self, StoreError> {
        let mut all = Self::all(store, std::slice::from_ref(device)).await?;
        all.pop().ok_or(StoreError::NotFound)
    }

    /// Describes devices, in the same order. What they need is read together.
    ///
    /// # Errors
    /// [`StoreError`] if the database fails.
    pub async fn all(store: &Store, devices: &[Device]) -> Result<Vec<Self>, StoreError> {
        let ids: Vec<DeviceId> = devices.iter().map(|device| device.id).collect();
        let mut signals = store.signals_of(&ids).await?;
        let kinds: Vec<KindId> = devices.iter().filter_map(|device| Some(device.kind?.0)).collect();
        let kinds = store.kind_codes(&kinds).await?;
        let carriers: Vec<DeviceId> = devices.iter().filter_map(|device| device.carrier).collect();
        let carriers = store.device_codes(&carriers).await?;
        let described = |device: &Device| {
            let kind = device.kind.and_then(|(kind, _)| kinds.get(&kind).cloned());
            let carrier = device.carrier.and_then(|carrier| carriers.get(&carrier).cloned());
            Self::from_parts(device, signals.remove(&device.id).unwrap_or_default(), kind, carrier)
        };
        Ok(devices.iter().map(described).collect())
    }

    fn from_parts(device: &Device, signals: Vec<store::Signal>, kind: Option<String>, carrier: Option<String>) -> Self {
        let mut damaged = Vec::new();
        let decoder = whole(decoder_of(device), &mut damaged).flatten();
        let topics = whole(declared::topics(device.topics.as_deref()), &mut damaged);
        let commands = whole(declared::commands(device.commands.as_deref()), &mut damaged);
        let mut declared = Vec::new();
        for signal in signals.into_iter().filter(|signal| signal.value_type.is_some()) {
            let (signal, cause) = declaration(signal);
            damaged.extend(cause.map(|cause| Damaged { why: format!("`{}`: {}", signal.code, cause.why), ..cause }));
            declared.push(signal);
        }
        let section = DeviceSection {
            code: device.code.clone(),
            name: device.name.clone(),
            note: device.note.clone(),
            place: device.place.clone(),
            kind,
            interval_s: Some(device.interval_s),
            late_after: device.late_after,
            silent_after: device.silent_after,
            carrier,
            identity: device.identity.clone(),
            position: device.position,
            decoder: decoder.and_then(|decoder| serde_json::to_value(decoder.form()).ok()),
            signals: declared,
            topics: topics.unwrap_or_default(),
            commands: commands.unwrap_or_default(),
        };
        Self { section, damaged }
    }

    /// The set-up, if nothing of it is damaged.
    ///
    /// # Errors
    /// A [`Problem`] with code `damaged`.
    pub fn whole(self) -> Result<DeviceSection, Problem> {
        match self.damaged.into_iter().next() {
            Some(damaged) => {
                Err(Damaged { why: format!("device `{}`: {}", self.section.code, damaged.why), ..damaged }.into())
            }
            None => Ok(self.section),
        }
    }
}

/// A part that could be read, or a note that it could not.
fn whole<T>(part: Result<T, Damaged>, damaged: &mut Vec<Damaged>) -> Option<T> {
    part.map_err(|cause| damaged.push(cause)).ok()
}

/// A signal as it would be declared; a damaged meaning is left out and told beside it.
pub(crate) fn declaration(signal: store::Signal) -> (NewSignal, Option<Damaged>) {
    let meaning = meaning_of(&signal);
    let mut declared = NewSignal {
        value_type: signal.value_type.unwrap_or(ValueType::Text),
        code: signal.code,
        name: Some(signal.name),
        note: signal.note,
        unit: signal.unit,
        low: signal.low,
        high: signal.high,
        interval_s: signal.interval_s,
        reserved: signal.is_reserved,
        role: signal.role,
        meaning: None,
    };
    match meaning {
        Ok(meaning) => {
            declared.meaning = meaning.and_then(|meaning| serde_json::to_value(meaning).ok());
            (declared, None)
        }
        Err(damaged) => (declared, Some(damaged)),
    }
}
