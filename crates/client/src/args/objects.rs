//! What can be typed about sites, signals and keys.

use super::meaning::ReconvertArgs;
use super::values::{SignalPath, parse_path, parse_position};
use clap::{Args, Subcommand, ValueEnum};
use lantern_api::{DecimalMark, Grant, Position, SignalRole, ValueType};
use std::path::PathBuf;

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
        /// What stands before the decimals of numbers in the console
        #[arg(long, value_enum, value_name = "MARK")]
        decimal_mark: Option<Mark>,
        #[command(flatten)]
        place: NewPlace,
    },
    /// Write a site's set-up to a file that can be read, compared and applied
    #[command(
        after_help = "Keys and readings are not in it.\n\nExamples:\n  lantern site export > marlbeck.toml\n  lantern site export --json > marlbeck.json"
    )]
    Export {
        /// As JSON instead of TOML
        #[arg(long)]
        json: bool,
    },
    /// Make a site as a file says, after showing what would change
    #[command(
        after_help = "What is not in the file stays. Applying it twice changes nothing.\n\nExamples:\n  lantern site apply marlbeck.toml\n  lantern site apply marlbeck.toml --dry-run\n  lantern site apply marlbeck.toml --yes"
    )]
    Apply {
        /// A TOML or JSON document, as `site export` writes it
        file: PathBuf,
        /// Only show what would change
        #[arg(long, conflicts_with = "yes")]
        dry_run: bool,
        /// Without asking
        #[arg(long)]
        yes: bool,
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
        /// number, flag, text or position
        #[arg(long = "type", value_enum, default_value_t = TypeWord::Number, value_name = "TYPE")]
        value_type: TypeWord,
        /// UCUM code of its unit, or a common spelling such as °C
        #[arg(long)]
        unit: Option<String>,
        /// Free text
        #[arg(long, default_value = "")]
        note: String,
        /// What its values can be: the lowest
        #[arg(long, allow_hyphen_values = true)]
        low: Option<f64>,
        /// What its values can be: the highest
        #[arg(long, allow_hyphen_values = true)]
        high: Option<f64>,
        /// How often it is expected, in seconds, if not as often as its device reports
        #[arg(long, value_name = "SECONDS")]
        every: Option<f64>,
        /// Only its device may send it
        #[arg(long)]
        reserved: bool,
        /// What it tells of the link of its device
        #[arg(long, value_enum)]
        role: Option<Role>,
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
        /// number, flag, text or position
        #[arg(long = "type", value_enum, value_name = "TYPE")]
        value_type: Option<TypeWord>,
        /// Another unit; "" takes it away
        #[arg(long)]
        unit: Option<String>,
        /// A new note
        #[arg(long)]
        note: Option<String>,
        /// What its values can be: the lowest
        #[arg(long, allow_hyphen_values = true)]
        low: Option<f64>,
        /// What its values can be: the highest
        #[arg(long, allow_hyphen_values = true)]
        high: Option<f64>,
        /// How often it is expected, in seconds; 0: as often as its device reports
        #[arg(long, value_name = "SECONDS")]
        every: Option<f64>,
        /// Whether only its device may send it
        #[arg(long, value_name = "true|false")]
        reserved: Option<bool>,
        /// What it tells of the link of its device
        #[arg(long, value_enum)]
        role: Option<Role>,
    },
    /// Join signals of numbers to one of positions, with their past
    #[command(
        after_help = "What is sent under their names is a part of the position from then on.\nThey are removed if each of their readings found its other half.\n\nExamples:\n  lantern signal join sorrel/pos --latitude lat --longitude lon\n  lantern signal join sorrel/pos --latitude gps.n --longitude gps.e --altitude gps.h"
    )]
    Join {
        /// Device and code of the position; it is made if it is not there
        #[arg(value_name = "DEVICE/SIGNAL", value_parser = parse_path)]
        signal: SignalPath,
        /// The signal of degrees north
        #[arg(long, value_name = "SIGNAL")]
        latitude: String,
        /// The signal of degrees east
        #[arg(long, value_name = "SIGNAL")]
        longitude: String,
        /// The signal of metres above sea level
        #[arg(long, value_name = "SIGNAL")]
        altitude: Option<String>,
        /// The signal of within how many metres it is true
        #[arg(long, value_name = "SIGNAL")]
        accuracy: Option<String>,
        /// Its name, if it is made
        #[arg(long)]
        name: Option<String>,
    },
    /// List the versions of its conversion, formula and screen
    Versions {
        /// Device and code
        #[arg(value_name = "DEVICE/SIGNAL", value_parser = parse_path)]
        signal: SignalPath,
    },
    /// Make its readings again from what was sent, and those of all signals that depend on it
    #[command(after_help = "Example:\n  lantern signal reconvert tower/level --from 2026-05-01")]
    Reconvert(ReconvertArgs),
    /// Bring a removed signal back with its readings
    Restore {
        /// Device and code
        #[arg(value_name = "DEVICE/SIGNAL", value_parser = parse_path)]
        signal: SignalPath,
    },
    /// Remove a signal with its readings; for a day it can be brought back
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
    /// Issue a key and show it, this once
    #[command(
        after_help = "A key of the site sends for any device that has none of its own: what comes with it names its device, and unknown ones wait as arrivals.\n\nExamples:\n  lantern key issue tower\n  lantern key issue tower --expires 2027-01-01\n  lantern key issue --of-site --note enrolment\n  lantern key issue --of-site --grant read --note \"wall display\"\n  lantern --output json key issue tower | jq -r .key"
    )]
    Issue {
        #[command(flatten)]
        owner: KeyOwner,
        /// Free text, such as where the key is used
        #[arg(long, default_value = "")]
        note: String,
        /// What it may be used for; send if absent; may be repeated
        #[arg(long = "grant", value_enum, value_name = "GRANT")]
        grants: Vec<GrantWord>,
        /// When it ends: a date, a local time of the site, or RFC 3339
        #[arg(long, value_name = "TIME")]
        expires: Option<String>,
        /// File with a client's certificate in PEM, which is the key then
        #[arg(long, value_name = "FILE")]
        certificate: Option<PathBuf>,
    },
    /// List keys, without their secrets
    List {
        #[command(flatten)]
        owner: KeyOwner,
    },
    /// Replace a key: the old one is taken for some time beside the new one
    #[command(after_help = "Example:\n  lantern key replace tower --id 3 --overlap 7d")]
    Replace {
        #[command(flatten)]
        owner: KeyOwner,
        /// Number of the key, from `key list`
        #[arg(long)]
        id: i64,
        /// How long the old key is still taken: 0s, 10m, 2h, 7d
        #[arg(long, value_name = "TIME", default_value = "7d", value_parser = crate::time::parse_length)]
        overlap: i64,
    },
    /// Revoke a key: it opens nothing from now on
    Revoke {
        #[command(flatten)]
        owner: KeyOwner,
        /// Number of the key, from `key list`
        #[arg(long)]
        id: i64,
    },
}

#[derive(Subcommand)]
pub(crate) enum MqttSessionCommand {
    /// List the sessions of a site
    List,
    /// End a session: its connection is closed, and what waits for it is forgotten
    #[command(after_help = "Example:\n  lantern mqtt-session end platform-display")]
    End {
        /// Client id, from `mqtt-session list`
        client: String,
    },
}

/// Whose keys.
#[derive(Args)]
pub(crate) struct KeyOwner {
    /// Code of the device
    #[arg(required_unless_present = "of_site")]
    pub(crate) device: Option<String>,
    /// The site's own keys
    #[arg(long, conflicts_with = "device")]
    pub(crate) of_site: bool,
}

#[derive(Clone, Copy, ValueEnum)]
pub(crate) enum GrantWord {
    /// Delivering readings
    Send,
    /// Reading back what the site has
    Read,
    /// Giving commands to devices
    Command,
}

impl From<GrantWord> for Grant {
    fn from(word: GrantWord) -> Self {
        match word {
            GrantWord::Send => Self::Send,
            GrantWord::Read => Self::Read,
            GrantWord::Command => Self::Command,
        }
    }
}

/// What stands before decimals.
#[derive(Clone, Copy, ValueEnum)]
pub(crate) enum Mark {
    /// As in 1.5
    Point,
    /// As in 1,5
    Comma,
}

impl From<Mark> for DecimalMark {
    fn from(mark: Mark) -> Self {
        match mark {
            Mark::Point => Self::Point,
            Mark::Comma => Self::Comma,
        }
    }
}

/// What the values of a signal are.
#[derive(Clone, Copy, ValueEnum)]
pub(crate) enum TypeWord {
    /// A number, with or without a unit
    Number,
    /// Yes or no
    Flag,
    /// A short text
    Text,
    /// A place: degrees north and east, perhaps altitude and accuracy
    Position,
}

impl From<TypeWord> for ValueType {
    fn from(word: TypeWord) -> Self {
        match word {
            TypeWord::Number => Self::Number,
            TypeWord::Flag => Self::Flag,
            TypeWord::Text => Self::Text,
            TypeWord::Position => Self::Position,
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

/// What a signal tells of the link of its device.
#[derive(Clone, Copy, ValueEnum)]
pub(crate) enum Role {
    /// The number of the message: lost and repeated ones show by it
    Sequence,
    /// How full its battery is
    Battery,
    /// How well it is received
    Link,
    /// Nothing
    None,
}

impl Role {
    pub(crate) const fn named(self) -> Option<SignalRole> {
        match self {
            Self::Sequence => Some(SignalRole::Sequence),
            Self::Battery => Some(SignalRole::Battery),
            Self::Link => Some(SignalRole::Link),
            Self::None => None,
        }
    }
}
