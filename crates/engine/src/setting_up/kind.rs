//! Kinds: checking their descriptions, and devices that follow them.

use super::compare::compare;
use super::described::Described;
use super::{DeviceSection, SetUp};
use crate::changes::Change;
use crate::checks::{
    Declared, check_decoder, check_interval, check_name, check_note, check_patience, check_signals, place_code,
};
use crate::clock;
use crate::declared;
use crate::documents::{self, Damaged};
use crate::problem::Problem;
use lantern_api::{Difference, Differences, KindDescription, Move};
use lantern_core::DeviceId;
use lantern_store::{Device, DeviceChange, Kind, KindId, Revision, Site, Store, StoreError};

/// Checks a description and fills in what it leaves out.
///
/// # Errors
/// A [`Problem`] that says what cannot be so.
pub fn check(new: &KindDescription) -> Result<KindDescription, Problem> {
    let name = check_name(&new.name)?;
    check_patience(new.late_after, new.silent_after)?;
    let decoder = new.decoder.as_ref().map(check_decoder).transpose()?;
    Ok(KindDescription {
        code: Some(place_code(new.code.clone(), name)?),
        name: name.to_owned(),
        note: check_note(&new.note)?.to_owned(),
        interval_s: new.interval_s.map(check_interval).transpose()?,
        late_after: new.late_after,
        silent_after: new.silent_after,
        decoder: decoder.and_then(|decoder| serde_json::to_value(decoder.form()).ok()),
        signals: check_signals(&new.signals)?.iter().map(Declared::to_api).collect(),
        commands: declared::check_commands(&new.commands)?,
    })
}

/// The description of a revision, which was checked before it was kept.
///
/// # Errors
/// [`Damaged`] if it cannot be read.
pub fn parse(revision: &Revision) -> Result<KindDescription, Damaged> {
    documents::read(&revision.description)
}

/// The kind of a device as the revision it follows describes it.
pub(super) async fn of_device(store: &Store, device: &Device) -> Result<Option<KindDescription>, Problem> {
    match device.kind {
        Some((kind, number)) => Ok(Some(parse(&store.revision(kind, number).await?)?)),
        None => Ok(None),
    }
}

/// The set-up of a device without what its kind says already.
pub(super) async fn beside_kind(store: &Store, device: &Device) -> Result<DeviceSection, Problem> {
    let section = Described::of(store, device).await?.whole()?;
    Ok(match of_device(store, device).await? {
        Some(kind) => without_kind(section, &kind),
        None => section,
    })
}

fn without_kind(mut section: DeviceSection, kind: &KindDescription) -> DeviceSection {
    let beside = |own: Option<f64>, usual: Option<f64>| own.filter(|own| Some(*own) != usual);
    section.interval_s = beside(section.interval_s, kind.interval_s);
    section.late_after = beside(section.late_after, kind.late_after);
    section.silent_after = beside(section.silent_after, kind.silent_after);
    section.decoder = section.decoder.filter(|own| Some(own) != kind.decoder.as_ref());
    section.signals.retain(|signal| !kind.signals.contains(signal));
    section.commands.retain(|command| !kind.commands.contains(command));
    section
}

impl SetUp {
    /// Makes a kind of a description that was checked.
    ///
    /// # Errors
    /// A [`Problem`] with code `taken`.
    pub async fn add_kind(&self, site: &Site, description: &KindDescription, by: &str) -> Result<Kind, Problem> {
        let code = description.code.clone().unwrap_or_default();
        let added = self.store.add_kind(site.id, &code, &documents::write(description)?, by, clock::now()).await;
        added.map_err(|e| Problem::taken(e, "kind", &code))?;
        self.changes.carry(Change::Kind(site.id)).await;
        Ok(self.store.kind(site.id, &code).await?)
    }

    /// Makes a new revision of a kind from a description that was checked.
    ///
    /// # Errors
    /// A [`Problem`] if the database fails.
    pub async fn revise_kind(
        &self,
        site: &Site,
        kind: KindId,
        description: &KindDescription,
        by: &str,
    ) -> Result<(), Problem> {
        self.store.revise_kind(kind, &documents::write(description)?, by, clock::now()).await?;
        self.changes.carry(Change::Kind(site.id)).await;
        Ok(())
    }

    /// Removes a kind; devices that follow it stay as they are.
    ///
    /// # Errors
    /// A [`Problem`] if the database fails.
    pub async fn remove_kind(&self, site: &Site, kind: KindId) -> Result<(), Problem> {
        self.store.remove_kind(kind, clock::now()).await?;
        self.changes.carry(Change::Kind(site.id)).await;
        Ok(())
    }

    /// Moves devices to a revision of their kind: they get its signals, decoder and
    /// interval. Signals that it does not have any more stay.
    ///
    /// # Errors
    /// A [`Problem`] that says what cannot be so.
    pub async fn move_devices(&self, site: &Site, kind: &Kind, order: Move, by: &str) -> Result<Differences, Problem> {
        let number = order.revision.unwrap_or(kind.newest.number);
        let found = self.store.revision(kind.id, number).await;
        let description = parse(&found.map_err(|e| Problem::missing(e, "revision", &number.to_string()))?)?;
        let mut result = Differences { done: !order.dry_run, ..Differences::default() };
        for device in followers(&self.store, kind, order.devices.as_deref(), number).await? {
            let current = Described::of(&self.store, &device).await?.whole()?;
            let wanted = overlay(&current, &description);
            let path = format!("devices/{}", device.code);
            result.differences.extend(compare(&path, Some(&current), &wanted, true));
            let from = device.kind.map(|(_, number)| number.to_string());
            result.differences.push(Difference {
                path: format!("{path}/revision"),
                from,
                to: Some(number.to_string()),
            });
            if !order.dry_run {
                self.move_device(site, &device, &wanted, (kind.id, number), by).await?;
            }
        }
        Ok(result)
    }

    async fn move_device(
        &self,
        site: &Site,
        device: &Device,
        section: &DeviceSection,
        kind: (KindId, u32),
        by: &str,
    ) -> Result<(), Problem> {
        let wanted = self.wanted(site, section).await?;
        let device = self.make(site, &wanted, Some(device)).await?;
        self.give_meanings(site, &device, &wanted, by).await?;
        let change = DeviceChange { kind: Some(Some(kind)), ..DeviceChange::default() };
        let device = self.store.change_device(device.id, change).await?;
        self.changes.carry(Change::Device(Box::new(device))).await;
        Ok(())
    }
}

/// The devices that are named, or all that follow another revision.
async fn followers(store: &Store, kind: &Kind, named: Option<&[String]>, number: u32) -> Result<Vec<Device>, Problem> {
    let mut devices = all_of_kind(store, kind).await?;
    if let Some(missing) =
        named.and_then(|named| named.iter().find(|code| devices.iter().all(|device| device.code != **code)))
    {
        return Err(Problem::invalid("devices", format_args!("`{missing}` does not follow this kind")));
    }
    devices.retain(|device| {
        let follows: Option<u32> = device.kind.map(|(_, follows)| follows);
        follows != Some(number) && named.is_none_or(|named| named.contains(&device.code))
    });
    devices.sort_by_key(|device: &Device| -> DeviceId { device.id });
    Ok(devices)
}

async fn all_of_kind(store: &Store, kind: &Kind) -> Result<Vec<Device>, StoreError> {
    let mut devices: Vec<Device> = Vec::new();
    let mut after = String::new();
    loop {
        let page = store.devices_of_kind(kind.id, &after, 500).await?;
        let Some(last) = page.last() else { return Ok(devices) };
        after.clone_from(&last.code);
        devices.extend(page);
    }
}

/// A device as another revision of its kind would have it.
fn overlay(current: &DeviceSection, kind: &KindDescription) -> DeviceSection {
    let mut wanted = current.clone();
    wanted.interval_s = kind.interval_s.or(current.interval_s);
    wanted.late_after = kind.late_after;
    wanted.silent_after = kind.silent_after;
    wanted.decoder.clone_from(&kind.decoder);
    for signal in &kind.signals {
        match wanted.signals.iter_mut().find(|known| known.code == signal.code) {
            Some(known) => known.clone_from(signal),
            None => wanted.signals.push(signal.clone()),
        }
    }
    for command in &kind.commands {
        match wanted.commands.iter_mut().find(|known| known.name == command.name) {
            Some(known) => known.clone_from(command),
            None => wanted.commands.push(command.clone()),
        }
    }
    wanted
}
