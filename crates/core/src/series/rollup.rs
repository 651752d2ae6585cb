//! Rollups: one digest for many segments in a row.
//!
//! A chart of a hundred million readings lies over twelve thousand segments. To
//! read as many digests takes longer than anyone should wait for a picture, so
//! each row of some hundred segments has a digest of its own.

use super::digest::{Gathering, MINUTE, WIDTHS, in_buckets, joined};
use super::{Digest, Run, SealedDigest, SegmentError, Summary, Tier};

/// The most summaries of one width. It bounds what a chart decodes of each rollup.
const MOST_SUMMARIES: i64 = 2_048;

/// Puts digests of segments together, in order of time.
#[derive(Debug)]
pub struct Rollup {
    /// Its finest tier so far.
    finest: Gathering,
}

impl Rollup {
    /// For segments of `span` microseconds together, in all of which values are held for
    /// at most `hold` microseconds.
    #[must_use]
    pub fn new(span: i64, hold: i64) -> Self {
        let mut widths = WIDTHS.iter().map(|(width, _)| *width).filter(|width| *width >= MINUTE);
        let finest = widths.find(|width| span / width < MOST_SUMMARIES).unwrap_or(WIDTHS[WIDTHS.len() - 1].0);
        Self { finest: Gathering::new(finest, hold) }
    }

    /// Takes in the next segment by its digest. Says whether it could; if not, the
    /// segment has no summaries that are fine enough, and its readings have to be
    /// taken in.
    ///
    /// # Errors
    /// [`SegmentError`] if the digest is damaged.
    pub fn take_digest(&mut self, digest: &SealedDigest<'_>) -> Result<bool, SegmentError> {
        let Some(whole) = digest.whole else { return Ok(true) };
        let width = self.finest.width;
        if whole.first_at.div_euclid(width) == whole.last_at.div_euclid(width) {
            self.finest.take(whole);
            return Ok(true);
        }
        // Widths divide each other, so no narrower summary lies over an edge.
        let Some(tier) = digest.tiers.iter().find(|tier| tier.width <= width) else { return Ok(false) };
        tier.decode()?.summaries.into_iter().for_each(|summary| self.finest.take(summary));
        Ok(true)
    }

    /// Takes in the next segment by its readings.
    pub fn take_run(&mut self, run: &Run) {
        run.good_numbers().for_each(|(at, value)| self.finest.take(Summary::of(at, value)));
    }

    /// The digest of all that was taken in.
    #[must_use]
    pub fn finish(self) -> Digest {
        let Gathering { width: finest, hold, summaries, .. } = self.finest;
        let mut tiers = vec![Tier { width: finest, summaries }];
        for (width, _) in WIDTHS.into_iter().filter(|(width, _)| *width > finest) {
            let finer = &tiers[tiers.len() - 1].summaries;
            let summaries = in_buckets(finer.iter().copied(), width, hold);
            if summaries.len() * 2 <= finer.len() {
                tiers.push(Tier { width, summaries });
            }
        }
        let whole = joined(&tiers[tiers.len() - 1].summaries, hold);
        tiers.reverse();
        Digest { hold, whole, tiers }.settled()
    }
}

#[cfg(test)]
mod tests {
    use super::super::run::tests::any_run;
    use super::super::{Buckets, Fold};
    use super::*;
    use proptest::prelude::*;

    /// Joins the digests of the pieces; the readings of those that have none fine enough.
    fn rolled_up(pieces: &[Run], hold: i64) -> Digest {
        let span = pieces[pieces.len() - 1].times().last().unwrap() - pieces[0].times()[0];
        let mut rollup = Rollup::new(span, hold);
        for piece in pieces {
            let bytes = Digest::of(piece, hold).encode();
            if !rollup.take_digest(&SealedDigest::open(&bytes).unwrap()).unwrap() {
                rollup.take_run(piece);
            }
        }
        rollup.finish()
    }

    fn buckets_of(digest: &Digest, width: i64, from: i64, to: i64) -> Option<Vec<super::super::Bucket>> {
        let mut fold = Fold::new(Buckets::Even(width), from, to);
        let bytes = digest.encode();
        fold.take_digest(&SealedDigest::open(&bytes).unwrap()).unwrap().then(|| fold.finish())
    }

    proptest! {
        /// A rollup answers for the same buckets as the readings do, or not at all.
        #[test]
        fn it_says_what_the_readings_say(
            run in any_run(-20 * MINUTE..20 * MINUTE, 600), cuts in prop::collection::vec(0usize..600, 0..6),
            width in prop_oneof![Just(MINUTE), Just(2 * MINUTE), Just(15 * MINUTE), Just(90 * MINUTE), 1i64..MINUTE],
            hold in prop_oneof![Just(i64::MAX), 0i64..2 * MINUTE],
        ) {
            let run: Run = run.points().filter(|p| p.value.as_number().is_none_or(|n| n.abs() < 1e6)).collect();
            let mut cuts: Vec<usize> = cuts.into_iter().map(|cut| cut.min(run.len())).chain([0, run.len()]).collect();
            cuts.sort_unstable();
            let pieces: Vec<Run> =
                cuts.windows(2).map(|pair| run.slice(pair[0]..pair[1])).filter(|piece| !piece.is_empty()).collect();
            prop_assume!(!pieces.is_empty());
            let (from, to) = (run.times()[0], run.times()[run.len() - 1] + 1);
            let mut expected = Fold::new(Buckets::Even(width), from, to);
            expected.take_run(&run, hold);
            let expected = expected.finish();
            if let Some(got) = buckets_of(&rolled_up(&pieces, hold), width, from, to) {
                prop_assert_eq!(got.len(), expected.len());
                for (got, expected) in got.iter().zip(&expected) {
                    let (g, e) = (&got.summary, &expected.summary);
                    prop_assert_eq!(
                        (got.start, g.count, g.min, g.max, g.first_at, g.first, g.last_at, g.last, g.held),
                        (expected.start, e.count, e.min, e.max, e.first_at, e.first, e.last_at, e.last, e.held)
                    );
                    prop_assert!((g.mean() - e.mean()).abs() <= 1e-6, "{g:?} {e:?}");
                    prop_assert!((g.area - e.area).abs() <= 1e-9 * e.area.abs().max(1.0), "{g:?} {e:?}");
                }
            } else {
                prop_assert!(width % MINUTE != 0, "a minute is its finest width");
            }
        }
    }

    #[test]
    fn the_finest_width_keeps_it_small() {
        for (days, width) in [(1, MINUTE), (2, 15 * MINUTE), (60, 60 * MINUTE), (240, 1_440 * MINUTE)] {
            assert_eq!(Rollup::new(days * 1_440 * MINUTE, 0).finest.width, width, "{days} days");
        }
    }

    #[test]
    fn a_digest_too_coarse_is_refused() {
        let run: Run = Run::default();
        let mut rollup = Rollup::new(MINUTE, 0);
        let coarse =
            Digest { hold: 0, whole: Some(Summary { last_at: 3 * MINUTE, ..Summary::of(0, 1.0) }), tiers: Vec::new() };
        assert!(!rollup.take_digest(&SealedDigest::open(&coarse.encode()).unwrap()).unwrap());
        let nothing = Digest::of(&run, 0).encode();
        assert!(rollup.take_digest(&SealedDigest::open(&nothing).unwrap()).unwrap());
        assert_eq!(rollup.finish().whole, None);
    }
}
