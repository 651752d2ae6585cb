//! Two sites with the same codes, so that what leaks from one to the other shows.

use lantern_core::{DeviceId, Moment, SignalId, SiteId};
use lantern_store::{NewDevice, NewSignal, NewSite, Store};
use tempfile::TempDir;

pub(crate) fn at(second: i64) -> Moment {
    Moment::from_micros(1_777_636_800_000_000 + second * 1_000_000).unwrap()
}

/// A site with a device and a signal.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Place {
    pub(crate) site: SiteId,
    pub(crate) device: DeviceId,
    pub(crate) signal: SignalId,
}

pub(crate) struct Sites {
    pub(crate) store: Store,
    pub(crate) here: Place,
    pub(crate) there: Place,
    pub(crate) folder: TempDir,
}

async fn place(store: &Store, code: &str) -> Place {
    let new = NewSite { code, name: code, zone: "UTC", position: None };
    let site = store.add_site(new, at(0)).await.unwrap().id;
    let new = NewDevice { code: "tower", name: "Tower", interval_s: 30.0, ..NewDevice::default() };
    let device = store.add_device(site, new, at(0)).await.unwrap().id;
    let signal = store.add_signal(device, NewSignal::number("level", Some("m")), at(0)).await.unwrap().id;
    Place { site, device, signal }
}

impl Sites {
    pub(crate) async fn new() -> Self {
        let folder = tempfile::tempdir().unwrap();
        let store = Store::open(folder.path()).await.unwrap();
        let (here, there) = (place(&store, "marlbeck").await, place(&store, "fellside").await);
        Self { store, here, there, folder }
    }

    /// A further device of this site.
    pub(crate) async fn device(&self, code: &str) -> DeviceId {
        let new = NewDevice { code, name: code, interval_s: 30.0, ..NewDevice::default() };
        self.store.add_device(self.here.site, new, at(0)).await.unwrap().id
    }
}

/// All pages of a list, put together.
pub(crate) async fn pages<T>(mut page: impl AsyncFnMut(Option<&T>) -> Vec<T>) -> Vec<T> {
    let mut all: Vec<T> = Vec::new();
    loop {
        let more = page(all.last()).await;
        if more.is_empty() {
            return all;
        }
        assert!(more.len() <= 2 && all.len() < 100, "pages of two that come to an end");
        all.extend(more);
    }
}
