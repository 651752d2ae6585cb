//! The alarms that go on or wait for somebody, from memory.

use super::Alarms;
use super::points::Point;
use lantern_core::alarm::Severity;
use lantern_core::alarm::life::State;
use lantern_core::lamp::Lamp;
use lantern_core::{DeviceId, SiteId};
use std::cmp::Reverse;
use std::collections::HashMap;

/// One of them.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct OpenAlarm {
    /// How soon somebody has to act.
    pub severity: Severity,
    /// What its watch is called.
    pub name: String,
    /// How it is.
    pub state: State,
}

/// Those of some devices, the worst of each first; those of the service under no device.
#[derive(Debug, Default)]
pub struct OpenAlarms(HashMap<Option<DeviceId>, Vec<OpenAlarm>>);

impl OpenAlarms {
    /// Those of a device, the worst first.
    #[must_use]
    pub fn of(&self, device: DeviceId) -> &[OpenAlarm] {
        self.0.get(&Some(device)).map_or(&[], Vec::as_slice)
    }

    /// What they make of the lamp of a device or of the service.
    #[must_use]
    pub fn lamp(&self, device: Option<DeviceId>) -> Lamp {
        let of = self.0.get(&device).into_iter().flatten();
        Lamp::worst(of.map(|alarm| Lamp::of_alarm(alarm.state, alarm.severity)))
    }

    /// The worst of all.
    #[must_use]
    pub fn worst(&self) -> Option<&OpenAlarm> {
        self.0.values().filter_map(|of| of.first()).max_by_key(|alarm| rank(alarm))
    }
}

/// What is waited for comes before what somebody knows of.
fn rank(alarm: &OpenAlarm) -> (bool, Severity) {
    (alarm.state.is_pending(), alarm.severity)
}

impl Alarms {
    /// Those of all sites.
    #[must_use]
    pub fn open(&self) -> OpenAlarms {
        self.open_where(|_| true)
    }

    /// Those of a site.
    #[must_use]
    pub fn open_at(&self, site: SiteId) -> OpenAlarms {
        self.open_where(|point| point.bound.site == site)
    }

    fn open_where(&self, is_wanted: impl Fn(&Point) -> bool) -> OpenAlarms {
        let is_open = |state: State| state.is_pending() || state == State::Acknowledged;
        let mut all: HashMap<Option<DeviceId>, Vec<OpenAlarm>> = HashMap::new();
        for point in self.points().iter().filter(|point| is_open(point.state) && is_wanted(point)) {
            let (severity, name) = (point.rule.severity, point.bound.watch.name.clone());
            all.entry(point.device).or_default().push(OpenAlarm { severity, name, state: point.state });
        }
        all.values_mut().for_each(|of| of.sort_by_key(|alarm| Reverse(rank(alarm))));
        OpenAlarms(all)
    }
}
