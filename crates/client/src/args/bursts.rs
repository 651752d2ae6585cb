//! Arguments of `lantern bursts`.

use super::values::{SignalPath, parse_path};
use crate::time::{Span, parse_ago};
use clap::Args;

#[derive(Args)]
pub(crate) struct BurstsArgs {
    /// Device and code
    #[arg(value_name = "DEVICE/SIGNAL", value_parser = parse_path)]
    pub(crate) signal: SignalPath,
    #[command(flatten)]
    pub(crate) span: Span,
    /// Silence that ends a burst: 2s, 1m (default: 5s)
    #[arg(long, value_name = "LENGTH", value_parser = parse_ago)]
    pub(crate) gap: Option<i64>,
    /// At most so many
    #[arg(long, default_value_t = 100, value_parser = clap::value_parser!(u32).range(1..=500))]
    pub(crate) limit: u32,
    /// Latest first
    #[arg(long)]
    pub(crate) newest: bool,
    /// Show values in another unit
    #[arg(long)]
    pub(crate) unit: Option<String>,
}
