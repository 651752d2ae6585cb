//! What each step does to a value.

use super::chain::Why;
use super::counter::counted;
use super::memory::Remembered;
use super::step::{Arrangement, Outside, Step};
use crate::median::median;
use crate::physics::{rtd, thermistor};

impl Step {
    /// Steps that need nothing but the value.
    pub(super) fn plain(&self, x: f64) -> Result<f64, Why> {
        match self {
            Self::Counts { bits, reference_v } => Ok(x * reference_v / (1_u64 << bits) as f64),
            Self::Scale { factor, offset, .. } => Ok(x * factor + offset),
            Self::TwoPoint { points, .. } => Ok(on_line(points[0], points[1], x)),
            Self::Polynomial { coefficients, .. } => Ok(coefficients.iter().rev().fold(0.0, |sum, c| sum * x + c)),
            Self::Table { points, outside, .. } => in_table(points, *outside, x),
            Self::Divider { fixed_ohm, supply_v, sensor } => {
                if !(x > 0.0 && x < *supply_v) {
                    return Err(Why::Outside);
                }
                let ratio = x / (supply_v - x);
                Ok(match sensor {
                    Arrangement::ToGround => fixed_ohm * ratio,
                    Arrangement::ToSupply => fixed_ohm / ratio,
                })
            }
            Self::ThermistorBeta { r0_ohm, t0_celsius, beta_k } => {
                thermistor::beta_celsius(x, *r0_ohm, *t0_celsius, *beta_k).ok_or(Why::Outside)
            }
            Self::SteinhartHart { a, b, c } => thermistor::steinhart_hart_celsius(x, [*a, *b, *c]).ok_or(Why::Outside),
            Self::Rtd { r0_ohm } => rtd::celsius(x, *r0_ohm).ok_or(Why::Outside),
            Self::Percent { empty, full, outside } => {
                let percent = (x - empty) / (full - empty) * 100.0;
                bounded(percent, 0.0, 100.0, *outside)
            }
            Self::Volume { tank, outside } => {
                let level = bounded(x, 0.0, tank.full_m(), *outside)?;
                tank.volume_m3(level).ok_or(Why::Outside)
            }
            Self::RatioCurve { r0_ohm, factor, exponent, .. } => {
                if x > 0.0 {
                    Ok(factor * (x / r0_ohm).powf(*exponent))
                } else {
                    Err(Why::Outside)
                }
            }
            Self::CurrentLoop { low, high, .. } => Ok(on_line((0.004, *low), (0.020, *high), x)),
            // Its work is done by the change of unit before it.
            Self::Unit { .. } => Ok(x),
            Self::Thermocouple { .. }
            | Self::Echo { .. }
            | Self::Rate { .. }
            | Self::Total { .. }
            | Self::Median { .. }
            | Self::Smooth { .. } => Err(Why::OtherMissing),
        }
    }

    /// Steps that remember.
    pub(super) fn remember(&self, at: i64, x: f64, memory: &mut Remembered) -> Result<f64, Why> {
        let before = memory.at;
        if before.is_some_and(|before| at <= before) {
            return Err(Why::Late);
        }
        let seconds = before.map(|before| (at - before) as f64 / 1e6);
        let last = memory.last;
        memory.at = Some(at);
        match (self, seconds) {
            (Self::Rate { modulus, most, per, .. }, seconds) => {
                memory.last = x;
                let seconds = seconds.ok_or(Why::First)?;
                Ok(counted(last, x, *modulus, *most).count() / seconds * per.seconds())
            }
            (Self::Total { modulus, most, .. }, seconds) => {
                memory.last = x;
                if seconds.is_some() {
                    memory.total += counted(last, x, *modulus, *most).count();
                }
                Ok(memory.total)
            }
            (Self::Median { window }, _) => {
                memory.window.push_back(x);
                while memory.window.len() > usize::from(*window) {
                    memory.window.pop_front();
                }
                Ok(median(memory.window.iter().copied()).unwrap_or(x))
            }
            (Self::Smooth { time_constant_s }, seconds) => {
                let share = seconds.map_or(1.0, |seconds| 1.0 - (-seconds / time_constant_s).exp());
                memory.last = last + share * (x - last);
                Ok(memory.last)
            }
            _ => Ok(x),
        }
    }
}

fn on_line((x1, y1): (f64, f64), (x2, y2): (f64, f64), x: f64) -> f64 {
    // Exact at both points.
    if x == x2 { y2 } else { y1 + (x - x1) * (y2 - y1) / (x2 - x1) }
}

fn in_table(points: &[(f64, f64)], outside: Outside, x: f64) -> Result<f64, Why> {
    let x = bounded(x, points[0].0, points[points.len() - 1].0, outside)?;
    let after = points.partition_point(|(at, _)| *at < x).clamp(1, points.len() - 1);
    Ok(on_line(points[after - 1], points[after], x))
}

fn bounded(x: f64, low: f64, high: f64, outside: Outside) -> Result<f64, Why> {
    match outside {
        _ if (low..=high).contains(&x) => Ok(x),
        Outside::Reject => Err(Why::Outside),
        Outside::Clamp => Ok(x.clamp(low, high)),
        Outside::Keep => Ok(x),
    }
}
