//! Making an object again what it was.

use super::{Deed, Doer, Records};
use crate::find;
use crate::problem::{Class, Problem};
use crate::setting_up::check_kind;
use lantern_api as api;
use lantern_core::NoteId;
use lantern_core::access::{Right, Role, Standing};
use lantern_core::meaning::Meaning;
use lantern_store::Site;
use serde::de::DeserializeOwned;
use serde_json::{Map, Value};

/// Sorts of objects that can be made what they were, and the right it takes.
fn right_for(object: &str) -> Option<Right> {
    let parts: Vec<&str> = object.split('/').filter(|part| !part.is_empty()).collect();
    match parts.as_slice() {
        [] | ["people", _] => Some(Right::Manage),
        ["devices", _] | ["devices", _, "signals", _] | ["kinds", _] => Some(Right::SetUp),
        ["notes", _] | ["views", _] => Some(Right::Note),
        _ => None,
    }
}

/// Whether a change can be undone, as far as the line tells: the object was there before.
pub(super) fn can_undo(object: &str, before: Option<&Value>, after: Option<&Value>) -> bool {
    let Some(before) = before.filter(|_| right_for(object).is_some()) else { return false };
    match after {
        // It was removed: these can be brought back.
        None => ["devices/", "notes/", "views/"].iter().any(|sort| object.starts_with(sort)),
        // How long readings are kept, and going live, have ways of their own.
        Some(after) => changed(before, after).keys().any(|name| name != "retention" && name != "state"),
    }
}

/// The fields in which an object was otherwise before, as they were; one that was not there is `null`.
fn changed(before: &Value, after: &Value) -> Map<String, Value> {
    let differing = super::differences(Some(before), Some(after));
    differing.into_iter().map(|one| (one.field, one.before.unwrap_or(Value::Null))).collect()
}

impl Records {
    /// Makes an object again what it was before a change, if nobody has changed the same since.
    ///
    /// # Errors
    /// A [`Problem`]: there is no such line, it cannot be undone (`cannot-undo`), somebody changed the same
    /// since (`changed-since`), or the one who asks may not change it.
    pub async fn undo(
        &self,
        site: &Site,
        id: i64,
        doer: &Doer,
        standing: &Standing,
    ) -> Result<api::ChangeLine, Problem> {
        let line = self.store.record_line(site.id, id).await;
        let line = line.map_err(|e| Problem::missing(e, "change", &id.to_string()))?;
        let read = |text: &Option<String>| text.as_deref().and_then(|text| serde_json::from_str::<Value>(text).ok());
        let (before, after) = (read(&line.before), read(&line.after));
        let right = right_for(&line.object).filter(|_| can_undo(&line.object, before.as_ref(), after.as_ref()));
        let (Some(right), Some(before), None) = (right, before, line.undone_by) else {
            return Err(cannot("It was undone already, or it is of a sort that cannot be undone."));
        };
        if !standing.may(right) {
            return Err(Problem::not_allowed(format!("To undo this one must be allowed to {}.", right.words())));
        }
        let now = self.picture(site, &line.object).await?;
        match (&after, &now) {
            (None, None) => self.bring_back(site, &line.object, &before, doer).await?,
            (Some(after), Some(now)) => {
                let fields = changed(&before, after);
                if fields.keys().any(|name| now.get(name) != after.get(name)) {
                    return Err(changed_since());
                }
                self.set_back(site, &line.object, fields, &before, doer).await?;
            }
            _ => return Err(changed_since()),
        }
        // The site may have another name now.
        let site = find::site(&self.store, &site.code).await?;
        let then = self.picture(&site, &line.object).await?;
        let action = format!("undid change {id} of");
        let deed = Deed {
            site: Some(&site),
            action: &action,
            object: &line.object,
            before: now.as_ref(),
            after: then.as_ref(),
        };
        let by = self.write(doer, &deed).await.ok_or_else(Problem::storage)?;
        self.store.mark_undone(id, by).await?;
        Ok(super::shown(self.store.record_line(site.id, by).await?))
    }

    /// Brings back what was removed.
    async fn bring_back(&self, site: &Site, object: &str, before: &Value, doer: &Doer) -> Result<(), Problem> {
        let parts: Vec<&str> = object.split('/').collect();
        match parts.as_slice() {
            ["devices", device] => self.set_up.restore_device(site, device, &doer.who).await.map(drop),
            ["devices", device, "signals", signal] => {
                let device = find::device(&self.store, site, device).await?;
                self.set_up.restore_signal(site, &device, signal, &doer.who).await.map(drop)
            }
            ["notes", _] => self.notes.add(site, &read(before)?, &doer.who).await.map(drop),
            ["views", name] => self.views.keep(site, name, &read(before)?, &doer.who).await.map(drop),
            _ => Err(cannot("What was removed cannot be brought back.")),
        }
    }

    /// Sets fields back to what they were.
    async fn set_back(
        &self,
        site: &Site,
        object: &str,
        mut fields: Map<String, Value>,
        before: &Value,
        doer: &Doer,
    ) -> Result<(), Problem> {
        let parts: Vec<&str> = object.split('/').filter(|part| !part.is_empty()).collect();
        match parts.as_slice() {
            [] => self.set_up.change_site(site, read(&Value::Object(fields))?).await.map(drop),
            ["devices", device] => {
                fields.remove("state");
                let device = find::device(&self.store, site, device).await?;
                self.set_up.change_device(site, &device, read(&Value::Object(listed(fields)))?).await.map(drop)
            }
            ["devices", device, "signals", signal] => {
                let device = find::device(&self.store, site, device).await?;
                let mut signal = find::signal(&self.store, &device, signal).await?;
                fields.remove("retention");
                let meaning = fields.remove("meaning");
                if !fields.is_empty() {
                    let change = read(&Value::Object(fields))?;
                    signal = self.set_up.change_signal(site, &device, &signal, change).await?;
                }
                if let Some(meaning) = meaning {
                    let meaning: Option<Meaning> = read(&meaning)?;
                    self.set_up.define(site, &device, &signal, meaning.as_ref(), &doer.who).await?;
                }
                Ok(())
            }
            ["kinds", kind] => {
                let kind = find::kind(&self.store, site, kind).await?;
                let mut before = before.clone();
                if let Some(fields) = before.as_object_mut() {
                    fields.remove("retention");
                }
                let description = check_kind(&read(&before)?)?;
                self.set_up.revise_kind(site, kind.id, &description, &doer.who).await
            }
            ["notes", id] => {
                let id = NoteId(id.parse().map_err(|_| Problem::invalid("id", "a number"))?);
                self.notes.change(site, id, &read(before)?, &doer.who).await.map(drop)
            }
            ["views", name] => self.views.keep(site, name, &read(before)?, &doer.who).await.map(drop),
            ["people", name] => {
                let role: Role = read(fields.get("role").unwrap_or(&Value::Null))?;
                self.people.change_member(site, name, role).await
            }
            _ => Err(cannot("It is of a sort that cannot be undone.")),
        }
    }
}

/// Lists and texts that were not there were empty, not `null`.
fn listed(mut fields: Map<String, Value>) -> Map<String, Value> {
    for (name, empty) in [
        ("topics", Value::Array(Vec::new())),
        ("commands", Value::Array(Vec::new())),
        ("note", "".into()),
        ("place", "".into()),
    ] {
        if let Some(value) = fields.get_mut(name).filter(|value| value.is_null()) {
            *value = empty;
        }
    }
    fields
}

/// Reads a picture as what a change takes.
fn read<T: DeserializeOwned>(picture: &Value) -> Result<T, Problem> {
    serde_json::from_value(picture.clone())
        .map_err(|error| cannot(&format!("What it was can no longer be set as it was ({}).", error)))
}

fn cannot(why: &str) -> Problem {
    Problem::new(Class::Conflict, "cannot-undo", "It cannot be undone", why, "Change it by hand to what it should be.")
}

fn changed_since() -> Problem {
    Problem::new(
        Class::Conflict,
        "changed-since",
        "It was changed since",
        "Somebody has changed the same again since then.",
        "Undo the later change first, or change it by hand to what it should be.",
    )
}
