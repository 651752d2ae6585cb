//! Publishing: what has been kept, or was said, goes to all who listen.

use crate::live::Live;
use crate::plans::DevicePlan;
use futures::future::BoxFuture;
use lantern_api::{Command, CommandEvent};
use lantern_core::{Reading, SiteId};
use lantern_store::Device;
use std::ops::Range;
use std::sync::{Arc, OnceLock};

/// Another way out than the live stream, such as MQTT.
pub trait Outlet: Send + Sync {
    /// Readings of a device have been kept.
    fn readings(&self, plan: &Arc<DevicePlan>, readings: &[Reading], range: Range<usize>);

    /// A command was given to a device.
    fn command<'a>(&'a self, device: &'a Device, command: &'a Command) -> BoxFuture<'a, ()>;

    /// Keys were revoked or removed: who is connected by one that opens nothing any more has
    /// to go.
    fn keys_ended(&self) -> BoxFuture<'_, ()>;

    /// A site was removed with all that was its own.
    fn site_removed(&self, site: SiteId);
}

/// Tells the live stream and the outlet, if there is one.
pub struct Publisher {
    live: Arc<Live>,
    outlet: OnceLock<Arc<dyn Outlet>>,
}

impl Publisher {
    /// There is no outlet yet.
    #[must_use]
    pub fn new(live: Arc<Live>) -> Self {
        Self { live, outlet: OnceLock::new() }
    }

    /// From now on there is an outlet. There is at most one: a second is not taken.
    pub fn open(&self, outlet: Arc<dyn Outlet>) {
        let _ = self.outlet.set(outlet);
    }

    pub(crate) fn outlet(&self) -> Option<&Arc<dyn Outlet>> {
        self.outlet.get()
    }

    /// Readings of a device have been kept.
    pub(crate) fn readings(&self, plan: &Arc<DevicePlan>, readings: &Arc<Vec<Reading>>, range: Range<usize>) {
        if let Some(outlet) = self.outlet.get() {
            outlet.readings(plan, readings, range.clone());
        }
        self.live.readings(plan, readings, range);
    }

    /// A command is at another stage.
    pub(crate) fn stage(&self, device: &Device, command: &Command) {
        let event = CommandEvent { device: device.code.clone(), command: command.clone() };
        self.live.command(device.site, &event);
    }

    /// A command was given.
    pub(crate) async fn command(&self, device: &Device, command: &Command) {
        if let Some(outlet) = self.outlet.get() {
            outlet.command(device, command).await;
        }
    }
}
