//! The columns of an export.

use crate::routes::listed::Listed;
use lantern_core::ValueType;
use lantern_core::series::Summary;

/// A column: what stands above its values, and of which type they are.
pub(super) struct Column {
    /// `device/signal`, and of stretches of time `device/signal.mean`.
    pub(super) name: String,
    /// What people call the signal.
    pub(super) title: String,
    /// The code of its unit.
    pub(super) unit: Option<String>,
    /// The type of its values; `None` if nobody has declared it.
    pub(super) value_type: Option<ValueType>,
}

impl Column {
    /// The column of a signal's readings.
    pub(super) fn of_readings(listed: &Listed) -> Self {
        Self {
            name: listed.path.clone(),
            title: listed.signal.name.clone(),
            unit: listed.unit.clone(),
            value_type: listed.signal.value_type,
        }
    }

    /// The column of a figure of a signal.
    pub(super) fn of_figure(listed: &Listed, figure: Figure) -> Self {
        Self {
            name: format!("{}.{}", listed.path, figure.as_str()),
            title: listed.signal.name.clone(),
            unit: listed.unit.clone().filter(|_| figure != Figure::Count),
            value_type: Some(ValueType::Number),
        }
    }
}

/// What is written of a stretch of time.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Figure {
    /// The mean of its readings.
    Mean,
    /// The least of them.
    Min,
    /// The greatest of them.
    Max,
    /// How many good readings there are.
    Count,
}

impl Figure {
    const ALL: [Self; 4] = [Self::Mean, Self::Min, Self::Max, Self::Count];
    /// The names of all, in words.
    pub(super) const NAMES: &'static str = "a list of `mean`, `min`, `max` and `count`";

    /// From the name in a request; `None` if there is no such figure.
    pub(super) fn from_name(name: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|figure| figure.as_str() == name)
    }

    const fn as_str(self) -> &'static str {
        match self {
            Self::Mean => "mean",
            Self::Min => "min",
            Self::Max => "max",
            Self::Count => "count",
        }
    }

    /// Its number of what a stretch of time comes to, in the unit that is wanted.
    pub(super) fn of(self, summary: &Summary, listed: &Listed) -> f64 {
        match self {
            Self::Mean => listed.number(summary.mean()),
            Self::Min => listed.number(summary.min),
            Self::Max => listed.number(summary.max),
            Self::Count => summary.count as f64,
        }
    }
}
