//! How alarms did over a time.

use super::Alarms;
use super::counted::MOST;
use crate::problem::Problem;
use jiff::tz::TimeZone;
use lantern_api as api;
use lantern_core::Moment;
use lantern_core::alarm::Severity;
use lantern_core::alarm::figures::{Place, sum_up};
use lantern_store::{Site, StoreError};

/// Operators who may share alarms.
const OPERATORS: std::ops::RangeInclusive<f64> = 1.0..=1_000.0;

impl Alarms {
    /// Sums up the alarms of a site between two times, for so many operators who share them.
    ///
    /// # Errors
    /// A [`Problem`]: there are too many, or too few operators.
    pub async fn figures(
        &self,
        site: &Site,
        (from, to): (Moment, Moment),
        operators: f64,
    ) -> Result<api::AlarmFigures, Problem> {
        if !OPERATORS.contains(&operators) {
            return Err(Problem::invalid("operators", "from 1 to 1000"));
        }
        let zone = TimeZone::get(&site.zone).unwrap_or(TimeZone::UTC);
        let found = {
            let mut counted = self.counted.lock().await;
            let Some(alarms) = counted.of_site(&self.store, site.id, from).await? else {
                let text = format_args!("more than {MOST} alarms were raised since then; begin later");
                return Err(Problem::invalid("from", text));
            };
            sum_up(alarms.between(from, to), (from, to), operators, &zone)
        };
        let severities = Severity::ALL.iter().zip(found.severities);
        let (frequent, longest) = (self.named(site, found.frequent).await?, self.named(site, found.longest).await?);
        Ok(api::AlarmFigures {
            from: from.to_string(),
            to: to.to_string(),
            operators,
            count: found.count,
            severities: severities.map(|(severity, count)| api::SeverityCount { severity: *severity, count }).collect(),
            acknowledged: found.acknowledged,
            to_acknowledge_s: found.to_acknowledge_s,
            days: found.days.into_iter().map(|(day, count)| api::AlarmDay { day: day.to_string(), count }).collect(),
            figures: found.figures,
            frequent,
            longest,
        })
    }

    async fn named(&self, site: &Site, places: Vec<Place>) -> Result<Vec<api::AlarmPlace>, Problem> {
        let mut named = Vec::with_capacity(places.len());
        for Place { point, count, stood_s, longest_s } in places {
            match self.store.alarm_place(site.id, point).await {
                Ok(place) => named.push(api::AlarmPlace {
                    watch: place.watch,
                    name: place.name,
                    device: place.device,
                    signal: place.signal,
                    count,
                    stood_s,
                    longest_s,
                }),
                // It was removed with its device just now.
                Err(StoreError::NotFound) => {}
                Err(error) => return Err(error.into()),
            }
        }
        Ok(named)
    }
}
