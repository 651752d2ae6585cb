//! Checks of positions.

use super::error::ScreenError;
use crate::fix::Fix;
use crate::quality::{Cause, Quality};
use serde::{Deserialize, Serialize};

/// What can be believed of a position. That it is a place on the Earth at all is asked of
/// every position.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct PositionCheck {
    /// The fastest it can move, in metres a second: what is further from the last
    /// good position is rejected.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub fastest_m_per_s: Option<f64>,
    /// Within how many metres it has to be true, by what its sender says of it; one of
    /// which nothing is said is taken.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub accuracy_m: Option<f64>,
    /// How good the fix has to be, by another signal.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub fix: Option<FixQuality>,
}

/// A signal that tells how good a position is, such as the number of satellites.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = PositionFix))]
#[serde(deny_unknown_fields)]
pub struct FixQuality {
    /// `SIGNAL` of the same device, or `DEVICE/SIGNAL`.
    pub signal: String,
    /// What it has to be at least.
    pub at_least: f64,
}

/// Time (microseconds since 1970), latitude and longitude of a position, as it is
/// remembered.
pub(super) type Fixed = (i64, f64, f64);

impl PositionCheck {
    pub(super) fn check(&self) -> Result<(), ScreenError> {
        let is_positive = |number: Option<f64>| number.is_none_or(|number| number.is_finite() && number > 0.0);
        if !is_positive(self.fastest_m_per_s) {
            return Err(ScreenError::Positive("the fastest it can move"));
        }
        if !is_positive(self.accuracy_m) {
            return Err(ScreenError::Positive("within how many metres it has to be true"));
        }
        match &self.fix {
            Some(fix) if fix.signal.is_empty() || !fix.at_least.is_finite() => Err(ScreenError::Position),
            _ => Ok(()),
        }
    }

    /// What is wrong with a position of a time, if anything. One that is not later
    /// than the last is judged by itself.
    pub(super) fn judge(&self, at: i64, here: &Fix, fix: Option<f64>, last: &mut Option<Fixed>) -> Option<Quality> {
        const WRONG: Option<Quality> = Some(Quality::Rejected(Cause::Position));
        if self.fix.as_ref().is_some_and(|wanted| fix.is_none_or(|fix| fix < wanted.at_least)) {
            return WRONG;
        }
        let is_vague = |most: f64| here.accuracy_m.is_some_and(|accuracy| accuracy > most);
        if !here.is_real() || self.accuracy_m.is_some_and(is_vague) {
            return WRONG;
        }
        if let Some((before, latitude, longitude)) = *last {
            if before >= at {
                return None;
            }
            let seconds = (at - before) as f64 / 1e6;
            let metres = Fix::new(latitude, longitude).distance_m(here)?;
            if self.fastest_m_per_s.is_some_and(|fastest| metres > fastest * seconds) {
                return WRONG;
            }
        }
        *last = Some((at, here.latitude, here.longitude));
        None
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_glitch_is_rejected_and_the_next_fix_is_good() {
        let check: PositionCheck = serde_json::from_str(
            r#"{"fastest_m_per_s": 30, "accuracy_m": 50, "fix": {"signal": "sats", "at_least": 4}}"#,
        )
        .unwrap();
        check.check().unwrap();
        let wrong = Some(Quality::Rejected(Cause::Position));
        let cases = [
            (0, (54.5, -2.3), Some(7.0), None, "the first"),
            (2, (54.5001, -2.3), Some(7.0), None, "11 m in 2 s"),
            (4, (54.6, -2.3), Some(7.0), wrong, "11 km in 2 s"),
            (6, (0.0, 0.0), Some(7.0), wrong, "zeros"),
            (8, (54.5003, -2.3), Some(3.0), wrong, "three satellites"),
            (10, (54.5003, -2.3), None, wrong, "no word of satellites"),
            (12, (91.0, -2.3), Some(7.0), wrong, "north of the pole"),
            (16, (54.5005, -2.3), Some(7.0), None, "back on the line"),
            (15, (54.9, -2.3), Some(7.0), None, "late: speed is not told backwards"),
        ];
        let mut last = None;
        for (second, (latitude, longitude), satellites, expected, what) in cases {
            let here = Fix::new(latitude, longitude);
            assert_eq!(check.judge(second * 1_000_000, &here, satellites, &mut last), expected, "{what}");
        }
        assert_eq!(last, Some((16_000_000, 54.5005, -2.3)));
        for (accuracy_m, expected) in [(Some(50.0), None), (Some(50.1), wrong), (None, None)] {
            let here = Fix { accuracy_m, ..Fix::new(54.5005, -2.3) };
            assert_eq!(check.judge(18_000_000, &here, Some(7.0), &mut last.clone()), expected, "{accuracy_m:?}");
        }
    }

    #[test]
    fn nonsense_is_refused() {
        for text in [r#"{"fastest_m_per_s": 0}"#, r#"{"accuracy_m": -1}"#, r#"{"fix": {"signal": "", "at_least": 1}}"#]
        {
            let check: PositionCheck = serde_json::from_str(text).unwrap();
            assert!(check.check().is_err(), "{text}");
        }
    }
}
