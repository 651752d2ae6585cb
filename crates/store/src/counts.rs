//! How many readings of a signal there are, and when.

use crate::order::Order;
use crate::series::segment::Span;
use crate::series::walk::Stretch;
use crate::{Page, Store, StoreError};
use lantern_core::{Moment, SignalId};

impl Store {
    /// How many readings of a signal lie between each two of some times, microseconds since 1970 and ascending, whatever
    /// their quality, those of which only summaries are left among them: a segment counts where it begins then.
    ///
    /// # Errors
    /// [`StoreError`].
    pub async fn counts(&self, signal: SignalId, edges: &[i64]) -> Result<Vec<u64>, StoreError> {
        let (Some(from), Some(to)) = (edges.first(), edges.last()) else { return Ok(Vec::new()) };
        let place = |at: i64| edges.partition_point(|edge| *edge <= at).checked_sub(1);
        let mut counts = vec![0; edges.len() - 1];
        let mut walk = self.walk(Span { signal, from: *from, to: *to }, Order::Ascending, false).await?;
        while let Some(stretch) = walk.next().await? {
            match stretch {
                Stretch::Sealed(sealed)
                    if sealed.data_id.is_none() || place(sealed.first_at) == place(sealed.last_at) =>
                {
                    if let Some(count) = place(sealed.first_at).and_then(|place| counts.get_mut(place)) {
                        *count += sealed.count;
                    }
                }
                stretch => {
                    for at in walk.readings(stretch).await?.times() {
                        if let Some(count) = place(*at).and_then(|place| counts.get_mut(place)) {
                            *count += 1;
                        }
                    }
                }
            }
        }
        Ok(counts)
    }

    /// The time of the last reading before a time, whatever its quality.
    ///
    /// # Errors
    /// [`StoreError`].
    pub async fn last_before(&self, signal: SignalId, at: Moment) -> Result<Option<Moment>, StoreError> {
        let page = Page { signal, from: Moment::MIN, to: at, limit: 1, order: Order::Descending };
        Ok(self.points(page).await?.pop().map(|point| point.at))
    }

    /// The time of the first reading at a time or after it, whatever its quality.
    ///
    /// # Errors
    /// [`StoreError`].
    pub async fn first_from(&self, signal: SignalId, at: Moment) -> Result<Option<Moment>, StoreError> {
        let page = Page { signal, from: at, to: Moment::MAX, limit: 1, order: Order::Ascending };
        Ok(self.points(page).await?.pop().map(|point| point.at))
    }
}
