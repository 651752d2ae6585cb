//! Kinds: checking their descriptions, and devices that follow them.

use super::compare::compare;
use super::{DeviceSection, Wanted, describe};
use crate::app::App;
use crate::checks::{check_decoder, check_interval, check_name, check_note, check_patience, check_signals, place_code};
use crate::problem::Problem;
use crate::{clock, declared};
use lantern_api::{Differences, KindDescription, Move};
use lantern_core::DeviceId;
use lantern_store::{Device, DeviceChange, Kind, Revision, Site};

/// Checks a description and fills in what it leaves out.
pub(crate) fn check(new: &KindDescription) -> Result<KindDescription, Problem> {
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
        signals: check_signals(&new.signals)?.iter().map(crate::checks::Declared::to_api).collect(),
        commands: declared::check_commands(&new.commands)?,
    })
}

/// The description of a revision, which was checked before it was kept.
pub(crate) fn parse(revision: &Revision) -> KindDescription {
    serde_json::from_str(&revision.description).unwrap_or_default()
}

/// The kind of a device as the revision it follows describes it.
pub(crate) async fn of_device(app: &App, device: &Device) -> Result<Option<KindDescription>, Problem> {
    match device.kind {
        Some((kind, number)) => Ok(Some(parse(&app.store.revision(kind, number).await?))),
        None => Ok(None),
    }
}

/// Moves devices to a revision of their kind: they get its signals, decoder and
/// interval. Signals that it does not have any more stay.
pub(crate) async fn move_devices(
    app: &App,
    site: &Site,
    kind: &Kind,
    order: Move,
    by: &str,
) -> Result<Differences, Problem> {
    let number = order.revision.unwrap_or(kind.newest.number);
    let revision =
        app.store.revision(kind.id, number).await.map_err(|e| Problem::missing(e, "revision", &number.to_string()))?;
    let description = parse(&revision);
    let mut result = Differences { done: !order.dry_run, ..Differences::default() };
    for device in followers(app, kind, order.devices.as_deref(), number).await? {
        let current = describe(app, &device).await?;
        let wanted = overlay(&current, &description);
        let path = format!("devices/{}", device.code);
        result.differences.extend(compare(&path, Some(&current), &wanted, true));
        let from = device.kind.map(|(_, number)| number.to_string());
        result.differences.push(lantern_api::Difference {
            path: format!("{path}/revision"),
            from,
            to: Some(number.to_string()),
        });
        if !order.dry_run {
            let wanted = Wanted::check(app, site, &wanted).await?;
            let device = wanted.make(app, site, Some(&device)).await?;
            wanted.give_meanings(app, site, &device, by).await?;
            let change = DeviceChange { kind: Some(Some((kind.id, number))), ..DeviceChange::default() };
            let device = app.store.change_device(device.id, change).await?;
            app.plans.forget(device.id);
            app.heard.watch(&device, clock::now());
            app.hub.change(site.id, "device", Some(&device.code));
        }
    }
    Ok(result)
}

/// The devices that are named, or all that follow another revision.
async fn followers(app: &App, kind: &Kind, named: Option<&[String]>, number: u32) -> Result<Vec<Device>, Problem> {
    let mut devices: Vec<Device> = Vec::new();
    let mut after = String::new();
    loop {
        let page = app.store.devices_of_kind(kind.id, &after, 500).await?;
        let Some(last) = page.last() else { break };
        after.clone_from(&last.code);
        devices.extend(page);
    }
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
