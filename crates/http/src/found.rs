//! What an address names: a site, and what it has.

use lantern_engine::{Problem, find};
use lantern_store::{Device, Kind, Signal, Site, Store};

/// A site by its code.
pub(crate) async fn site(store: &Store, site: &str) -> Result<Site, Problem> {
    find::site(store, site).await
}

/// A device, and its site.
pub(crate) async fn device(store: &Store, site: &str, device: &str) -> Result<(Site, Device), Problem> {
    let site = find::site(store, site).await?;
    let device = find::device(store, &site, device).await?;
    Ok((site, device))
}

/// A kind, and its site.
pub(crate) async fn kind(store: &Store, site: &str, kind: &str) -> Result<(Site, Kind), Problem> {
    let site = find::site(store, site).await?;
    let kind = find::kind(store, &site, kind).await?;
    Ok((site, kind))
}

/// A declared signal, its device and its site.
pub(crate) async fn signal(
    store: &Store,
    site: &str,
    device_code: &str,
    signal: &str,
) -> Result<(Site, Device, Signal), Problem> {
    let (site, device) = device(store, site, device_code).await?;
    let signal = find::signal(store, &device, signal).await?;
    Ok((site, device, signal))
}
