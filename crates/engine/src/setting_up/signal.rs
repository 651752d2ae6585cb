//! Signals, and what their values mean.

use super::SetUp;
use crate::changes::{Change, Concerned};
use crate::checks::{
    MAX_SIGNALS, check_interval, check_limits, check_name, check_note, check_role, check_signal, check_unit,
};
use crate::clock;
use crate::definitions::{Subject, meaning_of};
use crate::documents;
use crate::problem::Problem;
use lantern_api as api;
use lantern_core::ValueType;
use lantern_core::meaning::Meaning;
use lantern_store::{Device, Signal, SignalChange, Site};

impl SetUp {
    /// Declares a signal. An arrival of that name becomes it, with its readings.
    ///
    /// # Errors
    /// A [`Problem`] that says what cannot be so.
    pub async fn add_signal(
        &self,
        site: &Site,
        device: &Device,
        new: &api::NewSignal,
        by: &str,
    ) -> Result<Signal, Problem> {
        let declared = check_signal(new)?;
        let count = self.store.signals(device.id).await?.iter().filter(|s| s.value_type.is_some()).count();
        if count >= MAX_SIGNALS {
            return Err(Problem::invalid("signals", format_args!("a device has at most {MAX_SIGNALS}")));
        }
        if let Some(wanted) = &declared.meaning {
            let beside = [(declared.code.as_str(), declared.signal_type())];
            self.definitions.check(&declared.subject(site.id, &device.code), wanted, &beside).await?;
        }
        let added = self.store.add_signal(device.id, declared.to_new(), clock::now()).await;
        let signal = added.map_err(|e| Problem::taken(e, "signal", &declared.code))?;
        self.changes.carry(Change::Signals(Concerned::from(device))).await;
        self.set_meaning(device, &signal, declared.meaning.as_ref(), by).await?;
        Ok(self.store.signal_by_id(signal.id).await?)
    }

    /// Changes a signal. Its code stays: senders use it.
    ///
    /// # Errors
    /// A [`Problem`] that says what cannot be so, or what other signal needs it as it is.
    pub async fn change_signal(
        &self,
        site: &Site,
        device: &Device,
        signal: &Signal,
        change: api::SignalChange,
    ) -> Result<Signal, Problem> {
        let change = checked_change(signal, change)?;
        let mut becomes = signal.clone();
        becomes.value_type = change.value_type.or(signal.value_type);
        becomes.unit = change.unit.clone().unwrap_or_else(|| signal.unit.clone());
        self.definitions.refuse_unfit_change(site, device, signal, &becomes).await?;
        let signal = self.store.change_signal(signal.id, change).await?;
        self.changes.carry(Change::Signals(Concerned::from(device))).await;
        Ok(signal)
    }

    /// Removes a signal and its readings.
    ///
    /// # Errors
    /// A [`Problem`] with code `needed` if another signal needs it.
    pub async fn remove_signal(&self, device: &Device, signal: &Signal) -> Result<(), Problem> {
        self.definitions.refuse_if_needed(device.site, &[signal.id]).await?;
        self.store.remove_signal(signal.id, clock::now()).await?;
        self.changes.carry(Change::SignalsRemoved(Concerned::from(device), vec![signal.id])).await;
        Ok(())
    }

    /// Checks a meaning and gives it to a signal.
    ///
    /// # Errors
    /// A [`Problem`] with code `bad-meaning` if it does not fit.
    pub async fn define(
        &self,
        site: &Site,
        device: &Device,
        signal: &Signal,
        meaning: Option<&Meaning>,
        by: &str,
    ) -> Result<(), Problem> {
        if let Some(meaning) = meaning {
            self.definitions.check(&Subject::of(site.id, &device.code, signal), meaning, &[]).await?;
        }
        self.set_meaning(device, signal, meaning, by).await
    }

    /// Gives a signal another meaning, which was checked. One that is the same makes no new
    /// version.
    pub(super) async fn set_meaning(
        &self,
        device: &Device,
        signal: &Signal,
        meaning: Option<&Meaning>,
        by: &str,
    ) -> Result<(), Problem> {
        let wanted = meaning.filter(|meaning| !meaning.is_empty());
        // A damaged one is different from whatever is wanted.
        if meaning_of(signal).is_ok_and(|known| known.as_ref() == wanted) {
            return Ok(());
        }
        let text = wanted.map(documents::write).transpose()?;
        self.store.set_meaning(signal.id, text.as_deref(), by, clock::now()).await?;
        self.changes.carry(Change::Meaning(Concerned::from(device), signal.id)).await;
        Ok(())
    }
}

fn checked_change(signal: &Signal, change: api::SignalChange) -> Result<SignalChange, Problem> {
    let becomes = change.value_type.or(signal.value_type).unwrap_or(ValueType::Number);
    let is_number = becomes == ValueType::Number;
    let mut unit = change.unit.map(|u| u.map(|u| check_unit(&u, becomes)).transpose()).transpose()?;
    if !is_number {
        // What is no number any more has no unit either.
        unit = Some(None);
    }
    let (low, high) = (change.low.unwrap_or(signal.low), change.high.unwrap_or(signal.high));
    if is_number {
        check_limits(low, high, becomes)?;
    }
    check_role(change.role.flatten(), becomes)?;
    Ok(SignalChange {
        name: change.name.as_deref().map(check_name).transpose()?.map(str::to_owned),
        note: change.note.as_deref().map(check_note).transpose()?.map(str::to_owned),
        value_type: change.value_type,
        unit,
        low: Some(low.filter(|_| is_number)),
        high: Some(high.filter(|_| is_number)),
        interval_s: change.interval_s.map(|seconds| seconds.map(check_interval).transpose()).transpose()?,
        is_reserved: change.reserved,
        role: change.role,
    })
}
