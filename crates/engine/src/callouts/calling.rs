//! Alarms in the hands of rosters become messages.

use super::Callouts;
use super::deciding::{Decided, Group, Wanted, decide};
use crate::clock;
use crate::{documents, secret};
use lantern_core::Moment;
use lantern_core::callout::{Address, Callee, CalloutSort, Duty, Roster, Way, gathers, waits_s};
use lantern_store::{Calling, CallingChange, NewCallout, RosterId, RosterRow, Site, StoreError};
use std::collections::BTreeMap;

/// Callings looked at in one go.
const AT_ONCE: u32 = 2_000;
/// A roster that cannot be read is looked at again after so many seconds.
const LOOK_AGAIN_S: f64 = 60.0;
/// Whoever cannot be reached at all is passed over after so many seconds.
const PASSED_OVER_S: f64 = 1.0;
/// An address acknowledges for so many seconds.
const LINK_S: f64 = 86_400.0;
/// Characters of its secret: 160 bits.
const SECRET_LENGTH: usize = 32;

/// Where somebody can be reached, or why not.
type Reach = Result<(Way, String), String>;

/// A roster, read.
pub(super) struct Reading {
    pub(super) row: RosterRow,
    pub(super) duty: Duty,
    pub(super) site: Site,
}

impl Callouts {
    /// Does what is due for all alarms that are in the hands of a roster.
    pub async fn call(&self) -> Result<(), StoreError> {
        let now = clock::now();
        let mut of_rosters: BTreeMap<RosterId, Vec<Calling>> = BTreeMap::new();
        for calling in self.store.callings(now, AT_ONCE).await? {
            of_rosters.entry(calling.roster).or_default().push(calling);
        }
        for (roster, callings) in of_rosters {
            self.call_by(roster, callings, now).await?;
        }
        Ok(())
    }

    async fn call_by(&self, roster: RosterId, callings: Vec<Calling>, now: Moment) -> Result<(), StoreError> {
        let Some(reading) = self.read(roster).await? else {
            let later = CallingChange::Step;
            let changes: Vec<_> =
                callings.iter().map(|one| (one.id, later(one.step, now.plus_seconds(LOOK_AGAIN_S)))).collect();
            return self.store.call_out(&changes, &[], now).await;
        };
        let zone = self.plans.zone(reading.site.id).await?;
        let Decided { mut changes, groups, ended } = decide(&reading.duty, callings, now, &zone);
        let mut messages = Vec::new();
        for group in groups {
            messages.extend(self.messages(&reading, &group, &mut changes, now).await?);
        }
        for (group, addresses) in self.ended(&reading, ended).await? {
            messages.extend(self.bunched(&reading, &group, &addresses, now).await?);
        }
        let changes: Vec<_> = changes.into_iter().collect();
        self.store.call_out(&changes, &messages, now).await
    }

    /// Reads a roster; none if it cannot be read, or is gone with its site.
    async fn read(&self, roster: RosterId) -> Result<Option<Reading>, StoreError> {
        let row = match self.store.roster_by_id(roster).await {
            Ok(row) => row,
            Err(StoreError::NotFound) => return Ok(None),
            Err(error) => return Err(error),
        };
        let site = match self.store.site_by_id(row.site).await {
            Ok(site) => site,
            Err(StoreError::NotFound) => return Ok(None),
            Err(error) => return Err(error),
        };
        let duty = documents::read::<Roster>(&row.body).map_err(|error| error.to_string());
        match duty.and_then(|roster| Duty::new(&roster).map_err(|error| error.to_string())) {
            Ok(duty) => Ok(Some(Reading { row, duty, site })),
            Err(error) => {
                tracing::error!(roster = row.code, error, "a roster cannot be read, and calls nobody");
                Ok(None)
            }
        }
    }

    /// The messages to one callee; none if they got so many lately that the rest has to wait.
    async fn messages(
        &self,
        reading: &Reading,
        group: &Group,
        changes: &mut BTreeMap<i64, CallingChange>,
        now: Moment,
    ) -> Result<Vec<NewCallout>, StoreError> {
        let Group { callee, wanted, callings } = group;
        if *wanted == Wanted::Call {
            let name = callee.to_string();
            let recent = self.store.recent_callouts(reading.site.id, &reading.row.code, &name, now).await?;
            let worst = callings.iter().map(|calling| calling.alarm.severity).max().unwrap_or_default();
            if let Some(wait_s) = waits_s(recent, worst) {
                // The step is taken back.
                let later = now.plus_seconds(wait_s);
                set(changes, callings, |step| CallingChange::Step(step.saturating_sub(1), later));
                return Ok(Vec::new());
            }
        }
        let addresses = self.addresses(callee).await?;
        let is_reachable = addresses.iter().any(|to| to.as_ref().is_ok_and(|(way, _)| self.can_send(*way)));
        if *wanted == Wanted::Call && !is_reachable {
            // Nobody is waited for who cannot be reached.
            let soon = now.plus_seconds(PASSED_OVER_S);
            set(changes, callings, |step| CallingChange::Step(step, soon));
        }
        self.bunched(reading, group, &addresses, now).await
    }

    /// A message to each address for each alarm, or one for all if there are many.
    async fn bunched(
        &self,
        reading: &Reading,
        group: &Group,
        addresses: &[Reach],
        now: Moment,
    ) -> Result<Vec<NewCallout>, StoreError> {
        let Group { callee, wanted, callings } = group;
        let name = callee.to_string();
        let bunches: Vec<&[Calling]> =
            if gathers(callings.len()) { vec![callings] } else { callings.chunks(1).collect() };
        let mut messages = Vec::new();
        for bunch in bunches {
            for to in addresses {
                messages.push(self.new_message(reading, &name, to.clone(), *wanted, bunch, now).await?);
            }
        }
        Ok(messages)
    }

    async fn new_message(
        &self,
        reading: &Reading,
        callee: &str,
        to: Reach,
        wanted: Wanted,
        callings: &[Calling],
        now: Moment,
    ) -> Result<NewCallout, StoreError> {
        let alarms: Vec<_> = callings.iter().map(|calling| &calling.alarm).collect();
        let way = to.as_ref().map_or(Way::Mail, |(way, _)| *way);
        // Whoever may read the topics of a site may not acknowledge for that.
        let can_answer =
            wanted != Wanted::End && way != Way::Topic && alarms.iter().any(|alarm| alarm.acknowledged.is_none());
        let secret = can_answer.then(|| secret::random(SECRET_LENGTH));
        let link = secret.as_deref().and_then(|secret| self.link(secret)).unwrap_or_default();
        let (subject, text) = self.words(reading, way, &alarms, wanted, &link).await?;
        Ok(NewCallout {
            site: reading.site.id,
            roster: reading.row.code.clone(),
            callee: callee.to_owned(),
            to,
            sort: if wanted == Wanted::End { CalloutSort::End } else { CalloutSort::Call },
            subject,
            text,
            link: secret.map(|secret| (secret::hash(&secret), now.plus_seconds(LINK_S))),
            alarms: alarms.iter().map(|alarm| alarm.id).collect(),
        })
    }

    fn link(&self, secret: &str) -> Option<String> {
        let post = self.post.get().filter(|post| !post.public_url.is_empty())?;
        Some(format!("{}/acknowledge#{secret}", post.public_url.trim_end_matches('/')))
    }

    /// Where somebody can be reached, or why not.
    pub(super) async fn addresses(&self, callee: &Callee) -> Result<Vec<Reach>, StoreError> {
        let name = match callee {
            Callee::Address(address) => return Ok(vec![Ok(written(address))]),
            Callee::Person(name) => name,
        };
        let person = match self.store.person_by_name(name).await {
            Ok(person) => person,
            Err(StoreError::NotFound) => return Ok(vec![Err(format!("There is nobody of the name {name}."))]),
            Err(error) => return Err(error),
        };
        let known: Vec<Address> = person.addresses.iter().filter_map(|address| address.parse().ok()).collect();
        let sendable = known.iter().map(written).filter(|(way, _)| self.can_send(*way)).map(Ok).collect::<Vec<_>>();
        if !sendable.is_empty() {
            return Ok(sendable);
        }
        Ok(vec![Err(match known.first() {
            None => format!("{name} has given no address that a message can be sent to."),
            Some(_) => format!("{name} can be reached only in ways that this service is not set up for."),
        })])
    }

    /// Groups those who are to be told that alarms are over, so that each is told once, where they were called.
    async fn ended(&self, reading: &Reading, callings: Vec<Calling>) -> Result<Vec<(Group, Vec<Reach>)>, StoreError> {
        let mut groups: Vec<(Group, Vec<Reach>)> = Vec::new();
        for calling in callings {
            for (who, way, address) in self.store.called(calling.alarm.id, &reading.row.code).await? {
                let callee = Callee::read(&who).filter(|callee| reading.duty.says_end_to(callee));
                let Some(callee) = callee else { continue };
                let to = Ok((way, address));
                let Some((group, addresses)) = groups.iter_mut().find(|(group, _)| group.callee == callee) else {
                    groups.push((Group { callee, wanted: Wanted::End, callings: vec![calling.clone()] }, vec![to]));
                    continue;
                };
                if group.callings.last().is_none_or(|last| last.id != calling.id) {
                    group.callings.push(calling.clone());
                }
                if !addresses.contains(&to) {
                    addresses.push(to);
                }
            }
        }
        Ok(groups)
    }
}

/// Decides otherwise for callings that were to take a step.
fn set(changes: &mut BTreeMap<i64, CallingChange>, callings: &[Calling], otherwise: impl Fn(u32) -> CallingChange) {
    for calling in callings {
        if let Some(CallingChange::Step(step, _)) = changes.get(&calling.id).copied() {
            changes.insert(calling.id, otherwise(step));
        }
    }
}

fn written(address: &Address) -> (Way, String) {
    (address.way(), address.to_string())
}
