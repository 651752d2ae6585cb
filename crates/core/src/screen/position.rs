//! Checks of positions.

use super::error::ScreenError;
use crate::physics::geodesy;
use crate::quality::{Cause, Quality};
use serde::{Deserialize, Serialize};

/// What can be believed of a position: latitude and longitude are two signals of
/// one device, and both have the same check.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct PositionCheck {
    /// The signal of degrees north.
    pub latitude: String,
    /// The signal of degrees east.
    pub longitude: String,
    /// The fastest it can move, in metres a second: what is further from the last
    /// good position is rejected.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub fastest_m_per_s: Option<f64>,
    /// How good the fix has to be.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub fix: Option<Fix>,
}

/// A signal that tells how good a position is, such as the number of satellites.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = PositionFix))]
#[serde(deny_unknown_fields)]
pub struct Fix {
    /// `SIGNAL` of the same device, or `DEVICE/SIGNAL`.
    pub signal: String,
    /// What it has to be at least.
    pub at_least: f64,
}

/// A position with its time, as it is remembered.
pub(super) type Fixed = (i64, f64, f64);

impl PositionCheck {
    pub(super) fn check(&self) -> Result<(), ScreenError> {
        if self.latitude.is_empty() || self.longitude.is_empty() || self.latitude == self.longitude {
            return Err(ScreenError::Position);
        }
        if self.fastest_m_per_s.is_some_and(|fastest| !(fastest.is_finite() && fastest > 0.0)) {
            return Err(ScreenError::Positive("the fastest it can move"));
        }
        match &self.fix {
            Some(fix) if fix.signal.is_empty() || !fix.at_least.is_finite() => Err(ScreenError::Position),
            _ => Ok(()),
        }
    }

    /// What is wrong with a position of a time, if anything. One that is not later
    /// than the last is judged by itself.
    pub(super) fn judge(
        &self,
        at: i64,
        position: Option<(f64, f64)>,
        fix: Option<f64>,
        last: &mut Option<Fixed>,
    ) -> Option<Quality> {
        const WRONG: Option<Quality> = Some(Quality::Rejected(Cause::Position));
        if self.fix.as_ref().is_some_and(|wanted| fix.is_none_or(|fix| fix < wanted.at_least)) {
            return WRONG;
        }
        // Half a position tells nothing.
        let here = position?;
        let is_on_earth = (-90.0..=90.0).contains(&here.0) && (-180.0..=180.0).contains(&here.1);
        // Receivers without a fix send zeros; nobody lives there, 600 km off Africa.
        if !is_on_earth || here == (0.0, 0.0) {
            return WRONG;
        }
        if let Some((before, latitude, longitude)) = *last {
            if before >= at {
                return None;
            }
            let seconds = (at - before) as f64 / 1e6;
            let metres = geodesy::great_circle((latitude, longitude), here)?;
            if self.fastest_m_per_s.is_some_and(|fastest| metres > fastest * seconds) {
                return WRONG;
            }
        }
        *last = Some((at, here.0, here.1));
        None
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_glitch_is_rejected_and_the_next_fix_is_good() {
        let check: PositionCheck = serde_json::from_str(
            r#"{"latitude": "lat", "longitude": "lon", "fastest_m_per_s": 30, "fix": {"signal": "sats", "at_least": 4}}"#,
        )
        .unwrap();
        check.check().unwrap();
        let wrong = Some(Quality::Rejected(Cause::Position));
        let cases = [
            (0, Some((54.5, -2.3)), Some(7.0), None, "the first"),
            (2, Some((54.5001, -2.3)), Some(7.0), None, "11 m in 2 s"),
            (4, Some((54.6, -2.3)), Some(7.0), wrong, "11 km in 2 s"),
            (6, Some((0.0, 0.0)), Some(7.0), wrong, "zeros"),
            (8, Some((54.5003, -2.3)), Some(3.0), wrong, "three satellites"),
            (10, Some((54.5003, -2.3)), None, wrong, "no word of satellites"),
            (12, Some((91.0, -2.3)), Some(7.0), wrong, "north of the pole"),
            (14, None, Some(7.0), None, "half a position"),
            (16, Some((54.5005, -2.3)), Some(7.0), None, "back on the line"),
            (15, Some((54.9, -2.3)), Some(7.0), None, "late: speed is not told backwards"),
        ];
        let mut last = None;
        for (second, position, fix, expected, what) in cases {
            assert_eq!(check.judge(second * 1_000_000, position, fix, &mut last), expected, "{what}");
        }
        assert_eq!(last, Some((16_000_000, 54.5005, -2.3)));
    }

    #[test]
    fn nonsense_is_refused() {
        for text in [
            r#"{"latitude": "lat", "longitude": "lat"}"#,
            r#"{"latitude": "", "longitude": "lon"}"#,
            r#"{"latitude": "lat", "longitude": "lon", "fastest_m_per_s": 0}"#,
            r#"{"latitude": "lat", "longitude": "lon", "fix": {"signal": "", "at_least": 1}}"#,
        ] {
            let check: PositionCheck = serde_json::from_str(text).unwrap();
            assert!(check.check().is_err(), "{text}");
        }
    }
}
