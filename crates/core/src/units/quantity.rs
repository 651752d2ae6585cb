//! What units are worth in those of the SI, and conversion between them.

use super::{Dimension, UnitCode};

/// What a value in a unit says in the SI's own units.
#[derive(Debug, Clone, PartialEq)]
pub struct Quantity {
    /// How much of the SI's unit one is; of a logarithm, how much its reference is.
    pub factor: f64,
    /// What kind of quantity it is.
    pub dimension: Dimension,
    /// How values go over.
    pub scale: Scale,
}

/// How values in a unit go over into those of the SI.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Scale {
    /// `value × factor`.
    Linear,
    /// `value × factor + zero`.
    Offset {
        /// What zero is in the SI's unit.
        zero: f64,
    },
    /// `factor × base^(value × step)`.
    Logarithm {
        /// The base of the power.
        base: f64,
        /// The exponent of one.
        step: f64,
    },
}

/// Why a unit cannot be reduced to those of the SI.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum NoQuantity {
    /// Its definition is a procedure that only those who use it know.
    #[error("`{0}` is converted to no other unit")]
    Opaque(String),
    /// Its factor or an exponent is too large or too small for numbers here.
    #[error("the unit is too large or too small to be converted")]
    TooLarge,
}

/// Why values of one unit cannot be had in another.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
#[non_exhaustive]
pub enum NoConversion {
    /// They measure different things.
    #[error("`{from}` is {from_dimension} and `{to}` is {to_dimension}: one cannot be had in the other")]
    Dimensions {
        /// The unit there is.
        from: String,
        /// What it measures.
        from_dimension: Dimension,
        /// The unit that was asked for.
        to: String,
        /// What that measures.
        to_dimension: Dimension,
    },
    /// One of them cannot be reduced.
    #[error(transparent)]
    NoQuantity(#[from] NoQuantity),
}

impl Quantity {
    /// A value in the SI's unit.
    #[must_use]
    pub fn to_si(&self, value: f64) -> f64 {
        match self.scale {
            Scale::Linear => value * self.factor,
            Scale::Offset { zero } => value * self.factor + zero,
            Scale::Logarithm { base, step } => self.factor * base.powf(value * step),
        }
    }

    /// A value of the SI's unit in this one. What has no logarithm is not a number.
    #[must_use]
    pub fn from_si(&self, value: f64) -> f64 {
        match self.scale {
            Scale::Linear => value / self.factor,
            Scale::Offset { zero } => (value - zero) / self.factor,
            Scale::Logarithm { base, step } => (value / self.factor).ln() / base.ln() / step,
        }
    }
}

/// Takes values from one unit to another.
#[derive(Debug, Clone, PartialEq)]
pub struct UnitChange {
    from: Quantity,
    to: Quantity,
}

impl UnitChange {
    /// From one unit to another.
    ///
    /// # Errors
    /// [`NoConversion`], with both dimensions named.
    pub fn between(from: &UnitCode, to: &UnitCode) -> Result<Self, NoConversion> {
        if from == to {
            // Also for units that are converted to nothing else.
            let same = Quantity { factor: 1.0, dimension: Dimension::default(), scale: Scale::Linear };
            return Ok(Self { from: same.clone(), to: same });
        }
        let (own, other) = (from.quantity()?, to.quantity()?);
        if own.dimension == other.dimension {
            return Ok(Self { from: own, to: other });
        }
        Err(NoConversion::Dimensions {
            from: from.to_string(),
            from_dimension: own.dimension,
            to: to.to_string(),
            to_dimension: other.dimension,
        })
    }

    /// A value in the other unit. Not a number where there is none, as of a
    /// negative one in decibels.
    #[must_use]
    pub fn apply(&self, value: f64) -> f64 {
        match (self.from.scale, self.to.scale) {
            // Equal factors change nothing, and round numbers stay round.
            (Scale::Linear, Scale::Linear) if self.from.factor >= self.to.factor => {
                value * (self.from.factor / self.to.factor)
            }
            (Scale::Linear, Scale::Linear) => value / (self.to.factor / self.from.factor),
            _ if self.from == self.to => value,
            (Scale::Offset { .. }, _) | (_, Scale::Offset { .. }) => tidied(self.to.from_si(self.from.to_si(value))),
            _ => self.to.from_si(self.from.to_si(value)),
        }
    }

    /// The way back.
    #[must_use]
    pub fn back(&self) -> Self {
        Self { from: self.to.clone(), to: self.from.clone() }
    }

    /// Whether it only shifts and stretches, so that means go over as values do.
    #[must_use]
    pub const fn is_affine(&self) -> bool {
        !matches!(self.from.scale, Scale::Logarithm { .. }) && !matches!(self.to.scale, Scale::Logarithm { .. })
    }

    /// Whether it leaves values as they are.
    #[must_use]
    pub fn is_identity(&self) -> bool {
        self.from.scale == self.to.scale && self.from.factor.to_bits() == self.to.factor.to_bits()
    }
}

/// Adding some hundred kelvins and taking them away again spoils the last digits: a value
/// that is a few of them beside a round one is that. Others keep theirs, so that there
/// and back again is the same.
fn tidied(value: f64) -> f64 {
    let round = (value * 1e9).round() / 1e9;
    let is_near = (value - round).abs() <= 1e-12 + value.abs() * 1e-14;
    if is_near { round } else { value }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn code(text: &str) -> UnitCode {
        UnitCode::parse(text).unwrap()
    }

    fn rows(name: &str) -> Vec<csv::StringRecord> {
        let path = format!("{}/tests/data/{name}.csv", env!("CARGO_MANIFEST_DIR"));
        csv::Reader::from_path(path).unwrap().records().map(Result::unwrap).collect()
    }

    fn near(a: f64, b: f64) -> bool {
        (a - b).abs() <= 1e-12 * b.abs().max(1e-300)
    }

    #[test]
    fn codes_are_worth_what_the_reference_table_says() {
        let mut seen = 0;
        for row in rows("ucum_codes").iter().filter(|row| &row[1] == "true") {
            let (kind, dimension) = (&row[2], &row[3]);
            let quantity = code(&row[0]).quantity().unwrap_or_else(|error| panic!("{}: {error}", &row[0]));
            // The table leaves angles out.
            let symbols = quantity.dimension.symbols();
            let parts: Vec<&str> = symbols.split('.').filter(|part| !part.starts_with('A')).collect();
            let own = if parts.is_empty() { "1".to_owned() } else { parts.join(".") };
            match kind {
                "linear" => {
                    assert!(near(quantity.factor, row[4].parse().unwrap()), "{}: {}", &row[0], quantity.factor);
                    assert_eq!((quantity.scale, own.as_str()), (Scale::Linear, dimension), "{}", &row[0]);
                }
                "affine" => {
                    let Scale::Offset { zero } = quantity.scale else { panic!("{}", &row[0]) };
                    assert!((zero - row[5].parse::<f64>().unwrap()).abs() < 1e-9, "{}", &row[0]);
                    assert_eq!(own, dimension);
                }
                "logarithmic" => {
                    assert!(matches!(quantity.scale, Scale::Logarithm { .. }) && own == *dimension, "{}", &row[0]);
                }
                "arbitrary" => assert_eq!(own, "[iU]"),
                other => panic!("{other}"),
            }
            seen += 1;
        }
        assert!(seen > 150, "{seen} codes");
    }

    #[test]
    fn conversions_are_those_of_the_reference_table() {
        let table = rows("ucum_conversions");
        assert!(table.len() > 75);
        for row in &table {
            let codes = (UnitCode::parse(&row[0]), UnitCode::parse(&row[1]));
            let change = match codes {
                (Ok(from), Ok(to)) => UnitChange::between(&from, &to),
                _ => {
                    assert_eq!(&row[4], "invalid_code", "{row:?}");
                    continue;
                }
            };
            match (&row[4], change) {
                ("ok", Ok(change)) => {
                    let (value, expected): (f64, f64) = (row[2].parse().unwrap(), row[3].parse().unwrap());
                    let got = change.apply(value);
                    // With an offset, what is lost is of the size of the offset.
                    let has_offset = ["Cel", "[degF]"].iter().any(|unit| [&row[0], &row[1]].contains(unit));
                    let tolerance = if has_offset { 1e-9 } else { 1e-12 * expected.abs() };
                    assert!((got - expected).abs() <= tolerance, "{row:?}: {got}");
                }
                ("incommensurable", Err(NoConversion::Dimensions { .. })) => {}
                (status, change) => panic!("{row:?}: {status} and {change:?}"),
            }
        }
    }

    #[test]
    fn round_temperatures_stay_round() {
        for (from, value, to, expected) in [
            ("Cel", 20.0, "[degF]", 68.0),
            ("[degF]", 50.0, "Cel", 10.0),
            ("K", 273.15, "Cel", 0.0),
            ("Cel", 21.5, "K", 294.65),
        ] {
            assert_eq!(UnitChange::between(&code(from), &code(to)).unwrap().apply(value), expected, "{from} to {to}");
        }
    }

    #[test]
    fn a_temperature_comes_back_as_it_was() {
        let (fahrenheit, celsius) = (code("[degF]"), code("Cel"));
        let there = UnitChange::between(&fahrenheit, &celsius).unwrap();
        let back = UnitChange::between(&celsius, &fahrenheit).unwrap();
        for tenths in -1_000..3_000 {
            let value = f64::from(tenths) / 10.0;
            assert_eq!(back.apply(there.apply(value)), value, "by {}", there.apply(value));
        }
    }

    #[test]
    fn a_mismatch_names_both() {
        let error = UnitChange::between(&code("Cel"), &code("hPa")).unwrap_err().to_string();
        assert_eq!(
            error,
            "`Cel` is a temperature (Th) and `hPa` is a pressure (L-1.M.T-2): one cannot be had in the other"
        );
        assert!(UnitChange::between(&code("[IU]"), &code("mol")).is_err());
        assert!((UnitChange::between(&code("m[IU]"), &code("[iU]")).unwrap().apply(5.0) - 0.005).abs() < 1e-15);
        assert!(UnitChange::between(&code("[p'diop]"), &code("[p'diop]")).unwrap().is_identity());
        assert!(UnitChange::between(&code("dB"), &code("B")).unwrap().apply(30.0) - 3.0 < 1e-12);
    }

    proptest! {
        /// There and back again, whatever the units.
        #[test]
        fn conversions_go_back(value in -1e6..1e6f64, place in 0usize..200, other in 0usize..200) {
            let codes = ["Cel", "[degF]", "K", "mK", "bar", "[psi]", "m[H2O]", "km/h", "[kn_i]", "L/min", "m3/h", "kW.h", "J", "%", "[ppm]"];
            let (a, b) = (code(codes[place % codes.len()]), code(codes[other % codes.len()]));
            if let Ok(there) = UnitChange::between(&a, &b) {
                let back = UnitChange::between(&b, &a).unwrap();
                prop_assert!((back.apply(there.apply(value)) - value).abs() < 1e-9 * value.abs().max(1e3));
            }
        }

        /// Products of units are worth the products of what they are worth.
        #[test]
        fn products_multiply(i in 0usize..8, j in 0usize..8, power in 1i32..4) {
            let codes = ["m", "kg", "min", "V", "[in_i]", "Pa", "rad", "mol"];
            let (a, b) = (code(codes[i]).quantity().unwrap(), code(codes[j]).quantity().unwrap());
            let product = code(&format!("{}.{}{power}", codes[i], codes[j])).quantity().unwrap();
            prop_assert!((product.factor / (a.factor * b.factor.powi(power)) - 1.0).abs() < 1e-14);
            prop_assert_eq!(product.dimension, a.dimension.times(&b.dimension, power as i8).unwrap());
            let ratio = code(&format!("{}/({}.{})", codes[i], codes[i], codes[j])).quantity().unwrap();
            prop_assert_eq!(ratio.dimension, code(&format!("/{}", codes[j])).quantity().unwrap().dimension);
        }
    }
}
