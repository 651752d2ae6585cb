//! What can be typed: commands, arguments, help.

mod alarms;
mod bursts;
mod callouts;
mod chart;
mod coverage;
mod device;
mod export;
mod figures;
mod groups;
mod meaning;
mod note;
mod objects;
mod people;
mod setting_up;
mod storage;
#[cfg(test)]
mod tests;
mod values;
mod view;

pub(crate) use alarms::{
    AcknowledgeArgs, AlarmsArgs, Limit, ShelveArgs, WatchArgs, WatchCommand, WhenArgs, parse_limit,
};
pub(crate) use bursts::BurstsArgs;
pub(crate) use callouts::{CalloutsArgs, RosterArgs, RosterCommand};
pub(crate) use chart::ChartArgs;
pub(crate) use coverage::CoverageArgs;
pub(crate) use device::{DeviceCommand, DeviceEdit, NewDeviceArgs};
pub(crate) use export::{ExportArgs, ExportFormat};
pub(crate) use figures::FiguresArgs;
pub(crate) use groups::command_line;
pub(crate) use meaning::{
    Align, Bounds, CalibrateArgs, CompareArgs, ConversionArgs, FormulaArgs, How, JobsArgs, QualityArgs, ReconvertArgs,
    ScreenArgs,
};
pub(crate) use note::{NewNoteArgs, NoteChangeArgs, NoteCommand, NotesArgs, OriginArgs};
pub(crate) use objects::{Confirm, KeyCommand, KeyOwner, MqttSessionCommand, Role, SignalCommand, SiteCommand};
pub(crate) use people::{AccountCommand, ChangesArgs, ComeInArgs, EveryoneCommand, LoginArgs, PeopleCommand};
pub(crate) use setting_up::{
    ClaimArgs, CommissionArgs, ContactsArgs, DecoderCommand, EnterArgs, IgnoreArgs, KindCommand, LiveReadings,
    RecipeArgs,
};
pub(crate) use storage::{BackupArgs, EraseArgs, GapsArgs, Keep, RetentionArgs, SpanArgs, SummaryArgs};
pub(crate) use values::{SignalPath, expand, typed};
pub(crate) use view::{ViewCommand, ViewSpan};

use crate::output::Form;
use crate::time::Span;
use clap::{Args, Parser, Subcommand};
use values::{parse_path, parse_value};

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
    /// Come in by a one-time address, or set a new password with one
    #[command(
        after_help = "The password is asked for, or taken from LANTERN_PASSWORD.\n\nExample:\n  lantern come-in \"https://lantern.example/join#SECRET\" --name bob"
    )]
    ComeIn(ComeInArgs),
    /// Your own account: name, numbers, log-ins and tokens
    #[command(subcommand)]
    Account(AccountCommand),
    /// People of the site and their roles
    #[command(subcommand)]
    People(PeopleCommand),
    /// People of the whole service, for its administrators
    #[command(subcommand)]
    Everyone(EveryoneCommand),
    /// Who changed what, the last changes first
    #[command(
        after_help = "Examples:\n  lantern changes\n  lantern changes tower/level --who bob\n  lantern changes --words interval --from 2026-05-01"
    )]
    Changes(ChangesArgs),
    /// Make something again what it was before a change
    #[command(after_help = "Example:\n  lantern undo 17    (a number that `lantern changes` shows)")]
    Undo {
        /// The number of the change
        id: i64,
    },
    /// How the service is doing, part by part
    #[command(after_help = "Ends with 1 if a part is not well.")]
    Health {
        /// Believe the clock although it has leapt ahead; what is too old by it is deleted from now on
        #[arg(long)]
        confirm_clock: bool,
    },
    /// Sites: places or projects
    Site {
        #[command(subcommand)]
        command: SiteCommand,
    },
    /// Alarms that wait for somebody; with --all the history
    #[command(
        after_help = "Examples:\n  lantern alarms\n  lantern alarms 12\n  lantern alarms --all --since 7d --output json\n  lantern alarms --follow --least high\n  lantern alarms --figures --since 90d --operators 2"
    )]
    Alarms(Box<AlarmsArgs>),
    /// Say that you know of alarms
    #[command(after_help = "Example:\n  lantern acknowledge 12 13 --note \"on my way\"")]
    Acknowledge(AcknowledgeArgs),
    /// Put an alarm aside for a time: nobody is called
    #[command(
        after_help = "Examples:\n  lantern shelve 12 --for 4h --because \"works at the tank\"\n  lantern shelve 12 --end"
    )]
    Shelve(ShelveArgs),
    /// Watches: rules that say when something is wrong
    Watch {
        #[command(subcommand)]
        command: WatchCommand,
    },
    /// Messages that called people, and what became of each
    #[command(
        after_help = "Examples:\n  lantern callouts\n  lantern callouts 7\n  lantern callouts --alarm 12\n  lantern callouts --state failed --output json"
    )]
    Callouts(CalloutsArgs),
    /// Rosters: who is called for alarms, when, in which order
    Roster {
        #[command(subcommand)]
        command: RosterCommand,
    },
    /// Notes that people write to a time or a span
    Note {
        #[command(subcommand)]
        command: NoteCommand,
    },
    /// List devices and signals that were removed and can be brought back
    #[command(after_help = "Bring one back with: lantern device restore tower, or: lantern signal restore tower/level")]
    Removed,
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
    /// Sessions of clients that speak MQTT: who is connected, and what waits for whom
    MqttSession {
        #[command(subcommand)]
        command: MqttSessionCommand,
    },
    /// Keys with which devices send
    Key {
        #[command(subcommand)]
        command: KeyCommand,
    },
    /// Kinds: makes of device, described once
    Kind {
        #[command(subcommand)]
        command: KindCommand,
    },
    /// Decoders: how payloads without names of ours are read
    Decoder {
        #[command(subcommand)]
        command: DecoderCommand,
    },
    /// List devices and values that nobody has declared
    #[command(after_help = "Give one a place with `lantern claim`, or pass it over with `lantern ignore`.")]
    Arrivals {
        /// Those that are ignored instead
        #[arg(long)]
        ignored: bool,
    },
    /// Give an arrival its place: a signal of its own, a declared one, or a device
    #[command(
        after_help = "Examples:\n  lantern claim tower/supply --unit V\n  lantern claim tower/lvl --into level\n  lantern claim tower/t2 --as temp2 --unit Cel --name \"Second probe\"\n  lantern claim shed-9 --kind shed-sensor --name \"Shed, north end\""
    )]
    Claim(ClaimArgs),
    /// Pass over what comes under an undeclared name from now on
    #[command(after_help = "Examples:\n  lantern ignore tower/debug\n  lantern ignore tower/debug --undo")]
    Ignore(IgnoreArgs),
    /// Say why nothing is seen of a device or a signal, and what mends it
    #[command(after_help = "Examples:\n  lantern why tower\n  lantern why tower/level")]
    Why {
        /// The device, or one of its signals
        #[arg(value_name = "DEVICE[/SIGNAL]")]
        of: String,
    },
    /// Show the attempts of a device to deliver, and what was wrong with them
    #[command(
        after_help = "Examples:\n  lantern contacts tower\n  lantern contacts tower --follow\n  lantern contacts --unknown"
    )]
    Contacts(ContactsArgs),
    /// Show how far a new device is, try it, and let it go live
    #[command(
        after_help = "Examples:\n  lantern commission shed-5\n  lantern commission shed-5 --dummy temp=99.9\n  lantern commission shed-5 --soak 12\n  lantern commission shed-5 --report > report.md\n  lantern commission shed-5 --live clear"
    )]
    Commission(CommissionArgs),
    /// Print sending instructions for a device
    #[command(
        after_help = "Examples:\n  lantern recipe tower\n  lantern recipe tower python --key KEY > send.py\n  lantern recipe tower c > send.c"
    )]
    Recipe(RecipeArgs),
    /// Enter a reading by hand
    #[command(after_help = "Example:\n  lantern enter tower/level 2.31 --note \"read off the scale\"")]
    Enter(EnterArgs),
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
        after_help = "Examples:\n  lantern readings tower/level --since 2h\n  lantern readings tower/level --from 2026-05-01 --to 2026-05-02 --limit 100\n  lantern readings larder/temp --since 1h --unit °F"
    )]
    Readings(ReadingsArgs),
    /// Follow values live
    #[command(
        after_help = "In a terminal the values stand in place, with arrow and age; q ends it. Piped, each reading is a line.\n\nExamples:\n  lantern follow\n  lantern follow tower larder/temp\n  lantern -o json follow tower | head -5\n  lantern follow tower --mqtt mqtt://127.0.0.1:1883 --key KEY"
    )]
    Follow(FollowArgs),
    /// Give a device a command and wait for what becomes of it
    #[command(
        after_help = "Examples:\n  lantern command points-7                   (what it understands, and what was given)\n  lantern command points-7 heater on\n  lantern command points-7 heater state=on\n  lantern command points-7 --withdraw 17"
    )]
    #[command(name = "command")]
    Give(CommandArgs),
    /// Show how the messages of a device, and of those it carries, come through
    #[command(after_help = "Example:\n  lantern link shed-gw")]
    Link {
        /// Code of the device
        device: String,
    },
    /// Open a joining window: what a gateway has not carried before is admitted at once
    #[command(
        after_help = "Examples:\n  lantern join shed-gw --minutes 5 --kind shed-sensor\n  lantern join shed-gw --close"
    )]
    Join(JoinArgs),
    /// Show the lamp of the site or of a device: calm, look or alarm
    #[command(after_help = "Examples:\n  lantern lamp\n  lantern lamp tower --width 16")]
    Lamp(LampArgs),
    /// Write readings to a file or to standard output
    #[command(
        after_help = "Examples:\n  lantern export --since 7d > week.csv\n  lantern export tower/level tower/temp --from 2026-05-01 --file may.csv --zone UTC\n  lantern export larder/temp:[degF] --since 1d\n  lantern export tower/level --since 30d --by hour --figures mean,min,max --spreadsheet --file month.csv\n  lantern export --since 52w --format parquet --file year.parquet"
    )]
    Export(ExportArgs),
    /// Draw signals as charts in the terminal
    #[command(
        after_help = "Each column goes from the least to the most of its time; a time without readings stays open.\n\nExamples:\n  lantern chart tower/level\n  lantern chart tower/level larder/temp --since 7d\n  lantern chart tower/level --since 10m --follow\n  lantern chart --view \"Water\""
    )]
    Chart(ChartArgs),
    /// How much of what was expected came, and where the gaps are
    #[command(
        after_help = "Examples:\n  lantern coverage\n  lantern coverage tower --since 30d --by day --gaps\n  lantern coverage --from 2026-10-01 --to 2026-11-01 --by day --csv > october.csv"
    )]
    Coverage(CoverageArgs),
    /// Keep views of charts by name
    #[command(subcommand)]
    View(ViewCommand),
    /// List the bursts of a waveform with their extremes
    #[command(
        after_help = "A burst is a number of readings with no more silence between them than --gap.\n\nExamples:\n  lantern bursts viaduct/strain --since 2d\n  lantern bursts viaduct/accel --from 2026-05-01 --gap 30s --newest"
    )]
    Bursts(BurstsArgs),
    /// Say where a value comes from: what was sent, with which contact, and each step
    #[command(
        after_help = "Examples:\n  lantern origin tower/level\n  lantern origin tower/level --at 2026-05-01T05:40"
    )]
    Origin(OriginArgs),
    /// Extremes with their times, means, quantiles, hours within limits, integrals, degree hours
    #[command(
        after_help = "Examples:\n  lantern figures tower/level --since 7d --by day\n  lantern figures larder/temp --since 4w --above 8 --quantiles 0.05,0.5,0.95\n  lantern figures box-1/temp:Cel --from 2026-10-01 --by month --base 15.5"
    )]
    Figures(FiguresArgs),
    /// Sum up readings by stretches of time
    #[command(
        after_help = "Examples:\n  lantern summary tower/level --since 7d --by day\n  lantern summary tower/level tower/temp --from 2026-01-01 --by month"
    )]
    Summary(SummaryArgs),
    /// Show from when to when there are readings
    #[command(after_help = "Examples:\n  lantern span\n  lantern span tower/level tunnel/co")]
    Span(SpanArgs),
    /// List times without readings
    #[command(
        after_help = "Examples:\n  lantern gaps tower/level --since 7d\n  lantern gaps tower/level --longer-than 1h"
    )]
    Gaps(GapsArgs),
    /// Delete readings of a time
    #[command(after_help = "Example:\n  lantern erase tower/level --from 2026-05-01 --to 2026-05-02 --dry-run")]
    Erase(EraseArgs),
    /// Show or set how long readings and their summaries are kept
    #[command(
        after_help = "Examples:\n  lantern retention tower/level\n  lantern retention viaduct/accel --raw 30d --minutes 1y --dry-run\n  lantern retention --kind shed-sensor --raw 2y"
    )]
    Retention(RetentionArgs),
    /// Show or say how what is sent becomes the value, step by step
    #[command(
        after_help = "Examples:\n  lantern conversion sorrel/boiler\n  lantern conversion sorrel/boiler boiler.toml --try 512\n  lantern conversion sorrel/boiler boiler.toml --dry-run --since 7d\n  lantern conversion sorrel/boiler boiler.toml\n\nThe file: docs/reference/conversions.md"
    )]
    Conversion(ConversionArgs),
    /// Show or say how a signal is worked out from others
    #[command(
        after_help = "Examples:\n  lantern formula shed-1/dew \"dew_point(temp, hum)\" --try\n  lantern formula shed-1/dew \"dew_point(temp, hum)\"\n  lantern formula tower/gap \"level - {tower/level-p}\" --others-within 2m\n\nThe language: docs/reference/formulas.md"
    )]
    Formula(FormulaArgs),
    /// Show or say which values can be believed
    #[command(
        after_help = "Examples:\n  lantern screen larder/temp --possible -40..60 --expected 0..12 --fastest 0.5\n  lantern screen larder/temp --frozen 6h --dry-run --since 7d\n  lantern screen sorrel/pos position.toml\n\nThe file: docs/reference/screening.md"
    )]
    Screen(ScreenArgs),
    /// Count good, suspect and rejected readings
    #[command(after_help = "Example:\n  lantern quality larder/temp --since 7d")]
    Quality(QualityArgs),
    /// Compare sensors of one thing, or one sensor at two times
    #[command(
        after_help = "Examples:\n  lantern compare tower/level tower/level-p --since 2d\n  lantern compare larder/temp larder/temp --since 1d --shift 7d"
    )]
    Compare(CompareArgs),
    /// Make a calibration from what a signal said and what was right
    #[command(
        after_help = "Examples:\n  lantern calibrate larder/temp 0.6=0 98.1=99.6\n  lantern calibrate larder/temp 0.6=0 98.1=99.6 --save\n  lantern calibrate shed/temp --save -- -4.6=-5 98.1=99.6"
    )]
    Calibrate(CalibrateArgs),
    /// List jobs that make histories again
    #[command(after_help = "Examples:\n  lantern jobs\n  lantern jobs --cancel 7")]
    Jobs(JobsArgs),
    /// Show how much room everything takes
    Storage,
    /// Write everything there is to a file, while the service goes on
    #[command(after_help = "Example:\n  lantern backup monday.sqlite")]
    Backup(BackupArgs),
    /// Print completions for a shell
    #[command(after_help = "Example:\n  lantern completions bash > ~/.local/share/bash-completion/completions/lantern")]
    Completions {
        /// The shell
        shell: clap_complete::Shell,
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
    /// Suspect and rejected readings too
    #[arg(long)]
    pub(crate) all: bool,
    /// Show values in another unit, such as °F
    #[arg(long)]
    pub(crate) unit: Option<String>,
}

#[derive(Args)]
pub(crate) struct FollowArgs {
    /// Devices or signals to follow; all if absent
    #[arg(value_name = "DEVICE[/SIGNAL]")]
    pub(crate) what: Vec<String>,
    /// Over MQTT instead, with a key that is granted read: no log-in is needed
    #[arg(long, value_name = "mqtt://HOST:PORT", requires = "key")]
    pub(crate) mqtt: Option<String>,
    /// The key, with --mqtt
    #[arg(long, env = "LANTERN_KEY", hide_env_values = true)]
    pub(crate) key: Option<String>,
}

#[derive(Args)]
pub(crate) struct CommandArgs {
    /// Code of the device
    pub(crate) device: String,
    /// The command; what there is, and what was given lately, if absent
    pub(crate) name: Option<String>,
    /// Its arguments: values in its own order, or NAME=VALUE
    #[arg(value_name = "ARGUMENT", allow_hyphen_values = true)]
    pub(crate) arguments: Vec<String>,
    /// Do not wait for what becomes of it
    #[arg(long)]
    pub(crate) no_wait: bool,
    /// Take back a command that is not over
    #[arg(long, value_name = "NUMBER", conflicts_with = "name")]
    pub(crate) withdraw: Option<i64>,
}

#[derive(Args)]
pub(crate) struct JoinArgs {
    /// Code of the device that carries others
    pub(crate) device: String,
    /// Minutes the window is open; 10 if absent
    #[arg(long)]
    pub(crate) minutes: Option<f64>,
    /// Kind that what joins is made from
    #[arg(long)]
    pub(crate) kind: Option<String>,
    /// Close the window
    #[arg(long, conflicts_with_all = ["minutes", "kind"])]
    pub(crate) close: bool,
}

#[derive(Args)]
pub(crate) struct LampArgs {
    /// Code of the device; the site if absent
    pub(crate) device: Option<String>,
    /// A line of so many characters instead of a word
    #[arg(long, value_parser = clap::value_parser!(u16).range(1..=200))]
    pub(crate) width: Option<u16>,
}
