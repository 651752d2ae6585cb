//! What devices and the service are judged by, each minute.

use super::Alarms;
use super::judging::tell;
use crate::clock;
use lantern_core::watch::When;
use lantern_core::{DeviceId, Value};
use lantern_store::{PointId, StoreError};

/// Hours of messages that are counted.
const DAY_S: f64 = 86_400.0;
/// Messages below which a share of lost ones means nothing.
const FEWEST: u64 = 20;

/// What a point is measured by.
enum Measured {
    Losses(DeviceId),
    Disk,
    Clock,
}

impl Alarms {
    /// Measures what is watched and is no reading.
    pub(super) async fn measure(&self) -> Result<(), StoreError> {
        let wanted: Vec<(PointId, Measured)> = {
            let points = self.points();
            let of = |when: &When, device: Option<DeviceId>| match when {
                When::Losses { .. } => device.map(Measured::Losses),
                When::Disk { .. } => Some(Measured::Disk),
                When::Clock {} => Some(Measured::Clock),
                _ => None,
            };
            points.iter().filter_map(|point| Some((point.id, of(&point.bound.watch.when, point.device)?))).collect()
        };
        let now = clock::now();
        for (id, measured) in wanted {
            let value = match measured {
                Measured::Losses(device) => self.losses(device).await?.map(Value::Number),
                Measured::Disk => self.healths.full_in_days().await?.map(Value::Number),
                Measured::Clock => Some(Value::Flag(self.healths.has_leapt())),
            };
            let _writing = self.writing.lock().await;
            let mut points = self.points();
            if let (Some(point), Some(value)) = (points.get_mut(id), value) {
                tell(point, now, &value);
            }
        }
        Ok(())
    }

    /// The share of a device's messages of the last day that did not come through.
    async fn losses(&self, device: DeviceId) -> Result<Option<f64>, StoreError> {
        let from = clock::now().plus_seconds(-DAY_S);
        let mut totals = self.store.link_totals(&[device], from).await?;
        let mut counts = totals.remove(&device).unwrap_or_default();
        counts.add(self.links.unwritten(device));
        let all = counts.received + counts.lost;
        Ok(counts.delivery_ratio().filter(|_| all >= FEWEST).map(|ratio| 1.0 - ratio))
    }
}
