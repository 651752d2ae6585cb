//! Arguments of `lantern figures`.

use super::storage::By;
use super::values::parse_column;
use crate::time::Span;
use clap::Args;

#[derive(Args)]
pub(crate) struct FiguresArgs {
    /// Signals, each in its own unit or the one behind a colon
    #[arg(required = true, value_name = "DEVICE/SIGNAL[:UNIT]", value_parser = parse_column)]
    pub(crate) signals: Vec<String>,
    #[command(flatten)]
    pub(crate) span: Span,
    /// Figures of each stretch of the calendar at the site; of the whole time if absent
    #[arg(long, value_enum)]
    pub(crate) by: Option<By>,
    /// Shares of the readings, with commas between: 0.5 is the median
    #[arg(long, value_name = "SHARES", default_value = "0.5")]
    pub(crate) quantiles: String,
    /// Count the hours above a limit; several with commas between
    #[arg(long, value_name = "LIMITS", allow_hyphen_values = true)]
    pub(crate) above: Option<String>,
    /// Count the hours below a limit
    #[arg(long, value_name = "LIMITS", allow_hyphen_values = true)]
    pub(crate) below: Option<String>,
    /// Count the hours within a band
    #[arg(long, value_name = "LOW..HIGH", allow_hyphen_values = true)]
    pub(crate) within: Option<String>,
    /// Degree hours on both sides of a base, as for heating and cooling
    #[arg(long, value_name = "VALUE", allow_hyphen_values = true)]
    pub(crate) base: Option<String>,
}
