//! Which silence explains which: what a gateway carries is not heard while the gateway is silent.

use super::Alarms;
use super::points::is_of_silence;
use lantern_core::alarm::life::Reason;
use lantern_core::{DeviceId, Moment};
use lantern_store::PointId;

impl Alarms {
    /// Covers the silence of devices whose carrier is silent too, and uncovers what that no longer explains.
    pub(super) fn cover(&self) {
        let mut points = self.points();
        let explained = |device: DeviceId| {
            let carrier = self.heard.carrier(device);
            carrier.is_some_and(|carrier| points.watches_silence(carrier) && self.explains(carrier, device))
        };
        let turned: Vec<(PointId, bool)> = points
            .iter()
            .filter(|point| is_of_silence(&point.bound.watch))
            .filter(|point| point.memory.holds() || point.state.reasons().covered)
            .filter_map(|point| {
                let is_explained = explained(point.device?);
                (is_explained != point.state.reasons().covered).then_some((point.id, is_explained))
            })
            .collect();
        for (id, is_explained) in turned {
            if let Some(point) = points.get_mut(id) {
                point.set(Reason::Covered, is_explained);
            }
        }
    }

    /// Whether nothing has come by a carrier since a device should have reported again.
    fn explains(&self, carrier: DeviceId, carried: DeviceId) -> bool {
        let last = |device| self.heard.last(device).unwrap_or(Moment::MIN);
        let interval_s = self.heard.interval_s(carried).unwrap_or_default();
        last(carrier).seconds_since(last(carried)) < interval_s
    }
}
