//! The way in: one pipeline for every protocol.
//!
//! A protocol turns what it got into a [`Delivery`] and the outcome back into its own answer.
//! In between, a reading's way is read here from top to bottom:
//!
//! 1. [`Intake::prepare`] finds the owner of the key, counts its allowance, reads the payload
//!    ([`dialect`]), finds the devices it is of ([`owners`]), matches names with signals and
//!    lets unknown ones wait ([`reception`]). Nothing of it is kept yet.
//! 2. [`Intake::commit`] converts and screens ([`Converter`](crate::meaning)), records
//!    durably, together with what the protocol wants kept, and publishes.
//!
//! Either notes in the contact log how the attempt ended.

mod astray;
mod delivery;
mod dialect;
mod owners;
mod reception;
mod try_out;
mod words;

pub use astray::Astray;
pub use delivery::{Body, Credential, Delivery, Target};
pub use dialect::Said;
pub use try_out::{Sample, TryOut};

use crate::allowances::Allowances;
use crate::changes::{Change, Changes, Concerned};
use crate::clock;
use crate::commands::Commands;
use crate::contacts::{Attempt, Contacts};
use crate::dummies::Dummies;
use crate::heard::Heard;
use crate::keys;
use crate::latest::Latest;
use crate::links::Links;
use crate::meaning::{Converter, IntakeOutcome};
use crate::memories::Memories;
use crate::plans::{DevicePlan, Plans};
use crate::problem::Problem;
use crate::publish::Publisher;
use crate::setting_up::SetUp;
use lantern_api::{ContactDetails, InAnswer, Outcome, Remark};
use lantern_core::state::StateChange;
use lantern_core::{DeviceId, KeyId, Moment};
use lantern_store::{Caller, Store, StoreError};
use reception::{Gathered, Reception};
use std::sync::Arc;

/// Refused values that the contact log names.
const MAX_LOGGED: usize = 5;

/// Takes deliveries in.
pub struct Intake {
    pub(crate) store: Arc<Store>,
    pub(crate) plans: Arc<Plans>,
    pub(crate) allowances: Arc<Allowances>,
    pub(crate) heard: Arc<Heard>,
    pub(crate) links: Arc<Links>,
    pub(crate) contacts: Arc<Contacts>,
    pub(crate) memories: Arc<Memories>,
    pub(crate) converter: Converter,
    pub(crate) latest: Arc<Latest>,
    pub(crate) dummies: Arc<Dummies>,
    pub(crate) changes: Arc<Changes>,
    pub(crate) publisher: Arc<Publisher>,
    pub(crate) set_up: Arc<SetUp>,
    pub(crate) commands: Arc<Commands>,
}

/// The line of the contact log that an attempt will be, as far as it is known.
struct Line {
    caller: Caller,
    /// The code of the device it is of.
    device: Option<String>,
    details: ContactDetails,
    payload: Option<Vec<u8>>,
}

/// A delivery that was understood and waits to be committed. It is passed from hand to
/// hand, so what is large in it is boxed.
pub struct Prepared {
    at: Moment,
    line: Box<Line>,
    what: What,
}

enum What {
    Readings(Box<Gathered>),
    /// It is meant for others, and cannot be read as readings.
    PassedOn(Box<InAnswer>),
}

/// What became of a delivery.
pub struct Taken {
    /// What its sender is told.
    pub answer: InAnswer,
    /// The device it was of, if of one.
    pub device: Option<DeviceId>,
}

impl Intake {
    /// Whether there is a key like this that can still be used: before a body is read for it. Says yes
    /// while the database cannot be asked, so that the sender is told of that.
    pub async fn opens(&self, credential: &Credential<'_>) -> bool {
        if !credential.can_be_one() {
            return false;
        }
        match self.plans.key_owner(&credential.hash()).await {
            Ok(owner) => keys::check(&owner, clock::now()).is_ok(),
            Err(error) => !matches!(error, StoreError::NotFound),
        }
    }

    /// Counts a request of a key that is no delivery, such as a subscription or the answer to a
    /// command. A sender that can be kept waiting waits so many seconds at most.
    ///
    /// # Errors
    /// A [`Problem`] if its allowance is used up.
    pub async fn count(&self, key: KeyId, patience_s: u64) -> Result<(), Problem> {
        reception::wait_for(patience_s, || self.allowances.request(key, clock::steady())).await
    }

    /// Takes a delivery in. What is understood is durable when this returns; the answer brings
    /// the commands that wait for its device.
    ///
    /// # Errors
    /// A [`Problem`]; nothing was kept then.
    pub async fn take(&self, delivery: Delivery<'_>) -> Result<InAnswer, Problem> {
        let prepared = self.prepare(delivery, clock::now()).await?;
        let mut taken = self.commit(prepared, Vec::new()).await?;
        if let Some(device) = taken.device
            && self.commands.has_waiting(device)
        {
            taken.answer.commands = self.commands.collect(device).await?;
        }
        Ok(taken.answer)
    }

    /// Understands a delivery that arrived at `now`. When this returns, nothing but the storage
    /// can keep it from being taken.
    ///
    /// # Errors
    /// A [`Problem`] that says why nothing of it can be taken; the contact log says it too.
    pub async fn prepare(&self, delivery: Delivery<'_>, now: Moment) -> Result<Prepared, Problem> {
        let is_aside = delivery.is_aside;
        let mut reception = Reception { intake: self, now, line: Box::new(Line::of(&delivery)) };
        let result = reception.receive(delivery).await;
        let line = reception.line;
        match result {
            Ok(gathered) => Ok(Prepared { at: now, line, what: What::Readings(Box::new(gathered)) }),
            Err(problem) if is_aside && problem.class.is_of_payload() && problem.retry_after.is_none() => {
                let detail = format!("Nothing was kept of it as readings: {} It was passed on.", problem.detail);
                let remarks = vec![Remark { code: "passed-on".to_owned(), detail }];
                let answer = InAnswer { remarks, ..InAnswer::default() };
                Ok(Prepared { at: now, line, what: What::PassedOn(Box::new(answer)) })
            }
            Err(problem) => {
                self.note(line, now, &Err(&problem));
                Err(problem)
            }
        }
    }

    /// Keeps what was prepared, together with `changes`, durably and at once.
    ///
    /// # Errors
    /// A [`Problem`]; nothing was kept then.
    pub async fn commit(&self, prepared: Prepared, changes: Vec<StateChange>) -> Result<Taken, Problem> {
        let Prepared { at, mut line, what } = prepared;
        if let What::Readings(gathered) = &what {
            let oldest = gathered.readings.iter().map(|reading| reading.at).min();
            line.details.oldest_s = oldest.map(|oldest| at.seconds_since(oldest) as u64).filter(|age| *age > 0);
        }
        let result = match what {
            What::Readings(gathered) => self.record(*gathered, changes, at).await,
            What::PassedOn(answer) => match self.store.keep(changes).await {
                Ok(()) => Ok(*answer),
                Err(error) => Err(error.into()),
            },
        };
        let device = if let Caller::Device(_, device) = line.caller { Some(device) } else { None };
        self.note(line, at, &result.as_ref());
        Ok(Taken { answer: result?, device })
    }

    async fn record(&self, gathered: Gathered, changes: Vec<StateChange>, now: Moment) -> Result<InAnswer, Problem> {
        let Gathered { mut answer, readings, of } = gathered;
        if readings.is_empty() {
            if !changes.is_empty() {
                self.store.keep(changes).await?;
            }
            return Ok(answer);
        }
        let Some((first, _)) = of.first() else { return Ok(answer) };
        let memories = self.memories.site(first.site);
        // While the pass is held, the meanings that are looked up hold.
        let _pass = memories.enter().await?;
        let meanings = self.plans.meanings(first.site).await?;
        let IntakeOutcome { readings, recorded, not_good } =
            self.converter.apply(&memories, &meanings, readings, changes, now).await?;
        answer.not_good = not_good;
        answer.repeated = recorded.repeated;
        answer.corrected = recorded.corrected;
        answer.expired = recorded.expired;
        self.latest.note(&readings);
        for (plan, range) in of {
            if self.dummies.check(&readings[range.clone()], now).await? {
                Box::pin(self.changes.carry(Change::Commissioning(concerned(&plan)))).await;
            }
            self.publisher.readings(&plan, &readings, range);
        }
        Ok(answer)
    }

    /// Notes in the contact log how an attempt ended.
    fn note(&self, line: Box<Line>, at: Moment, result: &Result<&InAnswer, &Problem>) {
        let Line { caller, device, mut details, payload } = *line;
        conclude(&mut details, result);
        self.contacts.note(Attempt { caller, device, at, details, payload });
    }
}

impl Line {
    fn of(delivery: &Delivery<'_>) -> Self {
        let details = ContactDetails {
            protocol: delivery.protocol.to_owned(),
            topic: delivery.topic.map(|topic| topic.chars().take(200).collect()),
            from: delivery.from.clone(),
            bytes: (delivery.body.as_ref().map_or(0, |body| body.sent) + delivery.query.len()) as u64,
            times: 1,
            ..ContactDetails::default()
        };
        Self { caller: Caller::Unknown, device: None, details, payload: None }
    }
}

/// Puts the outcome into a line of the contact log.
fn conclude(details: &mut ContactDetails, result: &Result<&InAnswer, &Problem>) {
    match result {
        Ok(answer) => {
            details.outcome = if answer.refused_count == 0 { Outcome::Kept } else { Outcome::Partly };
            details.kept = answer.kept as u64;
            details.repeated = answer.repeated as u64;
            details.corrected = answer.corrected as u64;
            details.ignored = answer.ignored as u64;
            details.waiting.clone_from(&answer.waiting);
            details.refused = answer.refused.iter().take(MAX_LOGGED).cloned().collect();
            details.refused_count = answer.refused_count as u64;
            details.remarks.extend(answer.remarks.iter().cloned());
        }
        Err(problem) => {
            details.outcome = Outcome::Refused;
            details.refused = problem.refused.iter().take(MAX_LOGGED).cloned().collect();
            if details.refused.is_empty() {
                details.refused = vec![problem.as_refused_value()];
            }
            details.refused_count = details.refused.len() as u64;
        }
    }
}

/// The device of a plan, as a change concerns it.
fn concerned(plan: &DevicePlan) -> Concerned {
    Concerned { site: plan.site, device: plan.device, code: plan.code.clone() }
}
