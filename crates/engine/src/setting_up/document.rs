//! A site's set-up as one document.

use super::compare::compare;
use super::described::Described;
use super::kind::{beside_kind, check as check_kind, parse as parse_kind};
use super::wanted::Wanted;
use super::{DeviceSection, SetUp};
use crate::changes::Change;
use crate::checks::{check_name, check_position, check_zone};
use crate::problem::Problem;
use lantern_api::{Difference, Differences, KindDescription, SiteDocument, SiteSection};
use lantern_store::{Device, Site, SiteChange, Store, StoreError};
use std::collections::HashSet;

/// The name of the format, with its number.
const FORMAT: &str = "key-lantern-site/1";
/// Kinds and devices of one page.
const PAGE: u32 = 500;

/// A document being applied to a site.
struct Application<'a> {
    set_up: &'a SetUp,
    site: &'a Site,
    document: &'a SiteDocument,
    /// Its kinds, checked.
    kinds: Vec<KindDescription>,
    by: &'a str,
    dry_run: bool,
    result: Differences,
}

impl SetUp {
    /// The document of a site. What a device has from its kind is not said again.
    ///
    /// # Errors
    /// A [`Problem`] with code `damaged` if something that is kept cannot be read.
    pub async fn export(&self, site: &Site) -> Result<SiteDocument, Problem> {
        let mut devices = Vec::new();
        for device in all_devices(&self.store, site).await? {
            devices.push(beside_kind(&self.store, &device).await?);
        }
        let kinds = all_kinds(&self.store, site).await?;
        Ok(SiteDocument { format: FORMAT.to_owned(), site: section_of(site), kinds, devices })
    }

    /// Makes a site as a document says, or only says what would change. What is not
    /// in the document stays, and is named.
    ///
    /// # Errors
    /// A [`Problem`] that says what cannot be so.
    pub async fn apply(
        &self,
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
        let result = Differences { done: !dry_run, ..Differences::default() };
        Application { set_up: self, site, document, kinds, by, dry_run, result }.run().await
    }
}

impl Application<'_> {
    async fn run(mut self) -> Result<Differences, Problem> {
        self.apply_site().await?;
        for place in 0..self.kinds.len() {
            self.apply_kind(place).await?;
        }
        // Carriers before what they carry.
        let (carriers, carried): (Vec<_>, Vec<_>) =
            self.document.devices.iter().partition(|device| device.carrier.is_none());
        let mut made = Vec::new();
        for section in carriers.into_iter().chain(carried) {
            made.extend(self.apply_device(section).await?);
        }
        // Formulas may need signals of any device.
        for (wanted, device) in made {
            self.set_up.give_meanings(self.site, &device, &wanted, self.by).await?;
        }
        self.name_what_is_beside().await?;
        Ok(self.result)
    }

    async fn name_what_is_beside(&mut self) -> Result<(), Problem> {
        let store = &self.set_up.store;
        for device in all_devices(store, self.site).await? {
            if self.document.devices.iter().all(|section| section.code != device.code) {
                self.result.beside.push(format!("devices/{}", device.code));
            }
        }
        for kind in all_kinds(store, self.site).await? {
            if self.kinds.iter().all(|wanted| wanted.code != kind.code) {
                self.result.beside.push(format!("kinds/{}", kind.code.unwrap_or_default()));
            }
        }
        Ok(())
    }

    async fn apply_site(&mut self) -> Result<(), Problem> {
        let section = &self.document.site;
        let position = section.position.map(check_position).transpose()?;
        let change = SiteChange {
            name: Some(check_name(&section.name)?.to_owned()),
            zone: Some(check_zone(&section.zone)?.to_owned()),
            decimal_mark: Some(section.decimal_mark),
            position: Some(position),
        };
        let differences = compare("site", Some(&section_of(self.site)), section, true);
        if !differences.is_empty() && !self.dry_run {
            self.set_up.store.change_site(self.site.id, change).await?;
            self.set_up.changes.carry(Change::Site(self.site.id)).await;
        }
        self.result.differences.extend(differences);
        Ok(())
    }

    async fn apply_kind(&mut self, place: usize) -> Result<(), Problem> {
        let wanted = &self.kinds[place];
        let code = wanted.code.clone().unwrap_or_default();
        let current = found(self.set_up.store.kind(self.site.id, &code).await)?;
        let before = current.as_ref().map(|kind| parse_kind(&kind.newest)).transpose()?;
        let differences = compare(&format!("kinds/{code}"), before.as_ref(), wanted, true);
        if !differences.is_empty() && !self.dry_run {
            match current {
                Some(kind) => self.set_up.revise_kind(self.site, kind.id, wanted, self.by).await?,
                None => drop(self.set_up.add_kind(self.site, wanted, self.by).await?),
            }
        }
        self.result.differences.extend(differences);
        Ok(())
    }

    /// Gives what was made, with what it should mean.
    async fn apply_device(&mut self, section: &DeviceSection) -> Result<Option<(Wanted, Device)>, Problem> {
        let path = format!("devices/{}", section.code);
        let store = &self.set_up.store;
        let current = found(store.device(self.site.id, &section.code).await)?;
        let mut before = match &current {
            // What is damaged is different from what is wanted, and is set again.
            Some(device) => Some(Described::of(store, device).await?.section),
            None => None,
        };
        // Before anything is done, a device may be of a kind that is still to be made.
        if self.dry_run && self.refers_ahead(section).await {
            self.note(compare(&path, before.as_ref(), section, false));
            return Ok(None);
        }
        let wanted = self.set_up.wanted(self.site, section).await?;
        if let Some(before) = &mut before {
            // Signals beside the document's stay, and so are no difference.
            before.signals.retain(|known| wanted.section().signals.iter().any(|signal| signal.code == known.code));
        }
        let differences = compare(&path, before.as_ref(), wanted.section(), true);
        let is_to_make = !differences.is_empty() && !self.dry_run;
        self.note(differences);
        if !is_to_make {
            return Ok(None);
        }
        let device = self.set_up.make(self.site, &wanted, current.as_ref()).await?;
        Ok(Some((wanted, device)))
    }

    fn note(&mut self, differences: Vec<Difference>) {
        self.result.differences.extend(differences);
    }

    /// Whether a section names a kind or carrier that the document itself brings.
    async fn refers_ahead(&self, section: &DeviceSection) -> bool {
        let store = &self.set_up.store;
        let kind_ahead = match &section.kind {
            Some(code) => {
                self.kinds.iter().any(|kind| kind.code.as_ref() == Some(code))
                    && store.kind(self.site.id, code).await.is_err()
            }
            None => false,
        };
        let carrier_ahead = match &section.carrier {
            Some(code) => {
                self.document.devices.iter().any(|device| device.code == *code)
                    && store.device(self.site.id, code).await.is_err()
            }
            None => false,
        };
        kind_ahead || carrier_ahead
    }
}

/// A row, or that there is none.
fn found<T>(row: Result<T, StoreError>) -> Result<Option<T>, StoreError> {
    match row {
        Ok(row) => Ok(Some(row)),
        Err(StoreError::NotFound) => Ok(None),
        Err(error) => Err(error),
    }
}

fn section_of(site: &Site) -> SiteSection {
    SiteSection {
        name: site.name.clone(),
        zone: site.zone.clone(),
        decimal_mark: site.decimal_mark,
        position: site.position,
    }
}

async fn all_devices(store: &Store, site: &Site) -> Result<Vec<Device>, Problem> {
    let mut devices = Vec::new();
    let mut after = String::new();
    loop {
        let page = store.devices(site.id, &after, PAGE).await?;
        let Some(last) = page.last() else { return Ok(devices) };
        after.clone_from(&last.code);
        devices.extend(page);
    }
}

async fn all_kinds(store: &Store, site: &Site) -> Result<Vec<KindDescription>, Problem> {
    let mut kinds = Vec::new();
    let mut after = String::new();
    loop {
        let page = store.kinds(site.id, &after, PAGE).await?;
        let Some(last) = page.last() else { return Ok(kinds) };
        after.clone_from(&last.code);
        for kind in &page {
            kinds.push(parse_kind(&kind.newest)?);
        }
    }
}

fn unique<'a>(what: &str, codes: impl Iterator<Item = &'a str>) -> Result<(), Problem> {
    let mut seen = HashSet::new();
    let mut codes = codes;
    match codes.find(|code| !seen.insert(*code)) {
        Some(twice) => Err(Problem::invalid(what, format_args!("`{twice}` is there twice"))),
        None => Ok(()),
    }
}
