//! Rosters and messages as they are shown.

use super::Callouts;
use crate::clock;
use crate::documents;
use crate::problem::Problem;
use lantern_api as api;
use lantern_core::callout::{Callee, Duty, Roster};
use lantern_store::{AttemptRow, CalloutRow, RosterRow, Site, StoreError};

impl Callouts {
    /// A roster, with who is called now and what is in the way.
    ///
    /// # Errors
    /// [`StoreError`].
    pub async fn shown(&self, row: RosterRow) -> Result<api::SiteRoster, StoreError> {
        let (roster, damaged) = match documents::read::<Roster>(&row.body) {
            Ok(roster) => (Some(roster), None),
            Err(damaged) => (None, Some(damaged.to_string())),
        };
        let (mut on_duty, mut troubles) = (Vec::new(), Vec::new());
        if let Some(duty) = roster.as_ref().and_then(|roster| Duty::new(roster).ok()) {
            let zone = self.plans.zone(row.site).await?;
            on_duty = duty.on_duty(clock::now(), &zone).iter().map(ToString::to_string).collect();
            troubles = self.troubles(&duty).await?;
        }
        let (changed_by, changed_at) = row.changed.map_or((None, None), |(who, at)| (Some(who), Some(at.to_string())));
        Ok(api::SiteRoster {
            code: row.code,
            roster,
            damaged,
            on_duty,
            troubles,
            made_by: row.made.0,
            made_at: row.made.1.to_string(),
            changed_by,
            changed_at,
        })
    }

    async fn troubles(&self, duty: &Duty) -> Result<Vec<String>, StoreError> {
        let mut seen: Vec<&Callee> = Vec::new();
        let mut troubles = Vec::new();
        for callee in duty.everybody() {
            if seen.contains(&callee) {
                continue;
            }
            seen.push(callee);
            for to in self.addresses(callee).await? {
                match to {
                    Err(trouble) => troubles.push(trouble),
                    Ok((way, _)) if !self.can_send(way) => {
                        troubles.push(format!("{callee}: nothing is set up that sends by {}.", way.as_str()));
                    }
                    Ok(_) => {}
                }
            }
        }
        Ok(troubles)
    }

    /// A message with all that is known of it.
    ///
    /// # Errors
    /// A [`Problem`] if there is no such message.
    pub async fn history(&self, site: &Site, id: i64) -> Result<api::CalloutHistory, Problem> {
        let found = self.store.callout(site.id, id).await;
        let (row, attempts, alarms) = found.map_err(|error| Problem::missing(error, "callout", &id.to_string()))?;
        Ok(api::CalloutHistory {
            text: row.text.clone(),
            callout: callout(row),
            attempts: attempts.into_iter().map(attempt).collect(),
            alarms,
        })
    }
}

/// A message.
#[must_use]
pub fn callout(row: CalloutRow) -> api::Callout {
    api::Callout {
        id: row.id,
        roster: row.roster,
        callee: row.callee,
        way: row.way,
        address: row.address,
        sort: row.sort,
        subject: row.subject,
        state: row.state,
        attempts: row.attempts,
        made_at: row.made_at.to_string(),
        next_at: row.next_at.map(|at| at.to_string()),
        ended_at: row.ended_at.map(|at| at.to_string()),
    }
}

fn attempt(row: AttemptRow) -> api::CalloutAttempt {
    api::CalloutAttempt {
        began_at: row.began_at.to_string(),
        ended_at: row.ended_at.map(|at| at.to_string()),
        outcome: row.outcome,
        said: row.said,
    }
}
