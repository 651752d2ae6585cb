//! Areas on the Earth.

use crate::fix::Fix;
use serde::{Deserialize, Serialize};

/// Corners an area may have in all.
const MOST_CORNERS: usize = 2_000;

/// An area as GeoJSON has it (RFC 7946, section 3.1.6): rings of `[longitude, latitude]`, the first
/// around it and the others around holes in it. The last corner of a ring is its first.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(tag = "type", deny_unknown_fields)]
pub enum Area {
    /// A polygon.
    Polygon {
        /// Its rings.
        coordinates: Vec<Vec<[f64; 2]>>,
    },
}

impl Area {
    /// What is wrong with it, if anything is.
    #[must_use]
    pub fn fault(&self) -> Option<&'static str> {
        let Self::Polygon { coordinates } = self;
        let is_real = |[longitude, latitude]: &[f64; 2]| {
            (-180.0..=180.0).contains(longitude) && (-90.0..=90.0).contains(latitude)
        };
        if coordinates.is_empty() {
            return Some("has no ring");
        }
        if coordinates.iter().map(Vec::len).sum::<usize>() > MOST_CORNERS {
            return Some("has more than 2,000 corners");
        }
        if coordinates.iter().any(|ring| ring.len() < 4 || ring.first() != ring.last()) {
            return Some("has a ring of fewer than four corners, or one that does not end where it begins");
        }
        (!coordinates.iter().flatten().all(is_real)).then_some("has a corner that is not on the Earth")
    }

    /// Whether a place is inside: a ray from it crosses the rings an odd number of times. Edges are
    /// straight in degrees, as RFC 7946 has them.
    #[must_use]
    pub fn holds(&self, fix: &Fix) -> bool {
        let Self::Polygon { coordinates } = self;
        let (x, y) = (fix.longitude, fix.latitude);
        let crosses = |edge: &[[f64; 2]]| {
            let ([x1, y1], [x2, y2]) = (edge[0], edge[1]);
            (y1 > y) != (y2 > y) && x < (x2 - x1) * (y - y1) / (y2 - y1) + x1
        };
        coordinates.iter().map(|ring| ring.windows(2).filter(|edge| crosses(edge)).count()).sum::<usize>() % 2 == 1
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn square(low: f64, high: f64) -> Vec<[f64; 2]> {
        vec![[low, low], [high, low], [high, high], [low, high], [low, low]]
    }

    #[test]
    fn a_hole_is_not_inside() {
        let area = Area::Polygon { coordinates: vec![square(0.0, 10.0), square(4.0, 6.0)] };
        assert_eq!(area.fault(), None);
        for (latitude, longitude, expected) in
            [(1.0, 1.0, true), (5.0, 5.0, false), (9.9, 0.1, true), (11.0, 5.0, false), (5.0, -1.0, false)]
        {
            assert_eq!(area.holds(&Fix::new(latitude, longitude)), expected, "{latitude} {longitude}");
        }
    }

    #[test]
    fn what_is_no_area_is_told() {
        for (rings, fault) in [
            (vec![], "no ring"),
            (vec![vec![[0.0, 0.0], [1.0, 0.0], [0.0, 0.0]]], "fewer than four"),
            (vec![vec![[0.0, 0.0], [1.0, 0.0], [1.0, 1.0], [0.0, 1.0]]], "where it begins"),
            (vec![square(0.0, 200.0)], "not on the Earth"),
            (vec![square(0.0, 1.0); 500], "2,000 corners"),
        ] {
            let told = Area::Polygon { coordinates: rings }.fault().unwrap();
            assert!(told.contains(fault), "{told}");
        }
    }
}
