//! What devices are declared to understand: commands and topics of their own,
//! between the forms of the API, the computation and the store.

use crate::documents::{self, Damaged};
use crate::problem::Problem;
use lantern_api as api;
use lantern_core::command::{Argument, DEFAULT_TIMEOUT_S, Declaration};
use lantern_core::own_topic::{MAX_PATTERNS, OwnTopic};
use lantern_core::units::UnitCode;

fn declaration(command: &api::CommandDeclaration) -> Declaration {
    Declaration {
        name: command.name.clone(),
        title: command.title.clone().unwrap_or_else(|| command.name.clone()),
        arguments: command.arguments.iter().map(argument).collect(),
        timeout_s: command.timeout_s.unwrap_or(DEFAULT_TIMEOUT_S),
        is_standing: command.standing,
    }
}

fn argument(argument: &api::CommandArgument) -> Argument {
    // A unit that cannot be read is left for the check to name.
    let unit = argument
        .unit
        .as_deref()
        .map(|unit| UnitCode::from_entry(unit).map_or(unit.to_owned(), |u| u.as_str().to_owned()));
    Argument {
        name: argument.name.clone(),
        value_type: argument.value_type,
        unit,
        low: argument.low,
        high: argument.high,
        choices: argument.choices.clone(),
    }
}

/// Checks commands and fills in what is usual.
///
/// # Errors
/// A [`Problem`] that names the command.
pub fn check_commands(commands: &[api::CommandDeclaration]) -> Result<Vec<api::CommandDeclaration>, Problem> {
    let declared: Vec<Declaration> = commands.iter().map(declaration).collect();
    Declaration::check_all(&declared).map_err(|error| Problem::invalid("commands", error))?;
    let filled = commands.iter().zip(declared).map(|(command, declared)| api::CommandDeclaration {
        title: Some(declared.title),
        timeout_s: Some(declared.timeout_s),
        arguments: command
            .arguments
            .iter()
            .zip(declared.arguments)
            .map(|(argument, declared)| api::CommandArgument { unit: declared.unit, ..argument.clone() })
            .collect(),
        ..command.clone()
    });
    Ok(filled.collect())
}

/// Checks topics of a device's own.
///
/// # Errors
/// A [`Problem`] that names the topic.
pub fn check_topics(topics: &[String]) -> Result<(), Problem> {
    if topics.len() > MAX_PATTERNS {
        return Err(Problem::invalid("topics", format_args!("a device has at most {MAX_PATTERNS}")));
    }
    for topic in topics {
        OwnTopic::parse(topic).map_err(|error| Problem::invalid("topics", error))?;
    }
    Ok(())
}

/// A list as it is kept: nothing for an empty one.
pub(crate) fn kept<T>(list: &Vec<T>) -> Result<Option<String>, Damaged>
where
    Vec<T>: documents::Document,
{
    if list.is_empty() { Ok(None) } else { documents::write(list).map(Some) }
}

/// The commands of a device, which were checked before they were kept.
///
/// # Errors
/// [`Damaged`] if they cannot be read.
pub fn commands(kept: Option<&str>) -> Result<Vec<api::CommandDeclaration>, Damaged> {
    Ok(documents::read_optional(kept)?.unwrap_or_default())
}

/// The command of a name, if it is among those that are kept.
pub(crate) fn command(kept: Option<&str>, name: &str) -> Result<Option<Declaration>, Damaged> {
    Ok(commands(kept)?.iter().find(|command| command.name == name).map(declaration))
}

/// The topics of a device, as they were written.
///
/// # Errors
/// [`Damaged`] if they cannot be read.
pub fn topics(kept: Option<&str>) -> Result<Vec<String>, Damaged> {
    Ok(documents::read_optional(kept)?.unwrap_or_default())
}
