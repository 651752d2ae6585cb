//! Comparing two series of the same thing: pairs of readings of about the same
//! time, how their differences lie, and the line that would make one the other.

mod calibration;
mod figures;
mod lag;
mod pairs;

pub use calibration::{CalibrationError, calibrated, line_through};
pub use figures::{Figures, Line, figures, regression};
pub use lag::{Lag, best_lag, typical_spacing};
pub use pairs::{Alignment, Pair, pairs};
