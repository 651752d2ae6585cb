//! What the crew noted while the story went on.

use crate::service::Api;
use crate::site::SITE;
use anyhow::Result;
use jiff::Timestamp;
use lantern_api::{NewNote, Note, Page};

/// A note: what it is about, when it begins and maybe ends in hours of the story, and what it says.
type Told = (&'static str, f64, Option<f64>, &'static str);

const NOTES: [Told; 4] = [
    ("tower/level", 6.0 * 24.0 + 22.0, Some(10.0 * 24.0 + 6.0), "It loses water by night. Stop valve found dripping"),
    ("tower", 10.0 * 24.0 + 6.5, None, "Washer of the stop valve replaced"),
    ("tower/level", 10.0 * 24.0 + 12.0, Some(10.0 * 24.0 + 19.5), "Float stuck; freed by hand"),
    ("larder", 11.0 * 24.0 + 16.5, None, "Door was left open. Closed, and told the kitchen"),
];

/// Writes the notes of the story, unless there are some.
pub(crate) async fn write(api: &Api, began_s: i64) -> Result<()> {
    let path = format!("sites/{SITE}/notes");
    let there: Page<Note> = api.get(&path).await?;
    if !there.items.is_empty() {
        return Ok(());
    }
    let at = |hours: f64| Timestamp::from_second(began_s + (hours * 3_600.0) as i64).map(|at| at.to_string());
    for (about, from, to, text) in NOTES {
        let note =
            NewNote { about: about.to_owned(), from: at(from)?, to: to.map(at).transpose()?, text: text.to_owned() };
        let _: Note = api.post(&path, &note).await?;
    }
    Ok(())
}
