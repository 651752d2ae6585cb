//! Alarms that figures are made of, kept in memory: reading a hundred thousand of them takes half a second.

use lantern_core::alarm::figures::Occurrence;
use lantern_core::{Moment, SiteId};
use lantern_store::{AlarmExtent, CountedAlarm, Store, StoreError};
use std::collections::BTreeMap;

/// Alarms that are kept of a site at most.
pub(super) const MOST: u32 = 200_000;
/// Sites whose alarms are kept.
const MOST_SITES: usize = 2;

/// The alarms of the sites that were asked for last, the last one at the end.
#[derive(Debug, Default)]
pub(super) struct Counted(Vec<OfSite>);

/// The alarms of a site that were raised from a time on.
#[derive(Debug)]
pub(super) struct OfSite {
    site: SiteId,
    since: Moment,
    /// Up to which step of any alarm they are as they are in the store.
    step: i64,
    alarms: BTreeMap<(Moment, i64), Occurrence>,
}

impl Counted {
    /// The alarms of a site, as they are now, from a time on at least; none if they are too many.
    pub(super) async fn of_site(
        &mut self,
        store: &Store,
        site: SiteId,
        since: Moment,
    ) -> Result<Option<&OfSite>, StoreError> {
        let kept = self.0.iter().position(|kept| kept.site == site).map(|at| self.0.remove(at));
        let kept = match kept.filter(|kept| kept.since <= since) {
            Some(kept) => kept.kept_up(store).await?,
            None => None,
        };
        let kept = match kept {
            Some(kept) => Some(kept),
            None => OfSite::read(store, site, since).await?,
        };
        let Some(kept) = kept else { return Ok(None) };
        if self.0.len() == MOST_SITES {
            self.0.remove(0);
        }
        self.0.push(kept);
        Ok(self.0.last())
    }
}

impl OfSite {
    async fn read(store: &Store, site: SiteId, since: Moment) -> Result<Option<Self>, StoreError> {
        // What changes meanwhile is read again the next time.
        let step = store.newest_alarm_step().await?;
        let alarms = store.counted_alarms(site, since, MOST + 1).await?;
        if alarms.len() > MOST as usize {
            return Ok(None);
        }
        let mut read = Self { site, since, step, alarms: BTreeMap::new() };
        read.take(alarms);
        Ok(Some(read))
    }

    /// Takes in what has changed. Gives none if these are not all any more, or changes are too many.
    async fn kept_up(mut self, store: &Store) -> Result<Option<Self>, StoreError> {
        let step = store.newest_alarm_step().await?;
        let changed = store.changed_alarms(self.site, self.since, self.step, MOST).await?;
        if step < self.step || changed.len() == MOST as usize {
            return Ok(None);
        }
        self.step = step;
        self.take(changed);
        let known = AlarmExtent {
            count: i64::try_from(self.alarms.len()).unwrap_or(i64::MAX),
            sum: self.alarms.keys().map(|(_, id)| id).sum(),
        };
        let is_whole = self.alarms.len() <= MOST as usize && known == store.alarm_extent(self.site, self.since).await?;
        Ok(is_whole.then_some(self))
    }

    fn take(&mut self, alarms: Vec<CountedAlarm>) {
        for (id, raised, occurrence) in alarms {
            match occurrence {
                Some(occurrence) => self.alarms.insert((raised, id), occurrence),
                None => self.alarms.remove(&(raised, id)),
            };
        }
    }

    /// Those that were raised between two times, in order.
    pub(super) fn between(&self, from: Moment, to: Moment) -> impl Iterator<Item = &Occurrence> {
        let range = (from, i64::MIN)..(to.max(from), i64::MIN);
        self.alarms.range(range).map(|(_, occurrence)| occurrence)
    }
}
