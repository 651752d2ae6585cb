//! Arguments of `lantern note` and `origin`.

use super::values::{SignalPath, parse_path};
use crate::time::Span;
use clap::{Args, Subcommand};

#[derive(Subcommand)]
pub(crate) enum NoteCommand {
    /// Write a note to a time or a span
    #[command(
        after_help = "Examples:\n  lantern note add \"Filter cleaned\" --about tower\n  lantern note add \"Float stuck\" --about tower/level --from 2026-05-03T08:00 --to 2026-05-05\n  lantern note add \"Season opens\" --from 2026-05-01"
    )]
    Add(NewNoteArgs),
    /// List notes, those that begin last first
    #[command(
        after_help = "Examples:\n  lantern note list --about tower\n  lantern note list --since 7d\n  lantern note list --output json > notes.json"
    )]
    List(NotesArgs),
    /// Change what a note says, or where it stands
    #[command(
        after_help = "What is not given stays as it is.\n\nExamples:\n  lantern note change 12 --text \"Float freed\"\n  lantern note change 12 --to 2026-05-05T18:00"
    )]
    Change(NoteChangeArgs),
    /// Remove a note
    Remove {
        /// Its number, as `lantern note list` shows it
        #[arg(value_name = "NUMBER")]
        id: i64,
    },
}

#[derive(Args)]
pub(crate) struct NewNoteArgs {
    /// What it says
    pub(crate) text: String,
    /// The device or signal it is about; the whole site if absent
    #[arg(long, value_name = "DEVICE[/SIGNAL]", default_value = "", hide_default_value = true)]
    pub(crate) about: String,
    /// When it begins, or the one time it is about: a local time of the site, or RFC 3339; now if absent
    #[arg(long, visible_alias = "at", value_name = "TIME")]
    pub(crate) from: Option<String>,
    /// When it ends, if it is about a span
    #[arg(long, value_name = "TIME")]
    pub(crate) to: Option<String>,
}

#[derive(Args)]
pub(crate) struct NotesArgs {
    /// Devices and signals the notes are about, with commas between; notes of what they belong to come too
    #[arg(long, value_name = "DEVICE[/SIGNAL]")]
    pub(crate) about: Option<String>,
    #[command(flatten)]
    pub(crate) span: Span,
}

#[derive(Args)]
pub(crate) struct NoteChangeArgs {
    /// Its number, as `lantern note list` shows it
    #[arg(value_name = "NUMBER")]
    pub(crate) id: i64,
    /// What it says
    #[arg(long)]
    pub(crate) text: Option<String>,
    /// The device or signal it is about; empty for the whole site
    #[arg(long, value_name = "DEVICE[/SIGNAL]")]
    pub(crate) about: Option<String>,
    /// When it begins, or the one time it is about
    #[arg(long, visible_alias = "at", value_name = "TIME")]
    pub(crate) from: Option<String>,
    /// When it ends; `none` makes it about one time
    #[arg(long, value_name = "TIME")]
    pub(crate) to: Option<String>,
}

#[derive(Args)]
pub(crate) struct OriginArgs {
    /// The signal
    #[arg(value_name = "DEVICE/SIGNAL", value_parser = parse_path)]
    pub(crate) signal: SignalPath,
    /// The time: a local time of the site, or RFC 3339; the last reading if absent
    #[arg(long, value_name = "TIME")]
    pub(crate) at: Option<String>,
}
