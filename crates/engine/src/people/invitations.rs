//! One-time addresses: to come in, and to choose a new password.

use super::account::taken;
use super::{People, check_person_name, new_hash};
use crate::checks::check_name;
use crate::clock;
use crate::problem::{Class, Problem};
use crate::secret;
use lantern_api as api;
use lantern_core::SiteId;
use lantern_core::access::Role;
use lantern_store::{Invitation, NewInvitation, Person, Site, StoreError};

/// Invitations that wait, in the whole service.
const MOST: u32 = 1_000;
/// Days for which a way to a new password is open.
const PASSWORD_DAYS: u32 = 2;
/// Characters of a secret: 160 bits.
const SECRET_LENGTH: usize = 32;

/// A one-time address that was made.
pub struct Made {
    /// What stands behind `#` in the address; kept nowhere.
    pub secret: String,
    /// What is kept.
    pub invitation: Invitation,
}

impl People {
    /// Invites somebody to a site.
    ///
    /// # Errors
    /// A [`Problem`] that says what cannot be so.
    pub async fn invite(&self, site: &Site, new: &api::NewInvitation, by: &str) -> Result<Made, Problem> {
        self.make(&new.for_whom, Some((site.id, new.role)), None, new.days, by).await
    }

    /// Invites somebody as administrator.
    ///
    /// # Errors
    /// A [`Problem`] that says what cannot be so.
    pub async fn invite_administrator(&self, new: &api::NewAdministrator, by: &str) -> Result<Made, Problem> {
        self.make(&new.for_whom, None, None, new.days, by).await
    }

    /// Opens a way to a new password for somebody who forgot theirs.
    ///
    /// # Errors
    /// A [`Problem`] if there is nobody of that name.
    pub async fn way_to_new_password(&self, name: &str, by: &str) -> Result<Made, Problem> {
        let person = self.person(name).await?;
        self.make(&person.name, None, Some(person.id), PASSWORD_DAYS, by).await
    }

    async fn make(
        &self,
        for_whom: &str,
        role: Option<(SiteId, Role)>,
        person: Option<i64>,
        days: u32,
        by: &str,
    ) -> Result<Made, Problem> {
        let for_whom = check_name(for_whom).map_err(|problem| match person {
            Some(_) => problem,
            None => Problem::invalid("for_whom", "1 to 120 characters, so that you know it again"),
        })?;
        if !(1..=90).contains(&days) {
            return Err(Problem::invalid("days", "1 to 90"));
        }
        let secret = secret::random(SECRET_LENGTH);
        let now = clock::now();
        let new = NewInvitation {
            secret_hash: &secret::hash(&secret),
            for_whom,
            role,
            is_administrator: role.is_none() && person.is_none(),
            person,
            invited_by: by,
            expires_at: now.plus_seconds(f64::from(days) * 86_400.0),
        };
        let invitation = self.store.add_invitation(&new, MOST, now).await.map_err(|error| match error {
            StoreError::Taken => Problem::new(
                Class::Conflict,
                "too-many-invitations",
                "Too many invitations",
                format!("{MOST} invitations wait to be used."),
                "Withdraw some, or wait until they end.",
            ),
            other => other.into(),
        })?;
        Ok(Made { secret, invitation })
    }

    /// Invitations to a site, or those to none, those after one.
    ///
    /// # Errors
    /// A [`Problem`] if the database fails.
    pub async fn invitations(
        &self,
        site: Option<&Site>,
        after: i64,
        limit: u32,
    ) -> Result<Vec<api::Invitation>, Problem> {
        let all = self.store.invitations(site.map(|site| site.id), after, limit, clock::now()).await?;
        Ok(all.iter().map(shown).collect())
    }

    /// Withdraws an invitation.
    ///
    /// # Errors
    /// A [`Problem`] if there is no such one.
    pub async fn withdraw(&self, site: Option<&Site>, id: i64) -> Result<(), Problem> {
        let withdrawn = self.store.withdraw_invitation(site.map(|site| site.id), id).await;
        withdrawn.map(drop).map_err(|e| Problem::missing(e, "invitation", &id.to_string()))
    }

    /// What a one-time address is for.
    ///
    /// # Errors
    /// A [`Problem`] if it was used, withdrawn, or has ended.
    pub async fn invited(&self, secret: &str) -> Result<api::Invited, Problem> {
        let invitation = self.by_secret(secret).await?;
        let site = match invitation.role {
            Some((id, _)) => Some(self.store.site_by_id(id).await.map_err(over)?),
            None => None,
        };
        Ok(api::Invited {
            person: invitation.person.map(|_| invitation.for_whom.clone()),
            for_whom: invitation.for_whom,
            site_code: site.as_ref().map(|site| site.code.clone()),
            site: site.map(|site| site.name),
            role: invitation.role.map(|(_, role)| role),
            is_administrator: invitation.is_administrator,
            invited_by: invitation.invited_by,
            expires_at: invitation.expires_at.to_string(),
        })
    }

    /// Lets somebody in by a one-time address, or sets their new password, and says who it is.
    ///
    /// # Errors
    /// A [`Problem`] if the address can be used no more, or name or password will not do; then it can still
    /// be used.
    pub async fn come_in(&self, come: api::ComeIn) -> Result<Person, Problem> {
        let invitation = self.by_secret(&come.secret).await?;
        if invitation.person.is_some() {
            let person = self.person(&invitation.for_whom).await?;
            self.check_second(&person, come.second.as_deref()).await?;
            let hash = new_hash("password", come.password, &person.name).await?;
            return self.store.renew_password(invitation.id, &hash, clock::now()).await.map_err(over);
        }
        let name = come.name.as_deref().ok_or_else(|| Problem::invalid("name", "say how you want to be called"))?;
        let name = check_person_name(name)?;
        let hash = new_hash("password", come.password, name).await?;
        self.store.come_in(invitation.id, name, &hash, clock::now()).await.map_err(|error| match error {
            StoreError::NotFound => over(StoreError::NotFound),
            other => taken(other, name),
        })
    }

    /// Gives somebody who is here already what an invitation gives.
    ///
    /// # Errors
    /// A [`Problem`] if it can be used no more, or is for a new password.
    pub async fn accept(&self, person: &Person, secret: &str) -> Result<(), Problem> {
        let invitation = self.by_secret(secret).await?;
        if invitation.person.is_some() {
            return Err(Problem::invalid("secret", "this address is for a new password; log out to use it"));
        }
        self.store.accept_invitation(invitation.id, person.id, clock::now()).await.map_err(over)
    }

    async fn by_secret(&self, secret: &str) -> Result<Invitation, Problem> {
        self.store.invitation(&secret::hash(secret.trim()), clock::now()).await.map_err(over)
    }
}

/// An invitation as it is shown.
pub fn shown(invitation: &Invitation) -> api::Invitation {
    api::Invitation {
        id: invitation.id,
        for_whom: invitation.for_whom.clone(),
        role: invitation.role.map(|(_, role)| role),
        is_administrator: invitation.is_administrator,
        invited_by: invitation.invited_by.clone(),
        created_at: invitation.created_at.to_string(),
        expires_at: invitation.expires_at.to_string(),
    }
}

fn over(error: StoreError) -> Problem {
    match error {
        StoreError::NotFound => Problem::new(
            Class::Missing,
            "invitation-over",
            "This address is over",
            "The one-time address was used, was withdrawn, or has ended.",
            "Ask whoever sent it for a new one.",
        ),
        other => other.into(),
    }
}
