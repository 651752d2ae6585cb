use lantern_core::meaning::Meaning;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// How two signals compare.
#[derive(Debug, Clone, Default, Serialize, Deserialize, ToSchema)]
pub struct Comparison {
    /// What the others are compared with, as `DEVICE/SIGNAL`.
    pub reference: String,
    /// The unit in which they are compared.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub unit: Option<String>,
    /// How that unit is shown.
    #[serde(skip_serializing_if = "String::is_empty", default)]
    pub symbol: String,
    /// From this time on.
    pub from: String,
    /// To this time, itself excluded.
    pub to: String,
    /// Readings that are at most so far apart, in seconds, are of the same time.
    pub tolerance_s: f64,
    /// The others, in the order they were named.
    pub others: Vec<Compared>,
}

/// How one signal compares with the reference.
#[derive(Debug, Clone, Default, Serialize, Deserialize, ToSchema)]
pub struct Compared {
    /// As `DEVICE/SIGNAL`.
    pub signal: String,
    /// So many seconds were added to its times before.
    pub shifted_s: f64,
    /// Readings that have one of the reference beside them.
    pub pairs: u64,
    /// Readings of the reference in that time.
    pub of_reference: u64,
    /// The figures; absent with fewer than two pairs.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub figures: Option<ComparedFigures>,
    /// At most 1,000 pairs spread over the time.
    pub sample: Vec<ComparedPair>,
    /// Differences over time: at most 500 stretches of the same length.
    pub differences: Vec<DifferenceBucket>,
}

/// Figures of pairs. Differences are those of the other minus the reference.
#[derive(Debug, Clone, Copy, Default, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct ComparedFigures {
    /// The mean difference.
    pub bias: f64,
    /// The standard deviation of the differences.
    pub spread: f64,
    /// The root of the mean square of the differences.
    pub rms: f64,
    /// The least difference.
    pub least: f64,
    /// The greatest difference.
    pub greatest: f64,
    /// How many decimals of these are worth showing: two significant digits of the spread.
    pub decimals: u8,
    /// Correlation after Pearson, -1 to 1; absent if one of them does not vary.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub correlation: Option<f64>,
    /// By how many seconds the other follows the reference, negative if it is ahead:
    /// where they correlate best.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub lag_s: Option<f64>,
    /// The correlation there.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub correlation_at_lag: Option<f64>,
    /// The line `reference = slope × other + intercept` of least squares.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub line: Option<Line>,
}

/// A straight line.
#[derive(Debug, Clone, Copy, Default, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Line {
    /// What the other is multiplied with.
    pub slope: f64,
    /// What is added then.
    pub intercept: f64,
    /// The standard deviation that is left.
    pub residual: f64,
}

/// One pair.
#[derive(Debug, Clone, Copy, Default, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct ComparedPair {
    /// Milliseconds since 1970.
    pub at_ms: i64,
    /// The reference.
    pub reference: f64,
    /// The other.
    pub other: f64,
}

/// Differences of a stretch of time.
#[derive(Debug, Clone, Copy, Default, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct DifferenceBucket {
    /// Milliseconds since 1970.
    pub start_ms: i64,
    /// The least.
    pub min: f64,
    /// Their mean.
    pub mean: f64,
    /// The greatest.
    pub max: f64,
}

/// Reference readings from which a calibration is to be made.
#[derive(Debug, Clone, Default, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct NewCalibration {
    /// What the signal said and what was right, two pairs or more.
    pub pairs: Vec<CalibrationPair>,
}

/// What a signal said and what was right.
#[derive(Debug, Clone, Copy, Default, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct CalibrationPair {
    /// What the signal said, in its unit.
    pub said: f64,
    /// What a reference said at that time, in the same unit.
    pub right: f64,
}

/// A calibration, as a conversion to be saved.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct Calibration {
    /// The line through the pairs: two points, or least squares of more.
    pub line: Line,
    /// The signal's meaning with the calibration as its last step.
    #[schema(value_type = Meaning)]
    pub meaning: serde_json::Value,
}
