//! Arguments of `lantern callouts` and `roster`.

use super::alarms::parse_severity;
use crate::time::parse_length;
use clap::{Args, Subcommand};
use lantern_api::Severity;
use std::path::PathBuf;

#[derive(Args)]
pub(crate) struct CalloutsArgs {
    /// Show this one, with its words and the attempts to send it
    #[arg(value_name = "NUMBER", conflicts_with_all = ["alarm", "state", "limit"])]
    pub(crate) id: Option<i64>,
    /// Those about an alarm
    #[arg(long, value_name = "NUMBER")]
    pub(crate) alarm: Option<i64>,
    /// Those that are so far: waiting, sending, sent, failed, uncertain or dropped
    #[arg(long, value_name = "STATE", value_parser = ["waiting", "sending", "sent", "failed", "uncertain", "dropped"])]
    pub(crate) state: Option<String>,
    /// No more than so many
    #[arg(long, value_name = "COUNT", default_value_t = 50, value_parser = clap::value_parser!(u32).range(1..=500))]
    pub(crate) limit: u32,
}

#[derive(Subcommand)]
pub(crate) enum RosterCommand {
    /// Make a roster
    #[command(
        after_help = "Examples:\n  lantern roster add Duty --call \"Ann Fielding\" --call Ben --pass-on 10m --quiet 22:00-06:00\n  lantern roster add Bell --least low --also topic:yard/bell\n  lantern roster add Duty --file duty.toml"
    )]
    Add {
        /// What it is called
        name: String,
        #[command(flatten)]
        roster: Box<RosterArgs>,
        /// Its code; made of its name if absent
        #[arg(long)]
        code: Option<String>,
    },
    /// List rosters, and who is called now
    List,
    /// Show a roster, as a document that `change` takes
    Show {
        /// Its code
        code: String,
    },
    /// Make a roster say what a document says
    #[command(
        after_help = "Example:\n  lantern roster show duty > duty.toml\n  lantern roster change duty --file duty.toml"
    )]
    Change {
        /// Its code
        code: String,
        /// The document, TOML or JSON
        #[arg(long, value_name = "FILE")]
        file: PathBuf,
    },
    /// Send somebody a message now, and show the conversation with the server
    #[command(after_help = "Example:\n  lantern roster test duty --to \"Ann Fielding\"")]
    Test {
        /// Its code
        code: String,
        /// A person's name or an address
        #[arg(long, value_name = "WHO")]
        to: String,
    },
    /// Show what the webhooks of a roster are signed with
    Key {
        /// Its code
        code: String,
    },
    /// Remove a roster: it calls nobody any more
    Remove {
        /// Its code
        code: String,
    },
}

/// What a roster says.
#[derive(Args)]
pub(crate) struct RosterArgs {
    /// All of it, as a document in TOML or JSON
    #[arg(long, value_name = "FILE", conflicts_with_all = ["call", "also", "least", "pass_on", "rounds", "quiet", "devices"])]
    pub(crate) file: Option<PathBuf>,
    /// Who is called, one after the other: a person, a mail address, a telephone number, https://… or topic:…
    #[arg(long, value_name = "WHO")]
    pub(crate) call: Vec<String>,
    /// Who is told at once of each alarm and of its end
    #[arg(long, value_name = "WHO")]
    pub(crate) also: Vec<String>,
    /// For alarms of this severity or worse
    #[arg(long, value_name = "SEVERITY", value_parser = parse_severity, default_value = "medium")]
    pub(crate) least: Severity,
    /// Only for alarms of these devices
    #[arg(long, value_name = "DEVICE", value_delimiter = ',')]
    pub(crate) devices: Vec<String>,
    /// After how long the next one is called if nobody acknowledges
    #[arg(long, value_name = "TIME", value_parser = parse_length, default_value = "10m")]
    pub(crate) pass_on: i64,
    /// How often the whole order is gone through
    #[arg(long, value_name = "COUNT", default_value_t = 3)]
    pub(crate) rounds: u32,
    /// Hours in which nobody is called for less than an urgent alarm, such as 22:00-06:00
    #[arg(long, value_name = "FROM-TO")]
    pub(crate) quiet: Option<String>,
}
