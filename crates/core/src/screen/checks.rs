//! The checks of a screen.

use super::error::ScreenError;
use super::hampel::is_outlier;
use super::position::{Fixed, PositionCheck};
use crate::ValueType;
use crate::fix::Fix;
use crate::quality::{Cause, Quality};
use serde::{Deserialize, Serialize};
use std::collections::VecDeque;

/// What can be believed of a signal. All parts are optional.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case", deny_unknown_fields)]
pub struct Screen {
    /// What the sensor sends to say that it has no value, such as -127: as it is sent, before
    /// it is converted.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub markers: Vec<f64>,
    /// What is possible: values outside are rejected.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub possible: Option<Range>,
    /// What is expected: values outside are suspect.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub expected: Option<Range>,
    /// The most it can change in a second, in the signal's unit: what changes
    /// faster from the last good value is rejected.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub fastest_per_s: Option<f64>,
    /// Values that have been exactly the same for longer, in seconds, are suspect.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub frozen_after_s: Option<f64>,
    /// Values far from the last ones are suspect.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub outlier: Option<Outlier>,
    /// It counts only while another signal says so.
    #[serde(rename = "while", skip_serializing_if = "Option::is_none")]
    pub dependence: Option<Dependence>,
    /// What a position has to be like.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub position: Option<PositionCheck>,
    /// What comes later than so many seconds after its time is suspect.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub late_after_s: Option<f64>,
}

/// What there is beside a value to judge it by.
#[derive(Debug, Clone, Copy, Default, PartialEq)]
pub struct Beside {
    /// What the flag of [`Screen::dependence`] was last, if that is new enough.
    pub flag: Option<bool>,
    /// How good the fix of a position is.
    pub fix: Option<f64>,
    /// How long after its time it came, in microseconds, if that is known.
    pub late: Option<i64>,
}

/// From and to, both included; what is absent is open.
#[derive(Debug, Clone, Copy, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = ScreenRange))]
#[serde(deny_unknown_fields)]
pub struct Range {
    /// The lowest.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub low: Option<f64>,
    /// The highest.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub high: Option<f64>,
}

/// When a value is far from the last ones (Hampel).
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = ScreenOutlier))]
#[serde(deny_unknown_fields)]
pub struct Outlier {
    /// Of how many values, itself among them; 3 to 99.
    pub window: u8,
    /// How many standard deviations, estimated by the median, are far; 3 is usual.
    pub threshold: f64,
}

/// Another signal on which it depends whether this one counts, such as the flag
/// that a probe is attached.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = ScreenDependence))]
#[serde(deny_unknown_fields)]
pub struct Dependence {
    /// `SIGNAL` of the same device, or `DEVICE/SIGNAL`: a flag.
    pub signal: String,
    /// What it has to be.
    pub is: bool,
}

/// What a screen remembers from value to value. Kept beside the signal, so that it
/// survives restarts.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
pub struct Memory {
    /// Time of the last value, microseconds since 1970.
    at: Option<i64>,
    /// The last good one with its time.
    good: Option<(i64, f64)>,
    /// Since when it has been the same, and which.
    same: Option<(i64, f64)>,
    /// The last values that were possible.
    window: VecDeque<f64>,
    /// The last good position.
    #[serde(default)]
    fixed: Option<Fixed>,
}

impl Memory {
    /// The most values of a window.
    const WINDOW: usize = 99;

    /// What a screen would remember of readings that were judged already, in order of
    /// time.
    pub fn recall(seen: impl IntoIterator<Item = (i64, f64, Quality)>) -> Self {
        let mut memory = Self::default();
        for (at, value, quality) in seen {
            // These never came before the screen.
            if matches!(quality, Quality::Rejected(Cause::Marker | Cause::Conversion)) {
                continue;
            }
            memory.at = Some(at);
            if quality.is_good() {
                memory.good = Some((at, value));
            }
            if matches!(quality, Quality::Rejected(Cause::Range | Cause::Dependent)) {
                continue;
            }
            if memory.same.is_none_or(|(_, same)| same.to_bits() != value.to_bits()) {
                memory.same = Some((at, value));
            }
            memory.window.push_back(value);
            if memory.window.len() > Self::WINDOW {
                memory.window.pop_front();
            }
        }
        memory
    }
}

impl Memory {
    /// As [`Memory::recall`], of positions.
    pub fn recall_fixes<'a>(seen: impl IntoIterator<Item = (i64, &'a Fix, Quality)>) -> Self {
        let mut memory = Self::default();
        for (at, fix, quality) in seen {
            memory.at = Some(at);
            if !matches!(quality, Quality::Rejected(_)) {
                memory.fixed = Some((at, fix.latitude, fix.longitude));
            }
        }
        memory
    }
}

impl Range {
    fn check(&self, what: &'static str) -> Result<(), ScreenError> {
        let is_number = |bound: Option<f64>| bound.is_none_or(f64::is_finite);
        let is_ordered = self.low.zip(self.high).is_none_or(|(low, high)| low < high);
        if is_number(self.low) && is_number(self.high) && is_ordered { Ok(()) } else { Err(ScreenError::Range(what)) }
    }

    fn holds(&self, value: f64) -> bool {
        self.low.is_none_or(|low| value >= low) && self.high.is_none_or(|high| value <= high)
    }
}

impl Screen {
    /// Says what is wrong with it, if anything.
    ///
    /// # Errors
    /// [`ScreenError`].
    pub fn check(&self) -> Result<(), ScreenError> {
        let positive = |number: Option<f64>| number.is_none_or(|number| number.is_finite() && number > 0.0);
        self.possible.unwrap_or_default().check("what is possible")?;
        self.expected.unwrap_or_default().check("what is expected")?;
        if let (Some(possible), Some(expected)) = (self.possible, self.expected) {
            let bounds = [expected.low, expected.high];
            if bounds.into_iter().flatten().any(|bound| !possible.holds(bound)) {
                return Err(ScreenError::Wider);
            }
        }
        if !positive(self.fastest_per_s) {
            return Err(ScreenError::Positive("the fastest change"));
        }
        if !positive(self.frozen_after_s) {
            return Err(ScreenError::Positive("the time after which it is frozen"));
        }
        if self.outlier.is_some_and(|outlier| !(3..=99).contains(&outlier.window)) {
            return Err(ScreenError::Window);
        }
        if self.outlier.is_some_and(|outlier| !positive(Some(outlier.threshold))) {
            return Err(ScreenError::Positive("the threshold of outliers"));
        }
        if self.markers.len() > 20 || self.markers.iter().any(|marker| !marker.is_finite()) {
            return Err(ScreenError::Markers);
        }
        if self.dependence.as_ref().is_some_and(|dependence| dependence.signal.is_empty()) {
            return Err(ScreenError::Dependence);
        }
        if !positive(self.late_after_s) {
            return Err(ScreenError::Positive("the time after which it is late"));
        }
        self.position.as_ref().map_or(Ok(()), PositionCheck::check)
    }

    /// Says which of it makes no sense for signals of a type.
    ///
    /// # Errors
    /// [`ScreenError::NotFor`].
    pub fn check_type(&self, value_type: ValueType) -> Result<(), ScreenError> {
        let of_numbers = [
            (!self.markers.is_empty(), "a marker"),
            (self.possible.is_some(), "a possible range"),
            (self.expected.is_some(), "an expected range"),
            (self.fastest_per_s.is_some(), "the fastest change"),
            (self.frozen_after_s.is_some(), "being frozen"),
            (self.outlier.is_some(), "being an outlier"),
        ];
        let found = match value_type {
            ValueType::Position => {
                of_numbers.iter().find(|(is_asked, _)| *is_asked).map(|(_, what)| (*what, "numbers and flags"))
            }
            _ => self.position.as_ref().map(|_| ("how it moves", "positions")),
        };
        found.map_or(Ok(()), |(what, of)| Err(ScreenError::NotFor(what, of)))
    }

    /// Whether it says nothing at all.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        *self == Self::default()
    }

    /// Whether it remembers what came before.
    #[must_use]
    pub fn is_stateful(&self) -> bool {
        self.fastest_per_s.is_some()
            || self.frozen_after_s.is_some()
            || self.outlier.is_some()
            || self.position.as_ref().is_some_and(|position| position.fastest_m_per_s.is_some())
    }

    /// Whether what was sent says that the sensor has no value.
    #[must_use]
    pub fn is_marker(&self, sent: f64) -> bool {
        self.markers.contains(&sent)
    }

    /// What can be believed of a value of a time (microseconds since 1970), by what
    /// is known beside it. Markers are looked for before, in what was sent.
    ///
    /// A value older than the one before is judged by itself alone, and the memory
    /// is left as it is.
    pub fn judge(&self, at: i64, value: f64, beside: &Beside, memory: &mut Memory) -> Quality {
        let alone = self.alone(value, beside);
        if memory.at.is_some_and(|before| at <= before) {
            return alone.unwrap_or_else(|| self.expectation(value));
        }
        memory.at = Some(at);
        let quality = alone.unwrap_or_else(|| {
            let beside = self.beside(at, value, memory);
            beside.unwrap_or_else(|| self.expectation(value))
        });
        if quality.is_good() {
            memory.good = Some((at, value));
        }
        quality
    }

    /// As [`Screen::judge`], of a position.
    pub fn judge_fix(&self, at: i64, here: &Fix, beside: &Beside, memory: &mut Memory) -> Quality {
        let apart = self.apart(beside);
        if matches!(apart, Some(Quality::Rejected(_))) {
            return apart.unwrap_or_default();
        }
        let check = self.position.as_ref();
        let moved = check.and_then(|check| check.judge(at, here, beside.fix, &mut memory.fixed));
        moved.or(apart).unwrap_or_default()
    }

    /// What a value says by itself.
    fn alone(&self, value: f64, beside: &Beside) -> Option<Quality> {
        if self.possible.is_some_and(|possible| !possible.holds(value)) {
            return Some(Quality::Rejected(Cause::Range));
        }
        self.apart(beside)
    }

    /// What can be said whatever the value is.
    fn apart(&self, beside: &Beside) -> Option<Quality> {
        if self.dependence.as_ref().is_some_and(|dependence| beside.flag != Some(dependence.is)) {
            return Some(Quality::Rejected(Cause::Dependent));
        }
        let is_late = |after: f64| beside.late.is_some_and(|late| late as f64 / 1e6 > after);
        self.late_after_s.is_some_and(is_late).then_some(Quality::Suspect(Cause::Time))
    }

    /// What a value says beside those before it.
    fn beside(&self, at: i64, value: f64, memory: &mut Memory) -> Option<Quality> {
        let is_frozen = self.is_frozen(at, value, memory);
        let is_outlier = self.is_far(value, memory);
        if let (Some(fastest), Some((since, good))) = (self.fastest_per_s, memory.good) {
            let seconds = (at - since) as f64 / 1e6;
            if (value - good).abs() > fastest * seconds {
                return Some(Quality::Rejected(Cause::Jump));
            }
        }
        if is_frozen {
            return Some(Quality::Suspect(Cause::Frozen));
        }
        is_outlier.then_some(Quality::Suspect(Cause::Outlier))
    }

    fn is_frozen(&self, at: i64, value: f64, memory: &mut Memory) -> bool {
        let Some(seconds) = self.frozen_after_s else { return false };
        match memory.same {
            Some((since, same)) if same.to_bits() == value.to_bits() => (at - since) as f64 / 1e6 > seconds,
            _ => {
                memory.same = Some((at, value));
                false
            }
        }
    }

    fn is_far(&self, value: f64, memory: &mut Memory) -> bool {
        let Some(Outlier { window, threshold }) = self.outlier else { return false };
        let window = usize::from(window);
        memory.window.push_back(value);
        while memory.window.len() > window {
            memory.window.pop_front();
        }
        memory.window.len() == window && is_outlier(value, memory.window.make_contiguous(), threshold)
    }

    fn expectation(&self, value: f64) -> Quality {
        if self.expected.is_none_or(|expected| expected.holds(value)) {
            Quality::Good
        } else {
            Quality::Suspect(Cause::Range)
        }
    }
}

#[cfg(test)]
mod tests;
