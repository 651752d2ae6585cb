//! The steps there are, as they are written.

use crate::physics::tank::Tank;
use crate::physics::thermocouple::Thermocouple;
use serde::{Deserialize, Serialize};

/// One step of a conversion.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = ConversionStep))]
#[serde(rename_all = "kebab-case", tag = "step", deny_unknown_fields)]
pub enum Step {
    /// Counts of an analogue-to-digital converter to volts:
    /// `counts × reference / 2^bits`.
    Counts {
        /// Its resolution, 1 to 32.
        bits: u8,
        /// The voltage that all counts mean.
        reference_v: f64,
    },
    /// `value × factor + offset`.
    Scale {
        /// What it is multiplied with.
        factor: f64,
        /// What is added then.
        #[serde(default)]
        offset: f64,
        /// The unit of the result; as before if absent.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        unit: Option<String>,
    },
    /// The straight line through two points.
    TwoPoint {
        /// Value before and after.
        points: [(f64, f64); 2],
        /// The unit of the result; as before if absent.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        unit: Option<String>,
    },
    /// `c0 + c1 x + c2 x² + …`.
    Polynomial {
        /// The coefficients, the constant first; at most 16.
        coefficients: Vec<f64>,
        /// The unit of the result; as before if absent.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        unit: Option<String>,
    },
    /// A table, with straight lines between its points.
    Table {
        /// Value before and after, in order of the first; at most 1,000.
        points: Vec<(f64, f64)>,
        /// What is outside of it.
        #[serde(default)]
        outside: Outside,
        /// The unit of the result; as before if absent.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        unit: Option<String>,
    },
    /// The voltage of a divider to the resistance of the sensor in it, in ohms.
    Divider {
        /// The fixed resistor.
        fixed_ohm: f64,
        /// The voltage across both.
        supply_v: f64,
        /// Where the sensor is.
        sensor: Arrangement,
    },
    /// Ohms of a thermistor to °C, by its constant beta.
    ThermistorBeta {
        /// Its resistance at a temperature.
        r0_ohm: f64,
        /// That temperature, in °C.
        t0_celsius: f64,
        /// Beta in kelvins.
        beta_k: f64,
    },
    /// Ohms of a thermistor to °C, by Steinhart and Hart.
    SteinhartHart {
        /// The constant.
        a: f64,
        /// That of the logarithm.
        b: f64,
        /// That of its cube.
        c: f64,
    },
    /// Ohms of a platinum thermometer to °C (IEC 60751).
    Rtd {
        /// Its resistance at 0 °C, such as 100.
        r0_ohm: f64,
    },
    /// Volts of a thermocouple to °C (ITS-90).
    Thermocouple {
        /// Its type.
        kind: Thermocouple,
        /// The temperature of its cold junction, in °C.
        cold_junction: Source,
    },
    /// The time of an echo to the distance in metres, there being one way of it.
    Echo {
        /// The temperature of the air, in °C.
        air: Source,
    },
    /// A span to per cent.
    Percent {
        /// What is 0 %.
        empty: f64,
        /// What is 100 %.
        full: f64,
        /// What is outside of it.
        #[serde(default)]
        outside: Outside,
    },
    /// The level of a tank in metres to the volume in it, in cubic metres.
    Volume {
        /// The tank.
        tank: Tank,
        /// What is below empty and above full.
        #[serde(default)]
        outside: Outside,
    },
    /// Ohms of a gas sensor to what it measures: `factor × (ohms / r0)^exponent`.
    RatioCurve {
        /// Its resistance in clean air.
        r0_ohm: f64,
        /// The factor of the curve.
        factor: f64,
        /// The exponent of the curve.
        exponent: f64,
        /// The unit of the result, such as `[ppm]`.
        unit: String,
    },
    /// Amperes of a current loop, 4 to 20 mA, with what NAMUR NE 43 says of currents
    /// outside: below 3.6 mA and above 21 mA the sensor has failed, between those
    /// and 3.8 or 20.5 mA it is at its end.
    CurrentLoop {
        /// The value at 4 mA.
        low: f64,
        /// The value at 20 mA.
        high: f64,
        /// The unit of the result.
        unit: String,
    },
    /// To another unit.
    Unit {
        /// Its code.
        to: String,
    },
    /// A counter to how fast it counts. Remembers the count before.
    Rate {
        /// Where the counter begins again, such as 65536; never if absent.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        modulus: Option<f64>,
        /// The most it can count between two readings; more is a counter that was
        /// reset.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        most: Option<f64>,
        /// The time it is told for.
        per: Per,
        /// The unit of the result, such as `L/min`.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        unit: Option<String>,
    },
    /// A counter to all it has counted, through where it wraps round and is reset.
    /// Remembers the count before and the total.
    Total {
        /// Where the counter begins again, such as 65536; never if absent.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        modulus: Option<f64>,
        /// The most it can count between two readings.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        most: Option<f64>,
        /// The unit of the result; as before if absent.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        unit: Option<String>,
    },
    /// The median of the last values. Remembers them.
    Median {
        /// How many, 3 to 99, an odd number.
        window: u8,
    },
    /// Exponential smoothing. Remembers the value before.
    Smooth {
        /// After so many seconds a sudden change has come to 63 %.
        time_constant_s: f64,
    },
}

/// What to do with values outside of what a step knows.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = OutsideTable))]
#[serde(rename_all = "kebab-case")]
pub enum Outside {
    /// They are faults.
    #[default]
    Reject,
    /// They become what is nearest.
    Clamp,
    /// They go on in the same way.
    Keep,
}

/// Where in a divider the sensor is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = DividerArrangement))]
#[serde(rename_all = "kebab-case")]
pub enum Arrangement {
    /// Between what is measured and ground.
    ToGround,
    /// Between what is measured and the supply.
    ToSupply,
}

/// The time a rate is told for.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = CountPer))]
pub enum Per {
    /// A second.
    #[serde(rename = "s")]
    Second,
    /// A minute.
    #[serde(rename = "min")]
    Minute,
    /// An hour.
    #[serde(rename = "h")]
    Hour,
}

impl Per {
    pub(super) const fn seconds(self) -> f64 {
        match self {
            Self::Second => 1.0,
            Self::Minute => 60.0,
            Self::Hour => 3_600.0,
        }
    }
}

/// Where a second value of a step comes from.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = ValueSource))]
#[serde(untagged)]
pub enum Source {
    /// It is always this.
    Fixed(f64),
    /// It is the last value of another signal, `SIGNAL` of the same device or
    /// `DEVICE/SIGNAL`, in °C or a unit that can be had in it.
    Signal(String),
}

impl Step {
    /// Whether it remembers what came before, so that it depends on the order.
    #[must_use]
    pub const fn is_stateful(&self) -> bool {
        matches!(self, Self::Rate { .. } | Self::Total { .. } | Self::Median { .. } | Self::Smooth { .. })
    }

    /// The other signal it needs, if any.
    #[must_use]
    pub fn needs(&self) -> Option<&str> {
        match self {
            Self::Thermocouple { cold_junction: Source::Signal(signal), .. }
            | Self::Echo { air: Source::Signal(signal) } => Some(signal),
            _ => None,
        }
    }
}
