//! Screening: which values can be believed.
//!
//! A [`Screen`] says of each value whether it is good, suspect or rejected, and
//! why. Nothing is changed or thrown away by it: what is not good is kept, marked
//! and left out.

mod checks;
mod error;
mod hampel;
mod position;

pub use checks::{Beside, Dependence, Memory, Outlier, Range, Screen};
pub use error::ScreenError;
pub use hampel::is_outlier;
pub use position::{Fix, PositionCheck};
