//! Column types shared by several tables.

use lantern_core::Moment;

/// A place on the Earth (WGS 84).
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Position {
    /// Degrees north, -90 to 90.
    pub latitude: f64,
    /// Degrees east, -180 to 180.
    pub longitude: f64,
    /// Metres above sea level, if known.
    pub altitude_m: Option<f64>,
}

impl Position {
    pub(crate) fn from_columns(latitude: Option<f64>, longitude: Option<f64>, altitude_m: Option<f64>) -> Option<Self> {
        Some(Self { latitude: latitude?, longitude: longitude?, altitude_m })
    }

    /// Latitude, longitude and altitude as nullable columns.
    pub(crate) fn to_columns(position: Option<Self>) -> (Option<f64>, Option<f64>, Option<f64>) {
        (position.map(|p| p.latitude), position.map(|p| p.longitude), position.and_then(|p| p.altitude_m))
    }
}

/// A time column. Only valid moments are written, so one that is not came from a
/// damaged file and is shown as the start of 1970.
pub(crate) fn moment(micros: i64) -> Moment {
    Moment::from_micros(micros).unwrap_or_else(epoch)
}

fn epoch() -> Moment {
    #[allow(clippy::expect_used, reason = "zero is inside the range of moments")]
    Moment::from_micros(0).expect("zero is a moment")
}
