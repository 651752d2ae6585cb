//! Summaries, gaps, retention and backup, as they are typed.

use super::SignalPath;
use super::values::parse_path;
use crate::time::Span;
use clap::{Args, ValueEnum};
use std::path::PathBuf;

#[derive(Args)]
pub(crate) struct SummaryArgs {
    /// Signals to sum up
    #[arg(required = true, value_name = "DEVICE/SIGNAL", value_parser = parse_path)]
    pub(crate) signals: Vec<SignalPath>,
    #[command(flatten)]
    pub(crate) span: Span,
    /// Stretches of the calendar at the site
    #[arg(long, value_enum)]
    pub(crate) by: Option<By>,
    /// At most so many stretches of a round length
    #[arg(long, default_value_t = 24, conflicts_with = "by", value_parser = clap::value_parser!(u32).range(1..=2_000))]
    pub(crate) buckets: u32,
}

/// A stretch of the calendar.
#[derive(Clone, Copy, ValueEnum)]
pub(crate) enum By {
    /// From one full hour to the next
    Hour,
    /// From midnight to midnight
    Day,
    /// From Monday to Monday
    Week,
    /// From the first to the first
    Month,
    /// From New Year to New Year
    Year,
}

impl By {
    /// The word the service knows it by.
    pub(crate) const fn as_str(self) -> &'static str {
        match self {
            Self::Hour => "hour",
            Self::Day => "day",
            Self::Week => "week",
            Self::Month => "month",
            Self::Year => "year",
        }
    }
}

#[derive(Args)]
pub(crate) struct SpanArgs {
    /// Signals to look for; all of the site if absent
    #[arg(value_name = "DEVICE/SIGNAL", value_parser = parse_path)]
    pub(crate) signals: Vec<SignalPath>,
}

#[derive(Args)]
pub(crate) struct GapsArgs {
    /// Device and code
    #[arg(value_name = "DEVICE/SIGNAL", value_parser = parse_path)]
    pub(crate) signal: SignalPath,
    #[command(flatten)]
    pub(crate) span: Span,
    /// Only gaps longer than this: 90s, 10m, 2h; twice the device's interval if absent
    #[arg(long, value_name = "LENGTH", value_parser = crate::time::parse_ago)]
    pub(crate) longer_than: Option<i64>,
}

#[derive(Args)]
pub(crate) struct RetentionArgs {
    /// Device and code; or name a kind with --kind
    #[arg(value_name = "DEVICE/SIGNAL", value_parser = parse_path, required_unless_present = "kind")]
    pub(crate) signal: Option<SignalPath>,
    /// All signals of devices of a kind, instead of one signal
    #[arg(long, value_name = "CODE", conflicts_with = "signal")]
    pub(crate) kind: Option<String>,
    /// Keep the readings themselves for so long: 48h, 90d, 8w, 2y, or `ever`
    #[arg(long, value_name = "LENGTH", value_parser = parse_keep)]
    pub(crate) raw: Option<Keep>,
    /// Keep summaries of minutes for so long
    #[arg(long, value_name = "LENGTH", value_parser = parse_keep)]
    pub(crate) minutes: Option<Keep>,
    /// Keep summaries of hours for so long
    #[arg(long, value_name = "LENGTH", value_parser = parse_keep)]
    pub(crate) hours: Option<Keep>,
    /// Keep summaries of days for so long
    #[arg(long, value_name = "LENGTH", value_parser = parse_keep)]
    pub(crate) days: Option<Keep>,
    /// Only say what it would do
    #[arg(long)]
    pub(crate) dry_run: bool,
    /// Keep as the kind says, or for ever
    #[arg(long, conflicts_with_all = ["raw", "minutes", "hours", "days", "dry_run"])]
    pub(crate) reset: bool,
}

/// For how long something is kept, in seconds.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct Keep(pub(crate) Option<f64>);

fn parse_keep(text: &str) -> Result<Keep, String> {
    if text == "ever" {
        return Ok(Keep(None));
    }
    let wrong = || "write a length such as 48h, 90d, 8w or 2y, or `ever`".to_owned();
    let unit = text.chars().last().ok_or_else(wrong)?;
    let seconds = match unit {
        'h' => 3_600.0,
        'd' => 86_400.0,
        'w' => 604_800.0,
        'y' => 31_557_600.0,
        _ => return Err(wrong()),
    };
    let number: f64 = text[..text.len() - unit.len_utf8()].parse().map_err(|_| wrong())?;
    if number.is_finite() && number > 0.0 { Ok(Keep(Some(number * seconds))) } else { Err(wrong()) }
}

#[derive(Args)]
pub(crate) struct EraseArgs {
    /// Device and code
    #[arg(value_name = "DEVICE/SIGNAL", value_parser = parse_path)]
    pub(crate) signal: SignalPath,
    /// Begin: a date, a local time of the site, or RFC 3339
    #[arg(long, value_name = "TIME")]
    pub(crate) from: String,
    /// End, itself excluded
    #[arg(long, value_name = "TIME")]
    pub(crate) to: String,
    /// Only say how many there are
    #[arg(long)]
    pub(crate) dry_run: bool,
    /// Do not ask
    #[arg(long)]
    pub(crate) yes: bool,
}

#[derive(Args)]
pub(crate) struct BackupArgs {
    /// File to write
    pub(crate) file: PathBuf,
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn lengths_are_a_number_and_a_unit_or_ever() {
        for (text, expected) in [
            ("ever", Some(None)),
            ("48h", Some(Some(172_800.0))),
            ("1.5d", Some(Some(129_600.0))),
            ("2y", Some(Some(63_115_200.0))),
            ("0d", None),
            ("-1d", None),
            ("90", None),
            ("d", None),
            ("", None),
            ("9µ", None),
        ] {
            assert_eq!(parse_keep(text).ok(), expected.map(Keep), "{text}");
        }
    }
}
