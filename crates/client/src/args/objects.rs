//! What can be typed about sites, devices, signals and keys.

use super::values::{SignalPath, parse_path, parse_position, parse_signal};
use clap::{Args, Subcommand, ValueEnum};
use lantern_api::{NewSignal, Position, ValueType};

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
