//! Several devices at once: all of them or none.

use super::{KeyHolder, SetUp};
use crate::problem::Problem;
use lantern_api::NewDevice;
use lantern_store::{Device, Grants, Key, Site};

/// Devices that can be made at once.
pub const MOST_AT_ONCE: usize = 500;

/// A device that was made, with its first key and the secret of that, if one was wanted.
pub type Made = (Device, Option<(Key, String)>);

impl SetUp {
    /// Makes devices, with a key each if `with_keys`. If one cannot be made, those made before
    /// it are removed again.
    ///
    /// # Errors
    /// The [`Problem`] of the first that cannot be made, with its name.
    pub async fn add_devices(
        &self,
        site: &Site,
        devices: Vec<NewDevice>,
        with_keys: bool,
        by: &str,
    ) -> Result<Vec<Made>, Problem> {
        if devices.is_empty() || devices.len() > MOST_AT_ONCE {
            return Err(Problem::invalid("devices", format_args!("1 to {MOST_AT_ONCE} devices")));
        }
        let mut made: Vec<Made> = Vec::with_capacity(devices.len());
        for new in devices {
            let name = new.name.clone();
            match self.add_with_key(site, new, with_keys, by).await {
                Ok(one) => made.push(one),
                Err(problem) => {
                    self.undo(made).await;
                    let said = format!("`{name}`: {} No device was made.", problem.detail);
                    return Err(problem.with_detail(said));
                }
            }
        }
        Ok(made)
    }

    async fn add_with_key(&self, site: &Site, new: NewDevice, with_keys: bool, by: &str) -> Result<Made, Problem> {
        let device = self.add_device(site, new, by).await?;
        if !with_keys {
            return Ok((device, None));
        }
        match self.issue_key(&KeyHolder::Device(Box::new(device.clone())), "", Grants::SEND, None).await {
            Ok(key) => Ok((device, Some(key))),
            Err(problem) => {
                self.undo(vec![(device, None)]).await;
                Err(problem)
            }
        }
    }

    async fn undo(&self, made: Vec<Made>) {
        // Those made last may need those made first.
        for (device, _) in made.into_iter().rev() {
            if let Err(problem) = self.remove_device(&device).await {
                tracing::warn!(device = device.code, %problem, "a device made in vain could not be removed");
            }
        }
    }
}
