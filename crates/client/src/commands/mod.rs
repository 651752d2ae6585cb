//! The commands, one file per noun.

pub(crate) mod account;
mod alarm_figures;
pub(crate) mod alarms;
pub(crate) mod arrivals;
pub(crate) mod bursts;
pub(crate) mod changes;
pub(crate) mod chart;
mod chosen;
pub(crate) mod command;
pub(crate) mod commission;
pub(crate) mod compare;
pub(crate) mod contacts;
pub(crate) mod coverage;
pub(crate) mod decoder;
pub(crate) mod device;
pub(crate) mod enter;
pub(crate) mod export;
pub(crate) mod figures;
pub(crate) mod follow;
mod follow_mqtt;
pub(crate) mod health;
pub(crate) mod job;
pub(crate) mod key;
pub(crate) mod kind;
pub(crate) mod link;
pub(crate) mod login;
pub(crate) mod meaning;
pub(crate) mod mqtt_session;
pub(crate) mod note;
pub(crate) mod now;
pub(crate) mod origin;
pub(crate) mod people;
pub(crate) mod readings;
pub(crate) mod recipe;
pub(crate) mod removed;
pub(crate) mod roster;
pub(crate) mod send;
pub(crate) mod signal;
pub(crate) mod site;
pub(crate) mod storage;
pub(crate) mod view;
pub(crate) mod watch;
pub(crate) mod why;

use crate::args::{Confirm, Connection, command_line};
use crate::output::{Form, Output};
use crate::server::Server;
use anyhow::{Result, bail};
use jiff::tz::TimeZone;
use lantern_api::{Differences, Removal};
use std::io::{self, BufRead, IsTerminal, Write};

/// What all commands get.
pub(crate) struct Context {
    pub(crate) output: Output,
    pub(crate) connection: Connection,
}

impl Context {
    pub(crate) fn server(&self) -> Result<Server> {
        Server::connect(&self.connection)
    }
}

/// Prints completions.
pub(crate) fn completions(shell: clap_complete::Shell) {
    clap_complete::generate(shell, &mut command_line(), "lantern", &mut io::stdout());
}

/// The zone of the site in use.
pub(crate) async fn zone(server: &Server) -> Result<TimeZone> {
    Ok(TimeZone::get(&server.site().await?.zone)?)
}

/// Asks for a line; fails where nobody can answer.
pub(crate) fn ask(question: &str, instead: &str) -> Result<String> {
    if !io::stdin().is_terminal() {
        bail!("{instead}");
    }
    eprint!("{question}: ");
    io::stderr().flush()?;
    let mut line = String::new();
    io::stdin().lock().read_line(&mut line)?;
    Ok(line.trim().to_owned())
}

/// Removes something: says how much would go and asks for its code if anything
/// would be lost.
pub(crate) async fn remove(
    context: &Context,
    server: &Server,
    path: &str,
    what: &str,
    code: &str,
    confirm: &Confirm,
) -> Result<()> {
    let query: Vec<(&str, String)> = confirm.confirm.iter().map(|c| ("confirm", c.clone())).collect();
    let mut removal: Removal = server.delete(path, &query).await?;
    if !removal.removed {
        let more = if removal.at_least { "more than " } else { "" };
        let loss = format!("{what} `{code}` has {more}{} readings, which would go with it", removal.readings);
        let instead = format!("{loss}; add --confirm {code} to remove it");
        if context.output.form == Form::Json {
            bail!("{instead}");
        }
        let answer = ask(&format!("{loss}. Type its code to remove it"), &instead)?;
        if answer != code {
            bail!("that is not its code; nothing was removed");
        }
        removal = server.delete(path, &[("confirm", answer)]).await?;
    }
    let undo = if what == "site" { "" } else { "; see lantern removed to bring it back" };
    context.output.print(&removal, |r| format!("{what} {code} removed, {} readings with it{undo}", r.readings))
}

/// Shows what would change and, unless that is all that was asked for, asks
/// whether to do it. `post` does it, or says it dry.
pub(crate) async fn apply<F: Future<Output = Result<Differences>>>(
    context: &Context,
    dry_run: bool,
    yes: bool,
    post: impl Fn(bool) -> F,
) -> Result<()> {
    let planned = post(true).await?;
    if dry_run || planned.differences.is_empty() {
        return context.output.print(&planned, differences);
    }
    if !yes {
        context.output.say(&differences(&planned))?;
        let instead = "nothing was changed; add --yes to make it so without being asked";
        if context.output.form == Form::Json {
            bail!("{instead}");
        }
        if !matches!(ask("Make it so? [y/n]", instead)?.as_str(), "y" | "yes") {
            bail!("nothing was changed");
        }
    }
    let done = post(false).await?;
    context.output.print(&done, |done| match done.differences.len() {
        1 => "1 change made.".to_owned(),
        count => format!("{count} changes made."),
    })
}

/// One line for each difference: + new, - gone, ~ other than it was.
fn differences(found: &Differences) -> String {
    let mut lines: Vec<String> = found
        .differences
        .iter()
        .map(|d| match (&d.from, &d.to) {
            (None, Some(to)) => format!("+ {}: {to}", d.path),
            (Some(from), None) => format!("- {}: {from}", d.path),
            (from, to) => {
                let text = |value: &Option<String>| value.clone().unwrap_or_default();
                format!("~ {}: {} -> {}", d.path, text(from), text(to))
            }
        })
        .collect();
    if lines.is_empty() {
        lines.push("Nothing to change.".to_owned());
    }
    if !found.beside.is_empty() {
        lines.push(format!("Not in the file, and left as it is: {}", found.beside.join(", ")));
    }
    lines.join("\n")
}
