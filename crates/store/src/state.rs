//! State of other parts of the service, as keyed bytes.

use crate::{RecordError, Store, StoreError};
use lantern_core::SiteId;
use lantern_core::state::{KeptState, StateChange};
use sqlx::Row;
use std::sync::Arc;

impl Store {
    /// Makes changes durable, in one transaction with what else is recorded at the
    /// moment.
    ///
    /// # Errors
    /// [`RecordError`]; none of them was kept then.
    pub async fn keep(&self, changes: Vec<StateChange>) -> Result<(), RecordError> {
        let now = lantern_core::Moment::EPOCH;
        self.record_with(Arc::default(), changes, now).await.map(drop)
    }

    /// All that is kept of sites that are there, in order of key.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn kept_state(&self) -> Result<Vec<KeptState>, StoreError> {
        let rows = sqlx::query(
            "SELECT k.* FROM kept_state AS k JOIN site AS s ON s.id = k.site_id AND s.removed_at IS NULL
             ORDER BY k.site_id, k.owner, k.part, k.item",
        )
        .fetch_all(&self.read)
        .await?;
        let piece = |row: &sqlx::sqlite::SqliteRow| {
            Ok(KeptState {
                site: SiteId(row.try_get("site_id")?),
                owner: row.try_get("owner")?,
                part: row.try_get("part")?,
                item: row.try_get("item")?,
                value: row.try_get("value")?,
            })
        };
        Ok(rows.iter().map(piece).collect::<Result<_, sqlx::Error>>()?)
    }
}
