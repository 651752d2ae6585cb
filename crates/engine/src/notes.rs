//! Notes that people write to a time or a span, of a site, a device or a signal.

use crate::changes::{Change, Changes};
use crate::checks::check_note;
use crate::clock;
use crate::find;
use crate::problem::Problem;
use lantern_api::NewNote;
use lantern_core::intake::MAX_BEHIND_SECONDS;
use lantern_core::{Moment, NoteId};
use lantern_store::{self as store, Note, Site, Store, Topic};
use std::sync::Arc;

/// Keeps, changes and removes notes.
pub struct Notes {
    pub(crate) store: Arc<Store>,
    pub(crate) changes: Arc<Changes>,
}

impl Notes {
    /// Keeps a note.
    ///
    /// # Errors
    /// A [`Problem`] that says what cannot be so; nothing was kept then.
    pub async fn add(&self, site: &Site, new: &NewNote, person: &str) -> Result<Note, Problem> {
        let new = self.checked(site, new).await?;
        let note = self.store.add_note(site.id, &new, person, clock::now()).await?;
        self.tell(site, [note.device.clone()]).await;
        Ok(note)
    }

    /// Makes a note say something else, or stand elsewhere. Who wrote it is kept.
    ///
    /// # Errors
    /// As [`Notes::add`], and if there is no such note.
    pub async fn change(&self, site: &Site, id: NoteId, new: &NewNote, person: &str) -> Result<Note, Problem> {
        let before = self.find(site, id).await?;
        let new = self.checked(site, new).await?;
        let note = self.store.change_note(site.id, id, &new, person, clock::now()).await?;
        self.tell(site, [before.device, note.device.clone()]).await;
        Ok(note)
    }

    /// Removes a note.
    ///
    /// # Errors
    /// A [`Problem`] if there is no such note.
    pub async fn remove(&self, site: &Site, id: NoteId) -> Result<(), Problem> {
        let before = self.find(site, id).await?;
        self.store.remove_note(site.id, id).await.map_err(|e| missing(e, id))?;
        self.tell(site, [before.device]).await;
        Ok(())
    }

    /// A note of a site.
    ///
    /// # Errors
    /// A [`Problem`] if there is no such note.
    pub async fn find(&self, site: &Site, id: NoteId) -> Result<Note, Problem> {
        self.store.note(site.id, id).await.map_err(|e| missing(e, id))
    }

    /// What `""`, `tower` or `tower/level` stands for at a site.
    ///
    /// # Errors
    /// A [`Problem`] if there is no such device or signal.
    pub async fn topic(&self, site: &Site, about: &str) -> Result<Topic, Problem> {
        if about.is_empty() {
            return Ok(Topic::Site);
        }
        let (device, signal) = about.split_once('/').map_or((about, None), |(device, signal)| (device, Some(signal)));
        let device = find::device(&self.store, site, device).await?;
        Ok(match signal {
            None => Topic::Device(device.id),
            Some(signal) => Topic::Signal(device.id, find::signal(&self.store, &device, signal).await?.id),
        })
    }

    async fn checked(&self, site: &Site, new: &NewNote) -> Result<store::NewNote, Problem> {
        let text = check_note(new.text.trim()).map_err(|_| Problem::invalid("text", "it has at most 4,000 bytes"))?;
        if text.is_empty() {
            return Err(Problem::invalid("text", "a note has to say something"));
        }
        let from = moment("from", &new.from)?;
        let to = new.to.as_deref().map(|to| moment("to", to)).transpose()?;
        if to.is_some_and(|to| to <= from) {
            return Err(Problem::invalid("to", "it must be after `from`; leave it out for a single time"));
        }
        let topic = self.topic(site, &new.about).await?;
        Ok(store::NewNote { topic, from, to, text: text.to_owned() })
    }

    async fn tell(&self, site: &Site, devices: impl IntoIterator<Item = Option<String>>) {
        let mut told = Vec::new();
        for device in devices {
            if !told.contains(&device) {
                self.changes.carry(Change::Note(site.id, device.clone())).await;
                told.push(device);
            }
        }
    }
}

/// A time that readings may have, or one as far ahead: what is planned can be noted too.
fn moment(name: &str, text: &str) -> Result<Moment, Problem> {
    let at = Moment::parse(text).map_err(|e| Problem::invalid(name, e))?;
    let distance = at.seconds_since(clock::now());
    if distance.abs() <= MAX_BEHIND_SECONDS {
        Ok(at)
    } else {
        Err(Problem::invalid(name, "within twenty years of now"))
    }
}

fn missing(error: store::StoreError, id: NoteId) -> Problem {
    Problem::missing(error, "note", &id.to_string())
}
