//! Things looked up by the codes people and addresses use.

use crate::problem::Problem;
use lantern_store::{Device, Kind, Signal, Site, Store};

/// A site by its code.
///
/// # Errors
/// A [`Problem`] with code `not-found`, as for all of these.
pub async fn site(store: &Store, code: &str) -> Result<Site, Problem> {
    store.site(code).await.map_err(|e| Problem::missing(e, "site", code))
}

/// A device of a site.
///
/// # Errors
/// As [`site`].
pub async fn device(store: &Store, site: &Site, code: &str) -> Result<Device, Problem> {
    store.device(site.id, code).await.map_err(|e| Problem::missing(e, "device", code))
}

/// A kind of a site.
///
/// # Errors
/// As [`site`].
pub async fn kind(store: &Store, site: &Site, code: &str) -> Result<Kind, Problem> {
    store.kind(site.id, code).await.map_err(|e| Problem::missing(e, "kind", code))
}

/// A declared signal of a device.
///
/// # Errors
/// As [`site`].
pub async fn signal(store: &Store, device: &Device, code: &str) -> Result<Signal, Problem> {
    store.signal(device.id, code).await.map_err(|e| Problem::missing(e, "signal", code))
}
