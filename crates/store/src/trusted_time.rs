//! The latest time that was believed.

use crate::types::moment;
use crate::{Store, StoreError};
use lantern_core::Moment;

impl Store {
    /// The latest time that was believed; none on a fresh database.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn trusted_time(&self) -> Result<Option<Moment>, StoreError> {
        let latest: Option<i64> =
            sqlx::query_scalar("SELECT latest FROM trusted_time").fetch_optional(&self.read).await?;
        Ok(latest.map(moment))
    }

    /// Keeps it.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn keep_trusted_time(&self, latest: Moment) -> Result<(), StoreError> {
        sqlx::query("INSERT INTO trusted_time VALUES (1, ?) ON CONFLICT (id) DO UPDATE SET latest = excluded.latest")
            .bind(latest.as_micros())
            .execute(&self.write)
            .await?;
        Ok(())
    }
}
