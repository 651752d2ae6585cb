//! From raw values to meaningful ones: the computation alone, on one thread.

use crate::{Entry, median};
use anyhow::{Result, ensure};
use lantern_core::convert::{Conversion, Memory, Step};
use lantern_core::formula::{Formula, SignalType};
use lantern_core::screen::{self, Beside, Screen};
use lantern_core::units::UnitCode;
use std::hint::black_box;
use std::time::Instant;

const COUNT: usize = 2_000_000;

/// Counts to volts to bar, two points each, with a screen of range, rate, frozen
/// values and outliers behind it: nanoseconds a reading. Limit: a microsecond.
pub(crate) fn chain(rounds: u8) -> Result<Entry> {
    let steps: Vec<Step> = serde_json::from_str(
        r#"[{"step": "counts", "bits": 12, "reference_v": 5},
            {"step": "two-point", "points": [[0.5, 0], [4.5, 20]], "unit": "bar"}, {"step": "unit", "to": "kPa"}]"#,
    )?;
    let conversion = Conversion::new(None, steps, None)?;
    let screen: Screen = serde_json::from_str(
        r#"{"possible": {"low": -100, "high": 2500}, "fastest_per_s": 5000, "frozen_after_s": 600,
            "outlier": {"window": 5, "threshold": 4}}"#,
    )?;
    screen.check()?;
    let mut figures = Vec::new();
    for _ in 0..rounds {
        let (mut memory, mut seen, mut good) = (Memory::default(), screen::Memory::default(), 0);
        let started = Instant::now();
        for i in 0..COUNT as i64 {
            let raw = (2_000 + i * 7 % 50) as f64;
            let converted = conversion.apply(i * 1_000_000, black_box(raw), &[], &mut memory);
            if let Ok(converted) = converted {
                good +=
                    usize::from(screen.judge(i * 1_000_000, converted.value, &Beside::default(), &mut seen).is_good());
            }
        }
        figures.push(started.elapsed().as_secs_f64() * 1e9 / COUNT as f64);
        ensure!(good > COUNT / 2, "{good} of {COUNT} are good");
    }
    let figure = median(figures);
    Ok(Entry { name: "meaning-chain", figure, unit: "ns", limit: 1_000.0, ratio: 1_000.0 / figure })
}

/// A simple formula of two signals with units: evaluations a second. Limit: the
/// same expression compiled.
pub(crate) fn formula(rounds: u8) -> Result<Entry> {
    let unit = UnitCode::parse("Cel")?;
    let known = SignalType { unit: Some(unit.clone()), value_type: lantern_core::ValueType::Number };
    let formula = Formula::new("(inside + outside) / 2 + 1.5 \"K\"", &|_| Some(known.clone()), Some(&unit))?;
    let (mut figures, mut limits) = (Vec::new(), Vec::new());
    for _ in 0..rounds {
        let value = |i: usize| [(i % 40) as f64, (i % 17) as f64];
        let started = Instant::now();
        let sum: f64 = (0..COUNT).filter_map(|i| formula.value(black_box(&value(i)))).sum();
        figures.push(COUNT as f64 / started.elapsed().as_secs_f64());
        let started = Instant::now();
        let compiled: f64 = (0..COUNT)
            .map(|i| {
                let [inside, outside] = *black_box(&value(i));
                ((inside + 273.15) + (outside + 273.15)) / 2.0 + 1.5 - 273.15
            })
            .sum();
        limits.push(COUNT as f64 / started.elapsed().as_secs_f64());
        ensure!((sum - compiled).abs() < 1e-6 * compiled.abs(), "{sum} and {compiled}");
    }
    let (figure, limit) = (median(figures), median(limits));
    Ok(Entry { name: "meaning-formula", figure, unit: "values/s", limit, ratio: figure / limit })
}
