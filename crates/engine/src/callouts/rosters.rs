//! Making, changing, testing and removing rosters.

use super::Callouts;
use crate::clock;
use crate::documents::{self, Document};
use crate::problem::Problem;
use crate::secret;
use lantern_api::{self as api, Changed};
use lantern_core::callout::{Callee, CalloutSort, Duty, Roster};
use lantern_store::{NewCallout, RosterRow, Site, StoreError};

/// Rosters one site may have.
const MOST_ROSTERS: usize = 100;
/// Characters of a signing key: 200 bits.
const SIGNING_KEY_LENGTH: usize = 40;

impl Document for Roster {
    const NAME: &'static str = "roster";
}

impl Callouts {
    /// Makes a roster.
    ///
    /// # Errors
    /// A [`Problem`] that says what cannot be so.
    pub async fn add(&self, site: &Site, code: &str, roster: &Roster, by: &str) -> Result<RosterRow, Problem> {
        self.check(site, roster).await?;
        if self.store.rosters(site.id, "", MOST_ROSTERS as u32).await?.len() >= MOST_ROSTERS {
            return Err(Problem::invalid("roster", format_args!("a site has at most {MOST_ROSTERS} rosters")));
        }
        let (body, key) = (documents::write(roster)?, secret::random(SIGNING_KEY_LENGTH));
        let row = self.store.add_roster((site.id, code), (&body, roster.least), &key, by, clock::now()).await;
        let row = row.map_err(|error| Problem::taken(error, "roster", code))?;
        self.publisher.changed(site.id, Changed::Roster);
        Ok(row)
    }

    /// Makes a roster say something else.
    ///
    /// # Errors
    /// A [`Problem`] that says what cannot be so, or that there is no such roster.
    pub async fn change(&self, site: &Site, code: &str, roster: &Roster, by: &str) -> Result<RosterRow, Problem> {
        self.check(site, roster).await?;
        let row = self.find(site, code).await?;
        let body = documents::write(roster)?;
        let row = self.store.change_roster(row.id, (&body, roster.least), by, clock::now()).await?;
        self.publisher.changed(site.id, Changed::Roster);
        Ok(row)
    }

    /// Removes a roster: it calls nobody any more. What it has called stays in the record.
    ///
    /// # Errors
    /// A [`Problem`] if there is no such roster.
    pub async fn remove(&self, site: &Site, code: &str) -> Result<(), Problem> {
        let row = self.find(site, code).await?;
        self.store.remove_roster(row.id).await?;
        self.publisher.changed(site.id, Changed::Roster);
        Ok(())
    }

    /// A roster of a site.
    ///
    /// # Errors
    /// A [`Problem`] if there is no such roster.
    pub async fn find(&self, site: &Site, code: &str) -> Result<RosterRow, Problem> {
        self.store.roster(site.id, code).await.map_err(|error| Problem::missing(error, "roster", code))
    }

    /// Sends a message to somebody at once, and says how that went.
    ///
    /// # Errors
    /// A [`Problem`] if there is no such roster, or nobody like that.
    pub async fn test(&self, site: &Site, code: &str, to: &str, by: &str) -> Result<Vec<api::CalloutHistory>, Problem> {
        let row = self.find(site, code).await?;
        let callee = Callee::read(to).ok_or_else(|| {
            Problem::invalid("to", "somebody's name, an e-mail address, a telephone number, https://… or topic:…")
        })?;
        let mut sent = Vec::new();
        for address in self.addresses(&callee).await? {
            let text = format!("{by} tests whether messages from {} arrive. There is nothing to do.", site.name);
            let is_for_programs = address.as_ref().is_ok_and(|(way, _)| way.knows_repeats());
            let message = NewCallout {
                site: site.id,
                roster: row.code.clone(),
                callee: callee.to_string(),
                to: address,
                sort: CalloutSort::Test,
                subject: format!("Test: {}", site.name),
                text: if is_for_programs {
                    serde_json::json!({"sort": "test", "site": site.code, "roster": row.code, "text": text}).to_string()
                } else {
                    text
                },
                link: None,
                alarms: Vec::new(),
            };
            let id = self.store.add_callout(&message, clock::now()).await?;
            let (callout, ..) = self.store.callout(site.id, id).await?;
            self.send_one(callout).await?;
            sent.push(self.history(site, id).await?);
        }
        Ok(sent)
    }

    async fn check(&self, site: &Site, roster: &Roster) -> Result<(), Problem> {
        Duty::new(roster).map_err(|error| Problem::invalid(error.field, error.message))?;
        for code in &roster.devices {
            match self.store.device(site.id, code).await {
                Ok(_) => {}
                Err(StoreError::NotFound) => {
                    return Err(Problem::invalid("devices", format_args!("there is no device {code}")));
                }
                Err(error) => return Err(error.into()),
            }
        }
        Ok(())
    }
}
