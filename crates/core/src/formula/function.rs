//! The functions there are.

use crate::physics::tank::Tank;
use crate::physics::{ZERO_CELSIUS, altitude, geodesy, humidity, sound};

/// What an argument or a result measures.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Measure {
    /// A plain number; per cent are such too.
    Number,
    /// Degrees of an angle, or any unit of it.
    Angle,
    /// Whatever the first argument measures.
    Any,
    /// This UCUM unit's dimension.
    Unit(&'static str),
    /// The square root of what the argument measures.
    Root,
}

/// A function by its name. Arguments and result are in units of the SI.
pub(super) struct Function {
    pub(super) name: &'static str,
    pub(super) arguments: &'static [Measure],
    /// Whether the last argument may come again and again.
    pub(super) repeats: bool,
    pub(super) result: Measure,
    pub(super) run: fn(&[f64]) -> f64,
}

const fn plain(name: &'static str, run: fn(&[f64]) -> f64) -> Function {
    Function { name, arguments: &[Measure::Number], repeats: false, result: Measure::Number, run }
}

const fn same(name: &'static str, run: fn(&[f64]) -> f64) -> Function {
    Function { name, arguments: &[Measure::Any], repeats: false, result: Measure::Any, run }
}

const fn of_angle(name: &'static str, run: fn(&[f64]) -> f64) -> Function {
    Function { name, arguments: &[Measure::Angle], repeats: false, result: Measure::Number, run }
}

const fn to_angle(name: &'static str, run: fn(&[f64]) -> f64) -> Function {
    Function { name, arguments: &[Measure::Number], repeats: false, result: Measure::Angle, run }
}

/// Of moist air: its temperature and relative humidity.
const fn of_air(name: &'static str, result: Measure, run: fn(&[f64]) -> f64) -> Function {
    Function { name, arguments: &[TEMPERATURE, Measure::Number], repeats: false, result, run }
}

/// How much is in a tank: the level first, then its lengths.
const fn tank(name: &'static str, arguments: &'static [Measure], run: fn(&[f64]) -> f64) -> Function {
    Function { name, arguments, repeats: false, result: Measure::Unit("m3"), run }
}

fn volume(tank: Tank, level_m: f64) -> f64 {
    if tank.is_real() { or_none(tank.volume_m3(level_m)) } else { f64::NAN }
}

/// What has no value is not a number, which the formula then has none for.
fn or_none(value: Option<f64>) -> f64 {
    value.unwrap_or(f64::NAN)
}

/// Two places from their latitudes and longitudes in radians.
pub(super) fn places(x: [f64; 4]) -> [(f64, f64); 2] {
    let [a, b, c, d] = x.map(f64::to_degrees);
    [(a, b), (c, d)]
}

/// Metres between latitude and longitude, and latitude and longitude.
pub(super) fn distance(x: &[f64]) -> f64 {
    let [here, there] = places([x[0], x[1], x[2], x[3]]);
    or_none(geodesy::great_circle(here, there))
}

const TEMPERATURE: Measure = Measure::Unit("K");
const PRESSURE: Measure = Measure::Unit("Pa");
const LENGTH: Measure = Measure::Unit("m");

pub(super) const FUNCTIONS: &[Function] = &[
    same("abs", |x| x[0].abs()),
    Function { name: "sqrt", arguments: &[Measure::Any], repeats: false, result: Measure::Root, run: |x| x[0].sqrt() },
    plain("exp", |x| x[0].exp()),
    plain("ln", |x| x[0].ln()),
    plain("log10", |x| x[0].log10()),
    plain("round", |x| x[0].round()),
    plain("floor", |x| x[0].floor()),
    plain("ceil", |x| x[0].ceil()),
    of_angle("sin", |x| x[0].sin()),
    of_angle("cos", |x| x[0].cos()),
    of_angle("tan", |x| x[0].tan()),
    to_angle("asin", |x| x[0].asin()),
    to_angle("acos", |x| x[0].acos()),
    to_angle("atan", |x| x[0].atan()),
    Function {
        name: "atan2",
        arguments: &[Measure::Any, Measure::Any],
        repeats: false,
        result: Measure::Angle,
        run: |x| x[0].atan2(x[1]),
    },
    Function {
        name: "min",
        arguments: &[Measure::Any, Measure::Any],
        repeats: true,
        result: Measure::Any,
        run: |x| x.iter().copied().fold(f64::INFINITY, f64::min),
    },
    Function {
        name: "max",
        arguments: &[Measure::Any, Measure::Any],
        repeats: true,
        result: Measure::Any,
        run: |x| x.iter().copied().fold(f64::NEG_INFINITY, f64::max),
    },
    Function {
        name: "clamp",
        arguments: &[Measure::Any, Measure::Any, Measure::Any],
        repeats: false,
        result: Measure::Any,
        run: |x| x[0].max(x[1]).min(x[2]),
    },
    of_air("dew_point", TEMPERATURE, |x| {
        or_none(humidity::dew_point(x[0] - ZERO_CELSIUS, x[1] * 100.0)) + ZERO_CELSIUS
    }),
    of_air("absolute_humidity", Measure::Unit("kg/m3"), |x| {
        or_none(humidity::absolute_g_m3(x[0] - ZERO_CELSIUS, x[1] * 100.0)) / 1e3
    }),
    of_air("heat_index", TEMPERATURE, |x| {
        or_none(humidity::heat_index(x[0] - ZERO_CELSIUS, x[1] * 100.0)) + ZERO_CELSIUS
    }),
    of_air("vapour_pressure_deficit", PRESSURE, |x| {
        or_none(humidity::deficit_kpa(x[0] - ZERO_CELSIUS, x[1] * 100.0)) * 1e3
    }),
    Function {
        name: "pressure_altitude",
        arguments: &[PRESSURE],
        repeats: false,
        result: Measure::Unit("m"),
        run: |x| or_none(altitude::standard(x[0] / 100.0)),
    },
    Function {
        name: "altitude",
        arguments: &[PRESSURE, PRESSURE],
        repeats: false,
        result: Measure::Unit("m"),
        run: |x| or_none(altitude::above(x[0] / 100.0, x[1] / 100.0)),
    },
    Function {
        name: "height",
        arguments: &[PRESSURE, PRESSURE, TEMPERATURE],
        repeats: false,
        result: Measure::Unit("m"),
        run: |x| or_none(altitude::height(x[0] / 100.0, x[1] / 100.0, x[2] - ZERO_CELSIUS)),
    },
    Function {
        name: "speed_of_sound",
        arguments: &[TEMPERATURE],
        repeats: false,
        result: Measure::Unit("m/s"),
        run: |x| or_none(sound::speed(x[0] - ZERO_CELSIUS)),
    },
    Function {
        name: "distance",
        arguments: &[Measure::Angle, Measure::Angle, Measure::Angle, Measure::Angle],
        repeats: false,
        result: Measure::Unit("m"),
        run: distance,
    },
    tank("standing_cylinder_volume", &[LENGTH, LENGTH, LENGTH], |x| {
        volume(Tank::VerticalCylinder { diameter_m: x[1], height_m: x[2] }, x[0])
    }),
    tank("lying_cylinder_volume", &[LENGTH, LENGTH, LENGTH], |x| {
        volume(Tank::HorizontalCylinder { diameter_m: x[1], length_m: x[2] }, x[0])
    }),
    tank("cone_bottom_volume", &[LENGTH, LENGTH, LENGTH, LENGTH], |x| {
        volume(Tank::ConeBottom { diameter_m: x[1], height_m: x[2], cone_height_m: x[3] }, x[0])
    }),
    tank("box_volume", &[LENGTH, LENGTH, LENGTH, LENGTH], |x| {
        volume(Tank::Rectangular { length_m: x[1], width_m: x[2], height_m: x[3] }, x[0])
    }),
    tank("sphere_volume", &[LENGTH, LENGTH], |x| volume(Tank::Sphere { diameter_m: x[1] }, x[0])),
];
