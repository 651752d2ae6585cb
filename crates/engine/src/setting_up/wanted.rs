//! What a device should be.

use super::DeviceSection;
use crate::checks::{
    DEFAULT_INTERVAL_S, Declared, check_decoder, check_interval, check_name, check_note, check_patience, check_place,
    check_position, check_signals, decoder_text,
};
use crate::declared;
use crate::problem::Problem;
use lantern_api::KindDescription;
use lantern_core::{DeviceId, DeviceState, Position};
use lantern_store::{self as store, KindId};

/// What a device should be, checked.
pub(super) struct Wanted {
    section: DeviceSection,
    pub(super) signals: Vec<Declared>,
    decoder: Option<String>,
    position: Option<Position>,
    kind: Option<(KindId, u32)>,
    carrier: Option<DeviceId>,
}

impl Wanted {
    pub(super) fn fill(
        section: &DeviceSection,
        description: &KindDescription,
        kind: Option<(KindId, u32)>,
        carrier: Option<DeviceId>,
    ) -> Result<Self, Problem> {
        // Checked before they are put together, so that one that is there twice is seen.
        check_signals(&section.signals)?;
        let mut all = description.signals.clone();
        for signal in &section.signals {
            match all.iter_mut().find(|known| known.code == signal.code) {
                Some(known) => known.clone_from(signal),
                None => all.push(signal.clone()),
            }
        }
        let signals = check_signals(&all)?;
        declared::check_commands(&section.commands)?;
        let mut commands = description.commands.clone();
        for command in &section.commands {
            match commands.iter_mut().find(|known| known.name == command.name) {
                Some(known) => known.clone_from(command),
                None => commands.push(command.clone()),
            }
        }
        let commands = declared::check_commands(&commands)?;
        declared::check_topics(&section.topics)?;
        let (late_after, silent_after) =
            (section.late_after.or(description.late_after), section.silent_after.or(description.silent_after));
        check_patience(late_after, silent_after)?;
        let decoder = section.decoder.as_ref().or(description.decoder.as_ref()).map(check_decoder).transpose()?;
        let position = section.position.map(check_position).transpose()?;
        let interval_s = section.interval_s.or(description.interval_s).unwrap_or(DEFAULT_INTERVAL_S);
        if section.identity.as_deref().is_some_and(|text| text.is_empty() || text.chars().count() > 200) {
            return Err(Problem::invalid("identity", "1 to 200 characters"));
        }
        let section = DeviceSection {
            name: check_name(&section.name)?.to_owned(),
            note: check_note(&section.note)?.to_owned(),
            place: check_place(&section.place)?.to_owned(),
            interval_s: Some(check_interval(interval_s)?),
            late_after,
            silent_after,
            decoder: decoder.as_ref().and_then(|decoder| serde_json::to_value(decoder.form()).ok()),
            signals: signals.iter().map(Declared::to_api).collect(),
            commands,
            ..section.clone()
        };
        Ok(Self { section, signals, decoder: decoder.as_ref().map(decoder_text).transpose()?, position, kind, carrier })
    }

    /// The section with everything in it.
    pub(super) const fn section(&self) -> &DeviceSection {
        &self.section
    }

    /// As a new device.
    pub(super) fn new_device<'a>(&'a self, state: DeviceState, lists: &'a Lists) -> store::NewDevice<'a> {
        let section = &self.section;
        store::NewDevice {
            code: &section.code,
            name: &section.name,
            note: &section.note,
            place: &section.place,
            interval_s: section.interval_s.unwrap_or(DEFAULT_INTERVAL_S),
            position: self.position,
            state,
            kind: self.kind,
            decoder: self.decoder.as_deref(),
            late_after: section.late_after,
            silent_after: section.silent_after,
            carrier: self.carrier,
            identity: section.identity.as_deref(),
            topics: lists.topics.as_deref(),
            commands: lists.commands.as_deref(),
        }
    }

    /// As a change of a device there is.
    pub(super) fn change(&self, lists: Lists) -> store::DeviceChange {
        let section = &self.section;
        store::DeviceChange {
            name: Some(section.name.clone()),
            note: Some(section.note.clone()),
            place: Some(section.place.clone()),
            interval_s: section.interval_s,
            position: Some(self.position),
            kind: Some(self.kind),
            decoder: Some(self.decoder.clone()),
            late_after: Some(section.late_after),
            silent_after: Some(section.silent_after),
            carrier: Some(self.carrier),
            identity: Some(section.identity.clone()),
            topics: Some(lists.topics),
            commands: Some(lists.commands),
            ..store::DeviceChange::default()
        }
    }

    /// Its lists as they are kept.
    pub(super) fn lists(&self) -> Result<Lists, Problem> {
        Ok(Lists { topics: declared::kept(&self.section.topics)?, commands: declared::kept(&self.section.commands)? })
    }
}

/// Lists of a device as they are kept.
pub(super) struct Lists {
    topics: Option<String>,
    commands: Option<String>,
}
