//! From what a sensor said and what was right to a calibration.

use super::figures::{Line, regression};
use crate::convert::Step;
use crate::meaning::{Converting, Meaning};

/// Why no calibration comes of some pairs.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum CalibrationError {
    /// A line needs two points.
    #[error("a calibration needs two pairs or more")]
    TooFew,
    /// They do not vary.
    #[error("all that the sensor said is the same, which makes no line")]
    Same,
    /// The line is flat: whatever the sensor says would mean the same.
    #[error("all that was right is the same: whatever the sensor says would mean that")]
    Flat,
    /// Not numbers.
    #[error("all pairs have to be numbers")]
    NotNumbers,
    /// The value is worked out and not sent.
    #[error("a formula has no calibration; calibrate what goes into it")]
    Formula,
}

/// The line through pairs of what was said and what was right: of two exactly, of more
/// by least squares.
///
/// # Errors
/// [`CalibrationError`].
pub fn line_through(pairs: &[(f64, f64)]) -> Result<Line, CalibrationError> {
    if pairs.len() < 2 {
        return Err(CalibrationError::TooFew);
    }
    if pairs.iter().any(|(said, right)| !said.is_finite() || !right.is_finite()) {
        return Err(CalibrationError::NotNumbers);
    }
    let line = regression(pairs).ok_or(CalibrationError::Same)?;
    if line.slope == 0.0 { Err(CalibrationError::Flat) } else { Ok(line) }
}

/// A meaning with a calibration as the last step of its conversion. `unit` is the
/// signal's: what was said and what was right are in it.
///
/// # Errors
/// [`CalibrationError::Formula`].
pub fn calibrated(meaning: &Meaning, line: &Line, unit: Option<&str>) -> Result<Meaning, CalibrationError> {
    if meaning.formula.is_some() {
        return Err(CalibrationError::Formula);
    }
    let mut meaning = meaning.clone();
    let conversion = meaning.conversion.get_or_insert_with(Converting::default);
    if let Some(unit) = unit {
        conversion.steps.push(Step::Unit { to: unit.to_owned() });
    }
    conversion.steps.push(Step::Scale { factor: line.slope, offset: line.intercept, unit: unit.map(str::to_owned) });
    if conversion.from.is_none() && conversion.steps.len() <= 2 {
        // Nothing was converted before: what is sent is in the signal's unit.
        conversion.from = unit.map(str::to_owned);
        conversion.steps.retain(|step| !matches!(step, Step::Unit { .. }));
    }
    Ok(meaning)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::ValueType;
    use crate::meaning::{Checked, Memory, NoOthers};
    use crate::units::UnitCode;

    #[test]
    fn two_references_make_the_sensor_right_at_both() {
        // In melting ice it said 0.6, in boiling water 98.1.
        let line = line_through(&[(0.6, 0.0), (98.1, 99.6)]).unwrap();
        let celsius = UnitCode::parse("Cel").unwrap();
        let before: Meaning = serde_json::from_str(
            r#"{"conversion": {"from": "mV", "steps": [{"step": "scale", "factor": 0.1, "unit": "[degF]"}]}}"#,
        )
        .unwrap();
        for (meaning, raws) in [(Meaning::default(), [0.6, 98.1]), (before, [330.8, 2_085.8])] {
            let meaning = calibrated(&meaning, &line, Some("Cel")).unwrap();
            let checked = Checked::new(&meaning, ValueType::Number, Some(&celsius), &|_| None).unwrap();
            for (raw, right) in raws.into_iter().zip([0.0, 99.6]) {
                let (value, _) = checked.convert(0, raw, &NoOthers, &mut Memory::default());
                assert!((value - right).abs() < 1e-9, "{raw} is {value}, not {right}");
            }
        }
    }

    #[test]
    fn pairs_that_make_no_line_are_refused() {
        for (pairs, error) in [
            (&[(1.0, 1.0)][..], CalibrationError::TooFew),
            (&[(1.0, 1.0), (1.0, 2.0)], CalibrationError::Same),
            (&[(1.0, 2.0), (2.0, 2.0)], CalibrationError::Flat),
            (&[(1.0, f64::NAN), (2.0, 2.0)], CalibrationError::NotNumbers),
        ] {
            assert_eq!(line_through(pairs), Err(error), "{pairs:?}");
        }
        let formula = Meaning { formula: Some("a".to_owned()), ..Meaning::default() };
        let line = Line { slope: 1.0, intercept: 0.0, residual: 0.0 };
        assert_eq!(calibrated(&formula, &line, None), Err(CalibrationError::Formula));
    }
}
