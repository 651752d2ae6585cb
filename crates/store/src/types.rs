//! Column types shared by several tables.

use crate::StoreError;
use lantern_core::{Moment, Position};
use sqlx::Row;
use sqlx::sqlite::SqliteRow;
use std::str::FromStr;

/// A position from nullable columns.
pub(crate) fn position(latitude: Option<f64>, longitude: Option<f64>, altitude_m: Option<f64>) -> Option<Position> {
    Some(Position { latitude: latitude?, longitude: longitude?, altitude_m })
}

/// Latitude, longitude and altitude as nullable columns.
pub(crate) fn position_columns(position: Option<Position>) -> (Option<f64>, Option<f64>, Option<f64>) {
    (position.map(|p| p.latitude), position.map(|p| p.longitude), position.and_then(|p| p.altitude_m))
}

/// Ids as a JSON list, which SQLite takes apart again.
pub(crate) fn id_list(ids: impl Iterator<Item = i64>) -> String {
    let ids: Vec<String> = ids.map(|id| id.to_string()).collect();
    format!("[{}]", ids.join(","))
}

/// A column that holds one of a few words. Another word is damage: it is never taken for
/// one of them.
pub(crate) fn word<T: FromStr>(row: &SqliteRow, column: &'static str) -> Result<T, sqlx::Error> {
    parse(row.try_get(column)?, column)
}

/// The same for a column that may be empty.
pub(crate) fn optional_word<T: FromStr>(row: &SqliteRow, column: &'static str) -> Result<Option<T>, sqlx::Error> {
    row.try_get::<Option<&str>, _>(column)?.map(|text| parse(text, column)).transpose()
}

fn parse<T: FromStr>(text: &str, column: &'static str) -> Result<T, sqlx::Error> {
    text.parse().map_err(|_| sqlx::Error::ColumnDecode {
        index: column.to_owned(),
        source: format!("`{text}` is no word it can hold").into(),
    })
}

/// A time column. Only valid moments are written, so one that is not came from a
/// damaged file and is shown as the start of 1970.
pub(crate) fn moment(micros: i64) -> Moment {
    Moment::from_micros(micros).unwrap_or_else(epoch)
}

fn epoch() -> Moment {
    #[allow(clippy::expect_used, reason = "zero is inside the range of moments")]
    Moment::from_micros(0).expect("zero is a moment")
}

/// That something was there to be changed.
pub(crate) fn found(rows: u64) -> Result<(), StoreError> {
    if rows == 0 { Err(StoreError::NotFound) } else { Ok(()) }
}
