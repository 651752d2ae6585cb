//! Screening: which values can be believed.
//!
//! A [`Screen`] says of each value whether it is good, suspect or rejected, and
//! why. Nothing is changed or thrown away by it: what is not good is kept, marked
//! and left out.

mod checks;
mod error;
mod hampel;
mod position;

use crate::Value;
use crate::quality::{Cause, Quality};

pub use checks::{Beside, Dependence, Memory, Outlier, Range, Screen};
pub use error::ScreenError;
pub use hampel::is_outlier;
pub use position::{FixQuality, PositionCheck};

/// What can be believed of a value whatever its screen says: a position that is nowhere is
/// kept, and rejected.
#[must_use]
pub fn unscreened(value: &Value) -> Quality {
    match value {
        Value::Position(fix) if !fix.is_real() => Quality::Rejected(Cause::Position),
        _ => Quality::Good,
    }
}
