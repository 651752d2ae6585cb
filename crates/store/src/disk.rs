//! How much of the disk the database may use, and uses.

use crate::series::room::DiskUse;
use crate::{Store, StoreError};
use std::time::Duration;

impl Store {
    /// Lets the database use so many bytes, 0 for all there are. When they are
    /// used, readings are turned away until there is room again; deleting goes on.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn set_disk_budget(&self, bytes: u64) -> Result<(), StoreError> {
        self.disk.set_budget(bytes);
        self.disk.limit(&mut *self.write.acquire().await?).await?;
        self.disk.look(&self.read).await;
        Ok(())
    }

    /// The longest time for which sealing has held up what comes in, since the
    /// store was opened.
    #[must_use]
    pub fn longest_sealing(&self) -> Duration {
        self.disk.longest_sealing()
    }

    /// How much of the disk is used.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn disk_use(&self) -> Result<DiskUse, StoreError> {
        self.disk.look(&self.read).await;
        Ok(self.disk.usage())
    }
}
