//! Arguments of `lantern coverage`.

use crate::time::Span;
use clap::{Args, ValueEnum};

#[derive(Args)]
pub(crate) struct CoverageArgs {
    /// One device; all of the site if absent
    pub(crate) device: Option<String>,
    #[command(flatten)]
    pub(crate) span: Span,
    /// Parts of the time
    #[arg(long, value_enum, default_value_t = Part::Hour)]
    pub(crate) by: Part,
    /// List the gaps too, with what ended them
    #[arg(long)]
    pub(crate) gaps: bool,
    /// Print a line for each device and part as CSV instead
    #[arg(long, conflicts_with = "gaps")]
    pub(crate) csv: bool,
}

/// A part of a time.
#[derive(Clone, Copy, ValueEnum)]
pub(crate) enum Part {
    /// From one full hour to the next
    Hour,
    /// From midnight to midnight
    Day,
}

impl Part {
    /// The word the service knows it by.
    pub(crate) const fn as_str(self) -> &'static str {
        match self {
            Self::Hour => "hour",
            Self::Day => "day",
        }
    }
}
