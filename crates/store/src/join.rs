//! Numbers of two or more signals that become the positions of one.

use crate::{Store, StoreError};
use lantern_core::fix::{Fix, FixPart};
use lantern_core::quality::Quality;
use lantern_core::screen::unscreened;
use lantern_core::series::{Point, Run};
use lantern_core::units::UnitChange;
use lantern_core::{DeviceId, Moment, Reading, SignalId, Value};
use std::collections::HashMap;
use std::sync::Arc;

/// A signal whose numbers are a part of positions.
#[derive(Debug, Clone)]
pub struct PartSource {
    /// Which part.
    pub part: FixPart,
    /// The signal.
    pub signal: SignalId,
    /// The name its values are sent under.
    pub name: String,
    /// How they become numbers of the part's unit, if they are in another.
    pub change: Option<UnitChange>,
}

/// What became of the readings of such signals.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct JoinedReadings {
    /// Positions that were made.
    pub joined: u64,
    /// Readings of which there was no other half of the same time.
    pub left: u64,
}

impl PartSource {
    fn number(&self, point: &Point) -> Option<f64> {
        let number = point.value.as_number()?;
        let number = self.change.as_ref().map_or(number, |change| change.apply(number));
        number.is_finite().then_some(number)
    }
}

impl Store {
    /// Says that what comes under the names of some signals is a part of a position from now
    /// on.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn name_parts(
        &self,
        device: DeviceId,
        position: SignalId,
        sources: &[PartSource],
    ) -> Result<(), StoreError> {
        let mut transaction = self.write.begin_with("BEGIN IMMEDIATE").await?;
        for source in sources {
            sqlx::query(
                "INSERT INTO signal_name (device_id, name, signal_id, part) VALUES (?, ?, ?, ?)
                 ON CONFLICT DO UPDATE SET signal_id = excluded.signal_id, part = excluded.part",
            )
            .bind(device.0)
            .bind(&source.name)
            .bind(position.0)
            .bind(source.part.as_str())
            .execute(&mut *transaction)
            .await?;
        }
        transaction.commit().await?;
        Ok(())
    }

    /// Makes positions of readings of the same time, and records them for a signal. The
    /// sources keep theirs.
    ///
    /// # Errors
    /// [`StoreError::Database`] and [`StoreError::Recorder`]. It may be done again without
    /// harm.
    pub async fn join_readings(
        &self,
        position: SignalId,
        sources: &[PartSource],
        now: Moment,
    ) -> Result<JoinedReadings, StoreError> {
        let of = |part| sources.iter().find(|source| source.part == part);
        let Some(first) = of(FixPart::Latitude) else { return Ok(JoinedReadings::default()) };
        let others: Vec<&PartSource> = sources.iter().filter(|source| source.part != FixPart::Latitude).collect();
        let mut found = JoinedReadings::default();
        let mut used = 0;
        let mut scan = self.scan(first.signal, Moment::MIN, Moment::MAX);
        while let Some(run) = scan.next().await? {
            let beside = self.beside(&run, &others).await?;
            let mut fixes = Vec::with_capacity(run.len());
            for point in run.points() {
                let at = point.at.as_micros();
                let part = |part: FixPart| beside.get(&(at, part)).copied();
                let place = first.number(&point).zip(part(FixPart::Longitude));
                let Some((latitude, (longitude, quality))) = place else {
                    found.left += 1;
                    continue;
                };
                let (altitude, accuracy) = (part(FixPart::Altitude), part(FixPart::Accuracy));
                used += 1 + u64::from(altitude.is_some()) + u64::from(accuracy.is_some());
                let fix = Fix {
                    latitude,
                    longitude,
                    altitude_m: altitude.map(|(metres, _)| metres),
                    accuracy_m: accuracy.map(|(metres, _)| metres),
                };
                let value = Value::from(fix);
                let quality = worst([point.quality, quality, unscreened(&value)]);
                fixes.push(Reading { quality, ..Reading::good(position, point.at, value) });
            }
            found.joined += fixes.len() as u64;
            self.record(Arc::new(fixes), now).await?;
        }
        for other in others {
            let mut scan = self.scan(other.signal, Moment::MIN, Moment::MAX);
            while let Some(run) = scan.next().await? {
                found.left += run.len() as u64;
            }
        }
        found.left -= used;
        Ok(found)
    }

    /// The numbers of other parts at the times of a run.
    async fn beside(
        &self,
        run: &Run,
        others: &[&PartSource],
    ) -> Result<HashMap<(i64, FixPart), (f64, Quality)>, StoreError> {
        let mut beside = HashMap::new();
        let Some((first, last)) = run.points().next().zip(run.points().next_back()) else { return Ok(beside) };
        for other in others {
            let mut scan = self.scan(other.signal, first.at, last.at.next());
            while let Some(run) = scan.next().await? {
                let known = run.points().filter_map(|point| {
                    Some(((point.at.as_micros(), other.part), (other.number(&point)?, point.quality)))
                });
                beside.extend(known);
            }
        }
        Ok(beside)
    }
}

/// The least that can be believed of what is made of several.
fn worst(qualities: [Quality; 3]) -> Quality {
    let rank = |quality: &Quality| match quality {
        Quality::Good => 0,
        Quality::Suspect(_) => 1,
        Quality::Rejected(_) => 2,
    };
    qualities.into_iter().max_by_key(rank).unwrap_or_default()
}
