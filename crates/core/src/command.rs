//! Commands: what a device understands, whether what someone gives fits it, and
//! how far a given command is.

use crate::fix::Fix;
use crate::units::UnitCode;
use crate::{Value, ValueType, code};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

/// Commands a device may declare.
pub const MAX_COMMANDS: usize = 50;
/// Arguments a command may have.
pub const MAX_ARGUMENTS: usize = 20;
/// Seconds within which an answer is expected, unless the command says otherwise.
pub const DEFAULT_TIMEOUT_S: f64 = 30.0;
/// The longest a command may wait for its answer, in seconds: a week.
pub const MAX_TIMEOUT_S: f64 = 604_800.0;

/// A command that a device understands.
#[derive(Debug, Clone, PartialEq)]
pub struct Declaration {
    /// Its name in topics and on the command line.
    pub name: String,
    /// Its name for people.
    pub title: String,
    /// What it takes.
    pub arguments: Vec<Argument>,
    /// Seconds after which it counts as not answered.
    pub timeout_s: f64,
    /// Whether it sets a state that is to be so: the last one given waits until the
    /// device can be reached, and takes the place of those before it.
    pub is_standing: bool,
}

/// One argument of a command.
#[derive(Debug, Clone, PartialEq)]
pub struct Argument {
    /// Its name.
    pub name: String,
    /// What it is.
    pub value_type: ValueType,
    /// UCUM code of its unit, for numbers.
    pub unit: Option<String>,
    /// The least it may be.
    pub low: Option<f64>,
    /// The most it may be.
    pub high: Option<f64>,
    /// The texts it may be; any if empty.
    pub choices: Vec<String>,
}

/// Why a declaration or a given command cannot be so.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
#[non_exhaustive]
pub enum CommandError {
    /// A name that is no code.
    #[error("`{0}`: {1}")]
    Name(String, code::CodeError),
    /// Two of the same name.
    #[error("`{0}` is there twice")]
    Twice(String),
    /// Over the limit.
    #[error("a device has at most {MAX_COMMANDS} commands, a command at most {MAX_ARGUMENTS} arguments")]
    TooMany,
    /// A time-out outside what is possible.
    #[error("the time-out of `{0}` must be from 1 to 604,800 s")]
    Timeout(String),
    /// A unit that cannot be read, or one for something that has none.
    #[error("the unit of `{0}` is no unit, or it is not a number")]
    Unit(String),
    /// Limits that contradict each other, or on something that has none.
    #[error("the limits of `{0}` contradict each other, or it is not a number")]
    Limits(String),
    /// Choices for something that is not a text.
    #[error("`{0}` is not a text and cannot have choices")]
    Choices(String),
    /// An argument that was not given.
    #[error("`{name}` is missing; the command takes {takes}")]
    Missing {
        /// The argument.
        name: String,
        /// All it takes.
        takes: String,
    },
    /// An argument that the command does not have.
    #[error("`{name}` is no argument of it; the command takes {takes}")]
    Unknown {
        /// What was given.
        name: String,
        /// All it takes.
        takes: String,
    },
    /// A value that does not fit.
    #[error("`{name}` is {given}; it must be {wanted}")]
    Value {
        /// The argument.
        name: String,
        /// What was given.
        given: String,
        /// What it must be.
        wanted: String,
    },
}

impl Declaration {
    /// Checks all commands of a device.
    ///
    /// # Errors
    /// [`CommandError`].
    pub fn check_all(commands: &[Self]) -> Result<(), CommandError> {
        if commands.len() > MAX_COMMANDS {
            return Err(CommandError::TooMany);
        }
        for (place, command) in commands.iter().enumerate() {
            command.check()?;
            if commands[..place].iter().any(|other| other.name == command.name) {
                return Err(CommandError::Twice(command.name.clone()));
            }
        }
        Ok(())
    }

    fn check(&self) -> Result<(), CommandError> {
        code::check_signal(&self.name).map_err(|error| CommandError::Name(self.name.clone(), error))?;
        if self.arguments.len() > MAX_ARGUMENTS {
            return Err(CommandError::TooMany);
        }
        if !(1.0..=MAX_TIMEOUT_S).contains(&self.timeout_s) {
            return Err(CommandError::Timeout(self.name.clone()));
        }
        for (place, argument) in self.arguments.iter().enumerate() {
            argument.check()?;
            if argument.name == "id" || self.arguments[..place].iter().any(|other| other.name == argument.name) {
                return Err(CommandError::Twice(argument.name.clone()));
            }
        }
        Ok(())
    }

    /// What it takes, in words: `state (on or off), minutes (1 to 60 min)`.
    #[must_use]
    pub fn takes(&self) -> String {
        if self.arguments.is_empty() {
            return "nothing".to_owned();
        }
        let words = self.arguments.iter().map(|argument| format!("{} ({})", argument.name, argument.wanted()));
        words.collect::<Vec<_>>().join(", ")
    }

    /// Checks what someone gives, as it was typed or as typed values.
    ///
    /// # Errors
    /// [`CommandError`] names the argument.
    pub fn accept(&self, given: &BTreeMap<String, Value>) -> Result<BTreeMap<String, Value>, CommandError> {
        if let Some(name) = given.keys().find(|name| self.arguments.iter().all(|argument| argument.name != **name)) {
            return Err(CommandError::Unknown { name: name.clone(), takes: self.takes() });
        }
        let mut accepted = BTreeMap::new();
        for argument in &self.arguments {
            let value = given
                .get(&argument.name)
                .ok_or_else(|| CommandError::Missing { name: argument.name.clone(), takes: self.takes() })?;
            accepted.insert(argument.name.clone(), argument.accept(value)?);
        }
        Ok(accepted)
    }
}

impl Argument {
    fn check(&self) -> Result<(), CommandError> {
        code::check_signal(&self.name).map_err(|error| CommandError::Name(self.name.clone(), error))?;
        let is_number = self.value_type == ValueType::Number;
        if self.unit.as_deref().is_some_and(|unit| !is_number || UnitCode::parse(unit).is_err()) {
            return Err(CommandError::Unit(self.name.clone()));
        }
        let is_contrary = self.low.zip(self.high).is_some_and(|(low, high)| low > high);
        let has_limits = self.low.is_some() || self.high.is_some();
        if is_contrary || has_limits && !is_number {
            return Err(CommandError::Limits(self.name.clone()));
        }
        if !self.choices.is_empty() && self.value_type != ValueType::Text {
            return Err(CommandError::Choices(self.name.clone()));
        }
        Ok(())
    }

    fn accept(&self, value: &Value) -> Result<Value, CommandError> {
        let wrong = || CommandError::Value { name: self.name.clone(), given: shown(value), wanted: self.wanted() };
        let typed = match (self.value_type, value) {
            (ValueType::Number, Value::Number(number)) => Value::Number(*number),
            (ValueType::Number, Value::Text(text)) => Value::Number(text.trim().parse().map_err(|_| wrong())?),
            (ValueType::Flag, Value::Flag(flag)) => Value::Flag(*flag),
            (ValueType::Flag, Value::Text(text)) => Value::Flag(flag(text).ok_or_else(wrong)?),
            (ValueType::Text, Value::Text(text)) => Value::Text(text.clone()),
            (ValueType::Position, Value::Position(fix)) => Value::Position(fix.clone()),
            (ValueType::Position, Value::Text(text)) => text.parse::<Fix>().map_err(|_| wrong())?.into(),
            _ => return Err(wrong()),
        };
        let fits = match &typed {
            Value::Number(number) => {
                number.is_finite()
                    && self.low.is_none_or(|low| *number >= low)
                    && self.high.is_none_or(|high| *number <= high)
            }
            Value::Text(text) => {
                text.len() <= 1_024 && (self.choices.is_empty() || self.choices.iter().any(|choice| choice == text))
            }
            Value::Flag(_) => true,
            Value::Position(fix) => fix.is_real(),
        };
        if fits { Ok(typed) } else { Err(wrong()) }
    }

    /// What it must be, in words.
    #[must_use]
    pub fn wanted(&self) -> String {
        let unit = self.unit.as_deref().map(|unit| format!(" {}", crate::units::symbol(unit))).unwrap_or_default();
        match (self.value_type, self.low, self.high) {
            (ValueType::Flag, ..) => "on or off".to_owned(),
            (ValueType::Text, ..) if self.choices.is_empty() => "a text".to_owned(),
            (ValueType::Text, ..) => self.choices.join(" or "),
            (ValueType::Position, ..) => "a position, such as 54.5,-2.3".to_owned(),
            (ValueType::Number, Some(low), Some(high)) => format!("{low} to {high}{unit}"),
            (ValueType::Number, Some(low), None) => format!("{low}{unit} or more"),
            (ValueType::Number, None, Some(high)) => format!("at most {high}{unit}"),
            (ValueType::Number, None, None) => {
                format!("a number{}", if unit.is_empty() { unit } else { format!(" in{unit}") })
            }
        }
    }
}

fn flag(text: &str) -> Option<bool> {
    match text.trim().to_ascii_lowercase().as_str() {
        "on" | "true" | "yes" | "1" => Some(true),
        "off" | "false" | "no" | "0" => Some(false),
        _ => None,
    }
}

fn shown(value: &Value) -> String {
    match value {
        Value::Number(number) => number.to_string(),
        Value::Flag(flag) => flag.to_string(),
        Value::Text(text) => format!("`{}`", text.chars().take(80).collect::<String>()),
        Value::Position(fix) => format!("`{fix}`"),
    }
}

/// How far a command is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = CommandStage))]
#[serde(rename_all = "lowercase")]
pub enum Stage {
    /// It waits for its device.
    Waiting,
    /// The device has it.
    Delivered,
    /// The device has done it.
    Done,
    /// The device will not do it.
    Refused,
    /// The device had it and did not answer in time.
    Unanswered,
    /// The device did not take it in time.
    Uncollected,
    /// Another one took its place.
    Replaced,
    /// Someone took it back.
    Withdrawn,
}

impl Stage {
    /// Every stage.
    pub const ALL: [Self; 8] = [
        Self::Waiting,
        Self::Delivered,
        Self::Done,
        Self::Refused,
        Self::Unanswered,
        Self::Uncollected,
        Self::Replaced,
        Self::Withdrawn,
    ];

    /// The word for it.
    #[must_use]
    pub const fn as_str(self) -> &'static str {
        match self {
            Self::Waiting => "waiting",
            Self::Delivered => "delivered",
            Self::Done => "done",
            Self::Refused => "refused",
            Self::Unanswered => "unanswered",
            Self::Uncollected => "uncollected",
            Self::Replaced => "replaced",
            Self::Withdrawn => "withdrawn",
        }
    }

    /// The stage of a word.
    #[must_use]
    pub fn parse(word: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|stage| stage.as_str() == word)
    }

    /// Whether nothing more will come of it.
    #[must_use]
    pub const fn is_over(self) -> bool {
        !matches!(self, Self::Waiting | Self::Delivered)
    }
}

/// A device's answer to a command.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Answer {
    /// The number of the command; `None` if the device does not say it.
    pub id: Option<i64>,
    /// Whether it was done.
    pub is_done: bool,
    /// What else it says.
    pub text: String,
}

impl Answer {
    /// Reads an answer: `ok`, `refused`, either with a text after it, or JSON such
    /// as `{"id": 17, "ok": false, "text": "no current"}`. An empty one is `ok`.
    #[must_use]
    pub fn read(payload: &[u8]) -> Self {
        let text = String::from_utf8_lossy(payload);
        let text = text.trim();
        if let Ok(serde_json::Value::Object(object)) = serde_json::from_str(text) {
            let said = object.get("text").map(|text| text.as_str().map_or_else(|| text.to_string(), str::to_owned));
            return Self {
                id: object.get("id").and_then(serde_json::Value::as_i64),
                is_done: object.get("ok").is_none_or(|ok| ok.as_bool() != Some(false)),
                text: limited(&said.unwrap_or_default()),
            };
        }
        let (word, rest) = text.split_once([' ', ':']).unwrap_or((text, ""));
        let rest = limited(rest.trim_start_matches([' ', ':']));
        match word.to_ascii_lowercase().as_str() {
            "ok" | "done" => Self { id: None, is_done: true, text: rest },
            "refused" | "no" | "error" => Self { id: None, is_done: false, text: rest },
            _ => Self { id: None, is_done: true, text: limited(text) },
        }
    }
}

fn limited(text: &str) -> String {
    text.trim().chars().take(500).collect()
}

#[cfg(test)]
mod tests;
