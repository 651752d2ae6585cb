//! What is worth telling the sender's owner although it was taken.

/// The stable word for a remark.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
#[non_exhaustive]
pub enum RemarkCode {
    /// The content type was missing or wrong, and the body told what it is.
    Recognised,
    /// A local time that the clocks showed twice.
    DoubtfulHour,
    /// A local time that the clocks skipped.
    SkippedHour,
    /// A packed body without the header that says so.
    Unpacked,
    /// Bytes between frames that belong to none.
    Noise,
    /// A text where a number belongs: kept, and rejected.
    NotANumber,
}

impl RemarkCode {
    /// The word itself.
    #[must_use]
    pub const fn as_str(self) -> &'static str {
        match self {
            Self::Recognised => "recognised",
            Self::DoubtfulHour => "doubtful-hour",
            Self::SkippedHour => "skipped-hour",
            Self::Unpacked => "unpacked",
            Self::Noise => "noise",
            Self::NotANumber => "not-a-number",
        }
    }
}

/// One remark.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Remark {
    /// What sort it is.
    pub code: RemarkCode,
    /// A sentence.
    pub detail: String,
}

impl Remark {
    /// A remark of a sort.
    pub fn new(code: RemarkCode, detail: impl Into<String>) -> Self {
        Self { code, detail: detail.into() }
    }
}

/// Notes something worth knowing; of each sort the first stands for all, however many values a
/// delivery has.
pub(crate) fn note(remarks: &mut Vec<Remark>, remark: Remark) {
    if remarks.iter().all(|known| known.code != remark.code) {
        remarks.push(remark);
    }
}
