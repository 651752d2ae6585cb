//! Devices: making them and making them what they should be.

use super::described::declaration;
use super::kind::{self, of_device};
use super::wanted::Wanted;
use super::{DeviceSection, SetUp};
use crate::changes::{Change, Concerned};
use crate::checks::{
    check_decoder, check_interval, check_name, check_note, check_patience, check_place, check_position, decoder_text,
    place_code,
};
use crate::clock;
use crate::declared;
use crate::definitions::Subject;
use crate::find;
use crate::problem::Problem;
use lantern_api::{self as api, KindDescription};
use lantern_core::{DeviceState, Moment, code};
use lantern_store::{self as store, Device, KindId, Site, StoreError};

/// Devices of one name that get a code of their own.
const MOST_OF_A_NAME: u32 = 99;

impl SetUp {
    /// Checks a section, and fills in what its kind has and what is usual.
    pub(super) async fn wanted(&self, site: &Site, section: &DeviceSection) -> Result<Wanted, Problem> {
        code::check_place(&section.code).map_err(|e| Problem::invalid("code", e))?;
        let (kind, description) = match &section.kind {
            None => (None, KindDescription::default()),
            Some(code) => {
                let kind = find::kind(&self.store, site, code).await?;
                (Some((kind.id, kind.newest.number)), kind::parse(&kind.newest)?)
            }
        };
        // A device that follows an older revision goes on to do so.
        let (kind, description) = match self.store.device(site.id, &section.code).await {
            Ok(device) if device.kind.map(|(id, _)| id) == kind.map(|(id, _)| id) && kind.is_some() => {
                (device.kind, of_device(&self.store, &device).await?.unwrap_or_default())
            }
            _ => (kind, description),
        };
        let carrier = match &section.carrier {
            None => None,
            Some(code) if *code == section.code => {
                return Err(Problem::invalid("carrier", "a device cannot carry itself"));
            }
            Some(code) => Some(find::device(&self.store, site, code).await?.id),
        };
        Wanted::fill(section, &description, kind, carrier)
    }

    /// Makes a device from what a person says.
    ///
    /// # Errors
    /// A [`Problem`] that says what cannot be so.
    pub async fn add_device(&self, site: &Site, new: api::NewDevice, by: &str) -> Result<Device, Problem> {
        let name = check_name(&new.name)?;
        let code = match new.code {
            Some(code) => place_code(Some(code), name)?,
            None => self.free_code(site, name).await?,
        };
        if new.state == DeviceState::Waiting {
            return Err(Problem::invalid("state", "`trial` or `live`"));
        }
        let section = DeviceSection {
            code,
            name: new.name,
            note: new.note,
            place: new.place,
            kind: new.kind,
            interval_s: new.interval_s,
            late_after: new.late_after,
            silent_after: new.silent_after,
            carrier: new.carrier,
            identity: new.identity,
            position: new.position,
            decoder: new.decoder,
            signals: new.signals,
            topics: new.topics,
            commands: new.commands,
        };
        let wanted = self.wanted(site, &section).await?;
        self.check_meanings(site, &wanted).await?;
        let device = self.add(site, &wanted, new.state).await?;
        self.give_meanings(site, &device, &wanted, by).await?;
        self.changes.carry(Change::Device(Box::new(device.clone()))).await;
        Ok(device)
    }

    /// A code for a device of a name: the first of `tower`, `tower-2`, `tower-3` that is free.
    async fn free_code(&self, site: &Site, name: &str) -> Result<String, Problem> {
        for number in 1..=MOST_OF_A_NAME {
            let code = code::propose_numbered(name, number);
            match self.store.device(site.id, &code).await {
                Ok(_) => {}
                Err(StoreError::NotFound) => return Ok(code),
                Err(error) => return Err(error.into()),
            }
        }
        Err(Problem::invalid("code", format_args!("there are {MOST_OF_A_NAME} devices of that name; give a code")))
    }

    /// Makes a device what it should be; without one, makes it. Signals beside
    /// those wanted stay.
    pub(super) async fn make(&self, site: &Site, wanted: &Wanted, current: Option<&Device>) -> Result<Device, Problem> {
        let device = match current {
            Some(device) => self.change_to(device, wanted).await?,
            None => self.add(site, wanted, DeviceState::Trial).await?,
        };
        self.changes.carry(Change::Device(Box::new(device.clone()))).await;
        Ok(device)
    }

    /// Checks what the values of its signals are to mean, before the device is made.
    async fn check_meanings(&self, site: &Site, wanted: &Wanted) -> Result<(), Problem> {
        let beside: Vec<_> = wanted.signals.iter().map(|known| (known.code.as_str(), known.signal_type())).collect();
        for signal in &wanted.signals {
            let Some(meaning) = &signal.meaning else { continue };
            let subject = signal.subject(site.id, &wanted.section().code);
            self.definitions.check(&subject, meaning, &beside).await?;
        }
        Ok(())
    }

    /// Gives the values of its signals the meanings they should have, once all the
    /// signals they need are there.
    pub(super) async fn give_meanings(
        &self,
        site: &Site,
        device: &Device,
        wanted: &Wanted,
        by: &str,
    ) -> Result<(), Problem> {
        for signal in &wanted.signals {
            let known = self.store.signal(device.id, &signal.code).await?;
            if let Some(meaning) = &signal.meaning {
                self.definitions.check(&Subject::of(site.id, &device.code, &known), meaning, &[]).await?;
            }
            self.set_meaning(device, &known, signal.meaning.as_ref(), by).await?;
        }
        Ok(())
    }

    async fn add(&self, site: &Site, wanted: &Wanted, state: DeviceState) -> Result<Device, Problem> {
        let now = clock::now();
        let lists = wanted.lists()?;
        let added = self.store.add_device(site.id, wanted.new_device(state, &lists), now).await;
        let device = added.map_err(|e| Problem::taken(e, "device", &wanted.section().code))?;
        for signal in &wanted.signals {
            self.store.add_signal(device.id, signal.to_new(), now).await?;
        }
        Ok(device)
    }

    async fn change_to(&self, device: &Device, wanted: &Wanted) -> Result<Device, Problem> {
        let known = self.store.signals(device.id).await?;
        for signal in &wanted.signals {
            let declared = known.iter().find(|s| s.code == signal.code && s.value_type.is_some());
            match declared {
                None => drop(self.store.add_signal(device.id, signal.to_new(), clock::now()).await?),
                Some(known) if matches!(declaration(known.clone()), (known, None) if known == signal.to_api()) => {}
                Some(known) => drop(self.store.change_signal(known.id, signal.to_change()).await?),
            }
        }
        Ok(self.store.change_device(device.id, wanted.change(wanted.lists()?)).await?)
    }

    /// Changes what a person wants changed of a device.
    ///
    /// # Errors
    /// A [`Problem`] that says what cannot be so.
    pub async fn change_device(
        &self,
        site: &Site,
        device: &Device,
        change: api::DeviceChange,
    ) -> Result<Device, Problem> {
        let identity = change.identity.clone().flatten().unwrap_or_default();
        if identity.chars().count() > 200 {
            return Err(Problem::invalid("identity", "at most 200 characters"));
        }
        let late_after = change.late_after.unwrap_or(device.late_after);
        check_patience(late_after, change.silent_after.unwrap_or(device.silent_after))?;
        let change = self.checked_change(site, device, change).await?;
        let changed = self.store.change_device(device.id, change).await;
        let device = changed.map_err(|e| Problem::taken(e, "device called", &identity))?;
        self.changes.carry(Change::Device(Box::new(device.clone()))).await;
        Ok(device)
    }

    async fn checked_change(
        &self,
        site: &Site,
        device: &Device,
        change: api::DeviceChange,
    ) -> Result<store::DeviceChange, Problem> {
        Ok(store::DeviceChange {
            name: change.name.as_deref().map(check_name).transpose()?.map(str::to_owned),
            note: change.note.as_deref().map(check_note).transpose()?.map(str::to_owned),
            place: change.place.as_deref().map(check_place).transpose()?.map(str::to_owned),
            interval_s: change.interval_s.map(check_interval).transpose()?,
            position: change.position.map(|p| p.map(check_position).transpose()).transpose()?,
            decoder: match change.decoder {
                Some(Some(form)) => Some(Some(decoder_text(&check_decoder(&form)?)?)),
                Some(None) => Some(None),
                None => None,
            },
            late_after: change.late_after,
            silent_after: change.silent_after,
            carrier: match change.carrier {
                Some(Some(code)) if code == device.code => {
                    return Err(Problem::invalid("carrier", "a device cannot carry itself"));
                }
                Some(Some(code)) => Some(Some(find::device(&self.store, site, &code).await?.id)),
                Some(None) => Some(None),
                None => None,
            },
            identity: change.identity,
            keeps_payload: change.keeps_payload,
            topics: match &change.topics {
                Some(topics) => {
                    declared::check_topics(topics)?;
                    Some(declared::kept(topics)?)
                }
                None => None,
            },
            commands: match &change.commands {
                Some(commands) => Some(declared::kept(&declared::check_commands(commands)?)?),
                None => None,
            },
            ..store::DeviceChange::default()
        })
    }

    /// Opens or closes the window in which a device admits others that it has not carried
    /// before.
    ///
    /// # Errors
    /// A [`Problem`] if the database fails.
    pub async fn set_joining(
        &self,
        device: &Device,
        joining: Option<(Moment, Option<KindId>)>,
    ) -> Result<Device, Problem> {
        let change = store::DeviceChange { joining: Some(joining), ..store::DeviceChange::default() };
        let device = self.store.change_device(device.id, change).await?;
        self.changes.carry(Change::Device(Box::new(device.clone()))).await;
        Ok(device)
    }

    /// Removes a device with its signals, keys and readings.
    ///
    /// # Errors
    /// A [`Problem`] with code `needed` if a signal elsewhere needs one of its own.
    pub async fn remove_device(&self, device: &Device) -> Result<(), Problem> {
        let signals: Vec<_> = self.store.signals(device.id).await?.iter().map(|signal| signal.id).collect();
        self.definitions.refuse_if_needed(device.site, &signals).await?;
        self.store.remove_device(device.id, clock::now()).await?;
        self.changes.carry(Change::DeviceRemoved(Concerned::from(device), signals)).await;
        Ok(())
    }
}
