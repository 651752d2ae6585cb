//! Arguments of the commands about people, their accounts and the record of changes.

use super::values::parse_column;
use clap::{Args, Subcommand, ValueEnum};
use lantern_api::{DecimalMark, Role};
use std::path::PathBuf;

/// A role as it is typed.
#[derive(Debug, Clone, Copy, ValueEnum)]
pub(crate) enum RoleWord {
    /// Looks, and changes nothing
    Viewer,
    /// Does the daily work: sets devices up, enters readings, gives commands
    Operator,
    /// Decides who gets in and what is lost
    Owner,
}

impl From<RoleWord> for Role {
    fn from(word: RoleWord) -> Self {
        match word {
            RoleWord::Viewer => Self::Viewer,
            RoleWord::Operator => Self::Operator,
            RoleWord::Owner => Self::Owner,
        }
    }
}

/// What stands before the decimals, as it is typed.
#[derive(Debug, Clone, Copy, ValueEnum)]
pub(crate) enum MarkWord {
    /// 1.5
    Point,
    /// 1,5
    Comma,
    /// As the site has it
    Site,
}

impl From<MarkWord> for Option<DecimalMark> {
    fn from(word: MarkWord) -> Self {
        match word {
            MarkWord::Point => Some(DecimalMark::Point),
            MarkWord::Comma => Some(DecimalMark::Comma),
            MarkWord::Site => None,
        }
    }
}

#[derive(Args)]
pub(crate) struct LoginArgs {
    /// Address of the service, such as http://127.0.0.1:8710
    #[arg(value_name = "URL")]
    pub(crate) address: Option<String>,
    /// Your name; asked for if absent
    #[arg(long)]
    pub(crate) name: Option<String>,
    /// One-time code that the service printed at its first start: makes the first person
    #[arg(long, value_name = "CODE")]
    pub(crate) setup: Option<String>,
    /// Code of the second factor, or a recovery code; asked for if it is needed and absent
    #[arg(long, value_name = "CODE", conflicts_with = "setup")]
    pub(crate) code: Option<String>,
}

#[derive(Subcommand)]
pub(crate) enum PeopleCommand {
    /// List the people of the site, with their roles
    List,
    /// Give someone of the site another role
    #[command(after_help = "Example:\n  lantern people role bob operator")]
    Role {
        /// Their name
        name: String,
        /// What they are to be
        role: RoleWord,
    },
    /// Take someone's role on the site away
    Remove {
        /// Their name
        name: String,
    },
    /// Invite somebody: prints a one-time address to send them
    #[command(
        after_help = "The address is shown this once. Whoever opens it first chooses a name and a password.\n\nExamples:\n  lantern people invite \"Bob, signals\" operator\n  lantern people invite \"Visitors' office\" viewer --days 30"
    )]
    Invite {
        /// Who it is for, in your words
        for_whom: String,
        /// What they are to be
        role: RoleWord,
        /// Days until it ends
        #[arg(long, default_value_t = 7, value_parser = clap::value_parser!(u32).range(1..=90))]
        days: u32,
    },
    /// List invitations that wait to be used
    Invitations,
    /// Withdraw an invitation
    Withdraw {
        /// Its number, as `lantern people invitations` shows it
        id: i64,
    },
}

#[derive(Subcommand)]
pub(crate) enum EveryoneCommand {
    /// List all people of the service
    List,
    /// Make someone an administrator, or no longer one
    #[command(
        after_help = "Examples:\n  lantern everyone administrator bob\n  lantern everyone administrator bob --no-longer"
    )]
    Administrator {
        /// Their name
        name: String,
        /// No longer
        #[arg(long)]
        no_longer: bool,
    },
    /// Invite somebody as administrator: prints a one-time address to send them
    Invite {
        /// Who it is for, in your words
        for_whom: String,
        /// Days until it ends
        #[arg(long, default_value_t = 7, value_parser = clap::value_parser!(u32).range(1..=90))]
        days: u32,
    },
    /// Open a way to a new password: prints a one-time address to send to someone who forgot theirs
    NewPassword {
        /// Their name
        name: String,
    },
    /// Take the second factor away from someone who lost it
    EndSecondFactor {
        /// Their name
        name: String,
    },
    /// Remove someone with their log-ins, tokens and roles; what they did stays in the record
    Remove {
        /// Their name
        name: String,
        /// Do it
        #[arg(long)]
        yes: bool,
    },
}

#[derive(Subcommand)]
pub(crate) enum AccountCommand {
    /// Show your account
    Show,
    /// Change your account
    #[command(
        after_help = "Examples:\n  lantern account set --numbers comma --zone Europe/London\n  lantern account set --address ann@marlbeck.example --address \"+44 1632 960001\""
    )]
    Set(AccountArgs),
    /// Change your password; all your other log-ins and tokens end
    #[command(after_help = "Asked for, or taken from LANTERN_PASSWORD and LANTERN_NEW_PASSWORD.")]
    Password,
    /// List your log-ins and tokens
    Sessions,
    /// End one of your log-ins or tokens
    End {
        /// Its number, as `lantern account sessions` shows it
        id: i64,
    },
    /// Make a token for a program: printed this once
    #[command(
        after_help = "Examples:\n  lantern account token \"nightly export\" --at-most viewer --only marlbeck --days 365"
    )]
    Token {
        /// What it is for
        name: String,
        /// The most it lets you be
        #[arg(long, value_name = "ROLE")]
        at_most: Option<RoleWord>,
        /// The only site it opens
        #[arg(long, value_name = "SITE")]
        only: Option<String>,
        /// Days until it ends
        #[arg(long, default_value_t = 365, value_parser = clap::value_parser!(u32).range(1..=3650))]
        days: u32,
    },
    /// Leave a site
    Leave {
        /// Its code
        code: String,
    },
}

#[derive(Args)]
pub(crate) struct AccountArgs {
    /// The name to log in with
    #[arg(long)]
    pub(crate) name: Option<String>,
    /// How numbers are written for you
    #[arg(long, value_name = "MARK")]
    pub(crate) numbers: Option<MarkWord>,
    /// The time zone you want to see; `site` for that of the site
    #[arg(long, value_name = "ZONE")]
    pub(crate) zone: Option<String>,
    /// A mail address or telephone number; give all that you want
    #[arg(long = "address", value_name = "ADDRESS")]
    pub(crate) addresses: Vec<String>,
}

#[derive(Args)]
pub(crate) struct ComeInArgs {
    /// The one-time address that was sent to you
    #[arg(value_name = "ADDRESS")]
    pub(crate) address: String,
    /// The name you want to log in with
    #[arg(long)]
    pub(crate) name: Option<String>,
    /// Code of the second factor, for a new password where you have set one up
    #[arg(long, value_name = "CODE")]
    pub(crate) code: Option<String>,
}

#[derive(Args)]
pub(crate) struct ChangesArgs {
    /// Only those of a device, or of a signal
    #[arg(value_name = "DEVICE[/SIGNAL]", value_parser = parse_about)]
    pub(crate) about: Option<String>,
    /// Only those of one person
    #[arg(long, value_name = "NAME")]
    pub(crate) who: Option<String>,
    /// Only those in which these words stand somewhere
    #[arg(long)]
    pub(crate) words: Option<String>,
    /// Not before this time
    #[arg(long, value_name = "TIME")]
    pub(crate) from: Option<String>,
    /// Before this time
    #[arg(long, value_name = "TIME")]
    pub(crate) to: Option<String>,
    /// How many, the last ones first
    #[arg(long, default_value_t = 50, value_parser = clap::value_parser!(u32).range(1..=500))]
    pub(crate) most: u32,
    /// Of the whole service, for its administrators
    #[arg(long, conflicts_with = "about")]
    pub(crate) everywhere: bool,
    /// Write all that fit into a file as CSV, a row for each field that was changed
    #[arg(long, value_name = "FILE", conflicts_with_all = ["everywhere", "most"])]
    pub(crate) file: Option<PathBuf>,
}

/// A device or a signal as the object of a change.
fn parse_about(text: &str) -> Result<String, String> {
    if !text.contains('/') {
        return Ok(format!("devices/{text}"));
    }
    let column = parse_column(text)?;
    let (device, signal) = column.split_once('/').unwrap_or((&column, ""));
    Ok(format!("devices/{device}/signals/{signal}"))
}
