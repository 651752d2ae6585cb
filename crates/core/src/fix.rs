//! Measured positions.

use crate::physics::geodesy;
use serde::{Deserialize, Serialize};
use std::fmt;
use std::str::FromStr;

/// A position as it was measured (WGS 84).
///
/// Numbers are as they were sent: whether they can be a place on the Earth says
/// [`Fix::is_real`].
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Fix {
    /// Degrees north.
    pub latitude: f64,
    /// Degrees east.
    pub longitude: f64,
    /// Metres above sea level, if it was sent.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub altitude_m: Option<f64>,
    /// Within how many metres the place is true, if it was sent.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub accuracy_m: Option<f64>,
}

/// One of the numbers of a position.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
pub enum FixPart {
    /// Degrees north.
    Latitude,
    /// Degrees east.
    Longitude,
    /// Metres above sea level.
    Altitude,
    /// Metres.
    Accuracy,
}

impl FixPart {
    /// All there are, in the order in which a list has them.
    pub const ALL: [Self; 4] = [Self::Latitude, Self::Longitude, Self::Altitude, Self::Accuracy];

    /// The word used in the API and the database.
    #[must_use]
    pub const fn as_str(self) -> &'static str {
        match self {
            Self::Latitude => "latitude",
            Self::Longitude => "longitude",
            Self::Altitude => "altitude",
            Self::Accuracy => "accuracy",
        }
    }

    /// UCUM code of its unit.
    #[must_use]
    pub const fn unit(self) -> &'static str {
        match self {
            Self::Latitude | Self::Longitude => "deg",
            Self::Altitude | Self::Accuracy => "m",
        }
    }
}

impl FromStr for FixPart {
    type Err = ();

    fn from_str(word: &str) -> Result<Self, ()> {
        Self::ALL.into_iter().find(|part| part.as_str() == word).ok_or(())
    }
}

impl Fix {
    /// A place without altitude and accuracy.
    #[must_use]
    pub const fn new(latitude: f64, longitude: f64) -> Self {
        Self { latitude, longitude, altitude_m: None, accuracy_m: None }
    }

    /// From its numbers in the order of [`FixPart::ALL`]; altitude and accuracy may be
    /// missing.
    #[must_use]
    pub fn from_list(numbers: &[f64]) -> Option<Self> {
        let (&[latitude, longitude], rest) = numbers.split_first_chunk()?;
        let is_fix = rest.len() <= 2 && numbers.iter().all(|number| number.is_finite());
        is_fix.then(|| Self {
            latitude,
            longitude,
            altitude_m: rest.first().copied(),
            accuracy_m: rest.get(1).copied(),
        })
    }

    /// From GeoJSON's order (RFC 7946, section 3.1.1): longitude, latitude, altitude.
    #[must_use]
    pub fn from_geojson(coordinates: &[f64]) -> Option<Self> {
        let (&[longitude, latitude], rest) = coordinates.split_first_chunk()?;
        if rest.len() > 1 {
            return None;
        }
        let list: Vec<f64> = [latitude, longitude].into_iter().chain(rest.first().copied()).collect();
        Self::from_list(&list)
    }

    /// One of its numbers, if it has it.
    #[must_use]
    pub const fn part(&self, part: FixPart) -> Option<f64> {
        match part {
            FixPart::Latitude => Some(self.latitude),
            FixPart::Longitude => Some(self.longitude),
            FixPart::Altitude => self.altitude_m,
            FixPart::Accuracy => self.accuracy_m,
        }
    }

    /// Whether it can be a place on the Earth. Receivers without a fix send zeros for
    /// both; that place lies in the sea, 600 km off Africa, and counts as none.
    #[must_use]
    pub fn is_real(&self) -> bool {
        let is_on_earth = self.latitude.abs() <= 90.0 && self.longitude.abs() <= 180.0;
        is_on_earth && (self.latitude, self.longitude) != (0.0, 0.0)
    }

    /// Metres to another along the great circle, if both are on the Earth.
    #[must_use]
    pub fn distance_m(&self, other: &Self) -> Option<f64> {
        geodesy::great_circle((self.latitude, self.longitude), (other.latitude, other.longitude))
    }
}

/// As a `geo` URI (RFC 5870): `geo:54.5,-2.3,120;u=4`.
impl fmt::Display for Fix {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "geo:{},{}", self.latitude, self.longitude)?;
        if let Some(altitude) = self.altitude_m {
            write!(f, ",{altitude}")?;
        }
        self.accuracy_m.map_or(Ok(()), |accuracy| write!(f, ";u={accuracy}"))
    }
}

/// A text that is no position.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("it is no position: write degrees north and east, as in `54.5,-2.3`, or `geo:54.5,-2.3,120;u=4`")]
pub struct NoFix;

/// Reads a `geo` URI, or two to four numbers with commas or blanks between them, in
/// the order of [`FixPart::ALL`].
impl FromStr for Fix {
    type Err = NoFix;

    fn from_str(text: &str) -> Result<Self, NoFix> {
        let text = text.trim();
        let Some(uri) = text.strip_prefix("geo:") else {
            let parts = text.split([',', ' ', '\t']).filter(|part| !part.is_empty());
            return Self::from_list(&numbers(parts)?).ok_or(NoFix);
        };
        let mut parts = uri.split(';');
        let coordinates = numbers(parts.next().unwrap_or_default().split(','))?;
        let place = Self::from_list(&coordinates).filter(|fix| fix.accuracy_m.is_none()).ok_or(NoFix)?;
        let mut accuracy_m = None;
        for (name, value) in parts.filter_map(|part| part.split_once('=')) {
            match name {
                "u" => accuracy_m = Some(number(value)?),
                // Another system of coordinates would be another place (RFC 5870, 3.4.1).
                "crs" if !value.eq_ignore_ascii_case("wgs84") => return Err(NoFix),
                _ => {}
            }
        }
        Ok(Self { accuracy_m, ..place })
    }
}

fn number(text: &str) -> Result<f64, NoFix> {
    text.parse().ok().filter(|number: &f64| number.is_finite()).ok_or(NoFix)
}

fn numbers<'a>(parts: impl Iterator<Item = &'a str>) -> Result<Vec<f64>, NoFix> {
    // More than a position has is none, however long it goes on.
    parts.take(FixPart::ALL.len() + 1).map(number).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn fix(altitude_m: Option<f64>, accuracy_m: Option<f64>) -> Fix {
        Fix { altitude_m, accuracy_m, ..Fix::new(54.5, -2.25) }
    }

    #[test]
    fn texts_are_positions_or_none() {
        for (text, expected) in [
            ("54.5,-2.25", Some(fix(None, None))),
            (" 54.5 -2.25 ", Some(fix(None, None))),
            ("54.5, -2.25, 120", Some(fix(Some(120.0), None))),
            ("54.5,-2.25,120,4", Some(fix(Some(120.0), Some(4.0)))),
            ("geo:54.5,-2.25", Some(fix(None, None))),
            ("geo:54.5,-2.25,120;u=4", Some(fix(Some(120.0), Some(4.0)))),
            ("geo:54.5,-2.25;crs=WGS84;u=4", Some(fix(None, Some(4.0)))),
            ("geo:54.5,-2.25;crs=other", None),
            ("geo:54.5,-2.25,120,4", None),
            ("geo:54.5", None),
            ("54.5", None),
            ("54.5,-2.25,1,2,3", None),
            ("north,west", None),
            ("54.5,inf", None),
            ("", None),
        ] {
            assert_eq!(text.parse().ok(), expected, "{text}");
        }
    }

    #[test]
    fn a_place_is_on_the_earth_and_not_where_nobody_is() {
        for (latitude, longitude, is_real) in [
            (54.5, -2.25, true),
            (-90.0, 180.0, true),
            (0.0, 0.1, true),
            (0.0, 0.0, false),
            (90.1, 0.0, false),
            (10.0, 180.5, false),
            (f64::NAN, 0.0, false),
        ] {
            assert_eq!(Fix::new(latitude, longitude).is_real(), is_real, "{latitude} {longitude}");
        }
    }

    #[test]
    fn geojson_has_the_longitude_first() {
        assert_eq!(Fix::from_geojson(&[-2.25, 54.5, 120.0]), Some(fix(Some(120.0), None)));
        assert_eq!(Fix::from_geojson(&[-2.25]), None);
        assert_eq!(Fix::from_geojson(&[-2.25, 54.5, 1.0, 2.0]), None);
    }

    proptest! {
        #[test]
        fn what_is_written_reads_back_to_the_bit(
            latitude in -90.0..90.0f64, longitude in -180.0..180.0f64,
            altitude_m in prop::option::of(-500.0..9_000.0f64), accuracy_m in prop::option::of(0.0..1_000.0f64),
        ) {
            let fix = Fix { latitude, longitude, altitude_m, accuracy_m };
            prop_assert_eq!(fix.to_string().parse(), Ok(fix));
            prop_assert_eq!(serde_json::from_str::<Fix>(&serde_json::to_string(&fix).unwrap()).unwrap(), fix);
        }

        #[test]
        fn any_text_is_answered(text in ".{0,40}") {
            let _ = text.parse::<Fix>();
        }
    }
}
