//! What can be typed about devices.

use super::objects::{Confirm, NewPlace, Place};
use super::values::parse_signal;
use clap::{Args, Subcommand};
use lantern_api::NewSignal;
use std::path::PathBuf;

#[derive(Subcommand)]
pub(crate) enum DeviceCommand {
    /// Make devices: one, or many at once
    #[command(
        after_help = "A signal is CODE, CODE:UNIT, CODE:flag or CODE:text. A new device is in trial until `lantern commission` lets it go live.\n\nA list is CSV with a heading: name, and code, note, latitude, longitude, altitude, identity where there are any.\n\nExamples:\n  lantern device add \"Water tower\" --code tower --every 30 --at 54.52,-2.31 --signal level:m --signal temp:Cel --signal door:flag\n  lantern device add shed-{1..4} --kind shed-sensor\n  lantern device add --list sheds.csv --kind shed-sensor"
    )]
    Add(Box<NewDeviceArgs>),
    /// List the devices
    List,
    /// Show a device with its signals
    Show {
        /// Its code
        device: String,
    },
    /// Change a device
    Edit(Box<DeviceEdit>),
    /// Show when a device was fresh, late and silent
    Presence {
        /// Its code
        device: String,
    },
    /// Bring a removed device back, with its signals, keys and readings
    Restore {
        /// Its code
        device: String,
    },
    /// Remove a device with its signals, keys and readings; for a day it can be brought back
    Remove {
        /// Its code
        device: String,
        #[command(flatten)]
        confirm: Confirm,
    },
}

/// What of a device is to be changed.
#[derive(Args)]
pub(crate) struct DeviceEdit {
    /// Its code
    pub(crate) device: String,
    /// A new name
    #[arg(long)]
    pub(crate) name: Option<String>,
    /// How often it reports, in seconds
    #[arg(long, value_name = "SECONDS")]
    pub(crate) every: Option<f64>,
    /// Where it stands, in words; "" for nowhere
    #[arg(long = "place", value_name = "WORDS")]
    pub(crate) stands: Option<String>,
    /// A new note
    #[arg(long)]
    pub(crate) note: Option<String>,
    /// File with its decoder, TOML or JSON; "" takes it away
    #[arg(long, value_name = "FILE")]
    pub(crate) decoder: Option<String>,
    /// Late after so many intervals
    #[arg(long, value_name = "INTERVALS")]
    pub(crate) late_after: Option<f64>,
    /// Silent after so many intervals
    #[arg(long, value_name = "INTERVALS")]
    pub(crate) silent_after: Option<f64>,
    /// Device that carries its messages; "" for none
    #[arg(long, value_name = "DEVICE")]
    pub(crate) carrier: Option<String>,
    /// What its sender calls it; "" for nothing
    #[arg(long, value_name = "NAME")]
    pub(crate) identity: Option<String>,
    /// MQTT topic of its own, in which {device}, {signal} and {at} may stand for a level; "" for none
    #[arg(long = "topic", value_name = "PATTERN")]
    pub(crate) topics: Vec<String>,
    /// File with the commands it understands (TOML or JSON); "" for none
    #[arg(long, value_name = "FILE")]
    pub(crate) commands: Option<String>,
    /// Whether the contact log keeps the beginning of its payloads
    #[arg(long, value_name = "true|false")]
    pub(crate) keep_payload: Option<bool>,
    #[command(flatten)]
    pub(crate) place: NewPlace,
}

#[derive(Args)]
pub(crate) struct NewDeviceArgs {
    /// Names; shed-{1..4} stands for four
    #[arg(required_unless_present = "list")]
    pub(crate) names: Vec<String>,
    /// CSV list of devices
    #[arg(long, value_name = "FILE", conflicts_with = "names")]
    pub(crate) list: Option<PathBuf>,
    /// Its code; made from the name if absent
    #[arg(long)]
    pub(crate) code: Option<String>,
    /// The kind to make it from
    #[arg(long)]
    pub(crate) kind: Option<String>,
    /// How often it reports, in seconds
    #[arg(long, value_name = "SECONDS")]
    pub(crate) every: Option<f64>,
    /// Free text
    #[arg(long, default_value = "")]
    pub(crate) note: String,
    /// Where it stands, in words, such as "Hobb Halt"
    #[arg(long = "place", value_name = "WORDS", default_value = "")]
    pub(crate) stands: String,
    /// A signal it has; may be repeated
    #[arg(long = "signal", value_name = "CODE[:UNIT]", value_parser = parse_signal)]
    pub(crate) signals: Vec<NewSignal>,
    /// File with its decoder, TOML or JSON
    #[arg(long, value_name = "FILE")]
    pub(crate) decoder: Option<PathBuf>,
    /// Device that carries its messages
    #[arg(long, value_name = "DEVICE")]
    pub(crate) carrier: Option<String>,
    /// What its sender calls it, if it has no key of its own
    #[arg(long, value_name = "NAME")]
    pub(crate) identity: Option<String>,
    /// MQTT topic of its own, in which {device}, {signal} and {at} may stand for a level
    #[arg(long = "topic", value_name = "PATTERN")]
    pub(crate) topics: Vec<String>,
    /// File with the commands it understands (TOML or JSON)
    #[arg(long, value_name = "FILE")]
    pub(crate) commands: Option<PathBuf>,
    /// Issue each a key; the list that is printed shows them this once
    #[arg(long)]
    pub(crate) keys: bool,
    /// Live at once, without a trial
    #[arg(long)]
    pub(crate) live: bool,
    #[command(flatten)]
    pub(crate) place: Place,
}
