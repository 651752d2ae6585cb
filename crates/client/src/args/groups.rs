//! The commands in the order of the work, for `lantern --help`.

use super::Cli;
use clap::CommandFactory;
use std::fmt::Write;

/// Titles and commands of each group.
const GROUPS: [(&str, &[&str]); 9] = [
    ("Begin", &["login", "logout", "site"]),
    ("Set devices up", &["device", "signal", "kind", "key", "mqtt-session", "recipe", "send", "join", "removed"]),
    ("Find out what comes", &["why", "contacts", "arrivals", "claim", "ignore", "decoder", "commission"]),
    ("Give values their meaning", &["conversion", "formula", "screen", "compare", "calibrate", "quality", "jobs"]),
    (
        "Look",
        &[
            "now", "follow", "lamp", "link", "chart", "view", "readings", "summary", "figures", "span", "gaps",
            "bursts", "coverage", "origin", "note",
        ],
    ),
    ("Act", &["alarms", "acknowledge", "shelve", "watch", "roster", "callouts", "command", "enter"]),
    ("Take away and keep", &["export", "erase", "retention", "storage", "backup", "health"]),
    ("People", &["come-in", "account", "people", "everyone", "changes", "undo"]),
    ("This program", &["completions", "help"]),
];

const TEMPLATE: &str = "{about}\n\n{usage-heading} {usage}\n\n{before-help}Options:\n{options}{after-help}";

/// The command line, whose help shows the commands by groups.
pub(crate) fn command_line() -> clap::Command {
    let command = Cli::command();
    let listed = listed(&command);
    command.help_template(TEMPLATE).before_help(listed)
}

fn listed(command: &clap::Command) -> String {
    let width = GROUPS.iter().flat_map(|(_, names)| names.iter()).map(|name| name.len()).max().unwrap_or(0);
    let mut text = String::new();
    for (title, names) in GROUPS {
        let _ = writeln!(text, "{title}:");
        for name in names {
            let about = command.find_subcommand(name).and_then(clap::Command::get_about);
            let about = about.map_or_else(|| "Print the help of a command".to_owned(), ToString::to_string);
            let _ = writeln!(text, "  {name:width$}  {about}");
        }
        text.push('\n');
    }
    text
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::collections::BTreeSet;

    #[test]
    fn every_command_is_in_one_group() {
        let listed: Vec<&str> = GROUPS.iter().flat_map(|(_, names)| names.iter().copied()).collect();
        let once: BTreeSet<&str> = listed.iter().copied().collect();
        assert_eq!(listed.len(), once.len(), "a command stands twice");
        let command = Cli::command();
        let there: BTreeSet<&str> = command.get_subcommands().map(clap::Command::get_name).chain(["help"]).collect();
        assert_eq!(once, there);
    }

    #[test]
    fn help_shows_what_each_is_for() {
        let help = command_line().render_help().to_string();
        for shown in ["Find out what comes:", "  why ", "Say why nothing is seen", "Options:", "Examples:"] {
            assert!(help.contains(shown), "{help}");
        }
    }
}
