//! Devices as they are now: last values, presence, links, and what needs attention.

use crate::alarms::{Alarms, OpenAlarms};
use crate::heard::Heard;
use crate::latest::{Last, Latest};
use crate::links::Links;
use crate::plans::{DeclaredSignal, Plans};
use crate::problem::Problem;
use crate::{clock, digits, shown};
use futures::{StreamExt, TryStreamExt, stream};
use lantern_api::{Carries, DeviceNow, LinkValue, SignalNow, Trace, Trend};
use lantern_core::attention::{self, Battery};
use lantern_core::link::LinkCounts;
use lantern_core::presence::{Patience, Presence};
use lantern_core::series::Point;
use lantern_core::{DeviceId, DeviceState, Moment, SignalRole, SiteId, ValueType, trend};
use lantern_store::{Device, KindId, Store};
use std::collections::HashMap;
use std::sync::Arc;

/// A day, over which messages are counted, in seconds.
const DAY_S: f64 = 86_400.0;

/// Devices that are looked at at once: after a start much has to be read from the database.
const AT_ONCE: usize = 8;

/// Who knows how devices are now.
pub struct Now {
    pub(crate) store: Arc<Store>,
    pub(crate) plans: Arc<Plans>,
    pub(crate) latest: Arc<Latest>,
    pub(crate) heard: Arc<Heard>,
    pub(crate) links: Arc<Links>,
    pub(crate) alarms: Arc<Alarms>,
}

/// What is read for many devices at once.
struct Together {
    kinds: HashMap<KindId, String>,
    days: HashMap<DeviceId, LinkCounts>,
    carries: HashMap<DeviceId, Carries>,
    alarms: OpenAlarms,
}

/// A declared signal with its last readings.
struct Seen<'a> {
    of: &'a DeclaredSignal,
    last: Last,
    decimals: u8,
}

impl Now {
    /// These devices as they are now, in the same order; with the last two hours of the first
    /// number signal of each if `with_trace`.
    ///
    /// # Errors
    /// A [`Problem`] if the database cannot be read.
    pub async fn of(&self, devices: Vec<Device>, with_trace: bool) -> Result<Vec<DeviceNow>, Problem> {
        let now = clock::now();
        let together = self.together(&devices, now).await?;
        let one = |device| self.one(device, &together, with_trace, now);
        stream::iter(devices).map(one).buffered(AT_ONCE).try_collect().await
    }

    /// What a device says of its battery and of how well it is received.
    ///
    /// # Errors
    /// A [`Problem`] if the database cannot be read.
    pub async fn link_values(&self, device: &Device) -> Result<(Option<LinkValue>, Option<LinkValue>), Problem> {
        let signals = self.plans.signals(device.id).await?;
        let seen = self.seen(device.site, &signals).await?;
        Ok((value_of(&seen, SignalRole::Battery), value_of(&seen, SignalRole::Link)))
    }

    /// The last readings of a signal, and how many decimals they are worth.
    ///
    /// # Errors
    /// A [`Problem`] if the database cannot be read.
    pub async fn last(&self, site: SiteId, of: &DeclaredSignal) -> Result<(Last, u8), Problem> {
        let last = self.latest.last(of.signal.id).await?;
        let decimals = digits::worth(&self.plans, &self.latest, site, of, &last.good).await?;
        Ok((last, decimals))
    }

    async fn together(&self, devices: &[Device], now: Moment) -> Result<Together, Problem> {
        let ids: Vec<DeviceId> = devices.iter().map(|device| device.id).collect();
        let mut days = self.store.link_totals(&ids, now.plus_seconds(-DAY_S)).await?;
        for (device, counts) in self.links.pending_of_all() {
            days.entry(device).or_default().add(counts);
        }
        let mut carries: HashMap<DeviceId, Carries> = HashMap::new();
        for (carrier, device) in self.store.carried_by(&ids).await? {
            let carried = carries.entry(carrier).or_default();
            carried.devices += 1;
            carried.fresh += u32::from(self.heard.presence(device) == Some(Presence::Fresh));
        }
        let kinds: Vec<KindId> = devices.iter().filter_map(|device| Some(device.kind?.0)).collect();
        let kinds = self.store.kind_codes(&kinds).await?;
        Ok(Together { kinds, days, carries, alarms: self.alarms.open() })
    }

    async fn one(
        &self,
        device: Device,
        together: &Together,
        with_trace: bool,
        now: Moment,
    ) -> Result<DeviceNow, Problem> {
        let signals = self.plans.signals(device.id).await?;
        let seen = self.seen(device.site, &signals).await?;
        let leading = seen.iter().find(|one| one.value_type() == ValueType::Number);
        let trace = match leading {
            Some(leading) if with_trace => Some(self.trace(leading, now).await?),
            _ => None,
        };
        let day = together.days.get(&device.id).copied();
        let clock_offset_s = self.heard.clock_offset_s(device.id);
        let standing = shown::standing(&device, self.heard.last(device.id), now);
        let battery = value_of(&seen, SignalRole::Battery);
        let attention = attention::attention(&attention::Standing {
            presence: standing.presence,
            is_trial: device.state == DeviceState::Trial,
            alarms: together.alarms.of(device.id).iter().map(|alarm| alarm.name.as_str()).collect(),
            day: day.unwrap_or_default(),
            battery: seen.iter().find(|one| one.of.signal.role == Some(SignalRole::Battery)).and_then(battery_of),
            clock_offset_s,
            doubts: seen.iter().filter_map(Seen::doubt).collect(),
            waiting: signals.iter().filter(|one| is_waiting(one)).count(),
        });
        Ok(DeviceNow {
            presence: standing.presence,
            since: standing.since,
            last_heard_at: standing.last_heard_at,
            interval_s: device.interval_s,
            state: device.state,
            place: device.place,
            kind: device.kind.and_then(|(kind, _)| together.kinds.get(&kind).cloned()),
            attention,
            connection: self.heard.connection(device.id),
            battery,
            link: value_of(&seen, SignalRole::Link),
            day: day.map(shown::link_counts),
            carries: together.carries.get(&device.id).copied(),
            clock_offset_s,
            signals: seen.iter().map(|one| one.shown(device.interval_s, now)).collect(),
            trace,
            device: device.code,
            name: device.name,
        })
    }

    async fn seen<'a>(&self, site: SiteId, signals: &'a [DeclaredSignal]) -> Result<Vec<Seen<'a>>, Problem> {
        let mut seen = Vec::with_capacity(signals.len());
        for of in signals.iter().filter(|of| of.signal.value_type.is_some()) {
            let (last, decimals) = self.last(site, of).await?;
            seen.push(Seen { of, last, decimals });
        }
        Ok(seen)
    }

    async fn trace(&self, leading: &Seen<'_>, now: Moment) -> Result<Trace, Problem> {
        let means = self.latest.trace(leading.of.signal.id, now).await?;
        // Means are worth a digit more than what they are made of, a picture needs no other.
        let scale = 10_f64.powi(i32::from(leading.decimals) + 1);
        let rounded = |mean: f64| (mean * scale).round() / scale;
        Ok(Trace {
            signal: leading.of.signal.code.clone(),
            from: means.from.to_string(),
            width_s: means.width_s,
            means: means.means.into_iter().map(|mean| mean.map(rounded)).collect(),
        })
    }
}

impl<'a> Seen<'a> {
    fn value_type(&self) -> ValueType {
        self.of.signal.value_type.unwrap_or(ValueType::Text)
    }

    /// Its name and the quality of its newest reading, if that is not good.
    fn doubt(&self) -> Option<(&'a str, lantern_core::quality::Quality)> {
        Some((self.of.signal.name.as_str(), self.last.doubt.as_ref()?.quality))
    }

    /// Its last good number.
    fn number(&self) -> Option<(f64, &Point)> {
        let point = self.last.good.last()?;
        Some((point.value.as_number()?, point))
    }

    fn shown(&self, interval_s: f64, now: Moment) -> SignalNow {
        let signal = &self.of.signal;
        let interval_s = signal.interval_s.unwrap_or(interval_s);
        let numbers: Vec<(Moment, f64)> = match self.value_type() {
            ValueType::Number => {
                self.last.good.iter().filter_map(|point| Some((point.at, point.value.as_number()?))).collect()
            }
            ValueType::Flag | ValueType::Text | ValueType::Position => Vec::new(),
        };
        let last = self.last.good.last();
        SignalNow {
            signal: signal.code.clone(),
            name: signal.name.clone(),
            value_type: self.value_type(),
            unit: signal.unit.clone(),
            symbol: self.of.symbol.clone(),
            decimals: self.decimals,
            worked_out: self.of.meaning.as_ref().is_some_and(|m| m.formula.is_some() || m.conversion.is_some()),
            age_s: last.map(|point| now.seconds_since(point.at).max(0.0)),
            last: last.map(|point| shown::reading((point.at, point.value.clone()))),
            trend: trend::trend(&numbers, Patience::SILENT_AFTER * interval_s)
                .map(|t| Trend { direction: t.direction, per_hour: t.per_hour }),
            doubt: self.last.doubt.clone().map(shown::point),
        }
    }
}

fn value_of(seen: &[Seen<'_>], role: SignalRole) -> Option<LinkValue> {
    let one = seen.iter().find(|one| one.of.signal.role == Some(role))?;
    let (value, point) = one.number()?;
    let symbol = one.of.symbol.clone();
    Some(LinkValue { signal: one.of.signal.code.clone(), value, symbol, at: point.at.to_string() })
}

/// A battery whose range is known: a percentage, or a signal with both its limits.
fn battery_of(one: &Seen<'_>) -> Option<Battery> {
    let (value, _) = one.number()?;
    let signal = &one.of.signal;
    let (empty, full) = match (signal.unit.as_deref(), signal.low, signal.high) {
        (Some("%"), ..) => (0.0, 100.0),
        (_, Some(low), Some(high)) if low < high => (low, high),
        _ => return None,
    };
    let shown = format!("{value:.*} {}", usize::from(one.decimals), one.of.symbol);
    Some(Battery { value, shown: shown.trim_end().to_owned(), empty, full })
}

/// Whether nobody has declared it and nobody has said that it does not matter.
fn is_waiting(of: &DeclaredSignal) -> bool {
    of.signal.value_type.is_none() && of.signal.ignored_at.is_none()
}
