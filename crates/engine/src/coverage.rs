//! Coverage of devices: how much of what was expected came, part by part, and where the gaps are.

use crate::beside::beside;
use crate::clock;
use crate::engine::Engine;
use crate::problem::Problem;
use lantern_api::{CoverageGap, DeviceCoverage, GapEnd, Traffic};
use lantern_core::coverage::reports;
use lantern_core::presence::Patience;
use lantern_core::{Moment, SignalId};
use lantern_store::{Device, LinkHour, TrafficCounts, TrafficHour};
use std::collections::{BTreeMap, HashMap};
use std::sync::Arc;

/// Gaps told of one device.
const MOST_GAPS: usize = 100;
/// Gaps looked at to find the longest.
const MOST_LOOKED_AT: usize = 10_000;

/// A time divided into parts.
#[derive(Debug, Clone)]
pub struct Parts {
    /// Where each part begins and the last one ends, ascending, microseconds since 1970.
    pub edges: Vec<i64>,
}

impl Parts {
    /// How many there are.
    #[must_use]
    pub fn len(&self) -> usize {
        self.edges.len().saturating_sub(1)
    }

    /// Whether there is none.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        self.len() == 0
    }

    /// The part with a time in it.
    fn of(&self, at: i64) -> Option<usize> {
        let next = self.edges.partition_point(|edge| *edge <= at);
        (1..self.edges.len()).contains(&next).then(|| next - 1)
    }

    fn span(&self) -> (Moment, Moment) {
        let moment = |edge: Option<&i64>| edge.and_then(|edge| Moment::from_micros(*edge)).unwrap_or(Moment::EPOCH);
        (moment(self.edges.first()), moment(self.edges.last()))
    }
}

/// What came of devices in each part, with the ways their messages came.
///
/// # Errors
/// A [`Problem`] if the store cannot be read.
pub async fn of_devices(
    engine: &Arc<Engine>,
    devices: Vec<Device>,
    parts: Parts,
) -> Result<(Vec<DeviceCoverage>, Vec<Traffic>), Problem> {
    let ids: Vec<_> = devices.iter().map(|device| device.id).collect();
    let hours = engine.store.traffic(&ids, parts.span()).await?;
    let mut totals: HashMap<_, TrafficCounts> = HashMap::new();
    for hour in &hours {
        totals.entry(hour.device).or_default().add(&hour.counts);
    }
    let traffic = by_protocol(&hours, &parts);
    let parts = Arc::new(parts);
    // Devices are looked at beside each other.
    let work = devices.into_iter().map(|device| {
        let total = totals.remove(&device.id).unwrap_or_default();
        of_device(engine.clone(), device, parts.clone(), total)
    });
    Ok((beside(work).await?, traffic))
}

async fn of_device(
    engine: Arc<Engine>,
    device: Device,
    parts: Arc<Parts>,
    total: TrafficCounts,
) -> Result<DeviceCoverage, Problem> {
    let declared = engine.plans.signals(device.id).await?;
    let is_sent = |of: &&_| !is_derived(of);
    let sent: Vec<(SignalId, f64)> = (declared.iter().filter(is_sent))
        .map(|of| (of.signal.id, of.signal.interval_s.unwrap_or(device.interval_s)))
        .collect();
    let mut counts = Vec::with_capacity(sent.len());
    for (signal, _) in &sent {
        counts.push(engine.store.counts(*signal, &parts.edges).await?);
    }
    let ids: Vec<SignalId> = sent.iter().map(|(signal, _)| *signal).collect();
    let firsts = engine.store.time_spans(&ids).await?;
    let since = firsts.into_iter().flatten().map(|(first, _)| first).min();
    let since = since.map_or(device.created_at, |first| first.min(device.created_at)).as_micros();
    let until = clock::now().as_micros();
    let (from, _) = parts.span();
    let links = engine.store.link_hours(device.id, from, u32::MAX).await?;
    let mut coverage = DeviceCoverage {
        device: device.code.clone(),
        name: device.name.clone(),
        interval_s: device.interval_s,
        expected: 0,
        received: 0,
        expected_each: Vec::with_capacity(parts.len()),
        received_each: Vec::with_capacity(parts.len()),
        lost_each: lost(&links, &parts),
        messages: total.messages,
        refused: total.refused,
        repeated: total.repeated,
        late: total.late,
        oldest_s: total.oldest_s,
        gaps: Vec::new(),
    };
    for (place, edges) in parts.edges.windows(2).enumerate() {
        let length = edges[1].min(until).saturating_sub(edges[0].max(since)).max(0) as f64 / 1e6;
        let own: Vec<(u64, f64)> =
            counts.iter().zip(&sent).map(|(counts, (_, interval_s))| (counts[place], *interval_s)).collect();
        let is_cut = edges[1] > until || edges[0] < since;
        let (expected, received) = if length > 0.0 { reports(length, is_cut, device.interval_s, &own) } else { (0, 0) };
        coverage.expected += expected;
        coverage.received += received;
        coverage.expected_each.push(u32::try_from(expected).unwrap_or(u32::MAX));
        coverage.received_each.push(u32::try_from(received).unwrap_or(u32::MAX));
    }
    let most = counts.iter().zip(&sent).max_by_key(|(counts, _)| counts.iter().sum::<u64>());
    if let Some((_, (signal, interval_s))) = most {
        let patience_s = device.late_after.unwrap_or(Patience::LATE_AFTER) * interval_s;
        coverage.gaps = gaps(&engine, *signal, &parts, patience_s, &links).await?;
    }
    Ok(coverage)
}

fn is_derived(of: &crate::plans::DeclaredSignal) -> bool {
    of.meaning.as_ref().is_some_and(|meaning| meaning.formula.is_some())
}

/// Times without a reading, longer than the patience, with what ended them.
async fn gaps(
    engine: &Engine,
    signal: SignalId,
    parts: &Parts,
    patience_s: f64,
    links: &[LinkHour],
) -> Result<Vec<CoverageGap>, Problem> {
    let (from, to) = parts.span();
    let now = clock::now();
    let to = to.min(now);
    // A gap may have begun before, and go on after.
    let begin = engine.store.last_before(signal, from).await?.unwrap_or(from);
    let longer_than = (patience_s * 1e6) as i64;
    let mut found: Vec<(Moment, Option<Moment>)> = engine
        .store
        .gaps(signal, (begin, to), longer_than, MOST_LOOKED_AT)
        .await?
        .into_iter()
        .map(|gap| (gap.from, Some(gap.to)))
        .collect();
    if let Some(last) = engine.store.last_before(signal, to).await?
        && to.seconds_since(last) > patience_s
    {
        found.push((last, engine.store.first_from(signal, to).await?));
    }
    let length = |(begin, end): &(Moment, Option<Moment>)| end.unwrap_or(now).seconds_since(*begin);
    found.sort_by(|a, b| length(b).total_cmp(&length(a)));
    found.truncate(MOST_GAPS);
    found.sort_by_key(|(begin, _)| *begin);
    let told = |gap: (Moment, Option<Moment>)| {
        let length_s = length(&gap);
        let (begin, end) = gap;
        let to = end.map(|end| end.to_string());
        CoverageGap { from: begin.to_string(), to, length_s, ended: ending(end, length_s / patience_s, links) }
    };
    Ok(found.into_iter().map(told).collect())
}

/// What the counter of its sender told when a device reported again; `missed` is how many reports were missed
/// at least.
fn ending(end: Option<Moment>, missed: f64, links: &[LinkHour]) -> GapEnd {
    let Some(end) = end else { return GapEnd::Open };
    let hour = links.iter().find(|hour| (0.0..3_600.0).contains(&end.seconds_since(hour.from)));
    match hour.map(|hour| hour.counts) {
        Some(counts) if counts.restarted > 0 => GapEnd::Restarted,
        Some(counts) if counts.lost as f64 >= missed.max(1.0) => GapEnd::LostOnTheWay,
        _ => GapEnd::Reported,
    }
}

fn lost(links: &[LinkHour], parts: &Parts) -> Vec<u32> {
    let mut lost = vec![0_u32; parts.len()];
    for hour in links {
        if let Some(place) = parts.of(hour.from.as_micros()) {
            lost[place] = lost[place].saturating_add(u32::try_from(hour.counts.lost).unwrap_or(u32::MAX));
        }
    }
    lost
}

/// What came in one way: messages, and the devices that sent them, in each part.
struct Way {
    messages: Vec<u32>,
    senders: Vec<Vec<i64>>,
}

/// Messages and devices in each part, by the way they came.
fn by_protocol(hours: &[TrafficHour], parts: &Parts) -> Vec<Traffic> {
    let mut ways: BTreeMap<&str, Way> = BTreeMap::new();
    for TrafficHour { device, from, protocol, counts } in hours {
        let Some(place) = parts.of(from.as_micros()) else { continue };
        let nothing = || Way { messages: vec![0; parts.len()], senders: vec![Vec::new(); parts.len()] };
        let way = ways.entry(protocol).or_insert_with(nothing);
        let messages = u32::try_from(counts.messages).unwrap_or(u32::MAX);
        way.messages[place] = way.messages[place].saturating_add(messages);
        way.senders[place].push(device.0);
    }
    let distinct = |mut devices: Vec<i64>| {
        devices.sort_unstable();
        devices.dedup();
        u32::try_from(devices.len()).unwrap_or(u32::MAX)
    };
    let traffic = |(protocol, way): (&str, Way)| Traffic {
        protocol: protocol.to_owned(),
        messages_each: way.messages,
        devices_each: way.senders.into_iter().map(distinct).collect(),
    };
    ways.into_iter().map(traffic).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use lantern_core::DeviceId;
    use lantern_core::link::LinkCounts;

    const HOUR: i64 = 3_600_000_000;

    fn at(hours: f64) -> Moment {
        Moment::from_micros((hours * HOUR as f64) as i64).unwrap()
    }

    fn link(hour: f64, lost: u64, restarted: u64) -> LinkHour {
        let counts = LinkCounts { lost, restarted, ..LinkCounts::default() };
        LinkHour { device: DeviceId(1), from: at(hour), counts }
    }

    #[test]
    fn the_senders_counter_tells_what_ended_a_gap() {
        let links = [link(1.0, 0, 1), link(2.0, 40, 0), link(3.0, 0, 0)];
        for (end, missed, expected) in [
            (None, 5.0, GapEnd::Open),
            (Some(at(1.5)), 5.0, GapEnd::Restarted),
            (Some(at(2.5)), 30.0, GapEnd::LostOnTheWay),
            (Some(at(2.5)), 50.0, GapEnd::Reported),
            (Some(at(3.5)), 5.0, GapEnd::Reported),
            (Some(at(9.5)), 5.0, GapEnd::Reported),
        ] {
            assert_eq!(ending(end, missed, &links), expected, "{end:?} {missed}");
        }
    }

    #[test]
    fn messages_are_told_by_the_way_they_came_and_devices_counted_once() {
        let hour = |device, hour, protocol: &str, messages| TrafficHour {
            device: DeviceId(device),
            from: at(hour),
            protocol: protocol.to_owned(),
            counts: TrafficCounts { messages, ..TrafficCounts::default() },
        };
        let parts = Parts { edges: vec![0, 2 * HOUR, 4 * HOUR] };
        let hours = [
            hour(1, 0.0, "MQTT", 3),
            hour(1, 1.0, "MQTT", 4),
            hour(2, 1.0, "MQTT", 1),
            hour(2, 1.0, "HTTP POST", 5),
            hour(1, 3.0, "MQTT", 6),
            hour(1, 9.0, "MQTT", 100),
        ];
        let told: Vec<_> =
            by_protocol(&hours, &parts).into_iter().map(|t| (t.protocol, t.messages_each, t.devices_each)).collect();
        let expected = [("HTTP POST".to_owned(), vec![5, 0], vec![1, 0]), ("MQTT".to_owned(), vec![8, 6], vec![2, 1])];
        assert_eq!(told, expected);
        assert_eq!(lost(&[link(1.0, 4, 0), link(1.9, 1, 0), link(5.0, 9, 0)], &parts), [5, 0]);
    }
}
