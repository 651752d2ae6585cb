//! The record of who changed what.
//!
//! An object is named as its address names it below its site: `devices/tower`,
//! `devices/tower/signals/level`, `notes/5`, and nothing for the site itself. Whoever lets a change
//! through takes a picture of the object before and after it ([`Records::picture`]); equal pictures
//! mean that nothing was changed, and no line is written.
//!
//! | file | holds |
//! |---|---|
//! | `each` | a line for each of many objects that one request changes |
//! | `picture` | what an object is, in JSON, without secrets |
//! | `undo` | making an object again what it was |

mod each;
mod picture;
mod undo;

pub use each::{Pictures, objects_of};

use crate::clock;
use crate::notes::Notes;
use crate::people::People;
use crate::problem::Problem;
use crate::setting_up::SetUp;
use crate::views::Views;
use lantern_api as api;
use lantern_store::{NewRecord, Record, RecordFilter, Site, Store, with_sources};
use serde_json::Value;
use std::sync::Arc;

/// Bytes of a picture that are kept; a larger one is not.
const MOST_BYTES: usize = 64 * 1024;

/// Keeps the record, and undoes changes.
pub struct Records {
    pub(crate) store: Arc<Store>,
    pub(crate) set_up: Arc<SetUp>,
    pub(crate) notes: Arc<Notes>,
    pub(crate) views: Arc<Views>,
    pub(crate) people: Arc<People>,
}

/// Who did something, by what, and from where.
#[derive(Debug, Clone)]
pub struct Doer {
    /// The person, or the key.
    pub who: String,
    /// The console, or a token by its name.
    pub way: String,
    /// The address.
    pub origin: String,
}

/// What was done.
#[derive(Debug, Clone)]
pub struct Deed<'a> {
    /// The site it was done on; none for what concerns the service.
    pub site: Option<&'a Site>,
    /// What was done, in the past tense.
    pub action: &'a str,
    /// What it was done to.
    pub object: &'a str,
    /// What the object was.
    pub before: Option<&'a Value>,
    /// What it is now.
    pub after: Option<&'a Value>,
}

impl Records {
    /// Writes a line. The change stands already, so that a line that cannot be written is told to the log.
    pub async fn write(&self, doer: &Doer, deed: &Deed<'_>) -> Option<i64> {
        let kept = |picture: Option<&Value>| picture.map(ToString::to_string).filter(|text| text.len() <= MOST_BYTES);
        let (before, after) = (kept(deed.before), kept(deed.after));
        let new = NewRecord {
            at: clock::now(),
            site: deed.site.map(|site| (site.id, site.code.as_str())),
            who: &doer.who,
            way: &doer.way,
            origin: &doer.origin,
            action: deed.action,
            object: deed.object,
            before: before.as_deref(),
            after: after.as_deref(),
        };
        match self.store.add_record(&new).await {
            Ok(id) => Some(id),
            Err(error) => {
                let (who, action, object) = (&doer.who, deed.action, deed.object);
                tracing::error!(error = %with_sources(&error), who, action, object, "a change could not be recorded");
                None
            }
        }
    }

    /// Lines before one, the last ones first.
    ///
    /// # Errors
    /// A [`Problem`] if the database fails.
    pub async fn lines(
        &self,
        filter: &RecordFilter<'_>,
        before: Option<i64>,
        limit: u32,
    ) -> Result<Vec<api::ChangeLine>, Problem> {
        Ok(self.store.records(filter, before, limit).await?.into_iter().map(shown).collect())
    }
}

fn shown(record: Record) -> api::ChangeLine {
    let read = |text: Option<String>| text.and_then(|text| serde_json::from_str::<Value>(&text).ok());
    let (before, after) = (read(record.before), read(record.after));
    api::ChangeLine {
        can_undo: record.undone_by.is_none() && undo::can_undo(&record.object, before.as_ref(), after.as_ref()),
        id: record.id,
        at: record.at.to_string(),
        site: record.site_code,
        who: record.who,
        way: record.way,
        from: record.origin,
        action: record.action,
        object: record.object,
        differences: differences(before.as_ref(), after.as_ref()),
        undone_by: record.undone_by,
    }
}

/// Fields that differ between two pictures of an object, by name. A field is absent on a side only if the
/// object was not there; one that was empty is `null`.
fn differences(before: Option<&Value>, after: Option<&Value>) -> Vec<api::FieldDifference> {
    let (was, is) = (before.is_some(), after.is_some());
    let empty = serde_json::Map::new();
    let fields =
        |picture: Option<&'_ Value>| picture.and_then(Value::as_object).cloned().unwrap_or_else(|| empty.clone());
    let (before, after) = (fields(before), fields(after));
    let mut names: Vec<&String> = before.keys().chain(after.keys()).collect();
    names.sort();
    names.dedup();
    let differing = names.into_iter().filter(|name| before.get(*name) != after.get(*name));
    differing
        .map(|name| api::FieldDifference {
            field: name.clone(),
            before: was.then(|| before.get(name).cloned().unwrap_or_default()),
            after: is.then(|| after.get(name).cloned().unwrap_or_default()),
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use serde_json::json;

    #[test]
    fn what_differs_is_told_field_by_field() {
        let cases = [
            (Some(json!({"name": "A", "note": ""})), Some(json!({"name": "B", "note": ""})), "name: \"A\" -> \"B\""),
            (None, Some(json!({"name": "B"})), "name: - -> \"B\""),
            (Some(json!({"unit": "V"})), Some(json!({})), "unit: \"V\" -> null"),
            (Some(json!({"unit": "V"})), None, "unit: \"V\" -> -"),
            (Some(json!({"unit": "V"})), Some(json!({"unit": "V"})), ""),
        ];
        let word = |value: Option<Value>| value.map_or_else(|| "-".to_owned(), |value| value.to_string());
        for (before, after, expected) in cases {
            let told = differences(before.as_ref(), after.as_ref());
            let told =
                told.into_iter().map(|one| format!("{}: {} -> {}", one.field, word(one.before), word(one.after)));
            assert_eq!(told.collect::<Vec<_>>().join("; "), expected);
        }
    }
}
