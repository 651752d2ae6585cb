//! Sites.

use super::SetUp;
use crate::changes::Change;
use crate::checks::{check_name, check_position, check_zone, place_code};
use crate::clock;
use crate::problem::Problem;
use lantern_api as api;
use lantern_store::{NewSite, Site, SiteChange};

impl SetUp {
    /// Makes a site.
    ///
    /// # Errors
    /// A [`Problem`] that says what cannot be so.
    pub async fn add_site(&self, new: api::NewSite) -> Result<Site, Problem> {
        let name = check_name(&new.name)?;
        let code = place_code(new.code, name)?;
        let site = NewSite {
            code: &code,
            name,
            zone: check_zone(&new.zone)?,
            position: new.position.map(check_position).transpose()?,
        };
        let added = self.store.add_site(site, clock::now()).await;
        added.map_err(|e| Problem::taken(e, "site", &code))
    }

    /// Changes a site.
    ///
    /// # Errors
    /// A [`Problem`] that says what cannot be so.
    pub async fn change_site(&self, site: &Site, change: api::SiteChange) -> Result<Site, Problem> {
        let change = SiteChange {
            name: change.name.as_deref().map(check_name).transpose()?.map(str::to_owned),
            zone: change.zone.as_deref().map(check_zone).transpose()?.map(str::to_owned),
            decimal_mark: change.decimal_mark,
            position: change.position.map(|p| p.map(check_position).transpose()).transpose()?,
        };
        let site = self.store.change_site(site.id, change).await?;
        self.changes.carry(Change::Site(site.id)).await;
        Ok(site)
    }

    /// Removes a site with its devices and their readings.
    ///
    /// # Errors
    /// A [`Problem`] if the database fails.
    pub async fn remove_site(&self, site: &Site) -> Result<(), Problem> {
        let (devices, signals) = self.store.remove_site(site.id, clock::now()).await?;
        self.changes.carry(Change::SiteRemoved(site.id, devices, signals)).await;
        Ok(())
    }
}
