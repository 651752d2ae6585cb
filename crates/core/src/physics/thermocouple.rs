//! Thermocouples: voltage and temperature (ITS-90).

use super::its90::{self, Segment};
use serde::{Deserialize, Serialize};

/// A letter type of IEC 60584.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = ThermocoupleType))]
#[allow(missing_docs, reason = "the letters are the names")]
pub enum Thermocouple {
    B,
    E,
    J,
    K,
    N,
    R,
    S,
    T,
}

impl Segment {
    /// Millivolts, and millivolts a degree.
    fn at(&self, celsius: f64) -> (f64, f64) {
        let (mut value, mut slope) = (0.0, 0.0);
        for coefficient in self.coefficients.iter().rev() {
            slope = slope * celsius + value;
            value = value * celsius + coefficient;
        }
        if let Some([a0, a1, a2]) = self.exponential {
            let from_peak = celsius - a2;
            let term = a0 * (a1 * from_peak * from_peak).exp();
            value += term;
            slope += term * 2.0 * a1 * from_peak;
        }
        (value, slope)
    }
}

impl Thermocouple {
    /// All of them.
    pub const ALL: [Self; 8] = [Self::B, Self::E, Self::J, Self::K, Self::N, Self::R, Self::S, Self::T];

    const fn segments(self) -> &'static [Segment] {
        match self {
            Self::B => its90::B,
            Self::E => its90::E,
            Self::J => its90::J,
            Self::K => its90::K,
            Self::N => its90::N,
            Self::R => its90::R,
            Self::S => its90::S,
            Self::T => its90::T,
        }
    }

    /// The temperatures its reference function is given for, in degrees Celsius.
    #[must_use]
    pub const fn range(self) -> (f64, f64) {
        let segments = self.segments();
        (segments[0].from, segments[segments.len() - 1].to)
    }

    /// The lowest temperature that can be told from its voltage: type B falls
    /// before it rises.
    const fn lowest(self) -> f64 {
        match self {
            // Where the slope of the reference function is zero.
            Self::B => 21.020_262_133_5,
            _ => self.range().0,
        }
    }

    fn at(self, celsius: f64) -> (f64, f64) {
        let segments = self.segments();
        // On a joint the lower segment holds.
        let segment = segments.iter().find(|segment| celsius <= segment.to).unwrap_or(&segments[segments.len() - 1]);
        segment.at(celsius)
    }

    /// The voltage in millivolts at a temperature in degrees Celsius, with the cold
    /// junction at 0 °C. `None` outside [`Thermocouple::range`].
    #[must_use]
    pub fn millivolts(self, celsius: f64) -> Option<f64> {
        let (low, high) = self.range();
        (low..=high).contains(&celsius).then(|| self.at(celsius).0)
    }

    /// The temperature in degrees Celsius at a voltage in millivolts, with the cold
    /// junction at 0 °C: the root of the reference function, the upper one where
    /// type B has two. `None` where there is none.
    #[must_use]
    pub fn celsius(self, millivolts: f64) -> Option<f64> {
        let (mut low, mut high) = (self.lowest(), self.range().1);
        let (bottom, top) = (self.at(low).0, self.at(high).0);
        // The last digit of a published limit is not held against anybody.
        let slack = 1e-9;
        if !(bottom - slack..=top + slack).contains(&millivolts) {
            return None;
        }
        let mut guess = low + (high - low) * ((millivolts - bottom) / (top - bottom)).clamp(0.0, 1.0);
        for _ in 0..64 {
            let (value, slope) = self.at(guess);
            let error = value - millivolts;
            *if error > 0.0 { &mut high } else { &mut low } = guess;
            // Newton's step, or the middle where that leads out of what is known.
            let step = guess - error / slope;
            let next = if step > low && step < high { step } else { f64::midpoint(low, high) };
            if (next - guess).abs() < 1e-9 {
                return Some(next);
            }
            guess = next;
        }
        Some(guess)
    }

    /// The temperature in degrees Celsius at the hot end, from the voltage in
    /// millivolts and the temperature of the cold junction in degrees Celsius.
    /// `None` where either is out of range.
    #[must_use]
    pub fn hot_celsius(self, millivolts: f64, cold_celsius: f64) -> Option<f64> {
        // Voltages add, temperatures do not.
        self.celsius(millivolts + self.millivolts(cold_celsius)?)
    }
}

#[cfg(test)]
mod tests {
    use super::super::tables::{Row, rows};
    use super::*;
    use proptest::prelude::*;

    fn of(row: &Row) -> Thermocouple {
        let letter = row.text("type");
        Thermocouple::ALL.into_iter().find(|kind| format!("{kind:?}") == letter).unwrap()
    }

    #[test]
    fn voltages_are_those_of_the_table() {
        for row in rows("thermocouple_forward", 500) {
            let celsius = row.number("temperature_C");
            match (row.text("status"), of(&row).millivolts(celsius)) {
                ("ok", Some(mv)) => assert!((mv - row.number("emf_mV")).abs() < 1e-9, "{:?} {celsius}", of(&row)),
                ("out_of_range", None) => {}
                (status, mv) => panic!("{:?} at {celsius}: {status}, {mv:?}", of(&row)),
            }
        }
    }

    #[test]
    fn temperatures_are_those_of_the_table() {
        for row in rows("thermocouple_inverse", 450) {
            let mv = row.number("emf_mV");
            match (row.text("status"), of(&row).celsius(mv)) {
                ("ok" | "ok_outside_published_inverse" | "ambiguous", Some(celsius)) => {
                    let expected = row.number("temperature_exact_C");
                    // Near -270 °C the voltage hardly changes.
                    let tolerance = if expected < -260.0 { 1e-4 } else { 1e-6 };
                    assert!((celsius - expected).abs() < tolerance, "{:?} {mv} mV: {celsius}, {expected}", of(&row));
                }
                ("out_of_range", None) => {}
                (status, celsius) => panic!("{:?} at {mv} mV: {status}, {celsius:?}", of(&row)),
            }
        }
    }

    #[test]
    fn the_cold_junction_is_taken_into_account() {
        for row in rows("thermocouple_cold_junction", 220) {
            let hot = of(&row).hot_celsius(row.number("measured_emf_mV"), row.number("cold_junction_C"));
            match (row.text("status"), hot) {
                ("ok", Some(hot)) => {
                    let expected = row.number("hot_exact_C");
                    let tolerance = if expected < -260.0 { 1e-4 } else { 1e-6 };
                    assert!((hot - expected).abs() < tolerance, "{:?}: {hot}, {expected}", of(&row));
                }
                // Of two the upper: here the cold junction's own temperature.
                ("ambiguous", Some(hot)) => assert!((hot - row.number("cold_junction_C")).abs() < 1e-4, "{hot}"),
                (status, found) => assert!(status.ends_with("out_of_range") && found.is_none(), "{status}, {found:?}"),
            }
        }
    }

    proptest! {
        #[test]
        fn there_and_back(place in 0usize..8, share in 0.001..0.999f64) {
            let kind = Thermocouple::ALL[place];
            let (low, high) = (kind.lowest().max(-250.0) + 5.0, kind.range().1);
            let celsius = low + share * (high - low);
            let back = kind.celsius(kind.millivolts(celsius).unwrap()).unwrap();
            prop_assert!((back - celsius).abs() < 1e-4, "{kind:?} {celsius} {back}");
        }

        #[test]
        fn warmer_is_more(place in 0usize..8, share in 0.001..0.99f64) {
            let kind = Thermocouple::ALL[place];
            let (low, high) = (kind.lowest() + 1.0, kind.range().1);
            let celsius = low + share * (high - low);
            prop_assert!(kind.millivolts(celsius + 0.01).unwrap() > kind.millivolts(celsius).unwrap());
        }
    }
}
