//! Dimensions: what kind of quantity a unit measures.

use std::collections::BTreeMap;
use std::fmt;

/// Exponents of the base dimensions of the SI, and of the plane angle, which UCUM
/// keeps apart so that a radian is not taken for a plain number. Units that are
/// defined by a procedure, such as the international unit, are dimensions of
/// their own.
#[derive(Debug, Clone, Default, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Dimension {
    base: [i8; 8],
    arbitrary: BTreeMap<&'static str, i8>,
}

/// A base dimension.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Base {
    Length,
    Mass,
    Time,
    Temperature,
    Current,
    Amount,
    Light,
    Angle,
}

/// Symbols of the base dimensions (SI Brochure, 9th edition, section 2.3.3), with
/// an `A` for the angle.
const SYMBOLS: [&str; 8] = ["L", "M", "T", "Th", "I", "N", "J", "A"];
/// Names of dimensions that people know, by their symbols.
const NAMES: [(&str, &str); 24] = [
    ("1", "a plain number"),
    ("L", "a length"),
    ("L2", "an area"),
    ("L3", "a volume"),
    ("M", "a mass"),
    ("T", "a time"),
    ("Th", "a temperature"),
    ("I", "a current"),
    ("N", "an amount of substance"),
    ("A", "an angle"),
    ("L.T-1", "a speed"),
    ("L.T-2", "an acceleration"),
    ("L3.T-1", "a volume flow"),
    ("T-1", "a frequency"),
    ("L-1.M.T-2", "a pressure"),
    ("L.M.T-2", "a force"),
    ("L2.M.T-2", "an energy"),
    ("L2.M.T-3", "a power"),
    ("L2.M.T-3.I-1", "a voltage"),
    ("L2.M.T-3.I-2", "a resistance"),
    ("T.I", "an electric charge"),
    ("L-3.M", "a mass in a volume"),
    ("L-2.J.A2", "an illuminance"),
    ("T-1.A", "an angular speed"),
];

impl Dimension {
    /// That of a plain number.
    pub(super) fn one() -> Self {
        Self::default()
    }

    pub(super) fn base(base: Base) -> Self {
        let mut dimension = Self::default();
        dimension.base[base as usize] = 1;
        dimension
    }

    pub(super) fn arbitrary(name: &'static str) -> Self {
        Self { arbitrary: BTreeMap::from([(name, 1)]), ..Self::default() }
    }

    /// Whether it is that of a plain number.
    #[must_use]
    pub fn is_one(&self) -> bool {
        *self == Self::default()
    }

    /// The product with another's power; `None` past exponents of 127.
    #[must_use]
    pub fn times(&self, other: &Self, power: i8) -> Option<Self> {
        let mut product = self.clone();
        for (own, others) in product.base.iter_mut().zip(other.base) {
            *own = own.checked_add(others.checked_mul(power)?)?;
        }
        for (name, others) in &other.arbitrary {
            let own = product.arbitrary.entry(name).or_default();
            *own = own.checked_add(others.checked_mul(power)?)?;
        }
        product.arbitrary.retain(|_, exponent| *exponent != 0);
        Some(product)
    }

    /// The square root; `None` where exponents are odd.
    #[must_use]
    pub fn square_root(&self) -> Option<Self> {
        let mut root = self.clone();
        for exponent in root.base.iter_mut().chain(root.arbitrary.values_mut()) {
            if *exponent % 2 != 0 {
                return None;
            }
            *exponent /= 2;
        }
        Some(root)
    }

    /// In symbols, such as `L.T-1`; `1` for a plain number.
    #[must_use]
    pub fn symbols(&self) -> String {
        let base = SYMBOLS.into_iter().zip(self.base).filter(|(_, exponent)| *exponent != 0);
        let parts: Vec<String> = base
            .chain(self.arbitrary.iter().map(|(name, exponent)| (*name, *exponent)))
            .map(|(symbol, exponent)| if exponent == 1 { symbol.to_owned() } else { format!("{symbol}{exponent}") })
            .collect();
        if parts.is_empty() { "1".to_owned() } else { parts.join(".") }
    }
}

impl fmt::Display for Dimension {
    /// In words where there are any, such as `a pressure (L-1.M.T-2)`.
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let symbols = self.symbols();
        match NAMES.iter().find(|(known, _)| *known == symbols) {
            Some((_, name)) if self.is_one() => f.write_str(name),
            Some((_, name)) => write!(f, "{name} ({symbols})"),
            None => write!(f, "the dimension {symbols}"),
        }
    }
}
