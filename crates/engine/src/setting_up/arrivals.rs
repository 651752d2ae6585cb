//! Arrivals: giving what waits its place.

use super::{DeviceSection, SetUp};
use crate::changes::{Change, Concerned};
use crate::checks::{check_signal, place_code};
use crate::clock;
use crate::definitions::meaning_of;
use crate::find;
use crate::plans::sent_in;
use crate::problem::Problem;
use lantern_api::{Claim, Claimed, DeviceClaim};
use lantern_core::intake::adapt;
use lantern_core::meaning::Meaning;
use lantern_core::series::Point;
use lantern_core::units::{UnitChange, UnitCode};
use lantern_core::{DeviceState, Moment, Value};
use lantern_store::{Device, DeviceChange, Moved, Signal, Site};

/// Readings counted, at most.
const COUNT_LIMIT: u32 = 1_000_000;

impl SetUp {
    /// Claims an arrival: for a signal of its own, or into a declared one, whose other
    /// name it becomes. What came before goes with it.
    ///
    /// # Errors
    /// A [`Problem`] that says what cannot be so.
    pub async fn claim(&self, device: &Device, name: &str, claim: Claim, by: &str) -> Result<Claimed, Problem> {
        let arrival = self.arrival(device, name).await?;
        let claimed = match claim {
            Claim::Into(into) => self.claim_into(device, &arrival, &into.into, by).await?,
            Claim::New(new) => {
                let declared = check_signal(&new)?;
                let claimed = self.store.claim_as_new(&arrival, declared.to_new()).await;
                let signal = claimed.map_err(|e| Problem::taken(e, "signal", &declared.code))?;
                let moved = self.store.count_readings(signal.id, COUNT_LIMIT).await?.count;
                Claimed { signal: signal.code, moved, left: 0 }
            }
        };
        self.changes.carry(Change::Signals(Concerned::from(device))).await;
        Ok(claimed)
    }

    async fn arrival(&self, device: &Device, name: &str) -> Result<Signal, Problem> {
        self.store.arrival(device.id, name).await.map_err(|e| Problem::missing(e, "arrival", name))
    }

    async fn claim_into(&self, device: &Device, arrival: &Signal, into: &str, by: &str) -> Result<Claimed, Problem> {
        let target = find::signal(&self.store, device, into).await?;
        if meaning_of(&target)?.is_some_and(|meaning| meaning.formula.is_some()) {
            let detail = format_args!("`{into}` is worked out by a formula; nothing is sent to it");
            return Err(Problem::invalid("into", detail));
        }
        let moved = self.move_over(arrival, &target).await?;
        self.changes.carry(Change::Readings(Concerned::from(device), vec![arrival.id, target.id])).await;
        self.mean_anew(&target, by).await?;
        Ok(Claimed { signal: target.code, moved: moved.moved, left: moved.left })
    }

    /// Moves the readings of an arrival to a signal, in its type, if it has one, and in the unit
    /// it is sent in.
    pub(super) async fn move_over(&self, arrival: &Signal, target: &Signal) -> Result<Moved, Problem> {
        let change = change_of_unit(arrival, target, &meaning_of(target)?.unwrap_or_default())?;
        let convert = |point: Point| {
            let value = match target.value_type {
                Some(value_type) => adapt(point.value.clone(), value_type)?,
                None => point.value.clone(),
            };
            match (&change, &value) {
                (Some(change), Value::Number(number)) => {
                    let changed = Some(change.apply(*number)).filter(|changed| changed.is_finite())?;
                    Some(Point { value: Value::Number(changed), ..point })
                }
                _ => Some(Point { value, ..point }),
            }
        };
        Ok(self.store.claim_into(arrival, target, convert, clock::now()).await?)
    }

    /// Gives what came over as it was sent its meaning, if there is one.
    pub(super) async fn mean_anew(&self, target: &Signal, by: &str) -> Result<(), Problem> {
        if target.meaning.is_some() {
            self.jobs.add(target.id, (Moment::MIN, Moment::MAX), by).await?;
        }
        Ok(())
    }

    /// Ignores an arrival, or lets it wait again, and gives it as it is then. What came
    /// before stays; what comes while it is ignored is passed over.
    ///
    /// # Errors
    /// A [`Problem`] with code `not-found`.
    pub async fn set_ignored(&self, device: &Device, name: &str, is_ignored: bool) -> Result<Signal, Problem> {
        let found = self.arrival(device, name).await?;
        self.store.ignore_arrival(found.id, is_ignored.then(clock::now)).await?;
        self.changes.carry(Change::Arrivals(Concerned::from(device))).await;
        Ok(self.store.arrival(device.id, name).await?)
    }

    /// Claims a waiting device: it is in trial from now on, with all it sent.
    ///
    /// # Errors
    /// A [`Problem`] that says what cannot be so.
    pub async fn claim_device(
        &self,
        site: &Site,
        device: &Device,
        claim: DeviceClaim,
        by: &str,
    ) -> Result<Device, Problem> {
        if device.state != DeviceState::Waiting {
            return Err(Problem::invalid("device", format_args!("`{}` does not wait", device.code)));
        }
        let name = claim.name.unwrap_or_else(|| device.name.clone());
        let code = place_code(claim.code.or_else(|| Some(device.code.clone())), &name)?;
        // Its sender goes on to call it what it did.
        let identity = device.identity.clone().unwrap_or_else(|| device.code.clone());
        let change = DeviceChange {
            code: Some(code.clone()),
            identity: Some(Some(identity.clone())),
            ..DeviceChange::default()
        };
        let renamed = self.store.change_device(device.id, change).await;
        let renamed = renamed.map_err(|e| Problem::taken(e, "device", &code))?;
        let section = DeviceSection {
            code,
            name,
            kind: claim.kind,
            carrier: match renamed.carrier {
                Some(carrier) => Some(self.store.device_by_id(carrier).await?.code),
                None => None,
            },
            identity: Some(identity),
            position: renamed.position,
            ..DeviceSection::default()
        };
        let device = self.admit(site, &renamed, &section, by).await?;
        self.changes.carry(Change::Arrivals(Concerned::from(&device))).await;
        Ok(device)
    }

    /// Puts a device that waits into trial, and makes it what a section says.
    pub(crate) async fn admit(
        &self,
        site: &Site,
        waiting: &Device,
        section: &DeviceSection,
        by: &str,
    ) -> Result<Device, Problem> {
        let wanted = self.wanted(site, section).await?;
        self.store.set_device_state(waiting.id, DeviceState::Trial, clock::now()).await?;
        let device = self.make(site, &wanted, Some(waiting)).await?;
        self.give_meanings(site, &device, &wanted, by).await?;
        Ok(device)
    }
}

/// From the unit an arrival came in to that of the signal it becomes.
fn change_of_unit(arrival: &Signal, target: &Signal, meaning: &Meaning) -> Result<Option<UnitChange>, Problem> {
    let wanted = sent_in(target, meaning);
    let (Some(sent), Some(declared)) = (&arrival.unit, &wanted) else { return Ok(None) };
    let (Ok(from), Ok(to)) = (UnitCode::parse(sent), UnitCode::parse(declared)) else { return Ok(None) };
    let change = UnitChange::between(&from, &to).map_err(|error| {
        let (target, arrival) = (&target.code, &arrival.code);
        Problem::invalid("into", format_args!("`{target}` is in {declared}, but `{arrival}` came in {sent}: {error}"))
    })?;
    Ok((!change.is_identity()).then_some(change))
}
