//! The lamps of devices and sites: presence and alarms together.

use crate::alarms::{Alarms, OpenAlarms};
use crate::clock;
use crate::heard::Heard;
use lantern_core::lamp::Lamp;
use lantern_core::presence::Presence;
use lantern_core::{DeviceId, SiteId};
use lantern_store::Device;
use std::sync::Arc;

/// Tells how things are at a glance.
pub struct Lamps {
    pub(crate) heard: Arc<Heard>,
    pub(crate) alarms: Arc<Alarms>,
}

/// A device's lamp.
#[derive(Debug, Clone)]
pub struct DeviceLamp {
    /// The device.
    pub device: DeviceId,
    /// Its site.
    pub site: SiteId,
    /// Its code.
    pub code: String,
    /// How it reports.
    pub presence: Presence,
    /// Its lamp.
    pub lamp: Lamp,
}

impl Lamps {
    /// The lamps of all devices that are relied upon.
    #[must_use]
    pub fn all(&self) -> Vec<DeviceLamp> {
        let open = self.alarms.open();
        let lamp = |(device, site, code, presence)| {
            let lamp = Lamp::of(presence).max(open.lamp(Some(device)));
            DeviceLamp { device, site, code, presence, lamp }
        };
        self.heard.all().into_iter().map(lamp).collect()
    }

    /// What the alarms of the service itself make of the lamp of a site.
    #[must_use]
    pub fn of_service(&self, site: SiteId) -> Lamp {
        self.alarms.open_at(site).lamp(None)
    }

    /// The lamp of a device now, and its worst alarm.
    #[must_use]
    pub fn device(&self, device: &Device) -> (Lamp, Option<String>) {
        let heard = self.heard.last(device.id).or(device.last_heard_at);
        let presence = Presence::judge(heard, device.patience(), clock::now());
        let open: OpenAlarms = self.alarms.open_at(device.site);
        let worst = open.of(device.id).first().map(|alarm| alarm.name.clone());
        (Lamp::of(presence).max(open.lamp(Some(device.id))), worst)
    }

    /// The worst alarm of a site that goes on or waits.
    #[must_use]
    pub fn worst(&self, site: SiteId) -> Option<String> {
        self.alarms.open_at(site).worst().map(|alarm| alarm.name.clone())
    }
}
