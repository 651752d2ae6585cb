//! Tanks: how much is in them at a level.

use serde::{Deserialize, Serialize};
use std::f64::consts::PI;

/// The shape of a tank, in metres.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "kebab-case", tag = "shape", deny_unknown_fields)]
pub enum Tank {
    /// A cylinder standing.
    VerticalCylinder {
        /// Its diameter.
        diameter_m: f64,
        /// Its height.
        height_m: f64,
    },
    /// A cylinder lying, with flat ends.
    HorizontalCylinder {
        /// Its diameter.
        diameter_m: f64,
        /// Its length.
        length_m: f64,
    },
    /// A cylinder standing on a cone whose tip points down; the level is from the
    /// tip.
    ConeBottom {
        /// Its diameter.
        diameter_m: f64,
        /// The height of the cylinder.
        height_m: f64,
        /// The height of the cone.
        cone_height_m: f64,
    },
    /// A box.
    Rectangular {
        /// Its length.
        length_m: f64,
        /// Its width.
        width_m: f64,
        /// Its height.
        height_m: f64,
    },
    /// A ball.
    Sphere {
        /// Its diameter.
        diameter_m: f64,
    },
}

impl Tank {
    /// The lengths it is made of.
    fn lengths(&self) -> Vec<f64> {
        match *self {
            Self::VerticalCylinder { diameter_m, height_m } => vec![diameter_m, height_m],
            Self::HorizontalCylinder { diameter_m, length_m } => vec![diameter_m, length_m],
            Self::ConeBottom { diameter_m, height_m, cone_height_m } => vec![diameter_m, height_m, cone_height_m],
            Self::Rectangular { length_m, width_m, height_m } => vec![length_m, width_m, height_m],
            Self::Sphere { diameter_m } => vec![diameter_m],
        }
    }

    /// Whether all its lengths are real ones.
    #[must_use]
    pub fn is_real(&self) -> bool {
        self.lengths().iter().all(|length| length.is_finite() && *length > 0.0)
    }

    /// The level in metres at which it is full.
    #[must_use]
    pub const fn full_m(&self) -> f64 {
        match *self {
            Self::VerticalCylinder { height_m, .. } | Self::Rectangular { height_m, .. } => height_m,
            Self::HorizontalCylinder { diameter_m, .. } | Self::Sphere { diameter_m } => diameter_m,
            Self::ConeBottom { height_m, cone_height_m, .. } => height_m + cone_height_m,
        }
    }

    /// How many cubic metres are in it at a level in metres. `None` below empty and
    /// above full.
    #[must_use]
    pub fn volume_m3(&self, level_m: f64) -> Option<f64> {
        if !(0.0..=self.full_m()).contains(&level_m) {
            return None;
        }
        let h = level_m;
        Some(match *self {
            Self::VerticalCylinder { diameter_m, .. } => PI / 4.0 * diameter_m * diameter_m * h,
            Self::HorizontalCylinder { diameter_m, length_m } => {
                let r = diameter_m / 2.0;
                // The segment of a circle below the level.
                let from_middle = ((r - h) / r).clamp(-1.0, 1.0);
                length_m * r * r * (from_middle.acos() - from_middle * (1.0 - from_middle * from_middle).sqrt())
            }
            Self::ConeBottom { diameter_m, cone_height_m, .. } => {
                let area = PI / 4.0 * diameter_m * diameter_m;
                let in_cone = h.min(cone_height_m);
                area * in_cone * (in_cone / cone_height_m).powi(2) / 3.0 + area * (h - cone_height_m).max(0.0)
            }
            Self::Rectangular { length_m, width_m, .. } => length_m * width_m * h,
            Self::Sphere { diameter_m } => PI * h * h * (3.0 * diameter_m / 2.0 - h) / 3.0,
        })
    }

    /// How many cubic metres it holds.
    #[must_use]
    pub fn capacity_m3(&self) -> f64 {
        self.volume_m3(self.full_m()).unwrap_or(f64::NAN)
    }
}

#[cfg(test)]
mod tests {
    use super::super::tables::{Row, rows};
    use super::*;

    fn tank(row: &Row) -> Tank {
        let m = |column: &str| row.number(&format!("{column}_m"));
        match row.text("shape") {
            "vertical_cylinder" => Tank::VerticalCylinder { diameter_m: m("diameter"), height_m: m("height") },
            "horizontal_cylinder" => Tank::HorizontalCylinder { diameter_m: m("diameter"), length_m: m("length") },
            "cone_bottom" => {
                Tank::ConeBottom { diameter_m: m("diameter"), height_m: m("height"), cone_height_m: m("cone_height") }
            }
            "rectangular" => Tank::Rectangular { length_m: m("length"), width_m: m("width"), height_m: m("height") },
            _ => Tank::Sphere { diameter_m: m("diameter") },
        }
    }

    #[test]
    fn volumes_are_those_of_the_table() {
        for row in rows("tank_volume", 130) {
            let (tank, level) = (tank(&row), row.number("level_m"));
            match (row.text("status"), tank.volume_m3(level)) {
                ("ok", Some(volume)) => {
                    let capacity = row.number("capacity_m3");
                    assert!((tank.capacity_m3() - capacity).abs() < 1e-9 * capacity, "{tank:?}");
                    assert!(
                        (volume - row.number("volume_m3")).abs() < 1e-9 * capacity,
                        "{tank:?} at {level}: {volume}"
                    );
                }
                (status, found) => assert!(status != "ok" && found.is_none(), "{tank:?}: {status} {found:?}"),
            }
        }
        assert!(!Tank::Sphere { diameter_m: 0.0 }.is_real() && !Tank::Sphere { diameter_m: f64::NAN }.is_real());
    }
}
