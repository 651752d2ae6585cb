//! One device: what it is, what it should be, and making it so.

use super::{DeviceSection, of_device};
use crate::app::App;
use crate::checks::{
    DEFAULT_INTERVAL_S, Declared, check_decoder, check_interval, check_name, check_note, check_patience,
    check_position, check_signals, decoder_text,
};
use crate::meaning::{self, MeantSignal};
use crate::problem::Problem;
use crate::{clock, declared, translate};
use lantern_api::{KindDescription, NewSignal};
use lantern_core::{DeviceId, code};
use lantern_store::{self as store, Device, DeviceState, KindId, Position, Site};

/// A device's set-up with all that it has, its kind's part too.
pub(crate) async fn describe(app: &App, device: &Device) -> Result<DeviceSection, Problem> {
    let kind = match device.kind {
        Some((kind, _)) => Some(app.store.kind_code(kind).await?),
        None => None,
    };
    let carrier = app.carrier_code(device).await?;
    let signals = app.store.signals(device.id).await?;
    let declared = signals.into_iter().filter(|signal| signal.value_type.is_some());
    Ok(DeviceSection {
        code: device.code.clone(),
        name: device.name.clone(),
        note: device.note.clone(),
        kind,
        interval_s: Some(device.interval_s),
        late_after: device.late_after,
        silent_after: device.silent_after,
        carrier,
        identity: device.identity.clone(),
        position: device.position.map(translate::position),
        decoder: device.decoder.as_deref().and_then(|form| serde_json::from_str(form).ok()),
        signals: declared.map(declaration).collect(),
        topics: declared::topics(device.topics.as_deref()),
        commands: declared::commands(device.commands.as_deref()),
    })
}

fn declaration(signal: store::Signal) -> NewSignal {
    NewSignal {
        value_type: translate::value_type(signal.value_type.unwrap_or(lantern_core::ValueType::Text)),
        code: signal.code,
        name: Some(signal.name),
        note: signal.note,
        unit: signal.unit,
        low: signal.low,
        high: signal.high,
        reserved: signal.is_reserved,
        role: signal.role.map(translate::role),
        meaning: translate::document(signal.meaning.as_deref()),
    }
}

/// What a device should be, checked.
pub(crate) struct Wanted {
    section: DeviceSection,
    signals: Vec<Declared>,
    decoder: Option<String>,
    position: Option<Position>,
    kind: Option<(KindId, u32)>,
    carrier: Option<DeviceId>,
}

impl Wanted {
    /// Checks a section, and fills in what its kind has and what is usual.
    pub(crate) async fn check(app: &App, site: &Site, section: &DeviceSection) -> Result<Self, Problem> {
        code::check_place(&section.code).map_err(|e| Problem::invalid("code", e))?;
        let (kind, description) = match &section.kind {
            None => (None, KindDescription::default()),
            Some(code) => {
                let kind = app.store.kind(site.id, code).await.map_err(|e| Problem::missing(e, "kind", code))?;
                (Some((kind.id, kind.newest.number)), super::parse_kind(&kind.newest))
            }
        };
        // A device that follows an older revision goes on to do so.
        let (kind, description) = match app.store.device(site.id, &section.code).await {
            Ok(device) if device.kind.map(|(id, _)| id) == kind.map(|(id, _)| id) && kind.is_some() => {
                (device.kind, of_device(app, &device).await?.unwrap_or_default())
            }
            _ => (kind, description),
        };
        let carrier = match &section.carrier {
            None => None,
            Some(code) if *code == section.code => {
                return Err(Problem::invalid("carrier", "a device cannot carry itself"));
            }
            Some(code) => {
                Some(app.store.device(site.id, code).await.map_err(|e| Problem::missing(e, "device", code))?.id)
            }
        };
        Self::fill(section, &description, kind, carrier)
    }

    fn fill(
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
            interval_s: Some(check_interval(interval_s)?),
            late_after,
            silent_after,
            decoder: decoder.as_ref().and_then(|decoder| serde_json::to_value(decoder.form()).ok()),
            signals: signals.iter().map(Declared::to_api).collect(),
            commands,
            ..section.clone()
        };
        Ok(Self { section, signals, decoder: decoder.as_ref().map(decoder_text), position, kind, carrier })
    }

    /// The section with everything in it.
    pub(crate) const fn section(&self) -> &DeviceSection {
        &self.section
    }

    /// Makes a device what it should be; without one, makes it. Signals beside
    /// those wanted stay.
    pub(crate) async fn make(&self, app: &App, site: &Site, current: Option<&Device>) -> Result<Device, Problem> {
        let device = match current {
            Some(device) => self.change(app, device).await?,
            None => self.add(app, site, DeviceState::Trial).await?,
        };
        app.plans.forget(device.id);
        app.heard.watch(&device, clock::now());
        app.hub.change(site.id, "device", Some(&device.code));
        Ok(device)
    }

    /// Checks what the values of its signals are to mean, before the device is made.
    async fn check_meanings(&self, app: &App, site: &Site) -> Result<(), Problem> {
        let beside: Vec<_> = self.signals.iter().map(|known| (known.code.as_str(), known.signal_type())).collect();
        for signal in &self.signals {
            let Some(meaning) = &signal.meaning else { continue };
            meaning::check(app, &signal.meant(site.id, &self.section.code), meaning, &beside).await?;
        }
        Ok(())
    }

    /// Gives the values of its signals the meanings they should have, once all the
    /// signals they need are there.
    pub(crate) async fn give_meanings(&self, app: &App, site: &Site, device: &Device, by: &str) -> Result<(), Problem> {
        for signal in &self.signals {
            let known = app.store.signal(device.id, &signal.code).await?;
            if let Some(wanted) = &signal.meaning {
                meaning::check(app, &MeantSignal::of(site.id, &device.code, &known), wanted, &[]).await?;
            }
            meaning::set(app, site, device, &known, signal.meaning.as_ref(), by).await?;
        }
        Ok(())
    }

    async fn add(&self, app: &App, site: &Site, state: DeviceState) -> Result<Device, Problem> {
        let section = &self.section;
        let now = clock::now();
        let (topics, commands) = (declared::kept(&section.topics), declared::kept(&section.commands));
        let new = store::NewDevice {
            code: &section.code,
            name: &section.name,
            note: &section.note,
            interval_s: section.interval_s.unwrap_or(DEFAULT_INTERVAL_S),
            position: self.position,
            state,
            kind: self.kind,
            decoder: self.decoder.as_deref(),
            late_after: section.late_after,
            silent_after: section.silent_after,
            carrier: self.carrier,
            identity: section.identity.as_deref(),
            topics: topics.as_deref(),
            commands: commands.as_deref(),
        };
        let device =
            app.store.add_device(site.id, new, now).await.map_err(|e| Problem::taken(e, "device", &section.code))?;
        for signal in &self.signals {
            app.store.add_signal(device.id, signal.to_new(), now).await?;
        }
        Ok(device)
    }

    async fn change(&self, app: &App, device: &Device) -> Result<Device, Problem> {
        let section = &self.section;
        let change = store::DeviceChange {
            name: Some(section.name.clone()),
            note: Some(section.note.clone()),
            interval_s: section.interval_s,
            position: Some(self.position),
            kind: Some(self.kind),
            decoder: Some(self.decoder.clone()),
            late_after: Some(section.late_after),
            silent_after: Some(section.silent_after),
            carrier: Some(self.carrier),
            identity: Some(section.identity.clone()),
            topics: Some(declared::kept(&section.topics)),
            commands: Some(declared::kept(&section.commands)),
            ..store::DeviceChange::default()
        };
        let known = app.store.signals(device.id).await?;
        for signal in &self.signals {
            let declared = known.iter().find(|s| s.code == signal.code && s.value_type.is_some());
            match declared {
                None => drop(app.store.add_signal(device.id, signal.to_new(), clock::now()).await?),
                Some(known) if declaration(known.clone()) == signal.to_api() => {}
                Some(known) => drop(app.store.change_signal(known.id, signal.to_change()).await?),
            }
        }
        Ok(app.store.change_device(device.id, change).await?)
    }
}

/// Makes a device.
pub(crate) async fn add(
    app: &App,
    site: &Site,
    section: &DeviceSection,
    state: DeviceState,
    by: &str,
) -> Result<Device, Problem> {
    let wanted = Wanted::check(app, site, section).await?;
    wanted.check_meanings(app, site).await?;
    let device = wanted.add(app, site, state).await?;
    wanted.give_meanings(app, site, &device, by).await?;
    app.heard.watch(&device, clock::now());
    app.hub.change(site.id, "device", Some(&device.code));
    Ok(device)
}
