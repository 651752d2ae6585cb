//! Bursts of a signal's readings, and how long its values stayed.

use crate::reading::Page;
use crate::{Order, Store, StoreError};
use lantern_core::figures::{Burst, BurstFold};
use lantern_core::series::{Stay, StayFold, StayOf};

/// Readings that one question looks at.
const MOST_READINGS: usize = 20_000_000;

impl Store {
    /// Bursts of a signal in the order of the page: readings apart by no more than `gap` (microseconds). Says
    /// beside them whether there may be more, after what was given.
    ///
    /// # Errors
    /// [`StoreError`].
    pub async fn bursts(&self, page: Page, gap: i64) -> Result<(Vec<Burst>, bool), StoreError> {
        let limit = page.limit as usize;
        let mut fold = BurstFold::new(gap);
        let mut seen = 0;
        let mut walk = self.walk(page.span(), page.order, false).await?;
        // The last of them has ended where another one has begun.
        while fold.ended() < limit
            && seen < MOST_READINGS
            && let Some(stretch) = walk.next().await?
        {
            let run = walk.readings(stretch).await?;
            seen += run.len();
            fold.take_run(&run, page.order == Order::Descending);
        }
        let mut bursts = fold.finish();
        let is_more = bursts.len() > limit || seen >= MOST_READINGS;
        bursts.truncate(limit);
        Ok((bursts, is_more))
    }

    /// How long the values of a signal, or their quality, stayed, in order of time. Says beside them whether
    /// there may be more, after what was given.
    ///
    /// # Errors
    /// [`StoreError`].
    pub async fn stays(&self, page: Page, of: StayOf) -> Result<(Vec<Stay>, bool), StoreError> {
        let mut fold = StayFold::new(of);
        let mut seen = 0;
        let mut walk = self.walk(page.span(), Order::Ascending, false).await?;
        while seen < MOST_READINGS
            && let Some(stretch) = walk.next().await?
        {
            let run = walk.readings(stretch).await?;
            seen += run.len();
            if fold.take_run(&run, page.limit as usize) {
                return Ok((fold.finish(), true));
            }
        }
        Ok((fold.finish(), seen >= MOST_READINGS))
    }
}
