//! Making, changing and removing watches, and what they are on.

use super::Alarms;
use super::points::{Bound, Point};
use crate::clock;
use crate::definitions::signal_type;
use crate::documents;
use crate::problem::Problem;
use jiff::tz::TimeZone;
use lantern_api::Changed;
use lantern_core::formula::SignalType;
use lantern_core::watch::{Rule, Subject, Watch};
use lantern_core::{DeviceId, DeviceState, SignalId, SiteId};
use lantern_store::{Device, PointId, PointRow, Signal, Site, StoreError, WatchId, WatchRow};
use std::collections::{HashMap, HashSet};
use std::sync::Arc;

/// Watches one site may have.
const MOST_WATCHES: u32 = 10_000;
/// Rows read at a time.
const PAGE: u32 = 500;

/// Where a watch is to be.
pub(super) type Place = (Option<DeviceId>, Option<SignalId>);

/// The devices of a site, with their signals.
pub(super) struct Ground {
    devices: Vec<Device>,
    signals: HashMap<DeviceId, Vec<Signal>>,
    /// Codes of kinds by their number.
    kinds: HashMap<i64, String>,
}

impl Ground {
    /// Where a watch calls somebody: nobody is called for what is in trial.
    fn live_places(&self, watch: &Watch) -> Vec<(Place, Option<SignalType>)> {
        let live = self.devices.iter().filter(|device| device.state == DeviceState::Live);
        let live: HashSet<DeviceId> = live.map(|device| device.id).collect();
        let mut places = self.places(watch);
        places.retain(|((device, _), _)| device.is_none_or(|device| live.contains(&device)));
        places
    }

    /// What a watch is on, and what its signals measure.
    pub(super) fn places(&self, watch: &Watch) -> Vec<(Place, Option<SignalType>)> {
        let subject = watch.when.subject();
        if subject == Subject::Service {
            return vec![((None, None), None)];
        }
        let scope = &watch.on;
        let is_of = |device: &&Device| {
            let kind = device.kind.and_then(|(kind, _)| self.kinds.get(&kind.0));
            scope.device.as_ref().is_none_or(|code| *code == device.code)
                && scope.kind.as_ref().is_none_or(|code| Some(code) == kind)
                && !scope.except.contains(&device.code)
        };
        let mut places = Vec::new();
        for device in self.devices.iter().filter(is_of) {
            if subject == Subject::Device {
                places.push(((Some(device.id), None), None));
                continue;
            }
            let named = self.signals.get(&device.id).into_iter().flatten();
            let named = named.filter(|signal| scope.signal.as_deref() == Some(signal.code.as_str()));
            places.extend(named.map(|signal| ((Some(device.id), Some(signal.id)), Some(signal_type(signal)))));
        }
        places
    }

    /// The codes of a place.
    pub(super) fn codes(&self, (device, signal): Place) -> (String, String) {
        let device = device.and_then(|id| self.devices.iter().find(|device| device.id == id));
        let signals = device.and_then(|device| self.signals.get(&device.id));
        let signal = signals.into_iter().flatten().find(|one| Some(one.id) == signal);
        (
            device.map(|device| device.code.clone()).unwrap_or_default(),
            signal.map(|signal| signal.code.clone()).unwrap_or_default(),
        )
    }
}

impl Alarms {
    /// Makes a watch.
    ///
    /// # Errors
    /// A [`Problem`] that says what cannot be so.
    pub async fn add(&self, site: &Site, code: &str, watch: &Watch, by: &str) -> Result<WatchRow, Problem> {
        let ground = self.check(site, watch).await?;
        if self.store.count_watches(site.id).await? >= u64::from(MOST_WATCHES) {
            return Err(Problem::invalid("watch", format_args!("a site has at most {MOST_WATCHES} watches")));
        }
        let body = documents::write(watch)?;
        let row = self.store.add_watch(site.id, code, &body, by, clock::now()).await;
        let row = row.map_err(|error| Problem::taken(error, "watch", code))?;
        self.settle(site, row.clone(), &ground).await?;
        Ok(row)
    }

    /// Makes a watch say something else.
    ///
    /// # Errors
    /// A [`Problem`] that says what cannot be so, or that there is no such watch.
    pub async fn change(&self, site: &Site, code: &str, watch: &Watch, by: &str) -> Result<WatchRow, Problem> {
        let ground = self.check(site, watch).await?;
        let row = self.find_watch(site, code).await?;
        let row = self.store.change_watch(row.id, &documents::write(watch)?, by, clock::now()).await?;
        self.settle(site, row.clone(), &ground).await?;
        Ok(row)
    }

    /// Removes a watch. Its alarms stay in the history, and those that go on end.
    ///
    /// # Errors
    /// A [`Problem`] if there is no such watch.
    pub async fn remove(&self, site: &Site, code: &str) -> Result<(), Problem> {
        let row = self.find_watch(site, code).await?;
        {
            let _writing = self.writing.lock().await;
            self.store.remove_watch(row.id, clock::now()).await?;
            let mut points = self.points();
            for point in points.of_watch(row.id) {
                points.remove(point);
            }
        }
        self.note_whether_there_are_any();
        self.live.change(site.id, Changed::Watch, None);
        Ok(())
    }

    /// A watch of a site.
    ///
    /// # Errors
    /// A [`Problem`] if there is no such watch.
    pub async fn find_watch(&self, site: &Site, code: &str) -> Result<WatchRow, Problem> {
        self.store.watch(site.id, code).await.map_err(|error| Problem::missing(error, "watch", code))
    }

    /// How many places a watch is on, and at how many its condition holds.
    #[must_use]
    pub fn standing(&self, watch: WatchId) -> (usize, usize) {
        let points = self.points();
        let of: Vec<_> = points.iter().filter(|point| point.bound.id == watch).collect();
        (of.len(), of.iter().filter(|point| point.state.holds()).count())
    }

    /// Whether a watch makes sense for all it is on.
    pub(super) async fn check(&self, site: &Site, watch: &Watch) -> Result<Ground, Problem> {
        let ground = self.ground(site.id).await?;
        let places = ground.places(watch);
        if places.is_empty() {
            if watch.when.subject() == Subject::Signal && watch.on.signal.is_none() {
                return Err(Problem::invalid("on.signal", "name the signal: this is about its readings"));
            }
            let what = watch.on.device.as_deref().unwrap_or("this site");
            return Err(Problem::invalid("on", format_args!("there is nothing like that at `{what}`")));
        }
        for (place, signal) in &places {
            Rule::new(watch, signal.as_ref()).map_err(|error| {
                let (device, signal) = ground.codes(*place);
                Problem::invalid(error.field, format_args!("{} (at {device}/{signal})", error.message))
            })?;
        }
        Ok(ground)
    }

    /// Puts one watch in its places.
    async fn settle(&self, site: &Site, row: WatchRow, ground: &Ground) -> Result<(), Problem> {
        {
            let _writing = self.writing.lock().await;
            let zone = TimeZone::get(&site.zone).unwrap_or(TimeZone::UTC);
            let kept = self.store.watch_points(row.id).await?;
            if let Some(bound) = understood(row, &zone) {
                self.place(&Arc::new(bound), kept, ground).await?;
            }
            self.note_whether_there_are_any();
            self.write().await?;
        }
        self.live.change(site.id, Changed::Watch, None);
        Ok(())
    }

    async fn ground(&self, site: SiteId) -> Result<Ground, StoreError> {
        let mut ground = Ground { devices: Vec::new(), signals: HashMap::new(), kinds: HashMap::new() };
        let mut after = String::new();
        loop {
            let page = self.store.kinds(site, &after, PAGE).await?;
            let Some(last) = page.last() else { break };
            after.clone_from(&last.code);
            ground.kinds.extend(page.into_iter().map(|kind| (kind.id.0, kind.code)));
        }
        after.clear();
        loop {
            let page = self.store.devices(site, &after, PAGE).await?;
            let Some(last) = page.last() else { return Ok(ground) };
            after.clone_from(&last.code);
            let ids: Vec<DeviceId> = page.iter().map(|device| device.id).collect();
            ground.signals.extend(self.store.signals_of(&ids).await?);
            ground.devices.extend(page);
        }
    }

    /// Binds the watches of a site to what is there now. The caller holds the right to write.
    pub(super) async fn bind(&self, site: SiteId) -> Result<(), StoreError> {
        let mut bound = Vec::new();
        let zone = self.store.site_by_id(site).await.ok().and_then(|site| TimeZone::get(&site.zone).ok());
        let zone = zone.unwrap_or(TimeZone::UTC);
        let mut after = String::new();
        loop {
            let page = self.store.watches(site, &after, PAGE).await?;
            let Some(last) = page.last() else { break };
            after.clone_from(&last.code);
            bound.extend(page.into_iter().filter_map(|row| understood(row, &zone)));
        }
        if !bound.is_empty() {
            let ground = self.ground(site).await?;
            let mut kept: HashMap<WatchId, Vec<PointRow>> = HashMap::new();
            for row in self.store.watch_points_of_site(site).await? {
                kept.entry(row.watch).or_default().push(row);
            }
            for one in bound {
                let of = kept.remove(&one.id).unwrap_or_default();
                self.place(&Arc::new(one), of, &ground).await?;
            }
        }
        self.note_whether_there_are_any();
        Ok(())
    }

    /// Puts a watch where it belongs, and takes it away where it no longer does.
    async fn place(&self, bound: &Arc<Bound>, kept: Vec<PointRow>, ground: &Ground) -> Result<(), StoreError> {
        let rules: HashMap<Place, Arc<Rule>> = ground
            .live_places(&bound.watch)
            .into_iter()
            .filter_map(|(place, signal)| Some((place, Arc::new(Rule::new(&bound.watch, signal.as_ref()).ok()?))))
            .collect();
        let gone: Vec<PointId> =
            kept.iter().filter(|row| !rules.contains_key(&(row.device, row.signal))).map(|row| row.id).collect();
        if !gone.is_empty() {
            self.store.remove_points(&gone, clock::now()).await?;
            let mut points = self.points();
            gone.iter().for_each(|id| drop(points.remove(*id)));
        }
        let known: HashSet<Place> = kept.iter().map(|row| (row.device, row.signal)).collect();
        let missing: Vec<Place> = rules.keys().filter(|place| !known.contains(place)).copied().collect();
        let new = if missing.is_empty() {
            Vec::new()
        } else {
            let (state, memory) = ("\"normal\"", "{}");
            self.store.add_points(bound.id, &missing, state, memory).await?
        };
        let begun: Vec<PointId> = new.iter().map(|row| row.id).collect();
        for row in kept.into_iter().filter(|row| !gone.contains(&row.id)).chain(new) {
            if let Some(rule) = rules.get(&(row.device, row.signal)) {
                self.put(&row, bound, rule).await?;
            }
        }
        // From here on nothing is missed, even if the service is killed at once.
        self.keep_these(&begun).await
    }

    /// Puts a point in its place. One whose rule is another begins with the last reading.
    async fn put(&self, row: &PointRow, bound: &Arc<Bound>, rule: &Arc<Rule>) -> Result<(), StoreError> {
        let id = row.id;
        let is_other = {
            let mut points = self.points();
            match points.get_mut(id) {
                Some(point) => {
                    let is_other = point.rule != *rule || point.bound.watch != bound.watch;
                    (point.bound, point.rule) = (bound.clone(), rule.clone());
                    if is_other {
                        point.memory = point.memory.for_another_rule();
                        point.is_dirty = true;
                    }
                    is_other
                }
                None => {
                    points.put(Point::new(row, bound.clone(), rule.clone()));
                    points.get(id).is_some_and(|point| point.memory.judged().is_none())
                }
            }
        };
        if is_other { self.read_on(id).await } else { Ok(()) }
    }
}

fn understood(row: WatchRow, zone: &TimeZone) -> Option<Bound> {
    match documents::read::<Watch>(&row.body) {
        Ok(watch) => Some(Bound { id: row.id, site: row.site, code: row.code, watch, zone: zone.clone() }),
        Err(damaged) => {
            tracing::error!(watch = row.code, %damaged, "a watch cannot be read: it is not watched");
            None
        }
    }
}
