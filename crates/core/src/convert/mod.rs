//! Conversions: from what a sender sends to what it means, step by step.
//!
//! A [`Conversion`] is checked when it is made: each step knows what it takes and
//! what it gives, and units in between are changed where they measure the same
//! thing. Applying it is arithmetic alone. What a step cannot convert is a
//! [`Fault`], never a made-up number.

mod apply;
mod chain;
mod check;
mod counter;
mod memory;
mod step;

pub use chain::{Conversion, Converted, Fault, Traced, Why};
pub use check::ConversionError;
pub use memory::Memory;
pub use step::{Arrangement, Outside, Per, Source, Step};
