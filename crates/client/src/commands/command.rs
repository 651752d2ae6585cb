//! `lantern command`.

use super::{Context, zone};
use crate::args::CommandArgs;
use crate::output::table;
use crate::server::Server;
use crate::{show, time};
use anyhow::{Result, bail};
use jiff::tz::TimeZone;
use lantern_api::{Command, CommandDeclaration, CommandStage, Device, NewCommand, Page, Value};
use std::collections::BTreeMap;
use std::fmt::Write;
use std::time::Duration;

/// Between two looks at what became of a command.
const LOOK: Duration = Duration::from_millis(200);
/// Commands listed.
const LISTED: u32 = 10;

pub(crate) async fn run(context: &Context, args: CommandArgs) -> Result<()> {
    let server = context.server()?;
    let zone = zone(&server).await?;
    let path = server.device_path(&args.device, "/commands").await?;
    if let Some(id) = args.withdraw {
        let command: Command = server.delete(&format!("{path}/{id}"), &[]).await?;
        return context.output.print(&command, |command| line(command, &zone));
    }
    let device: Device = server.get(&server.device_path(&args.device, "").await?, &[]).await?;
    let Some(name) = &args.name else {
        let page: Page<Command> = server.get(&path, &[("limit", LISTED.to_string())]).await?;
        return context.output.print(&page.items, |given| overview(&device, given, &zone));
    };
    let arguments = arguments(&device, name, &args.arguments)?;
    let mut command: Command = server.post(&path, &NewCommand { name: name.clone(), arguments }).await?;
    if !args.no_wait {
        command = wait(&server, &path, command).await?;
    }
    context.output.print(&command, |command| line(command, &zone))?;
    match command.stage {
        CommandStage::Refused | CommandStage::Unanswered | CommandStage::Uncollected => {
            bail!("{} did not do it: {}", args.device, stage(command.stage))
        }
        _ => Ok(()),
    }
}

/// Waits until the command is over. One that stands may wait for long: for it until
/// the device was not there at once.
async fn wait(server: &Server, path: &str, mut command: Command) -> Result<Command> {
    let begun = tokio::time::Instant::now();
    while matches!(command.stage, CommandStage::Waiting | CommandStage::Delivered) {
        let stands = command.expires_at.is_none() && command.stage == CommandStage::Waiting;
        if stands && begun.elapsed() > Duration::from_secs(5) {
            return Ok(command);
        }
        tokio::time::sleep(LOOK).await;
        command = server.get(&format!("{path}/{}", command.id), &[]).await?;
    }
    Ok(command)
}

/// Words as the command's arguments: `NAME=VALUE`, or values in its own order.
fn arguments(device: &Device, name: &str, words: &[String]) -> Result<BTreeMap<String, Value>> {
    let declared = device.commands.iter().find(|command| command.name == name);
    let names: Vec<&str> = declared.map(|d| d.arguments.iter().map(|a| a.name.as_str()).collect()).unwrap_or_default();
    let mut arguments = BTreeMap::new();
    for (place, word) in words.iter().enumerate() {
        let (name, value) = match word.split_once('=') {
            Some((name, value)) if names.contains(&name) => (name.to_owned(), value),
            _ => match names.get(place) {
                Some(name) => ((*name).to_owned(), word.as_str()),
                None => bail!("`{word}` is one argument too many; `{name}` takes {}", takes(declared)),
            },
        };
        arguments.insert(name, Value::Text(value.to_owned()));
    }
    Ok(arguments)
}

fn takes(declared: Option<&CommandDeclaration>) -> String {
    let Some(declared) = declared.filter(|declared| !declared.arguments.is_empty()) else {
        return "none".to_owned();
    };
    let one = |argument: &lantern_api::CommandArgument| {
        let mut text = argument.name.clone();
        match (argument.low, argument.high) {
            (Some(low), Some(high)) => {
                let _ = write!(text, " ({low} to {high})");
            }
            _ if !argument.choices.is_empty() => {
                let _ = write!(text, " ({})", argument.choices.join(" or "));
            }
            _ if argument.value_type == lantern_api::ValueType::Flag => text += " (on or off)",
            _ => {}
        }
        text
    };
    declared.arguments.iter().map(one).collect::<Vec<_>>().join(", ")
}

fn overview(device: &Device, given: &[Command], zone: &TimeZone) -> String {
    if device.commands.is_empty() {
        return format!(
            "{} has no commands yet. Declare some with: lantern device edit {} --commands FILE",
            device.code, device.code
        );
    }
    let declared = table(
        &["command", "name", "takes", "time-out s"],
        &[3],
        device
            .commands
            .iter()
            .map(|command| {
                let seconds = command.timeout_s.map(|seconds| seconds.to_string()).unwrap_or_default();
                let name = command.title.clone().unwrap_or_default();
                vec![command.name.clone(), name, takes(Some(command)), seconds]
            })
            .collect(),
    );
    let given: Vec<String> = given.iter().map(|command| line(command, zone)).collect();
    if given.is_empty() { declared } else { format!("{declared}\n\n{}", given.join("\n")) }
}

/// A command and what became of it, in a line.
fn line(command: &Command, zone: &TimeZone) -> String {
    let mut text = format!("{}  {}  {}", time::local(&command.given_at, zone), command.id, command.name);
    for (name, value) in &command.arguments {
        let _ = write!(text, " {name}={}", show::plain(value));
    }
    let _ = write!(text, "  by {}: {}", command.given_by, stage(command.stage));
    if !command.answer.is_empty() {
        let _ = write!(text, ": {}", command.answer);
    }
    text
}

fn stage(stage: CommandStage) -> &'static str {
    match stage {
        CommandStage::Waiting => "waiting for the device",
        CommandStage::Delivered => "delivered, no answer yet",
        CommandStage::Done => "done",
        CommandStage::Refused => "refused",
        CommandStage::Unanswered => "not answered in time",
        CommandStage::Uncollected => "not taken by the device in time",
        CommandStage::Replaced => "replaced by a later one",
        CommandStage::Withdrawn => "withdrawn",
    }
}
