//! `lantern note`.

use super::{Context, zone};
use crate::args::{NewNoteArgs, NoteChangeArgs, NoteCommand, NotesArgs};
use crate::output::table;
use crate::server::{Server, segment};
use crate::time;
use anyhow::Result;
use jiff::Timestamp;
use jiff::tz::TimeZone;
use lantern_api::{NewNote, Note};

pub(crate) async fn run(context: &Context, command: NoteCommand) -> Result<()> {
    let server = context.server()?;
    let zone = zone(&server).await?;
    let notes = format!("sites/{}/notes", segment(&server.site_code().await?));
    match command {
        NoteCommand::Add(args) => {
            let note: Note = server.post(&notes, &new(args, &zone)?).await?;
            context.output.print(&note, |note| format!("note {} written{}", note.id, place(note, &zone)))
        }
        NoteCommand::List(args) => {
            let found = find(&server, &notes, args, &zone).await?;
            context.output.print(&found, |found| list(found, &zone))
        }
        NoteCommand::Change(args) => {
            let path = format!("{notes}/{}", args.id);
            let before: Note = server.get(&path, &[]).await?;
            let note: Note = server.put(&path, &changed(before, args, &zone)?).await?;
            context.output.print(&note, |note| format!("note {} changed{}", note.id, place(note, &zone)))
        }
        NoteCommand::Remove { id } => {
            let path = format!("{notes}/{id}");
            let note: Note = server.get(&path, &[]).await?;
            server.remove(&path).await?;
            context.output.print(&note, |note| format!("note {id} removed: {}", note.text))
        }
    }
}

fn new(args: NewNoteArgs, zone: &TimeZone) -> Result<NewNote> {
    let from = args.from.map_or_else(|| Ok(Timestamp::now()), |from| time::moment(&from, zone))?;
    let to = args.to.map(|to| time::moment(&to, zone)).transpose()?;
    Ok(NewNote { about: args.about, from: from.to_string(), to: to.map(|to| to.to_string()), text: args.text })
}

fn changed(before: Note, args: NoteChangeArgs, zone: &TimeZone) -> Result<NewNote> {
    let moment = |text: &str| Ok::<_, anyhow::Error>(time::moment(text, zone)?.to_string());
    Ok(NewNote {
        about: args.about.unwrap_or(before.about),
        from: args.from.as_deref().map_or(Ok(before.from), moment)?,
        to: match args.to.as_deref() {
            None => before.to,
            Some("none") => None,
            Some(to) => Some(moment(to)?),
        },
        text: args.text.unwrap_or(before.text),
    })
}

async fn find(server: &Server, notes: &str, args: NotesArgs, zone: &TimeZone) -> Result<Vec<Note>> {
    let from = args.span.begin(zone, Timestamp::now())?;
    let query: Vec<(&str, String)> = [("about", args.about), ("from", from), ("to", args.span.end(zone)?)]
        .into_iter()
        .filter_map(|(name, value)| Some((name, value?)))
        .collect();
    server.list(notes, &query).await
}

fn about(note: &Note) -> &str {
    if note.about.is_empty() { "the site" } else { &note.about }
}

fn place(note: &Note, zone: &TimeZone) -> String {
    let to = note.to.as_deref().map(|to| format!(" to {}", time::local(to, zone))).unwrap_or_default();
    format!(", about {}, {}{to}", about(note), time::local(&note.from, zone))
}

fn list(notes: &[Note], zone: &TimeZone) -> String {
    if notes.is_empty() {
        return "No notes. Write one with: lantern note add TEXT --about DEVICE[/SIGNAL]".to_owned();
    }
    let row = |note: &Note| {
        let to = note.to.as_deref().map_or_else(String::new, |to| time::local(to, zone));
        let text = note.text.replace('\n', " ");
        let by = note.changed_by.as_ref().unwrap_or(&note.written_by).clone();
        vec![note.id.to_string(), about(note).to_owned(), time::local(&note.from, zone), to, by, text]
    };
    table(&["note", "about", "from", "to", "by", "text"], &[0], notes.iter().map(row).collect())
}

#[cfg(test)]
mod tests {
    use super::*;

    fn note() -> Note {
        Note {
            id: 12,
            about: "tower/level".to_owned(),
            from: "2026-05-03T07:00:00Z".to_owned(),
            to: Some("2026-05-05T07:00:00Z".to_owned()),
            text: "float stuck".to_owned(),
            written_by: "ann".to_owned(),
            written_at: "2026-05-05T07:00:00Z".to_owned(),
            changed_by: None,
            changed_at: None,
        }
    }

    fn unchanged() -> NoteChangeArgs {
        NoteChangeArgs { id: 12, text: None, about: None, from: None, to: None }
    }

    #[test]
    fn what_is_not_given_stays_as_it_is() {
        let zone = TimeZone::get("Europe/London").unwrap();
        let same = changed(note(), unchanged(), &zone).unwrap();
        assert_eq!((same.about, same.from, same.to, same.text), {
            let note = note();
            (note.about, note.from, note.to, note.text)
        });
        let site = NoteChangeArgs { about: Some(String::new()), to: Some("none".to_owned()), ..unchanged() };
        let site = changed(note(), site, &zone).unwrap();
        assert_eq!((site.about.as_str(), site.to), ("", None));
        let moved = NoteChangeArgs { from: Some("2026-05-04T09:30".to_owned()), ..unchanged() };
        assert_eq!(changed(note(), moved, &zone).unwrap().from, "2026-05-04T08:30:00Z", "a time of the site");
        let wrong = NoteChangeArgs { to: Some("soon".to_owned()), ..unchanged() };
        assert!(changed(note(), wrong, &zone).unwrap_err().to_string().contains("soon"));
    }

    #[test]
    fn a_list_says_what_notes_are_about() {
        let zone = TimeZone::get("Europe/London").unwrap();
        let site = Note { id: 3, about: String::new(), to: None, text: "season\nopens".to_owned(), ..note() };
        let shown = list(&[note(), site], &zone);
        let lines: Vec<&str> = shown.lines().collect();
        assert!(lines[1].contains("tower/level") && lines[1].contains("2026-05-05 08:00:00"), "{shown}");
        assert!(lines[2].contains("the site") && lines[2].ends_with("season opens"), "{shown}");
    }
}
