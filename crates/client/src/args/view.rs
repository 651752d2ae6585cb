//! Arguments of `lantern view`.

use super::values::parse_column;
use clap::Subcommand;

#[derive(Subcommand)]
pub(crate) enum ViewCommand {
    /// List the views of charts that are kept
    List,
    /// Keep a view, in place of the one of the same name
    #[command(
        after_help = "Examples:\n  lantern view keep \"Water\" tower/level tower/volume --span 1w\n  lantern view keep \"Fridge\" larder/temp larder/door"
    )]
    Keep {
        /// What to call it
        name: String,
        /// Signals to draw
        #[arg(required = true, num_args = 1..=20, value_name = "DEVICE/SIGNAL", value_parser = parse_column)]
        signals: Vec<String>,
        /// The time up to now that it shows: 10s, 1m, 10m, 1h, 6h, 1d, 1w, 1mo or 1y
        #[arg(long, value_name = "LENGTH", default_value = "1d", value_parser = ViewSpan::parse)]
        span: ViewSpan,
    },
    /// Remove a view
    Remove {
        /// Its name, as `lantern view list` shows it
        name: String,
    },
}

/// A time up to now that a view shows.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct ViewSpan {
    /// The word for it.
    pub(crate) id: &'static str,
    /// How long it is.
    pub(crate) seconds: i64,
}

const SPANS: [(&str, i64); 9] = [
    ("10s", 10),
    ("1m", 60),
    ("10m", 600),
    ("1h", 3_600),
    ("6h", 21_600),
    ("1d", 86_400),
    ("1w", 7 * 86_400),
    ("1mo", 31 * 86_400),
    ("1y", 366 * 86_400),
];

impl ViewSpan {
    /// From its word.
    pub(crate) fn parse(text: &str) -> Result<Self, String> {
        let found = SPANS.into_iter().find(|(id, _)| *id == text);
        let words = || SPANS.map(|(id, _)| id).join(", ");
        found.map(|(id, seconds)| Self { id, seconds }).ok_or_else(|| format!("one of {}", words()))
    }
}
