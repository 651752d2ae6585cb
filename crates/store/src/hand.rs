//! Readings entered by hand: who and why. The readings themselves lie with all
//! others.

use crate::types::moment;
use crate::{Store, StoreError};
use lantern_core::{Moment, SignalId};
use sqlx::Row;

/// Who entered a reading.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct HandReading {
    /// The reading's time.
    pub at: Moment,
    /// The person's name.
    pub person: String,
    /// Free text.
    pub note: String,
    /// When it was entered.
    pub entered_at: Moment,
}

impl Store {
    /// Notes who entered a reading; entering it again replaces the note.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn note_hand_reading(&self, signal: SignalId, hand: &HandReading) -> Result<(), StoreError> {
        sqlx::query(
            "INSERT INTO hand_reading (signal_id, at, person, note, entered_at) VALUES (?, ?, ?, ?, ?)
             ON CONFLICT DO UPDATE SET person = excluded.person, note = excluded.note, entered_at = excluded.entered_at",
        )
        .bind(signal.0)
        .bind(hand.at.as_micros())
        .bind(&hand.person)
        .bind(&hand.note)
        .bind(hand.entered_at.as_micros())
        .execute(&self.write)
        .await?;
        Ok(())
    }

    /// Readings of a signal that were entered by hand, from a time on and before
    /// another, in order.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn hand_readings(
        &self,
        signal: SignalId,
        from: Moment,
        to: Moment,
        limit: u32,
    ) -> Result<Vec<HandReading>, StoreError> {
        let rows =
            sqlx::query("SELECT * FROM hand_reading WHERE signal_id = ? AND at >= ? AND at < ? ORDER BY at LIMIT ?")
                .bind(signal.0)
                .bind(from.as_micros())
                .bind(to.as_micros())
                .bind(limit)
                .fetch_all(&self.read)
                .await?;
        let hand = |row: &sqlx::sqlite::SqliteRow| {
            Ok(HandReading {
                at: moment(row.try_get("at")?),
                person: row.try_get("person")?,
                note: row.try_get("note")?,
                entered_at: moment(row.try_get("entered_at")?),
            })
        };
        Ok(rows.iter().map(hand).collect::<Result<_, sqlx::Error>>()?)
    }
}
