//! What a watch would have done, over history.

use super::Alarms;
use crate::problem::Problem;
use jiff::tz::TimeZone;
use lantern_api as api;
use lantern_core::Moment;
use lantern_core::watch::{Judge, Rule, Seen, Subject, Tried, Watch, rate};
use lantern_store::Site;

/// Signals a watch is tried on at once.
const MOST_PLACES: usize = 50;
/// Readings looked at in all.
const MOST_READINGS: usize = 5_000_000;
/// Occurrences listed of each signal.
const LISTED: usize = 200;

impl Alarms {
    /// Tries a watch over the history of all it would be on; nothing is kept.
    ///
    /// # Errors
    /// A [`Problem`] that says what cannot be so.
    pub async fn try_out(
        &self,
        site: &Site,
        watch: &Watch,
        (from, to): (Moment, Moment),
    ) -> Result<api::TriedWatch, Problem> {
        let ground = self.check(site, watch).await?;
        if watch.when.subject() != Subject::Signal {
            return Err(Problem::invalid("when", "only what is about readings can be tried over history"));
        }
        let zone = TimeZone::get(&site.zone).unwrap_or(TimeZone::UTC);
        let places = ground.places(watch);
        let all = places.len();
        let (mut tried, mut shown, mut looked_at) = (Vec::new(), Vec::new(), 0);
        for (place, signal) in places.into_iter().take(MOST_PLACES) {
            let rule =
                Rule::new(watch, signal.as_ref()).map_err(|error| Problem::invalid(error.field, &error.message))?;
            let judge = Judge { rule: &rule, zone: &zone };
            let mut one = Tried::default();
            let Some(signal) = place.1 else { continue };
            let mut scan = self.store.scan(signal, from, to);
            while let Some(run) = scan.next().await? {
                looked_at += run.len();
                for point in run.points() {
                    one.take(&judge, Seen { at: point.at, value: &point.value, quality: point.quality });
                }
                if looked_at > MOST_READINGS {
                    return Err(Problem::invalid(
                        "from",
                        format_args!("there are more than {MOST_READINGS} readings; try a shorter time"),
                    ));
                }
            }
            one.end(&judge, to);
            let (device, code) = ground.codes(place);
            shown.push(shown_place(&one, device, code));
            tried.push(one);
        }
        Ok(api::TriedWatch {
            from: from.to_string(),
            to: to.to_string(),
            readings: looked_at,
            places: shown,
            left_out: all.saturating_sub(MOST_PLACES),
            rating: rate(&tried, to.seconds_since(from)),
        })
    }
}

fn shown_place(tried: &Tried, device: String, signal: String) -> api::TriedPlace {
    let occurrence = |one: &lantern_core::watch::Occurrence| api::TriedOccurrence {
        from: one.from.to_string(),
        to: one.to.map(|to| to.to_string()),
        value: one.value.clone(),
    };
    api::TriedPlace {
        device,
        signal,
        count: tried.count,
        held_s: tried.held_s,
        longest_s: tried.longest_s,
        occurrences: tried.occurrences.iter().take(LISTED).map(occurrence).collect(),
    }
}
