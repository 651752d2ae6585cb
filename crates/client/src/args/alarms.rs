//! Arguments of `lantern alarms`, `acknowledge`, `shelve` and `watch`.

use crate::time::{Span, parse_ago, parse_length};
use clap::{Args, Subcommand};
use lantern_api::Severity;
use std::path::PathBuf;

#[derive(Args)]
pub(crate) struct AlarmsArgs {
    /// Show this one, with what happened to it
    #[arg(value_name = "NUMBER", conflicts_with_all = ["all", "least", "device", "follow", "since", "from", "to"])]
    pub(crate) id: Option<i64>,
    /// Those that are over too, the last raised first
    #[arg(long)]
    pub(crate) all: bool,
    /// Those of a severity or worse: low, medium, high or urgent
    #[arg(long, value_name = "SEVERITY", value_parser = parse_severity)]
    pub(crate) least: Option<Severity>,
    /// Those of a device
    #[arg(long)]
    pub(crate) device: Option<String>,
    /// How they did, against what ANSI/ISA-18.2 recommends: the last 30 days, unless a span is given
    #[arg(long, conflicts_with_all = ["all", "least", "device", "follow", "id"])]
    pub(crate) figures: bool,
    /// How many people share them
    #[arg(long, value_name = "COUNT", requires = "figures", default_value_t = 1, value_parser = clap::value_parser!(u32).range(1..=1_000))]
    pub(crate) operators: u32,
    /// Go on, with each step as it happens
    #[arg(long, conflicts_with = "all")]
    pub(crate) follow: bool,
    #[command(flatten)]
    pub(crate) span: Span,
}

#[derive(Args)]
pub(crate) struct AcknowledgeArgs {
    /// Numbers of alarms, as `lantern alarms` shows them
    #[arg(value_name = "NUMBER", required = true)]
    pub(crate) ids: Vec<i64>,
    /// What is to be said with it
    #[arg(long, default_value = "", hide_default_value = true)]
    pub(crate) note: String,
}

#[derive(Args)]
pub(crate) struct ShelveArgs {
    /// The number of the alarm
    #[arg(value_name = "NUMBER")]
    pub(crate) id: i64,
    /// For how long: a number and m, h or d, 30 days at most
    #[arg(long = "for", value_name = "TIME", value_parser = parse_ago, required_unless_present = "end")]
    pub(crate) seconds: Option<i64>,
    /// Why
    #[arg(long, value_name = "WHY", required_unless_present = "end")]
    pub(crate) because: Option<String>,
    /// Not any longer
    #[arg(long, conflicts_with_all = ["seconds", "because"])]
    pub(crate) end: bool,
}

#[derive(Subcommand)]
pub(crate) enum WatchCommand {
    /// Make a watch
    #[command(
        after_help = "Examples:\n  lantern watch add \"Fridge is warm\" --on fridge/temp --above 8Cel --for 10m --severity high\n  lantern watch add \"Tower is leaking\" --on tower/level --falls 20cm/6h\n  lantern watch add \"Silent\" --silent --except old-shed\n  lantern watch add \"In the tunnel\" --on locomotive/position --file tunnel.json"
    )]
    Add {
        /// What it is called: the first words of its alarms
        name: String,
        #[command(flatten)]
        watch: Box<WatchArgs>,
        /// Its code; made of its name if absent
        #[arg(long)]
        code: Option<String>,
    },
    /// What a watch would have done, over history; nothing is kept
    #[command(after_help = "Example:\n  lantern watch try --on fridge/temp --above 8Cel --for 10m --since 30d")]
    Try {
        #[command(flatten)]
        watch: Box<WatchArgs>,
        #[command(flatten)]
        span: Span,
    },
    /// List watches, and at how many places each is and holds
    List,
    /// Show a watch
    Show {
        /// Its code
        code: String,
    },
    /// Press the button of a watch that is made with --pressed: there is an alarm at once
    #[command(after_help = "Example:\n  lantern watch press help --note \"Fire in the engine shed\"")]
    Press {
        /// Its code
        code: String,
        /// What has happened, and where
        #[arg(long, default_value = "", hide_default_value = true)]
        note: String,
    },
    /// Remove a watch; its alarms stay in the history
    Remove {
        /// Its code
        code: String,
    },
}

/// What a watch says.
#[derive(Args)]
pub(crate) struct WatchArgs {
    /// What it is on: a signal of a device, a device, or with `*/temp` all signals of a code
    #[arg(long, value_name = "DEVICE[/SIGNAL]")]
    pub(crate) on: Option<String>,
    /// All devices of a kind, instead of one
    #[arg(long)]
    pub(crate) kind: Option<String>,
    /// Devices it is not on all the same
    #[arg(long, value_name = "DEVICE", value_delimiter = ',')]
    pub(crate) except: Vec<String>,
    #[command(flatten)]
    pub(crate) when: WhenArgs,
    /// How far a value has to come back before it counts as back
    #[arg(long, value_name = "NUMBER")]
    pub(crate) deadband: Option<f64>,
    /// How long it has to be wrong before there is an alarm
    #[arg(long = "for", value_name = "TIME", value_parser = parse_length)]
    pub(crate) delay_on: Option<i64>,
    /// How long it has to be right before the alarm clears
    #[arg(long, value_name = "TIME", value_parser = parse_length)]
    pub(crate) clears_after: Option<i64>,
    /// How soon somebody has to act: low, medium, high or urgent
    #[arg(long, value_name = "SEVERITY", value_parser = parse_severity, default_value = "medium")]
    pub(crate) severity: Severity,
    /// The hours of the day in which it counts, such as 22:00-06:00
    #[arg(long, value_name = "FROM-TO")]
    pub(crate) hours: Option<String>,
    /// What whoever is called has to do
    #[arg(long, value_name = "TEXT")]
    pub(crate) advice: Option<String>,
}

/// What is wrong: one of these.
#[derive(Args)]
#[group(required = true, multiple = false, id = "condition")]
pub(crate) struct WhenArgs {
    /// A number is above a limit, such as 8Cel
    #[arg(long, value_name = "LIMIT", allow_hyphen_values = true, value_parser = parse_limit)]
    pub(crate) above: Option<Limit>,
    /// A number is below a limit
    #[arg(long, value_name = "LIMIT", allow_hyphen_values = true, value_parser = parse_limit)]
    pub(crate) below: Option<Limit>,
    /// A number is outside a band, such as 2..8Cel
    #[arg(long, value_name = "LOW..HIGH", allow_hyphen_values = true)]
    pub(crate) outside: Option<String>,
    /// A number rises by more than so much within a time, such as 2Cel/10m
    #[arg(long, value_name = "BY/TIME")]
    pub(crate) rises: Option<String>,
    /// A number falls by more than so much within a time
    #[arg(long, value_name = "BY/TIME")]
    pub(crate) falls: Option<String>,
    /// A value has not changed for a time
    #[arg(long, value_name = "TIME", value_parser = parse_ago)]
    pub(crate) steady: Option<i64>,
    /// A flag is true or false
    #[arg(long, value_name = "true|false")]
    pub(crate) flag: Option<bool>,
    /// A text is this one
    #[arg(long)]
    pub(crate) text: Option<String>,
    /// Readings are not good
    #[arg(long)]
    pub(crate) doubtful: bool,
    /// A device is late or silent
    #[arg(long)]
    pub(crate) late: bool,
    /// A device is silent
    #[arg(long)]
    pub(crate) silent: bool,
    /// A device has lost more than a share of a day's messages, such as 20%
    #[arg(long, value_name = "SHARE")]
    pub(crate) losses: Option<String>,
    /// Somebody presses its button: a call for help
    #[arg(long)]
    pub(crate) pressed: bool,
    /// The condition in JSON, for all there is: see the guide
    #[arg(long, value_name = "FILE")]
    pub(crate) file: Option<PathBuf>,
}

/// A number and perhaps its unit.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct Limit {
    pub(crate) number: f64,
    pub(crate) unit: Option<String>,
}

pub(super) fn parse_severity(text: &str) -> Result<Severity, String> {
    text.parse().map_err(|()| "low, medium, high or urgent".to_owned())
}

/// Reads `8`, `8Cel` or `8 Cel`; the decimal mark may be a comma.
pub(crate) fn parse_limit(text: &str) -> Result<Limit, String> {
    let text = text.trim();
    let end = text.find(|c: char| !(c.is_ascii_digit() || "+-.,".contains(c))).unwrap_or(text.len());
    let (number, unit) = text.split_at(end);
    let number =
        number.replace(',', ".").parse().map_err(|_| "write it as a number and its unit, such as 8Cel".to_owned())?;
    let unit = unit.trim();
    Ok(Limit { number, unit: (!unit.is_empty()).then(|| unit.to_owned()) })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn limits_are_read_with_their_units() {
        for (text, number, unit) in [
            ("8", 8.0, None),
            ("8Cel", 8.0, Some("Cel")),
            (" -2,5 Cel", -2.5, Some("Cel")),
            ("150 cm", 150.0, Some("cm")),
            ("20%", 20.0, Some("%")),
            ("3m/s", 3.0, Some("m/s")),
        ] {
            assert_eq!(parse_limit(text), Ok(Limit { number, unit: unit.map(str::to_owned) }), "{text}");
        }
        for text in ["", "Cel", "1.2.3Cel", "--2"] {
            assert!(parse_limit(text).is_err(), "{text}");
        }
    }
}
