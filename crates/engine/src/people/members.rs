//! Roles on a site, and people of the service.

use super::People;
use crate::clock;
use crate::problem::{Class, Problem};
use lantern_api as api;
use lantern_core::access::Role;
use lantern_store::{Person, Site, StoreError};

impl People {
    /// A person by name.
    ///
    /// # Errors
    /// A [`Problem`] if there is nobody of that name.
    pub async fn person(&self, name: &str) -> Result<Person, Problem> {
        self.store.person_by_name(name).await.map_err(|e| Problem::missing(e, "person", name))
    }

    /// People with a role on a site, by name, those after one.
    ///
    /// # Errors
    /// A [`Problem`] if the database fails.
    pub async fn members(&self, site: &Site, after: &str, limit: u32) -> Result<Vec<api::Member>, Problem> {
        let members = self.store.members(site.id, after, limit).await?;
        let shown = |member: lantern_store::Member| api::Member {
            name: member.person.name,
            role: member.role,
            since: member.since.to_string(),
        };
        Ok(members.into_iter().map(shown).collect())
    }

    /// One of them.
    ///
    /// # Errors
    /// A [`Problem`] if they have no role there.
    pub async fn member(&self, site: &Site, name: &str) -> Result<Role, Problem> {
        let person = self.person(name).await?;
        self.role_of(site, &person).await
    }

    async fn role_of(&self, site: &Site, person: &Person) -> Result<Role, Problem> {
        self.store.member(site.id, person.id).await.map_err(|e| Problem::missing(e, "person", &person.name))
    }

    /// Gives someone of a site another role.
    ///
    /// # Errors
    /// A [`Problem`] if they have no role there: people come by invitation.
    pub async fn change_member(&self, site: &Site, name: &str, role: Role) -> Result<(), Problem> {
        let person = self.person(name).await?;
        self.role_of(site, &person).await?;
        Ok(self.store.set_member(site.id, person.id, role, clock::now()).await?)
    }

    /// Takes someone's role on a site away.
    ///
    /// # Errors
    /// A [`Problem`] if they have none there.
    pub async fn remove_member(&self, site: &Site, name: &str) -> Result<(), Problem> {
        let person = self.person(name).await?;
        self.store.remove_member(site.id, person.id).await.map_err(|e| Problem::missing(e, "person", name))
    }

    /// People of the service, by name, those after one.
    ///
    /// # Errors
    /// A [`Problem`] if the database fails.
    pub async fn everyone(&self, after: &str, limit: u32) -> Result<Vec<api::Person>, Problem> {
        let mut shown = Vec::new();
        for person in self.store.people(after, limit).await? {
            shown.push(self.shown_person(person).await?);
        }
        Ok(shown)
    }

    /// One person, as an administrator sees them.
    ///
    /// # Errors
    /// A [`Problem`] if the database fails.
    pub async fn shown_person(&self, person: Person) -> Result<api::Person, Problem> {
        Ok(api::Person {
            sites: self.sites_of(person.id).await?,
            name: person.name,
            is_administrator: person.is_administrator,
            has_second_factor: person.second.is_some_and(|factor| factor.since.is_some()),
            created_at: person.created_at.to_string(),
        })
    }

    /// Changes what an administrator wants changed of a person.
    ///
    /// # Errors
    /// A [`Problem`] if it cannot be so.
    pub async fn change_person(&self, name: &str, change: &api::PersonChange) -> Result<Person, Problem> {
        let person = self.person(name).await?;
        match change.has_second_factor {
            Some(true) => {
                let detail = "people set their second factor up themselves; here it can only be taken away";
                return Err(Problem::invalid("has_second_factor", detail));
            }
            Some(false) => self.store.end_second(person.id).await?,
            None => {}
        }
        if let Some(is_administrator) = change.is_administrator {
            let set = self.store.set_administrator(person.id, is_administrator).await;
            set.map_err(|error| last_administrator(error, &person.name))?;
        }
        self.person(name).await
    }

    /// Removes a person with their log-ins, tokens and roles; what they did stays in the record.
    ///
    /// # Errors
    /// A [`Problem`] if they are the last administrator.
    pub async fn remove_person(&self, name: &str) -> Result<(), Problem> {
        let person = self.person(name).await?;
        let removed = self.store.remove_person(person.id, clock::now()).await;
        removed.map_err(|error| last_administrator(error, &person.name))
    }
}

fn last_administrator(error: StoreError, name: &str) -> Problem {
    match error {
        StoreError::NotFound => Problem::new(
            Class::Conflict,
            "last-administrator",
            "Nobody else runs the service",
            format!("{name} is the last administrator."),
            "Make somebody else an administrator first.",
        ),
        other => other.into(),
    }
}
