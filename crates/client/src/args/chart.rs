//! Arguments of `lantern chart`.

use super::values::parse_column;
use crate::time::Span;
use clap::Args;

#[derive(Args)]
pub(crate) struct ChartArgs {
    /// Signals to draw below each other, each in its own unit or the one behind a colon
    #[arg(required_unless_present = "view", num_args = 1..=8, value_name = "DEVICE/SIGNAL[:UNIT]", value_parser = parse_column)]
    pub(crate) signals: Vec<String>,
    /// Draw the signals of a view that is kept, over its time unless another is said
    #[arg(long, value_name = "NAME", conflicts_with = "signals")]
    pub(crate) view: Option<String>,
    #[command(flatten)]
    pub(crate) span: Span,
    /// Lines of each chart; as many as there is room for if absent
    #[arg(long, value_name = "LINES", value_parser = clap::value_parser!(u16).range(3..=60))]
    pub(crate) height: Option<u16>,
    /// Go on with the time, until q is pressed
    #[arg(long, conflicts_with_all = ["from", "to"])]
    pub(crate) follow: bool,
}
