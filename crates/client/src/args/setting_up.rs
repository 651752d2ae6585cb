//! What can be typed about kinds, decoders, arrivals, contacts and commissioning.

use super::objects::{Confirm, TypeWord};
use super::values::{SignalPath, parse_path, parse_value};
use clap::{Args, Subcommand, ValueEnum};
use std::path::PathBuf;

#[derive(Subcommand)]
pub(crate) enum KindCommand {
    /// Make a kind from a file
    #[command(
        after_help = "The file is TOML or JSON:\n\n  name = \"Shed sensor\"\n  code = \"shed-sensor\"\n  interval_s = 300\n\n  [decoder]\n  form = \"pairs\"\n\n  [[signals]]\n  code = \"temp\"\n  unit = \"Cel\"\n\nExample:\n  lantern kind add shed-sensor.toml"
    )]
    Add {
        /// The description
        file: PathBuf,
    },
    /// List the kinds
    List,
    /// Write a kind's newest revision, as a file to edit
    #[command(after_help = "Example:\n  lantern kind show shed-sensor > shed-sensor.toml")]
    Show {
        /// Its code
        kind: String,
        /// Another revision
        #[arg(long)]
        revision: Option<u32>,
    },
    /// Make a file the next revision of a kind
    #[command(after_help = "Example:\n  lantern kind revise shed-sensor shed-sensor.toml")]
    Revise {
        /// Its code
        kind: String,
        /// The description
        file: PathBuf,
    },
    /// List the revisions of a kind
    Revisions {
        /// Its code
        kind: String,
    },
    /// List the devices that follow a kind, and which revision
    Devices {
        /// Its code
        kind: String,
    },
    /// Move devices to a revision, after showing what would change
    #[command(
        after_help = "Examples:\n  lantern kind move shed-sensor\n  lantern kind move shed-sensor shed-1 shed-2 --revision 2 --yes"
    )]
    Move {
        /// Its code
        kind: String,
        /// Codes of devices; all that follow another revision if absent
        devices: Vec<String>,
        /// The revision; the newest if absent
        #[arg(long)]
        revision: Option<u32>,
        /// Only show what would change
        #[arg(long, conflicts_with = "yes")]
        dry_run: bool,
        /// Without asking
        #[arg(long)]
        yes: bool,
    },
    /// Remove a kind; its devices stay
    Remove {
        /// Its code
        kind: String,
        #[command(flatten)]
        confirm: Confirm,
    },
}

#[derive(Subcommand)]
pub(crate) enum DecoderCommand {
    /// Try a decoder on a sample: what each value would become
    #[command(
        after_help = "Nothing is kept. Without a file, the decoder of the device is tried.\n\nExamples:\n  lantern decoder try line.toml --sample '21.4;55;1'\n  lantern decoder try line.toml --sample-file message.bin --device shed-1\n  lantern decoder try --device shed-1 --sample 'T=21.4 H=55'"
    )]
    Try {
        /// File with the decoder, TOML or JSON
        #[arg(required_unless_present = "device")]
        file: Option<PathBuf>,
        /// The sample
        #[arg(long, required_unless_present = "sample_file", allow_hyphen_values = true)]
        sample: Option<String>,
        /// File with the sample; - for standard input
        #[arg(long, value_name = "FILE", conflicts_with = "sample")]
        sample_file: Option<PathBuf>,
        /// Device whose signals the values are matched with
        #[arg(long)]
        device: Option<String>,
        /// What the sender calls the payload
        #[arg(long, value_name = "TYPE")]
        content_type: Option<String>,
    },
}

#[derive(Args)]
pub(crate) struct ClaimArgs {
    /// A waiting name of a device, or a waiting device
    #[arg(value_name = "DEVICE[/NAME]")]
    pub(crate) what: String,
    /// Declared signal of the device that it belongs to
    #[arg(long, value_name = "SIGNAL", conflicts_with_all = ["code", "unit", "value_type", "kind"])]
    pub(crate) into: Option<String>,
    /// The code it is to have; what it is called if absent
    #[arg(long = "as", value_name = "CODE")]
    pub(crate) code: Option<String>,
    /// Its name for people
    #[arg(long)]
    pub(crate) name: Option<String>,
    /// number, flag, text or position; what its values look like if absent
    #[arg(long = "type", value_enum, value_name = "TYPE", conflicts_with = "kind")]
    pub(crate) value_type: Option<TypeWord>,
    /// UCUM code of its unit, or a common spelling such as °C
    #[arg(long, conflicts_with = "kind")]
    pub(crate) unit: Option<String>,
    /// The kind of a waiting device
    #[arg(long)]
    pub(crate) kind: Option<String>,
}

#[derive(Args)]
pub(crate) struct IgnoreArgs {
    /// Device and name
    #[arg(value_name = "DEVICE/NAME", value_parser = parse_path)]
    pub(crate) arrival: SignalPath,
    /// Let it wait again
    #[arg(long)]
    pub(crate) undo: bool,
}

#[derive(Args)]
pub(crate) struct ContactsArgs {
    /// Code of the device
    #[arg(required_unless_present_any = ["unknown", "of_site"])]
    pub(crate) device: Option<String>,
    /// Attempts without a key or with one nobody has
    #[arg(long, conflicts_with = "device")]
    pub(crate) unknown: bool,
    /// Attempts with a key of the site that are of no one device
    #[arg(long, conflicts_with_all = ["device", "unknown"])]
    pub(crate) of_site: bool,
    /// Go on with what comes in
    #[arg(long, conflicts_with_all = ["unknown", "of_site"])]
    pub(crate) follow: bool,
    /// Show so many of the last ones
    #[arg(long, default_value_t = 20, value_parser = clap::value_parser!(u32).range(1..=500))]
    pub(crate) limit: u32,
}

#[derive(Args)]
pub(crate) struct CommissionArgs {
    /// Code of the device
    pub(crate) device: String,
    /// Ask its sender for a dummy value
    #[arg(long, value_name = "SIGNAL=VALUE", value_parser = parse_value)]
    pub(crate) dummy: Option<(String, serde_json::Value)>,
    /// How far off the dummy value may be
    #[arg(long, default_value_t = 0.0, requires = "dummy")]
    pub(crate) tolerance: f64,
    /// Begin a soak test of so many hours
    #[arg(long, value_name = "HOURS")]
    pub(crate) soak: Option<f64>,
    /// Print the report as Markdown
    #[arg(long, conflicts_with_all = ["dummy", "soak", "live", "trial"])]
    pub(crate) report: bool,
    /// Let it go live, and clear or keep its trial readings
    #[arg(long, value_enum, value_name = "READINGS", conflicts_with = "trial")]
    pub(crate) live: Option<LiveReadings>,
    /// Go live although steps are open or failed
    #[arg(long, requires = "live")]
    pub(crate) anyway: bool,
    /// Put a live device into trial again
    #[arg(long)]
    pub(crate) trial: bool,
}

#[derive(Clone, Copy, ValueEnum)]
pub(crate) enum LiveReadings {
    /// Delete the trial readings
    Clear,
    /// Keep them as readings like any other
    Keep,
}

#[derive(Args)]
pub(crate) struct RecipeArgs {
    /// Code of the device
    pub(crate) device: String,
    /// shell, python, javascript, c, http, get, form or senml; the list if absent
    pub(crate) recipe: Option<String>,
    /// Key of the device, to be put into the recipe
    #[arg(long, env = "LANTERN_KEY", hide_env_values = true)]
    pub(crate) key: Option<String>,
}

#[derive(Args)]
pub(crate) struct EnterArgs {
    /// Device and code
    #[arg(value_name = "DEVICE/SIGNAL", value_parser = parse_path)]
    pub(crate) signal: SignalPath,
    /// The value: a number, true or false, or a text
    #[arg(allow_hyphen_values = true)]
    pub(crate) value: String,
    /// When it was read off: a local time of the site, or RFC 3339; now if absent
    #[arg(long, value_name = "TIME")]
    pub(crate) at: Option<String>,
    /// Why, or how it was measured
    #[arg(long, default_value = "")]
    pub(crate) note: String,
}
