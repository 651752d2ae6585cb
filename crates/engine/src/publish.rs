//! Publishing: what has been kept, or was said, goes to all who listen.

use crate::alarms::Alarms;
use crate::live::Live;
use crate::plans::DevicePlan;
use crate::problem::Problem;
use futures::future::BoxFuture;
use lantern_api::{Changed, Command, CommandEvent};
use lantern_core::{Moment, Reading, SiteId};
use lantern_store::{Device, Lineage, StoreError};
use std::ops::Range;
use std::sync::{Arc, OnceLock};

/// The session of a client of the outlet.
#[derive(Debug, Clone)]
pub struct ClientSession {
    /// What the client calls itself.
    pub client: Arc<str>,
    /// Whose it is; `None` for one that was kept before that was.
    pub lineage: Option<Lineage>,
    /// Whether its client is connected.
    pub is_connected: bool,
    /// Whether it outlives the connection.
    pub is_kept: bool,
    /// When it ends if its client does not come back.
    pub ends_at: Option<Moment>,
    /// Messages that wait for it.
    pub waiting: usize,
    /// Bytes of them.
    pub waiting_bytes: usize,
    /// Messages that were given up since the service started, for want of room.
    pub given_up: u64,
    /// Subscriptions it has.
    pub subscriptions: usize,
}

/// Another way out than the live stream, such as MQTT.
pub trait Outlet: Send + Sync {
    /// Readings of a device have been kept.
    fn readings(&self, plan: &Arc<DevicePlan>, readings: &[Reading], range: Range<usize>);

    /// A command was given to a device.
    fn command<'a>(&'a self, device: &'a Device, command: &'a Command) -> BoxFuture<'a, ()>;

    /// Somebody is called by a topic of a site.
    fn callout<'a>(&'a self, site: SiteId, topic: &'a str, text: &'a str) -> BoxFuture<'a, ()>;

    /// Keys were revoked or removed: who is connected by one that opens nothing any more has
    /// to go.
    fn keys_ended(&self) -> BoxFuture<'_, ()>;

    /// A site was removed with all that was its own.
    fn site_removed(&self, site: SiteId);

    /// Sessions of a site's clients in order of client id, after the given one.
    fn sessions(&self, site: SiteId, after: &str, limit: usize) -> Vec<ClientSession>;

    /// Ends the session of a client and its connection, telling it why. `false` if there is none.
    fn end_session<'a>(&'a self, site: SiteId, client: &'a str, why: &'a str) -> BoxFuture<'a, Result<bool, Problem>>;
}

/// Tells the live stream and the outlet, if there is one.
pub struct Publisher {
    live: Arc<Live>,
    outlet: OnceLock<Arc<dyn Outlet>>,
    alarms: OnceLock<Arc<Alarms>>,
}

impl Publisher {
    /// There is no outlet yet.
    #[must_use]
    pub fn new(live: Arc<Live>) -> Self {
        Self { live, outlet: OnceLock::new(), alarms: OnceLock::new() }
    }

    /// From now on there is an outlet. There is at most one: a second is not taken.
    pub fn open(&self, outlet: Arc<dyn Outlet>) {
        let _ = self.outlet.set(outlet);
    }

    /// Sessions of a site's clients in order of client id, after the given one.
    #[must_use]
    pub fn sessions(&self, site: SiteId, after: &str, limit: usize) -> Vec<ClientSession> {
        self.outlet.get().map(|outlet| outlet.sessions(site, after, limit)).unwrap_or_default()
    }

    /// Ends the session of a client and its connection.
    ///
    /// # Errors
    /// A [`Problem`] with code `not-found`, or that it could not be kept.
    pub async fn end_session(&self, site: SiteId, client: &str, why: &str) -> Result<(), Problem> {
        let is_ended = match self.outlet.get() {
            Some(outlet) => outlet.end_session(site, client, why).await?,
            None => false,
        };
        if is_ended { Ok(()) } else { Err(Problem::missing(StoreError::NotFound, "MQTT session", client)) }
    }

    /// Somebody is called by a topic of a site.
    pub(crate) async fn callout(&self, site: SiteId, topic: &str, text: &str) {
        if let Some(outlet) = self.outlet.get() {
            outlet.callout(site, topic, text).await;
        }
    }

    /// Something of a site is otherwise than before.
    pub(crate) fn changed(&self, site: SiteId, what: Changed) {
        self.live.change(site, what, None);
    }

    /// From now on readings are watched.
    pub(crate) fn watch(&self, alarms: Arc<Alarms>) {
        let _ = self.alarms.set(alarms);
    }

    /// What watches the readings.
    pub(crate) fn alarms(&self) -> Option<&Arc<Alarms>> {
        self.alarms.get()
    }

    pub(crate) fn outlet(&self) -> Option<&Arc<dyn Outlet>> {
        self.outlet.get()
    }

    /// Readings of a device have been kept.
    pub(crate) fn readings(&self, plan: &Arc<DevicePlan>, readings: &Arc<Vec<Reading>>, range: Range<usize>) {
        if let Some(outlet) = self.outlet.get() {
            outlet.readings(plan, readings, range.clone());
        }
        if let Some(alarms) = self.alarms.get() {
            alarms.take(readings, range.clone());
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
