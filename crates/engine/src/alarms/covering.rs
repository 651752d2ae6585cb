//! Which silence explains which: what a gateway carries is not heard while the gateway is silent.

use super::Alarms;
use super::points::is_of_silence;
use lantern_core::alarm::life::Reason;
use lantern_core::{DeviceId, Moment};
use lantern_store::PointId;

impl Alarms {
    /// Covers the silence of devices whose carrier is silent too, and uncovers what that no longer explains.
    pub(super) fn cover(&self) {
        let points = self.points();
        let silent: Vec<(PointId, DeviceId, bool)> = points
            .iter()
            .filter(|point| {
                is_of_silence(&point.bound.watch) && (point.memory.holds() || point.state.reasons().covered)
            })
            .filter_map(|point| Some((point.id, point.device?, point.state.reasons().covered)))
            .collect();
        let judged: Vec<(PointId, Option<DeviceId>, bool)> = silent
            .into_iter()
            .map(|(point, device, is_covered)| {
                let cause = self
                    .heard
                    .carrier(device)
                    .filter(|carrier| points.watches_silence(*carrier) && self.explains(*carrier, device));
                (point, cause, is_covered)
            })
            .filter(|(_, cause, is_covered)| cause.is_some() != *is_covered)
            .collect();
        drop(points);
        let mut points = self.points();
        for (id, cause, _) in judged {
            if let Some(point) = points.get_mut(id) {
                point.set(Reason::Covered, cause.is_some());
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
