//! What an atom of UCUM is, and how its tables are written.

use super::dimension::Base;

/// How an atom may be combined.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Kind {
    /// Takes prefixes, products and powers.
    Metric,
    /// Takes products and powers, but no prefix.
    Plain,
    /// Has an offset or a logarithm: stands alone, with a prefix.
    SpecialMetric,
    /// Has an offset or a logarithm: stands alone, without a prefix.
    Special,
}

/// What an atom is worth.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) enum Worth {
    /// A base unit, and how much of the SI's own it is.
    Base(Base, f64),
    /// So many of another unit.
    Of(f64, &'static str),
    /// Defined by a procedure and compared only with itself.
    Arbitrary,
    /// So many kelvins a degree, and what zero is in kelvins.
    Offset(f64, f64),
    /// The logarithm of a ratio to a reference: `reference × base^(value × scale)`.
    Logarithm {
        /// The base of the power.
        base: f64,
        /// 1 for quantities of power, 1/2 for those of field, -1 where it falls.
        scale: f64,
        /// How many of the unit the reference is.
        reference: f64,
        /// The unit of the reference.
        unit: &'static str,
    },
    /// Accepted, but converted to nothing else.
    Opaque,
}

/// An atom of UCUM.
#[derive(Debug, Clone, Copy)]
pub(super) struct Atom {
    pub(super) name: &'static str,
    pub(super) kind: Kind,
    pub(super) worth: Worth,
}

pub(super) const fn metric(name: &'static str, factor: f64, unit: &'static str) -> Atom {
    Atom { name, kind: Kind::Metric, worth: Worth::Of(factor, unit) }
}

pub(super) const fn plain(name: &'static str, factor: f64, unit: &'static str) -> Atom {
    Atom { name, kind: Kind::Plain, worth: Worth::Of(factor, unit) }
}

pub(super) const fn base(name: &'static str, base: Base, factor: f64) -> Atom {
    Atom { name, kind: Kind::Metric, worth: Worth::Base(base, factor) }
}

pub(super) const fn arbitrary(name: &'static str, kind: Kind) -> Atom {
    Atom { name, kind, worth: Worth::Arbitrary }
}

pub(super) const fn offset(name: &'static str, kind: Kind, degree: f64, zero: f64) -> Atom {
    Atom { name, kind, worth: Worth::Offset(degree, zero) }
}

pub(super) const fn level(name: &'static str, scale: f64, reference: f64, unit: &'static str) -> Atom {
    Atom { name, kind: Kind::SpecialMetric, worth: Worth::Logarithm { base: 10.0, scale, reference, unit } }
}

pub(super) const fn opaque(name: &'static str) -> Atom {
    Atom { name, kind: Kind::Special, worth: Worth::Opaque }
}
