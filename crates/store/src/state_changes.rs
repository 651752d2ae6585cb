//! Writing changes of state.

use lantern_core::state::{StateChange, StateKey};
use sqlx::SqliteConnection;

/// Writes changes within the recorder's transaction.
pub(crate) async fn write(connection: &mut SqliteConnection, changes: &[StateChange]) -> Result<(), sqlx::Error> {
    for change in changes {
        match change {
            StateChange::Put(key, value) => {
                put(connection, key, value).await?;
            }
            StateChange::Remove(StateKey { site, owner, part, item }) => {
                sqlx::query("DELETE FROM kept_state WHERE site_id = ? AND owner = ? AND part = ? AND item = ?")
                    .bind(site.0)
                    .bind(&**owner)
                    .bind(*part)
                    .bind(item)
                    .execute(&mut *connection)
                    .await?;
            }
            StateChange::Remember { signal, memory } => {
                sqlx::query(
                    "INSERT INTO memory (signal_id, memory) SELECT id, ?2 FROM signal WHERE id = ?1
                     ON CONFLICT DO UPDATE SET memory = excluded.memory",
                )
                .bind(signal.0)
                .bind(memory)
                .execute(&mut *connection)
                .await?;
            }
            StateChange::Recompute { signal, from, to } => {
                sqlx::query("INSERT INTO due (signal_id, from_at, to_at) SELECT id, ?2, ?3 FROM signal WHERE id = ?1")
                    .bind(signal.0)
                    .bind(from.as_micros())
                    .bind(to.as_micros())
                    .execute(&mut *connection)
                    .await?;
            }
            StateChange::Recomputed { signal, through } => {
                sqlx::query("DELETE FROM due WHERE signal_id = ? AND id <= ?")
                    .bind(signal.0)
                    .bind(through)
                    .execute(&mut *connection)
                    .await?;
            }
            StateChange::RemoveAll { site, owner } => {
                sqlx::query("DELETE FROM kept_state WHERE site_id = ? AND owner = ?")
                    .bind(site.0)
                    .bind(&**owner)
                    .execute(&mut *connection)
                    .await?;
            }
        }
    }
    Ok(())
}

async fn put(connection: &mut SqliteConnection, key: &StateKey, value: &[u8]) -> Result<(), sqlx::Error> {
    sqlx::query(
        "INSERT INTO kept_state (site_id, owner, part, item, value) VALUES (?, ?, ?, ?, ?)
         ON CONFLICT DO UPDATE SET value = excluded.value",
    )
    .bind(key.site.0)
    .bind(&*key.owner)
    .bind(key.part)
    .bind(&key.item)
    .bind(value)
    .execute(connection)
    .await?;
    Ok(())
}
