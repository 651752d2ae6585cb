//! What the values of a site's signals mean: conversions, formulas and screens at
//! work.
//!
//! [`checks`] sees whether a meaning fits its site before it is kept; [`apply`] is the part
//! of the intake that converts and screens; [`derive`] works derived signals out after their
//! inputs have been recorded; [`rework`] makes histories again, as jobs ([`jobs`]); [`trial`]
//! tries meanings out.

mod alongside;
mod apply;
mod checks;
mod context;
mod derive;
mod evaluation;
mod jobs;
mod progress;
pub(crate) mod recompute;
mod remake;
mod rework;
mod tally;
mod trial;

pub(crate) use apply::{Converter, IntakeOutcome};
pub use checks::Definitions;
pub(crate) use context::Context;
pub(crate) use derive::Deriver;
pub use jobs::Jobs;
pub(crate) use progress::Running;
pub(crate) use recompute::Recompute;
pub(crate) use rework::Reworker;
pub use trial::{Trials, counts};
pub(crate) use trial::{others_at, step};
