//! Alarms: what becomes of one from the moment its condition holds.
//!
//! Terms and states follow ANSI/ISA-18.2-2016 and IEC 62682:2014. A point is one watch on one device or
//! signal, and has a [`State`](life::State); each time its condition begins to hold is an alarm.
//!
//! | file | holds |
//! |---|---|
//! | `life` | the states of a point, and what each event makes of each |
//! | `severity` | how bad it is |
//! | `figures` | how alarms did over a time, against what is recommended |

pub mod figures;
pub mod life;
mod severity;

pub use severity::Severity;
