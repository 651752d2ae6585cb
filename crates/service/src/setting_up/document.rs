//! A site's set-up as one document.

use super::compare::compare;
use super::{DeviceSection, Wanted, check_kind, describe, of_device, parse_kind};
use crate::app::App;
use crate::checks::{check_name, check_position, check_zone};
use crate::clock;
use crate::problem::Problem;
use crate::translate;
use lantern_api::{Difference, Differences, KindDescription, SiteDocument, SiteSection};
use lantern_store::{self as store, Device, Site, SiteChange};
use std::collections::HashSet;

/// The name of the format, with its number.
const FORMAT: &str = "key-lantern-site/1";
/// Kinds and devices of one page.
const PAGE: u32 = 500;

/// The document of a site. What a device has from its kind is not said again.
pub(crate) async fn export(app: &App, site: &Site) -> Result<SiteDocument, Problem> {
    let mut devices = Vec::new();
    for device in all_devices(app, site).await? {
        let section = describe(app, &device).await?;
        devices.push(match of_device(app, &device).await? {
            Some(kind) => without_kind(section, &kind),
            None => section,
        });
    }
    Ok(SiteDocument { format: FORMAT.to_owned(), site: section_of(site), kinds: all_kinds(app, site).await?, devices })
}

fn section_of(site: &Site) -> SiteSection {
    SiteSection { name: site.name.clone(), zone: site.zone.clone(), position: site.position.map(translate::position) }
}

async fn all_devices(app: &App, site: &Site) -> Result<Vec<Device>, Problem> {
    let mut devices = Vec::new();
    let mut after = String::new();
    loop {
        let page = app.store.devices(site.id, &after, PAGE).await?;
        let Some(last) = page.last() else { return Ok(devices) };
        after.clone_from(&last.code);
        devices.extend(page);
    }
}

async fn all_kinds(app: &App, site: &Site) -> Result<Vec<KindDescription>, Problem> {
    let mut kinds = Vec::new();
    let mut after = String::new();
    loop {
        let page = app.store.kinds(site.id, &after, PAGE).await?;
        let Some(last) = page.last() else { return Ok(kinds) };
        after.clone_from(&last.code);
        kinds.extend(page.iter().map(|kind| parse_kind(&kind.newest)));
    }
}

/// Leaves out what the kind says already.
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

/// Makes a site as a document says, or only says what would change. What is not
/// in the document stays, and is named.
pub(crate) async fn apply(
    app: &App,
    site: &Site,
    document: &SiteDocument,
    by: &str,
    dry_run: bool,
) -> Result<Differences, Problem> {
    if document.format != FORMAT {
        let detail = format!("`{}` is not known; this service reads {FORMAT}", document.format);
        return Err(Problem::invalid("format", detail));
    }
    let kinds: Vec<KindDescription> = document.kinds.iter().map(check_kind).collect::<Result<_, _>>()?;
    unique("kinds", kinds.iter().filter_map(|kind| kind.code.as_deref()))?;
    unique("devices", document.devices.iter().map(|device| device.code.as_str()))?;
    let mut result = Differences { done: !dry_run, ..Differences::default() };
    apply_site(app, site, &document.site, dry_run, &mut result).await?;
    for kind in &kinds {
        apply_kind(app, site, kind, by, dry_run, &mut result.differences).await?;
    }
    // Carriers before what they carry.
    let (carriers, carried): (Vec<_>, Vec<_>) = document.devices.iter().partition(|device| device.carrier.is_none());
    let mut made = Vec::new();
    for section in carriers.into_iter().chain(carried) {
        made.extend(apply_device(app, site, section, &kinds, document, dry_run, &mut result.differences).await?);
    }
    // Formulas may need signals of any device.
    for (wanted, device) in made {
        wanted.give_meanings(app, site, &device, by).await?;
    }
    for device in all_devices(app, site).await? {
        if document.devices.iter().all(|section| section.code != device.code) {
            result.beside.push(format!("devices/{}", device.code));
        }
    }
    for kind in all_kinds(app, site).await? {
        if kinds.iter().all(|wanted| wanted.code != kind.code) {
            result.beside.push(format!("kinds/{}", kind.code.unwrap_or_default()));
        }
    }
    Ok(result)
}

fn unique<'a>(what: &str, codes: impl Iterator<Item = &'a str>) -> Result<(), Problem> {
    let mut seen = HashSet::new();
    let mut codes = codes;
    match codes.find(|code| !seen.insert(*code)) {
        Some(twice) => Err(Problem::invalid(what, format_args!("`{twice}` is there twice"))),
        None => Ok(()),
    }
}

async fn apply_site(
    app: &App,
    site: &Site,
    section: &SiteSection,
    dry_run: bool,
    result: &mut Differences,
) -> Result<(), Problem> {
    let position = section.position.map(check_position).transpose()?;
    let change = SiteChange {
        name: Some(check_name(&section.name)?.to_owned()),
        zone: Some(check_zone(&section.zone)?.to_owned()),
        position: Some(position),
    };
    let differences = compare("site", Some(&section_of(site)), section, true);
    if !differences.is_empty() && !dry_run {
        app.store.change_site(site.id, change).await?;
        app.plans.forget_all();
        app.hub.change(site.id, "site", None);
    }
    result.differences.extend(differences);
    Ok(())
}

async fn apply_kind(
    app: &App,
    site: &Site,
    wanted: &KindDescription,
    by: &str,
    dry_run: bool,
    differences: &mut Vec<Difference>,
) -> Result<(), Problem> {
    let code = wanted.code.clone().unwrap_or_default();
    let current = match app.store.kind(site.id, &code).await {
        Ok(kind) => Some(kind),
        Err(store::StoreError::NotFound) => None,
        Err(other) => return Err(other.into()),
    };
    let before = current.as_ref().map(|kind| parse_kind(&kind.newest));
    let found = compare(&format!("kinds/{code}"), before.as_ref(), wanted, true);
    if !found.is_empty() && !dry_run {
        let text = serde_json::to_string(wanted).unwrap_or_default();
        match current {
            Some(kind) => drop(app.store.revise_kind(kind.id, &text, by, clock::now()).await?),
            None => app.store.add_kind(site.id, &code, &text, by, clock::now()).await?,
        }
        app.hub.change(site.id, "kind", None);
    }
    differences.extend(found);
    Ok(())
}

async fn apply_device(
    app: &App,
    site: &Site,
    section: &DeviceSection,
    kinds: &[KindDescription],
    document: &SiteDocument,
    dry_run: bool,
    differences: &mut Vec<Difference>,
) -> Result<Option<(Wanted, Device)>, Problem> {
    let path = format!("devices/{}", section.code);
    let current = match app.store.device(site.id, &section.code).await {
        Ok(device) => Some(device),
        Err(store::StoreError::NotFound) => None,
        Err(other) => return Err(other.into()),
    };
    let mut before = match &current {
        Some(device) => Some(describe(app, device).await?),
        None => None,
    };
    // Before anything is done, a device may be of a kind that is still to be made.
    let is_to_come = dry_run && refers_ahead(app, site, section, kinds, document).await;
    if is_to_come {
        differences.extend(compare(&path, before.as_ref(), section, false));
        return Ok(None);
    }
    let wanted = Wanted::check(app, site, section).await?;
    if let Some(before) = &mut before {
        // Signals beside the document's stay, and so are no difference.
        before.signals.retain(|known| wanted.section().signals.iter().any(|signal| signal.code == known.code));
    }
    let found = compare(&path, before.as_ref(), wanted.section(), true);
    let is_to_make = !found.is_empty() && !dry_run;
    differences.extend(found);
    if !is_to_make {
        return Ok(None);
    }
    let device = wanted.make(app, site, current.as_ref()).await?;
    Ok(Some((wanted, device)))
}

/// Whether a section names a kind or carrier that the document itself brings.
async fn refers_ahead(
    app: &App,
    site: &Site,
    section: &DeviceSection,
    kinds: &[KindDescription],
    document: &SiteDocument,
) -> bool {
    let kind_ahead = match &section.kind {
        Some(code) => {
            kinds.iter().any(|kind| kind.code.as_ref() == Some(code)) && app.store.kind(site.id, code).await.is_err()
        }
        None => false,
    };
    let carrier_ahead = match &section.carrier {
        Some(code) => {
            document.devices.iter().any(|device| device.code == *code) && app.store.device(site.id, code).await.is_err()
        }
        None => false,
    };
    kind_ahead || carrier_ahead
}
