//! How far a reading can be trusted.

/// Why a reading is not good.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Cause {
    /// Outside what is possible or expected.
    Range,
    /// Changed faster than possible.
    Jump,
    /// The same for too long.
    Frozen,
    /// Far from the values around it.
    Outlier,
    /// The sensor's own mark for "no value".
    Marker,
    /// An impossible position.
    Position,
    /// Another signal says that this one does not count now.
    Dependent,
    /// An impossible time.
    Time,
    /// The raw value could not be converted.
    Conversion,
    /// A text where a number belongs.
    Type,
}

impl Cause {
    /// Its stable word.
    #[must_use]
    pub const fn as_str(self) -> &'static str {
        match self {
            Self::Range => "range",
            Self::Jump => "jump",
            Self::Frozen => "frozen",
            Self::Outlier => "outlier",
            Self::Marker => "marker",
            Self::Position => "position",
            Self::Dependent => "dependent",
            Self::Time => "time",
            Self::Conversion => "conversion",
            Self::Type => "type",
        }
    }

    /// All causes, in the order of their codes.
    pub const ALL: [Self; 10] = [
        Self::Range,
        Self::Jump,
        Self::Frozen,
        Self::Outlier,
        Self::Marker,
        Self::Position,
        Self::Dependent,
        Self::Time,
        Self::Conversion,
        Self::Type,
    ];
}

/// The quality of a reading, with the cause if it is not good.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Default)]
pub enum Quality {
    /// Nothing speaks against it.
    #[default]
    Good,
    /// Doubtful: kept and shown on request.
    Suspect(Cause),
    /// Certainly wrong: kept and shown on request.
    Rejected(Cause),
}

impl Quality {
    /// Whether it counts in summaries, charts, formulas and alarms.
    #[must_use]
    pub const fn is_good(self) -> bool {
        matches!(self, Self::Good)
    }

    /// A number for storage: 0 is good, suspect readings have odd numbers,
    /// rejected ones even numbers.
    #[must_use]
    pub const fn code(self) -> u8 {
        match self {
            Self::Good => 0,
            Self::Suspect(cause) => 2 * cause as u8 + 1,
            Self::Rejected(cause) => 2 * cause as u8 + 2,
        }
    }

    /// The quality with such a [`code`](Self::code).
    #[must_use]
    pub fn from_code(code: u8) -> Option<Self> {
        let Some(rest) = code.checked_sub(1) else { return Some(Self::Good) };
        let cause = *Cause::ALL.get(usize::from(rest / 2))?;
        Some(if rest.is_multiple_of(2) { Self::Suspect(cause) } else { Self::Rejected(cause) })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn codes_read_back() {
        let known: Vec<Quality> = (0..=u8::MAX).map_while(Quality::from_code).collect();
        assert_eq!(known.len(), 1 + 2 * Cause::ALL.len());
        for (code, quality) in known.into_iter().enumerate() {
            assert_eq!(usize::from(quality.code()), code, "{quality:?}");
        }
    }
}
