//! What the values of signals mean.

use super::values::{SignalPath, parse_path};
use crate::time::{Span, parse_length};
use clap::{Args, ValueEnum};
use std::path::PathBuf;

#[derive(Args)]
pub(crate) struct ConversionArgs {
    /// Device and code
    #[arg(value_name = "DEVICE/SIGNAL", value_parser = parse_path)]
    pub(crate) signal: SignalPath,
    /// File with the conversion, JSON or TOML; - for standard input. Shows what there is if absent
    pub(crate) file: Option<PathBuf>,
    /// Only show, step by step, what becomes of this value; nothing is saved
    #[arg(long = "try", value_name = "RAW", allow_hyphen_values = true)]
    pub(crate) try_raw: Option<f64>,
    #[command(flatten)]
    pub(crate) how: How,
}

#[derive(Args)]
pub(crate) struct FormulaArgs {
    /// Device and code
    #[arg(value_name = "DEVICE/SIGNAL", value_parser = parse_path)]
    pub(crate) signal: SignalPath,
    /// The formula; shows what there is if absent
    pub(crate) formula: Option<String>,
    /// Only show what it comes to now; nothing is saved
    #[arg(long = "try", requires = "formula")]
    pub(crate) try_out: bool,
    #[command(flatten)]
    pub(crate) how: How,
}

#[derive(Args)]
pub(crate) struct ScreenArgs {
    /// Device and code
    #[arg(value_name = "DEVICE/SIGNAL", value_parser = parse_path)]
    pub(crate) signal: SignalPath,
    /// File with the screen, JSON or TOML; - for standard input
    pub(crate) file: Option<PathBuf>,
    /// What is possible, such as -40..85; values outside are rejected
    #[arg(long, value_name = "LOW..HIGH", value_parser = parse_range, allow_hyphen_values = true)]
    pub(crate) possible: Option<Bounds>,
    /// What is expected; values outside are suspect
    #[arg(long, value_name = "LOW..HIGH", value_parser = parse_range, allow_hyphen_values = true)]
    pub(crate) expected: Option<Bounds>,
    /// The most it can change in a second
    #[arg(long, value_name = "RATE")]
    pub(crate) fastest: Option<f64>,
    /// Suspect when it has been the same for longer, such as 2h
    #[arg(long, value_name = "TIME", value_parser = parse_length)]
    pub(crate) frozen: Option<i64>,
    /// What the sensor sends, before it is converted, when it has no value, such as -127
    #[arg(long, value_name = "VALUE", allow_hyphen_values = true)]
    pub(crate) marker: Vec<f64>,
    #[command(flatten)]
    pub(crate) how: How,
}

#[derive(Args)]
pub(crate) struct How {
    /// Values of other signals count for so long, such as 5m
    #[arg(long, value_name = "TIME", value_parser = parse_length)]
    pub(crate) others_within: Option<i64>,
    /// Only say what it would make of the readings of a time; nothing is saved
    #[arg(long)]
    pub(crate) dry_run: bool,
    #[command(flatten)]
    pub(crate) span: Span,
    /// Take it away
    #[arg(long)]
    pub(crate) remove: bool,
}

/// Two bounds; what is absent is open.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct Bounds {
    pub(crate) low: Option<f64>,
    pub(crate) high: Option<f64>,
}

fn parse_range(text: &str) -> Result<Bounds, String> {
    let wrong = || format!("`{text}` is not LOW..HIGH, such as -40..85 or 0..");
    let (low, high) = text.split_once("..").ok_or_else(wrong)?;
    let bound = |text: &str| match text.trim() {
        "" => Ok(None),
        number => number.parse::<f64>().map(Some).map_err(|_| wrong()),
    };
    let bounds = Bounds { low: bound(low)?, high: bound(high)? };
    if bounds.low.is_none() && bounds.high.is_none() { Err(wrong()) } else { Ok(bounds) }
}

#[derive(Args)]
pub(crate) struct QualityArgs {
    /// Device and code
    #[arg(value_name = "DEVICE/SIGNAL", value_parser = parse_path)]
    pub(crate) signal: SignalPath,
    #[command(flatten)]
    pub(crate) span: Span,
}

#[derive(Args)]
pub(crate) struct ReconvertArgs {
    /// Device and code
    #[arg(value_name = "DEVICE/SIGNAL", value_parser = parse_path)]
    pub(crate) signal: SignalPath,
    /// From this time on, such as 2026-05-01 or 2026-05-01T12:00
    #[arg(long, value_name = "TIME")]
    pub(crate) from: String,
    /// To this time, itself excluded; to the end if absent
    #[arg(long, value_name = "TIME")]
    pub(crate) to: Option<String>,
    /// Do not wait until it is done
    #[arg(long)]
    pub(crate) no_wait: bool,
}

#[derive(Args)]
pub(crate) struct JobsArgs {
    /// Stop one
    #[arg(long, value_name = "NUMBER")]
    pub(crate) cancel: Option<i64>,
}

#[derive(Args)]
pub(crate) struct CompareArgs {
    /// What the others are compared with
    #[arg(value_name = "DEVICE/SIGNAL", value_parser = parse_path)]
    pub(crate) reference: SignalPath,
    /// The others, at most five; the same one, to compare two times
    #[arg(value_name = "DEVICE/SIGNAL", value_parser = parse_path, required = true)]
    pub(crate) others: Vec<SignalPath>,
    #[command(flatten)]
    pub(crate) span: Span,
    /// How to find the reference at the time of a reading
    #[arg(long, value_enum, default_value_t = Align::Nearest)]
    pub(crate) align: Align,
    /// Readings so far apart are of the same time, such as 30s
    #[arg(long, value_name = "TIME", value_parser = parse_length)]
    pub(crate) tolerance: Option<i64>,
    /// Take the others from so much earlier, such as 7d
    #[arg(long, value_name = "TIME", value_parser = parse_length)]
    pub(crate) shift: Option<i64>,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum Align {
    /// Its nearest reading
    Nearest,
    /// On the line between the readings before and after
    Interpolated,
}

#[derive(Args)]
pub(crate) struct CalibrateArgs {
    /// Device and code
    #[arg(value_name = "DEVICE/SIGNAL", value_parser = parse_path)]
    pub(crate) signal: SignalPath,
    /// What it said and what was right, two pairs or more, such as 0.6=0 98.1=99.6
    #[arg(value_name = "SAID=RIGHT", value_parser = parse_pair, required = true, num_args = 2..)]
    pub(crate) pairs: Vec<(f64, f64)>,
    /// Save it: it holds for what comes from now on
    #[arg(long)]
    pub(crate) save: bool,
}

fn parse_pair(text: &str) -> Result<(f64, f64), String> {
    let wrong = || format!("`{text}` is not SAID=RIGHT, such as 98.1=99.6");
    let (said, right) = text.split_once('=').ok_or_else(wrong)?;
    Ok((said.trim().parse().map_err(|_| wrong())?, right.trim().parse().map_err(|_| wrong())?))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn ranges_may_be_open_at_one_end() {
        for (text, expected) in [
            ("-40..85", Some((Some(-40.0), Some(85.0)))),
            ("0..", Some((Some(0.0), None))),
            ("..3.5", Some((None, Some(3.5)))),
            ("..", None),
            ("5", None),
            ("a..b", None),
        ] {
            let found = parse_range(text).ok().map(|bounds| (bounds.low, bounds.high));
            assert_eq!(found, expected, "{text}");
        }
    }
}
