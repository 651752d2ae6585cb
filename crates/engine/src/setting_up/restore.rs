//! Bringing back what was removed.

use super::SetUp;
use crate::changes::{Change, Concerned};
use crate::clock;
use crate::problem::{Class, Problem};
use lantern_core::{DeviceState, Moment, SignalId};
use lantern_store::{Device, Removed, Signal, Site, StoreError};

/// For how long what was removed can be brought back, in seconds: a day. Its readings are
/// swept away after that.
pub const RESTORABLE_S: f64 = 86_400.0;

/// What was removed before is gone.
fn since() -> Moment {
    clock::now().plus_seconds(-RESTORABLE_S)
}

/// Removed sites shown at a time.
const MOST_SITES: u32 = 500;

impl SetUp {
    /// Sites that can be brought back, with when they were removed, the last ones first.
    ///
    /// # Errors
    /// A [`Problem`] if the database fails.
    pub async fn removed_sites(&self) -> Result<Vec<(Site, Moment)>, Problem> {
        Ok(self.store.removed_sites(since(), MOST_SITES).await?)
    }

    /// Brings a site back, with the devices and signals that went with it, their readings and keys.
    ///
    /// # Errors
    /// A [`Problem`]: `not-found`, or `taken` if another has its code now.
    pub async fn restore_site(&self, code: &str) -> Result<Site, Problem> {
        let site = self.store.restore_site(code, since()).await.map_err(|error| not_restored(error, "site", code))?;
        let open = self.store.open_commands().await?;
        let mut after = String::new();
        loop {
            let devices = self.store.devices(site.id, &after, 500).await?;
            let Some(last) = devices.last() else { return Ok(site) };
            after.clone_from(&last.code);
            for device in devices {
                let commands = open.iter().filter(|one| one.device == device.id).cloned().collect();
                self.changes.carry(Change::DeviceRestored(Box::new(device), commands)).await;
            }
        }
    }

    /// Devices and signals of a site that can be brought back, the last ones first: those that
    /// were removed before a time.
    ///
    /// # Errors
    /// A [`Problem`] if the database fails.
    pub async fn removed(&self, site: &Site, before: Moment, limit: u32) -> Result<Vec<Removed>, Problem> {
        Ok(self.store.removed(site.id, (since(), before), limit).await?)
    }

    /// Brings a device back, with the signals that went with it, their readings and its keys.
    /// What was heard under its name meanwhile, and waits, is its own then.
    ///
    /// # Errors
    /// A [`Problem`]: `not-found`, `taken` if another has its code or identity now, or
    /// `bad-meaning` if one of its signals needs something that is no longer there.
    pub async fn restore_device(&self, site: &Site, code: &str, by: &str) -> Result<Device, Problem> {
        let missing = |error| not_restored(error, "device", code);
        let (removed, signals) = self.store.removed_device(site.id, code, since()).await.map_err(missing)?;
        // Before anything is moved: only one that waits makes room.
        if self.store.device(site.id, code).await.is_ok_and(|other| other.state != DeviceState::Waiting) {
            return Err(Problem::taken(StoreError::Taken, "device", code));
        }
        let gathered = self.gather_waiting(&removed, &signals).await?;
        let device = self.store.restore_device(removed.id).await.map_err(missing)?;
        let commands = self.store.open_commands().await?.into_iter().filter(|one| one.device == device.id).collect();
        self.changes.carry(Change::DeviceRestored(Box::new(device.clone()), commands)).await;
        let ids: Vec<SignalId> = signals.iter().map(|signal| signal.id).collect();
        if let Err(problem) = self.definitions.refuse_if_broken(site.id, &ids).await {
            self.store.remove_device(device.id, clock::now()).await?;
            self.changes.carry(Change::DeviceRemoved(Concerned::from(&device), ids)).await;
            return Err(problem);
        }
        for signal in gathered {
            self.mean_anew(signal, by).await?;
        }
        Ok(device)
    }

    /// Brings a signal back with its readings. What came under its name meanwhile, and waits, is
    /// its own then.
    ///
    /// # Errors
    /// As [`SetUp::restore_device`].
    pub async fn restore_signal(&self, site: &Site, device: &Device, code: &str, by: &str) -> Result<Signal, Problem> {
        let missing = |error| not_restored(error, "signal", code);
        let removed = self.store.removed_signal(device.id, code, since()).await.map_err(missing)?;
        let is_gathered = self.gather_arrival(device, &removed).await?;
        let signal = self.store.restore_signal(removed.id).await.map_err(missing)?;
        self.changes.carry(Change::Signals(Concerned::from(device))).await;
        self.changes.carry(Change::Readings(Concerned::from(device), vec![signal.id])).await;
        if let Err(problem) = self.definitions.refuse_if_broken(site.id, &[signal.id]).await {
            self.store.remove_signal(signal.id, clock::now()).await?;
            self.changes.carry(Change::SignalsRemoved(Concerned::from(device), vec![signal.id])).await;
            return Err(problem);
        }
        if is_gathered {
            self.mean_anew(&signal, by).await?;
        }
        Ok(signal)
    }

    /// Moves what a device that waits has under a removed one's name to the signals of that one,
    /// which are given back, and removes the one that waits.
    async fn gather_waiting<'s>(&self, removed: &Device, signals: &'s [Signal]) -> Result<Vec<&'s Signal>, Problem> {
        let name = removed.identity.as_deref().unwrap_or(&removed.code);
        let waiting = match self.store.device_called(removed.site, name, &removed.code).await {
            Ok(waiting) if waiting.state == DeviceState::Waiting => waiting,
            Ok(_) | Err(StoreError::NotFound) => return Ok(Vec::new()),
            Err(error) => return Err(error.into()),
        };
        let mut gathered = Vec::new();
        let arrivals = self.store.signals(waiting.id).await?;
        for arrival in &arrivals {
            if let Some(signal) = signals.iter().find(|signal| signal.code == arrival.code) {
                self.gather(&waiting, arrival, signal).await?;
                gathered.push(signal);
            }
        }
        self.store.adopt_arrivals(waiting.id, removed.id).await?;
        self.store.remove_device(waiting.id, clock::now()).await?;
        let ids = arrivals.iter().map(|arrival| arrival.id).collect();
        self.changes.carry(Change::DeviceRemoved(Concerned::from(&waiting), ids)).await;
        Ok(gathered)
    }

    /// Moves what waits under the name of a removed signal to that signal; says whether
    /// anything did.
    async fn gather_arrival(&self, device: &Device, removed: &Signal) -> Result<bool, Problem> {
        match self.store.arrival(device.id, &removed.code).await {
            Ok(arrival) => self.gather(device, &arrival, removed).await.map(|()| true),
            Err(StoreError::NotFound) => Ok(false),
            Err(error) => Err(error.into()),
        }
    }

    async fn gather(&self, device: &Device, arrival: &Signal, removed: &Signal) -> Result<(), Problem> {
        let moved = self.move_over(arrival, removed).await?;
        self.changes.carry(Change::SignalsRemoved(Concerned::from(device), vec![arrival.id])).await;
        if moved.left == 0 {
            return Ok(());
        }
        Err(Problem::new(
            Class::Conflict,
            "taken",
            "Already taken",
            format!("{} values that came under the name `{}` are not of its type.", moved.left, removed.code),
            "Claim that arrival under another name first.",
        ))
    }
}

fn not_restored(error: StoreError, what: &'static str, code: &str) -> Problem {
    match error {
        StoreError::NotFound => Problem::new(
            Class::Missing,
            "not-found",
            "Not found",
            format!("No {what} `{code}` was removed within the last day."),
            "See what can be brought back in the list of what was removed.",
        ),
        error => Problem::taken(error, what, code),
    }
}
