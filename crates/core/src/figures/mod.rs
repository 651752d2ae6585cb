//! Figures: what the readings of a stretch of time come to.
//!
//! A [`FigureFold`] takes the readings of a signal in order of time and gives [`Figures`] for
//! each bucket. A value holds until the next one, for a time at most, as in
//! [`Summary`](crate::series::Summary): hours above a limit, integrals and means over time follow
//! from that. Where only summaries are left of the readings, the figures that need single
//! readings are missing, and [`Figures::is_whole`] says so.

mod bursts;
mod fold;
mod integral;
mod spread;
mod steps;
#[cfg(test)]
mod tests;

pub use bursts::{Burst, BurstFold};
pub use fold::FigureFold;
pub use integral::{Integral, integral_of};

/// Lanes that loops over values are cut into, so that one value need not wait for the one before.
const LANES: usize = 8;

/// Values within limits.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Band {
    /// Greater than this.
    Above(f64),
    /// Less than this.
    Below(f64),
    /// From the one to the other, both included.
    Within(f64, f64),
}

/// How far values lie on one side of a base: summed over time these are degree hours (ISO 15927-6
/// has them for heating, as days).
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Degrees {
    /// How far above the base, as for cooling.
    Above(f64),
    /// How far below the base, as for heating.
    Below(f64),
}

/// What is wanted beyond what is always told.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct WantedFigures {
    /// Shares of the readings, each from 0 to 1: 0.5 is the median.
    pub quantiles: Vec<f64>,
    /// Limits within which the time is wanted.
    pub bands: Vec<Band>,
    /// Degree hours.
    pub degrees: Vec<Degrees>,
}

/// A value, and when it was measured first, in microseconds since 1970. The time is missing where only
/// summaries are left.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Extreme {
    /// The value.
    pub value: f64,
    /// When.
    pub at: Option<i64>,
}

/// What the readings of a bucket come to. All that needs single readings is empty where
/// [`Figures::is_whole`] is false.
#[derive(Debug, Clone, PartialEq)]
pub struct Figures {
    /// Start of the bucket, microseconds since 1970.
    pub start: i64,
    /// Its end, itself outside.
    pub end: i64,
    /// How many readings, at least one.
    pub count: u64,
    /// The least, and when it was first.
    pub min: Extreme,
    /// The greatest, and when it was first.
    pub max: Extreme,
    /// Arithmetic mean of the readings.
    pub mean: f64,
    /// Mean with each value weighted by how long it held.
    pub time_mean: f64,
    /// Sum of the readings.
    pub total: f64,
    /// Sum of the values times how long each held, in the unit times microseconds.
    pub area: f64,
    /// How long values held, in microseconds.
    pub held: i64,
    /// Standard deviation of the readings as a sample (n − 1); 0 for one.
    pub deviation: Option<f64>,
    /// The quantiles that are wanted, interpolated between readings (R. J. Hyndman and Y. Fan,
    /// The American Statistician 50, 1996, definition 7).
    pub quantiles: Vec<f64>,
    /// How long values held within each band, in microseconds.
    pub inside: Vec<i64>,
    /// Degrees times how long they held, in the unit times microseconds.
    pub degrees: Vec<f64>,
    /// Whether all readings were there, and not only summaries of some.
    pub is_whole: bool,
}
