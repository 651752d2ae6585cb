//! Series: what is recent and what is sealed, seen as one.
//!
//! A group of deliveries is written as one entry of the journal and lies in
//! memory, by signal, as a layer over what is sealed ([`tails`]). The sealer
//! freezes layers that have grown, makes segments of them with what they touch
//! ([`plan`]), and has the recorder put those in place. A reader takes the layers
//! first and then the segments; that a layer may be in the segments already does
//! no harm, because laying it over them again changes nothing.
//!
//! `docs/decisions/0011-journal-and-segments.md` says why.

pub(crate) mod group;
pub(crate) mod journal;
pub(crate) mod lot;
pub(crate) mod plan;
pub(crate) mod rollup;
pub(crate) mod room;
pub(crate) mod sealer;
pub(crate) mod sealing;
pub(crate) mod segment;
pub(crate) mod summed;
pub(crate) mod summing;
pub(crate) mod tails;
pub(crate) mod upgrade;
pub(crate) mod walk;

/// Sizes at which things happen. The defaults are meant for use; tests use
/// smaller ones.
#[derive(Debug, Clone, Copy)]
pub struct Limits {
    /// Readings of one signal that are worth a segment: it is sealed when so many
    /// are recent, and full when it spans some time besides.
    pub segment: usize,
    /// Readings with which a segment is full however short its span.
    pub dense_segment: usize,
    /// Segments of a signal in a row that get a rollup.
    pub rollup: usize,
    /// Recent readings of all signals above which the sealer makes room.
    pub recent: usize,
    /// Journal entries above which the sealer makes room.
    pub entries: i64,
    /// Readings in the journal up to which nobody minds that most of them are
    /// sealed already.
    pub journal: usize,
    /// Recent readings of all signals above which none are taken in until the
    /// sealer has made room.
    pub most_recent: usize,
    /// Readings of one signal, newer than all it has, that become segments at once.
    pub burst: usize,
    /// Bytes that sealing and deleting may take above the disk budget: they need
    /// room to make room.
    pub reserve: u64,
}

impl Default for Limits {
    fn default() -> Self {
        Self {
            segment: 8_192,
            dense_segment: 65_536,
            rollup: 256,
            recent: 1_000_000,
            entries: 50_000,
            journal: 200_000,
            most_recent: 4_000_000,
            burst: 16_384,
            reserve: 64 << 20,
        }
    }
}

impl Limits {
    /// A segment of readings closer together than this many microseconds for
    /// `segment` of them is filled up to `dense_segment`.
    const SHORT: i64 = 15 * 60 * 1_000_000;

    /// Whether a segment of so many readings over so many microseconds is left as it is.
    pub(crate) const fn is_full(&self, count: u64, span: i64) -> bool {
        count >= self.dense_segment as u64 || (count >= self.segment as u64 && span >= Self::SHORT)
    }

    /// Segments between two rollups that are worth one, and how many at the end of a
    /// series have none: those change most.
    pub(crate) fn worth_rollup(&self) -> usize {
        (self.rollup / 4).max(1)
    }

    /// Readings of a segment of readings as dense as this.
    pub(crate) fn wanted(&self, count: usize, span: i64, weight: usize) -> usize {
        let each = i128::from(span) * self.segment as i128 / count.max(1) as i128;
        let wanted = if each >= i128::from(Self::SHORT) { self.segment } else { self.dense_segment };
        // Long texts are many bytes each.
        (wanted * count / weight.max(count).max(1)).max(1)
    }
}
