//! What can be typed: commands, arguments, help.

use crate::output::Form;
use crate::time::Span;
use clap::{Args, Parser, Subcommand, ValueEnum};
use lantern_api::{NewSignal, Position, ValueType};
use std::path::PathBuf;

#[derive(Parser)]
#[command(
    name = "lantern",
    version,
    about = "The command line of Key Lantern",
    after_help = "Exit codes: 0 done, 1 failed, 2 wrong usage.\n\nExamples:\n  lantern login http://127.0.0.1:8710\n  lantern device add \"Water tower\" --code tower --every 30 --signal level:m --signal temp:Cel\n  lantern key issue tower\n  lantern send --key KEY level=2.31 temp=8.4\n  lantern now\n  lantern follow tower\n  lantern export tower/level --since 7d > tower.csv"
)]
pub(crate) struct Cli {
    /// How to print: tables for people, JSON for programs
    #[arg(long, short, global = true, value_enum, default_value_t = Form::Table, value_name = "FORM")]
    pub(crate) output: Form,
    #[command(flatten)]
    pub(crate) connection: Connection,
    #[command(subcommand)]
    pub(crate) command: Command,
}

/// Where the service is and who asks. What is not given here comes from the
/// last log-in.
#[derive(Args, Clone)]
pub(crate) struct Connection {
    /// Address of the service
    #[arg(long, global = true, env = "LANTERN_URL", value_name = "URL")]
    pub(crate) url: Option<String>,
    /// Code of the site; not needed if there is only one
    #[arg(long, global = true, env = "LANTERN_SITE", value_name = "CODE")]
    pub(crate) site: Option<String>,
    /// Token instead of the one kept by `login`
    #[arg(long, global = true, env = "LANTERN_TOKEN", value_name = "TOKEN", hide_env_values = true)]
    pub(crate) token: Option<String>,
}

#[derive(Subcommand)]
pub(crate) enum Command {
    /// Log in and keep a token for the other commands
    #[command(
        after_help = "The password is asked for, or taken from LANTERN_PASSWORD.\n\nExamples:\n  lantern login http://127.0.0.1:8710 --name ann\n  lantern login http://127.0.0.1:8710 --name ann --setup CODE    (the first person)"
    )]
    Login(LoginArgs),
    /// End the log-in and forget its token
    Logout,
    /// Sites: places or projects
    Site {
        #[command(subcommand)]
        command: SiteCommand,
    },
    /// Devices of a site
    Device {
        #[command(subcommand)]
        command: DeviceCommand,
    },
    /// Signals of a device
    Signal {
        #[command(subcommand)]
        command: SignalCommand,
    },
    /// Keys with which devices send
    Key {
        #[command(subcommand)]
        command: KeyCommand,
    },
    /// List values that came under names nobody has declared
    #[command(after_help = "Declare one with: lantern signal add DEVICE/NAME --unit UNIT")]
    Arrivals,
    /// Send readings as a device does
    #[command(
        after_help = "Examples:\n  lantern send --key KEY temp=21.4 hum=55\n  lantern send --key KEY temp=21.4 --at 2026-05-01T12:00:00Z"
    )]
    Send(SendArgs),
    /// Show the last values, their age and where they are going
    #[command(after_help = "Examples:\n  lantern now\n  lantern now tower\n  lantern -o json now tower")]
    Now(NowArgs),
    /// List the readings of a signal
    #[command(
        after_help = "Examples:\n  lantern readings tower/level --since 2h\n  lantern readings tower/level --from 2026-05-01 --to 2026-05-02 --limit 100"
    )]
    Readings(ReadingsArgs),
    /// Follow values live
    #[command(
        after_help = "In a terminal the values stand in place, with arrow and age; q ends it. Piped, each reading is a line.\n\nExamples:\n  lantern follow\n  lantern follow tower larder/temp\n  lantern -o json follow tower | head -5"
    )]
    Follow(FollowArgs),
    /// Write readings to a file or to standard output
    #[command(
        after_help = "Examples:\n  lantern export --since 7d > week.csv\n  lantern export tower/level tower/temp --from 2026-05-01 --file may.csv --zone UTC"
    )]
    Export(ExportArgs),
    /// Print completions for a shell
    #[command(after_help = "Example:\n  lantern completions bash > ~/.local/share/bash-completion/completions/lantern")]
    Completions {
        /// The shell
        shell: clap_complete::Shell,
    },
}

#[derive(Args)]
pub(crate) struct LoginArgs {
    /// Address of the service, such as http://127.0.0.1:8710
    #[arg(value_name = "URL")]
    pub(crate) address: Option<String>,
    /// Your name; asked for if absent
    #[arg(long)]
    pub(crate) name: Option<String>,
    /// One-time code that the service printed at its first start: makes the owner
    #[arg(long, value_name = "CODE")]
    pub(crate) setup: Option<String>,
}

#[derive(Subcommand)]
pub(crate) enum SiteCommand {
    /// Make a site
    #[command(
        after_help = "Example:\n  lantern site add \"Marlbeck Light Railway\" --code marlbeck --zone Europe/London --at 54.5,-2.3"
    )]
    Add {
        /// Its name
        name: String,
        /// Its code; made from the name if absent
        #[arg(long)]
        code: Option<String>,
        /// Its time zone, such as Europe/London
        #[arg(long, default_value = "UTC")]
        zone: String,
        #[command(flatten)]
        place: Place,
    },
    /// List the sites
    List,
    /// Show a site
    Show {
        /// Its code; the site in use if absent
        code: Option<String>,
    },
    /// Change a site
    Edit {
        /// Its code
        code: String,
        /// A new name
        #[arg(long)]
        name: Option<String>,
        /// A new time zone
        #[arg(long)]
        zone: Option<String>,
        #[command(flatten)]
        place: NewPlace,
    },
    /// Use a site from now on when none is named
    Use {
        /// Its code
        code: String,
    },
    /// Remove a site with its devices and readings
    Remove {
        /// Its code
        code: String,
        #[command(flatten)]
        confirm: Confirm,
    },
}

#[derive(Subcommand)]
pub(crate) enum DeviceCommand {
    /// Make a device
    #[command(
        after_help = "A signal is CODE, CODE:UNIT, CODE:flag or CODE:text.\n\nExample:\n  lantern device add \"Water tower\" --code tower --every 30 --at 54.52,-2.31 --signal level:m --signal temp:Cel --signal door:flag"
    )]
    Add {
        /// Its name
        name: String,
        /// Its code; made from the name if absent
        #[arg(long)]
        code: Option<String>,
        /// How often it reports, in seconds
        #[arg(long, value_name = "SECONDS")]
        every: Option<f64>,
        /// Free text
        #[arg(long, default_value = "")]
        note: String,
        /// A signal it has; may be repeated
        #[arg(long = "signal", value_name = "CODE[:UNIT]", value_parser = parse_signal)]
        signals: Vec<NewSignal>,
        #[command(flatten)]
        place: Place,
    },
    /// List the devices
    List,
    /// Show a device with its signals
    Show {
        /// Its code
        device: String,
    },
    /// Change a device
    Edit {
        /// Its code
        device: String,
        /// A new name
        #[arg(long)]
        name: Option<String>,
        /// How often it reports, in seconds
        #[arg(long, value_name = "SECONDS")]
        every: Option<f64>,
        /// A new note
        #[arg(long)]
        note: Option<String>,
        #[command(flatten)]
        place: NewPlace,
    },
    /// Remove a device with its signals, keys and readings
    Remove {
        /// Its code
        device: String,
        #[command(flatten)]
        confirm: Confirm,
    },
}

#[derive(Subcommand)]
pub(crate) enum SignalCommand {
    /// Declare a signal; a value waiting under that name becomes it
    #[command(
        after_help = "Examples:\n  lantern signal add tower/level --unit m --name \"Water level\"\n  lantern signal add larder/door --type flag"
    )]
    Add {
        /// Device and code
        #[arg(value_name = "DEVICE/SIGNAL", value_parser = parse_path)]
        signal: SignalPath,
        /// Its name; the code if absent
        #[arg(long)]
        name: Option<String>,
        /// number, flag or text
        #[arg(long = "type", value_enum, default_value_t = TypeWord::Number, value_name = "TYPE")]
        value_type: TypeWord,
        /// UCUM code of its unit, or a common spelling such as °C
        #[arg(long)]
        unit: Option<String>,
        /// Free text
        #[arg(long, default_value = "")]
        note: String,
    },
    /// List the signals of a device
    List {
        /// Code of the device
        device: String,
    },
    /// Show a signal
    Show {
        /// Device and code
        #[arg(value_name = "DEVICE/SIGNAL", value_parser = parse_path)]
        signal: SignalPath,
    },
    /// Change a signal
    Edit {
        /// Device and code
        #[arg(value_name = "DEVICE/SIGNAL", value_parser = parse_path)]
        signal: SignalPath,
        /// A new name
        #[arg(long)]
        name: Option<String>,
        /// number, flag or text
        #[arg(long = "type", value_enum, value_name = "TYPE")]
        value_type: Option<TypeWord>,
        /// Another unit; "" takes it away
        #[arg(long)]
        unit: Option<String>,
        /// A new note
        #[arg(long)]
        note: Option<String>,
    },
    /// Remove a signal with its readings
    Remove {
        /// Device and code
        #[arg(value_name = "DEVICE/SIGNAL", value_parser = parse_path)]
        signal: SignalPath,
        #[command(flatten)]
        confirm: Confirm,
    },
}

#[derive(Subcommand)]
pub(crate) enum KeyCommand {
    /// Issue a key for a device and show it, this once
    #[command(
        after_help = "Examples:\n  lantern key issue tower\n  lantern --output json key issue tower | jq -r .key"
    )]
    Issue {
        /// Code of the device
        device: String,
        /// Free text, such as where the key is used
        #[arg(long, default_value = "")]
        note: String,
    },
    /// List the keys of a device, without their secrets
    List {
        /// Code of the device
        device: String,
    },
    /// Revoke a key: it sends nothing from now on
    Revoke {
        /// Code of the device
        device: String,
        /// Number of the key, from `key list`
        id: i64,
    },
}

#[derive(Args)]
pub(crate) struct SendArgs {
    /// Key of the device
    #[arg(long, env = "LANTERN_KEY", hide_env_values = true)]
    pub(crate) key: String,
    /// Values, such as temp=21.4 door=true mode=eco
    #[arg(required = true, value_name = "NAME=VALUE", value_parser = parse_value)]
    pub(crate) values: Vec<(String, serde_json::Value)>,
    /// Time of the readings, RFC 3339 or seconds since 1970; now if absent
    #[arg(long, value_name = "TIME")]
    pub(crate) at: Option<String>,
}

#[derive(Args)]
pub(crate) struct NowArgs {
    /// Code of a device; all if absent
    pub(crate) device: Option<String>,
}

#[derive(Args)]
pub(crate) struct ReadingsArgs {
    /// Device and code
    #[arg(value_name = "DEVICE/SIGNAL", value_parser = parse_path)]
    pub(crate) signal: SignalPath,
    #[command(flatten)]
    pub(crate) span: Span,
    /// Stop after so many
    #[arg(long, default_value_t = 1_000, value_parser = clap::value_parser!(u64).range(1..=10_000_000))]
    pub(crate) limit: u64,
    /// Newest first
    #[arg(long)]
    pub(crate) newest: bool,
}

#[derive(Args)]
pub(crate) struct FollowArgs {
    /// Devices or signals to follow; all if absent
    #[arg(value_name = "DEVICE[/SIGNAL]")]
    pub(crate) what: Vec<String>,
}

#[derive(Args)]
pub(crate) struct ExportArgs {
    /// Signals to write, one column each; all if absent
    #[arg(value_name = "DEVICE/SIGNAL", value_parser = parse_path)]
    pub(crate) signals: Vec<SignalPath>,
    /// The form of the file
    #[arg(long, value_enum, default_value_t = ExportFormat::Csv)]
    pub(crate) format: ExportFormat,
    #[command(flatten)]
    pub(crate) span: Span,
    /// Time zone of the time column; the site's if absent
    #[arg(long)]
    pub(crate) zone: Option<String>,
    /// File to write; standard output if absent
    #[arg(long, value_name = "FILE")]
    pub(crate) file: Option<PathBuf>,
}

#[derive(Clone, Copy, ValueEnum)]
pub(crate) enum ExportFormat {
    /// One row per time, one column per signal
    Csv,
}

#[derive(Clone, Copy, ValueEnum)]
pub(crate) enum TypeWord {
    /// A number, with or without a unit
    Number,
    /// Yes or no
    Flag,
    /// A short text
    Text,
}

impl From<TypeWord> for ValueType {
    fn from(word: TypeWord) -> Self {
        match word {
            TypeWord::Number => Self::Number,
            TypeWord::Flag => Self::Flag,
            TypeWord::Text => Self::Text,
        }
    }
}

#[derive(Args)]
pub(crate) struct Place {
    /// Degrees north, degrees east, metres above the sea
    #[arg(long, value_name = "LAT,LON[,ALT]", value_parser = parse_position, allow_hyphen_values = true)]
    pub(crate) at: Option<Position>,
}

#[derive(Args)]
pub(crate) struct NewPlace {
    #[command(flatten)]
    pub(crate) place: Place,
    /// Take the position away
    #[arg(long, conflicts_with = "at")]
    pub(crate) nowhere: bool,
}

impl NewPlace {
    /// The change of the position, if one is asked for.
    pub(crate) fn change(&self) -> Option<Option<Position>> {
        if self.nowhere { Some(None) } else { self.place.at.map(Some) }
    }
}

#[derive(Args)]
pub(crate) struct Confirm {
    /// The code once more, to remove it with its readings without being asked
    #[arg(long, value_name = "CODE")]
    pub(crate) confirm: Option<String>,
}

/// A device and one of its signals.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct SignalPath {
    pub(crate) device: String,
    pub(crate) signal: String,
}

impl std::fmt::Display for SignalPath {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "{}/{}", self.device, self.signal)
    }
}

fn parse_path(text: &str) -> Result<SignalPath, String> {
    match text.split_once('/') {
        Some((device, signal)) if !device.is_empty() && !signal.is_empty() && !signal.contains('/') => {
            Ok(SignalPath { device: device.to_owned(), signal: signal.to_owned() })
        }
        _ => Err("write it as DEVICE/SIGNAL, such as tower/level".to_owned()),
    }
}

fn parse_signal(text: &str) -> Result<NewSignal, String> {
    let (code, rest) = text.split_once(':').unwrap_or((text, ""));
    let (value_type, unit) = match rest {
        "" | "number" => (ValueType::Number, None),
        "flag" => (ValueType::Flag, None),
        "text" => (ValueType::Text, None),
        unit => (ValueType::Number, Some(unit.to_owned())),
    };
    if code.is_empty() {
        return Err("write it as CODE:UNIT, such as level:m".to_owned());
    }
    Ok(NewSignal { code: code.to_owned(), name: None, note: String::new(), value_type, unit })
}

fn parse_position(text: &str) -> Result<Position, String> {
    let numbers: Result<Vec<f64>, _> = text.split(',').map(|part| part.trim().parse()).collect();
    match numbers.as_deref() {
        Ok([latitude, longitude]) => Ok(Position { latitude: *latitude, longitude: *longitude, altitude_m: None }),
        Ok([latitude, longitude, altitude]) => {
            Ok(Position { latitude: *latitude, longitude: *longitude, altitude_m: Some(*altitude) })
        }
        _ => Err("write it as LAT,LON or LAT,LON,ALT, such as 54.52,-2.31,210".to_owned()),
    }
}

fn parse_value(text: &str) -> Result<(String, serde_json::Value), String> {
    let (name, value) = text.split_once('=').ok_or("write it as NAME=VALUE, such as temp=21.4")?;
    if name.is_empty() {
        return Err("the name is missing before the =".to_owned());
    }
    let value = match value {
        "true" => true.into(),
        "false" => false.into(),
        other => match other.parse::<f64>() {
            Ok(number) if number.is_finite() => number.into(),
            _ => other.into(),
        },
    };
    Ok((name.to_owned(), value))
}

#[cfg(test)]
mod tests {
    use super::*;
    use clap::CommandFactory;

    #[test]
    fn the_arguments_are_consistent() {
        Cli::command().debug_assert();
    }

    #[test]
    fn every_command_has_help() {
        fn check(command: &clap::Command) {
            for inner in command.get_subcommands().filter(|c| c.get_name() != "help") {
                assert!(inner.get_about().is_some(), "{}", inner.get_name());
                for argument in inner.get_arguments().filter(|a| a.get_id() != "help" && a.get_id() != "version") {
                    assert!(argument.get_help().is_some(), "{} {}", inner.get_name(), argument.get_id());
                }
                check(inner);
            }
        }
        check(&Cli::command());
    }

    #[test]
    fn values_have_types() {
        for (text, expected) in [
            ("temp=21.4", serde_json::json!(21.4)),
            ("door=true", serde_json::json!(true)),
            ("mode=eco", serde_json::json!("eco")),
            ("odd=nan", serde_json::json!("nan")),
            ("sum=1=1", serde_json::json!("1=1")),
        ] {
            assert_eq!(parse_value(text).unwrap().1, expected, "{text}");
        }
        assert!(parse_value("temp").is_err());
    }

    #[test]
    fn signals_are_written_in_one_word() {
        let signal = parse_signal("level:m").unwrap();
        assert_eq!((signal.code.as_str(), signal.unit.as_deref()), ("level", Some("m")));
        assert_eq!(parse_signal("door:flag").unwrap().value_type, ValueType::Flag);
        assert_eq!(parse_signal("count").unwrap().unit, None);
        assert!(parse_signal(":m").is_err());
    }
}
