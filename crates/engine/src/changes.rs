//! Changes of the set-up, and the one way they reach everything that remembers it.
//!
//! Whoever changes the set-up in the store hands a [`Change`] to [`Changes::carry`]. Which
//! part of the service has to forget or learn what because of it stands here and nowhere
//! else; the tests hold each change against each part.

use crate::clock;
use crate::commands::OpenCommands;
use crate::dummies::Dummies;
use crate::heard::Heard;
use crate::latest::Latest;
use crate::links::Links;
use crate::live::Live;
use crate::memories::Memories;
use crate::plans::Plans;
use crate::publish::Publisher;
use lantern_api::Changed;
use lantern_core::{DeviceId, SignalId, SiteId};
use lantern_store::{Command, Device, DummyTest};
use std::sync::Arc;

/// A device that a change concerns.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Concerned {
    /// Its site.
    pub site: SiteId,
    /// The device.
    pub device: DeviceId,
    /// Its code.
    pub code: String,
}

impl From<&Device> for Concerned {
    fn from(device: &Device) -> Self {
        Self { site: device.site, device: device.id, code: device.code.clone() }
    }
}

/// Something that was changed in the store.
#[derive(Debug, Clone, PartialEq)]
pub enum Change {
    /// A site's name, zone or position.
    Site(SiteId),
    /// A site was removed, with these devices and signals.
    SiteRemoved(SiteId, Vec<DeviceId>, Vec<SignalId>),
    /// A device was made or changed, its state included: this is how it is now.
    Device(Box<Device>),
    /// A removed device was brought back, with these commands that are not over.
    DeviceRestored(Box<Device>, Vec<Command>),
    /// A device was removed, with these signals.
    DeviceRemoved(Concerned, Vec<SignalId>),
    /// Signals of a device were declared, changed or claimed.
    Signals(Concerned),
    /// Signals of a device were removed.
    SignalsRemoved(Concerned, Vec<SignalId>),
    /// The meaning of a signal.
    Meaning(Concerned, SignalId),
    /// Names of a device began to wait, or are ignored or not ignored any more.
    Arrivals(Concerned),
    /// An unknown device was heard and waits: this is how it is.
    Waiting(Box<Device>),
    /// A kind was made, revised or removed.
    Kind(SiteId),
    /// Keys were issued or given an end, those of a device or of the site itself.
    Keys(SiteId, Option<Concerned>),
    /// Keys were revoked, those of a device or of the site itself.
    KeysRevoked(SiteId, Option<Concerned>),
    /// A dummy value was asked for.
    DummyAsked(Concerned, DummyTest),
    /// A step of commissioning was begun, ended or passed.
    Commissioning(Concerned),
    /// Readings of these signals were deleted, or moved from one to another.
    Readings(Concerned, Vec<SignalId>),
    /// A reading was entered by hand.
    HandReading(Concerned),
    /// The history of a signal was made again.
    History(Concerned, SignalId),
    /// A note was written, changed or removed, about the site or the device of a code.
    Note(SiteId, Option<String>),
    /// A view was kept or removed.
    View(SiteId),
}

/// Everything that remembers the set-up.
pub struct Changes {
    pub(crate) plans: Arc<Plans>,
    pub(crate) heard: Arc<Heard>,
    pub(crate) latest: Arc<Latest>,
    pub(crate) memories: Arc<Memories>,
    pub(crate) dummies: Arc<Dummies>,
    pub(crate) links: Arc<Links>,
    pub(crate) commands: Arc<OpenCommands>,
    pub(crate) live: Arc<Live>,
    pub(crate) publisher: Arc<Publisher>,
}

impl Changes {
    /// Carries a change that is in the store to everything that remembers what was before.
    pub async fn carry(&self, change: Change) {
        self.tell_watches(&change);
        match change {
            Change::Site(site) => {
                // Times without a zone are read in the site's.
                self.plans.forget_site(site);
                self.tell(site, Changed::Site, None);
            }
            Change::SiteRemoved(site, devices, signals) => self.site_removed(site, &devices, &signals).await,
            Change::Device(device) => {
                self.plans.forget_device(device.site, device.id);
                self.heard.watch(&device, clock::now());
                self.tell(device.site, Changed::Device, Some(&device.code));
            }
            Change::DeviceRestored(device, commands) => {
                commands.iter().for_each(|command| self.commands.put(command));
                Box::pin(self.carry(Change::Device(device))).await;
            }
            Change::DeviceRemoved(of, signals) => self.device_removed(&of, &signals).await,
            Change::Signals(of) => {
                self.plans.forget_device(of.site, of.device);
                self.tell_of(&of, Changed::Signal);
            }
            Change::SignalsRemoved(of, signals) => {
                self.forget_signals(of.site, &signals);
                self.plans.forget_device(of.site, of.device);
                self.tell_of(&of, Changed::Signal);
            }
            Change::Meaning(of, signal) => {
                self.plans.forget_device(of.site, of.device);
                self.memories.forget(of.site, [signal]);
                self.tell_of(&of, Changed::Signal);
            }
            Change::Arrivals(of) => {
                self.plans.forget_names(of.device);
                self.tell_of(&of, Changed::Arrival);
            }
            Change::Waiting(device) => {
                self.heard.watch(&device, clock::now());
                self.tell(device.site, Changed::Arrival, Some(&device.code));
            }
            Change::Kind(site) => self.tell(site, Changed::Kind, None),
            Change::Keys(site, of) => self.keys(site, of.as_ref()),
            Change::KeysRevoked(site, of) => {
                self.keys(site, of.as_ref());
                self.end_keys().await;
            }
            Change::DummyAsked(of, test) => {
                self.dummies.watch(test);
                self.tell_of(&of, Changed::Commissioning);
            }
            Change::Commissioning(of) => self.tell_of(&of, Changed::Commissioning),
            Change::Readings(of, signals) => {
                self.latest.forget(signals.iter().copied());
                self.memories.forget(of.site, signals);
                self.tell_of(&of, Changed::Readings);
            }
            Change::HandReading(of) => self.tell_of(&of, Changed::HandReading),
            Change::History(of, signal) => {
                self.latest.forget([signal]);
                self.tell_of(&of, Changed::History);
            }
            Change::View(site) => self.tell(site, Changed::View, None),
            Change::Note(site, device) => self.tell(site, Changed::Note, device.as_deref()),
        }
    }

    /// What watches are on may be otherwise, or what they found in the history.
    fn tell_watches(&self, change: &Change) {
        let Some(alarms) = self.publisher.alarms() else { return };
        match change {
            Change::Site(site) | Change::SiteRemoved(site, ..) | Change::Kind(site) => alarms.changed(*site),
            Change::Device(device) | Change::DeviceRestored(device, _) => alarms.changed(device.site),
            Change::DeviceRemoved(of, _) | Change::Signals(of) | Change::SignalsRemoved(of, _) => {
                alarms.changed(of.site);
            }
            Change::Readings(_, signals) => alarms.made_again(signals),
            Change::History(_, signal) => alarms.made_again(&[*signal]),
            _ => {}
        }
    }

    async fn site_removed(&self, site: SiteId, devices: &[DeviceId], signals: &[SignalId]) {
        self.forget_signals(site, signals);
        self.plans.forget_site(site);
        self.plans.forget_signals(devices);
        self.memories.forget_site(site);
        self.heard.forget(|_, of| of == site);
        self.links.forget(|device| devices.contains(&device));
        self.commands.forget(devices);
        if let Some(outlet) = self.publisher.outlet() {
            outlet.site_removed(site);
        }
        self.end_keys().await;
    }

    async fn device_removed(&self, of: &Concerned, signals: &[SignalId]) {
        self.forget_signals(of.site, signals);
        self.plans.forget_device(of.site, of.device);
        self.heard.forget(|device, _| device == of.device);
        self.links.forget(|device| device == of.device);
        self.commands.forget(&[of.device]);
        self.end_keys().await;
        self.tell_of(of, Changed::DeviceRemoved);
    }

    fn forget_signals(&self, site: SiteId, signals: &[SignalId]) {
        self.latest.forget(signals.iter().copied());
        self.memories.forget(site, signals.iter().copied());
        self.dummies.forget(signals);
    }

    fn keys(&self, site: SiteId, of: Option<&Concerned>) {
        self.plans.forget_keys(site, of.map(|of| of.device));
        self.tell(site, Changed::Key, of.map(|of| of.code.as_str()));
    }

    async fn end_keys(&self) {
        if let Some(outlet) = self.publisher.outlet() {
            outlet.keys_ended().await;
        }
    }

    fn tell_of(&self, of: &Concerned, what: Changed) {
        self.tell(of.site, what, Some(&of.code));
    }

    fn tell(&self, site: SiteId, what: Changed, device: Option<&str>) {
        self.live.change(site, what, device);
    }
}
