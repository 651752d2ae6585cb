//! Walking along a series for its sums: by rollups where there are any.

use super::rollup::Rollup;
use super::walk::{Stretch, Walk};
use crate::error::LoadError;
use std::collections::VecDeque;

/// Rollups read at a time.
const PAGE: u32 = 16;

/// A part of a series of which sums are known.
pub(crate) enum Part {
    /// Many segments at once.
    Rollup(Rollup),
    /// One segment, or readings.
    Stretch(Stretch),
}

/// Goes along a series in order of time, over rollups first. Whoever needs to know
/// more than a rollup says has it [looked at closer](SummedWalk::look_closer).
pub(crate) struct SummedWalk {
    walk: Walk,
    /// The end of the span.
    to: i64,
    /// Rollups ahead.
    rollups: VecDeque<Rollup>,
    /// From where on there may be more.
    more: Option<i64>,
}

impl SummedWalk {
    /// Over a span along which `walk` goes with digests, in order of time.
    pub(crate) async fn start(walk: Walk, from: i64, to: i64) -> Result<Self, sqlx::Error> {
        let mut summed = Self { walk, to, rollups: VecDeque::new(), more: Some(from) };
        summed.look_ahead().await?;
        if !summed.rollups.is_empty() {
            summed.go(from);
        }
        Ok(summed)
    }

    /// The next part with anything in it.
    pub(crate) async fn next(&mut self) -> Result<Option<Part>, LoadError> {
        if let Some(stretch) = self.walk.next().await? {
            return Ok(Some(Part::Stretch(stretch)));
        }
        let Some(rollup) = self.rollups.pop_front() else { return Ok(None) };
        self.look_ahead().await?;
        self.go(rollup.last_at + 1);
        Ok(Some(Part::Rollup(rollup)))
    }

    async fn look_ahead(&mut self) -> Result<(), sqlx::Error> {
        while self.rollups.is_empty()
            && let Some(from) = self.more
        {
            let (rollups, more) = self.walk.rollups(from, PAGE).await?;
            self.rollups = rollups.into();
            self.more = more;
        }
        Ok(())
    }

    /// Goes on with the segments of the rollup it gave last.
    pub(crate) fn look_closer(&mut self, rollup: &Rollup) {
        self.go(rollup.first_at);
    }

    /// Goes on from a time, up to the next rollup.
    fn go(&mut self, from: i64) {
        let to = self.rollups.front().map_or(self.to, |next| next.first_at);
        self.walk.go(from, to);
    }

    /// The walk along segments, to load one.
    pub(crate) const fn segments(&mut self) -> &mut Walk {
        &mut self.walk
    }
}
