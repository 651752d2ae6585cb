//! How alarms did over a time, against the figures that ANSI/ISA-18.2-2016 (clause 16) and IEC 62682:2014
//! recommend for what one person can attend to.

use super::Severity;
use crate::Moment;
use jiff::civil::Date;
use jiff::tz::TimeZone;
use serde::{Deserialize, Serialize};
use std::collections::HashMap;

/// Seconds of the windows in which a flood shows.
const WINDOW_S: f64 = 600.0;
/// More alarms than this within a window, for each operator, are a flood.
const FLOOD: f64 = 10.0;
/// Three within a minute are chattering.
const CHATTERING_S: f64 = 60.0;
/// What stands for longer is stale.
const STALE_S: f64 = 86_400.0;
/// Places that are named as the most frequent and the longest.
const NAMED: usize = 10;

/// One alarm, as far as figures go.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Occurrence {
    /// The number of its point: a watch on one device or signal.
    pub point: i64,
    /// How bad it is.
    pub severity: Severity,
    /// When it was raised.
    pub raised: Moment,
    /// When it ended.
    pub cleared: Option<Moment>,
    /// When somebody acknowledged it; none if nobody has.
    pub acknowledged: Option<Moment>,
}

/// What a figure is, and what is recommended.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = AlarmMeasure))]
#[serde(rename_all = "snake_case")]
pub enum Measure {
    /// Alarms a day and operator: 150 can be attended to.
    PerDay,
    /// The most alarms within ten minutes, for each operator: 10.
    MostInTenMinutes,
    /// The share of time in a flood, of more than 10 alarms in ten minutes for each operator: 1 %.
    Flood,
    /// Alarms that have stood for longer than a day: fewer than 5.
    Stale,
    /// Places that raised three alarms or more within a minute: none.
    Chattering,
    /// The share of the ten most frequent places: 5 %.
    TopTen,
    /// The share of alarms that are high or urgent: 5 %.
    Urgent,
}

/// A figure against what is recommended.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = AlarmFigure))]
pub struct Figure {
    /// Which.
    pub measure: Measure,
    /// How it is; shares from 0 to 1.
    pub value: f64,
    /// The most that is recommended.
    pub recommended: f64,
    /// Whether it is met.
    pub is_met: bool,
}

/// A place that stands out.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Place {
    /// The number of its point.
    pub point: i64,
    /// How many alarms there were.
    pub count: usize,
    /// Seconds for which they stood in all.
    pub stood_s: f64,
    /// Seconds of the longest.
    pub longest_s: f64,
}

/// How alarms did over a time.
#[derive(Debug, Clone, PartialEq)]
pub struct Figures {
    /// How many there were.
    pub count: usize,
    /// By severity, from low to urgent.
    pub severities: [usize; 4],
    /// Seconds until somebody acknowledged, on average; none if nobody has.
    pub to_acknowledge_s: Option<f64>,
    /// How many somebody has acknowledged.
    pub acknowledged: usize,
    /// How many there were on each day of the site.
    pub days: Vec<(Date, usize)>,
    /// Against what is recommended.
    pub figures: Vec<Figure>,
    /// The most frequent places.
    pub frequent: Vec<Place>,
    /// The places whose alarms stood the longest.
    pub longest: Vec<Place>,
}

#[derive(Default)]
struct Of {
    count: usize,
    stood_s: f64,
    longest_s: f64,
    /// The last two, the older one first: with the next one they are three.
    lately: [Option<Moment>; 2],
    is_chattering: bool,
}

/// Sums alarms up that were raised between two times, in the order in which they were raised, for so many
/// operators who share them.
#[must_use]
pub fn sum_up<'a>(
    alarms: impl IntoIterator<Item = &'a Occurrence>,
    (from, to): (Moment, Moment),
    operators: f64,
    zone: &TimeZone,
) -> Figures {
    let mut severities = [0; 4];
    let mut places: HashMap<i64, Of> = HashMap::new();
    let (mut days, mut windows) = (Vec::new(), Vec::new());
    let (mut count, mut waited_s, mut acknowledged, mut stale) = (0, 0.0, 0, 0);
    let mut day = Day::default();
    for alarm in alarms {
        count += 1;
        severities[alarm.severity as usize] += 1;
        count_last(&mut days, day.of(alarm.raised, zone));
        count_last(&mut windows, (alarm.raised.seconds_since(from) / WINDOW_S) as i64);
        if let Some(at) = alarm.acknowledged {
            acknowledged += 1;
            waited_s += at.seconds_since(alarm.raised).max(0.0);
        }
        let stood_s = alarm.cleared.unwrap_or(to).seconds_since(alarm.raised).max(0.0);
        stale += usize::from(stood_s > STALE_S);
        let of = places.entry(alarm.point).or_default();
        of.count += 1;
        of.stood_s += stood_s;
        of.longest_s = of.longest_s.max(stood_s);
        of.is_chattering |= of.lately[0].is_some_and(|at| alarm.raised.seconds_since(at) < CHATTERING_S);
        of.lately = [of.lately[1], Some(alarm.raised)];
    }
    let span_s = to.seconds_since(from).max(1.0);
    let each = |count: usize| count as f64 / operators.max(1.0);
    let flooded = windows.iter().filter(|(_, count)| each(*count) > FLOOD).count();
    let frequent = named(&places, |of| of.count as f64);
    let share = |part: usize| if count == 0 { 0.0 } else { part as f64 / count as f64 };
    let loud = severities[Severity::High as usize] + severities[Severity::Urgent as usize];
    let figure = |measure, value: f64, recommended: f64, is_met: bool| Figure { measure, value, recommended, is_met };
    let per_day = each(count) * 86_400.0 / span_s;
    let most = each(windows.iter().map(|(_, count)| *count).max().unwrap_or(0));
    let flood = (flooded as f64 * WINDOW_S / span_s).min(1.0);
    let chattering = places.values().filter(|of| of.is_chattering).count();
    let top = share(frequent.iter().map(|place| place.count).sum());
    // Where there are few places, the ten most frequent are all of them.
    let has_many = places.len() > NAMED;
    let figures = vec![
        figure(Measure::PerDay, per_day, 150.0, per_day <= 150.0),
        figure(Measure::MostInTenMinutes, most, FLOOD, most <= FLOOD),
        figure(Measure::Flood, flood, 0.01, flood <= 0.01),
        figure(Measure::Stale, stale as f64, 4.0, stale < 5),
        figure(Measure::Chattering, chattering as f64, 0.0, chattering == 0),
        figure(Measure::TopTen, top, 0.05, !has_many || top <= 0.05),
        figure(Measure::Urgent, share(loud), 0.05, share(loud) <= 0.05),
    ];
    Figures {
        count,
        severities,
        to_acknowledge_s: (acknowledged > 0).then(|| waited_s / acknowledged as f64),
        acknowledged,
        days,
        figures,
        frequent,
        longest: named(&places, |of| of.longest_s),
    }
}

/// Counts one more of what comes in order.
fn count_last<T: PartialEq>(counts: &mut Vec<(T, usize)>, of: T) {
    match counts.last_mut().filter(|(last, _)| *last == of) {
        Some((_, count)) => *count += 1,
        None => counts.push((of, 1)),
    }
}

/// The places with the most of something, at most ten.
fn named(places: &HashMap<i64, Of>, of_what: impl Fn(&Of) -> f64) -> Vec<Place> {
    let mut all: Vec<(&i64, &Of)> = places.iter().filter(|(_, of)| of_what(of) > 0.0).collect();
    all.sort_by(|a, b| of_what(b.1).total_cmp(&of_what(a.1)).then(a.0.cmp(b.0)));
    let place = |(point, of): (&i64, &Of)| Place {
        point: *point,
        count: of.count,
        stood_s: of.stood_s,
        longest_s: of.longest_s,
    };
    all.into_iter().take(NAMED).map(place).collect()
}

/// The day that was asked for last: alarms come in order, and a zone is slow to ask.
#[derive(Default)]
struct Day {
    known: Option<(Moment, Moment, Date)>,
}

impl Day {
    fn of(&mut self, at: Moment, zone: &TimeZone) -> Date {
        if let Some((from, to, date)) = self.known
            && at >= from
            && at < to
        {
            return date;
        }
        let local = at.to_timestamp().to_zoned(zone.clone());
        let date = local.date();
        let edge = |date: Date| {
            date.to_zoned(zone.clone()).ok().and_then(|zoned| Moment::from_micros(zoned.timestamp().as_microsecond()))
        };
        self.known = edge(date).zip(date.tomorrow().ok().and_then(edge)).map(|(from, to)| (from, to, date));
        date
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn at(seconds: f64) -> Moment {
        // 2026-05-01 00:00 UTC.
        Moment::EPOCH.plus_seconds(1_777_593_600.0 + seconds)
    }

    fn alarm(point: i64, raised: f64, lasts: Option<f64>, severity: Severity) -> Occurrence {
        let cleared = lasts.map(|lasts| at(raised + lasts));
        Occurrence { point, severity, raised: at(raised), cleared, acknowledged: None }
    }

    fn day(alarms: &[Occurrence], operators: f64) -> Figures {
        sum_up(alarms, (at(0.0), at(86_400.0)), operators, &TimeZone::UTC)
    }

    fn figure(figures: &Figures, measure: Measure) -> (f64, bool) {
        let found = figures.figures.iter().find(|one| one.measure == measure).unwrap();
        (found.value, found.is_met)
    }

    #[test]
    fn nothing_is_as_recommended() {
        let figures = day(&[], 1.0);
        assert!(figures.figures.iter().all(|figure| figure.is_met && figure.value == 0.0));
        assert_eq!((figures.count, figures.to_acknowledge_s), (0, None));
    }

    #[test]
    fn a_quiet_day_is_summed_up() {
        let mut alarms = vec![
            alarm(1, 100.0, Some(60.0), Severity::Low),
            alarm(1, 5_000.0, Some(600.0), Severity::Low),
            alarm(2, 7_000.0, None, Severity::Urgent),
        ];
        alarms[0].acknowledged = Some(at(400.0));
        alarms[1].acknowledged = Some(at(5_100.0));
        let figures = day(&alarms, 1.0);
        assert_eq!((figures.count, figures.severities, figures.acknowledged), (3, [2, 0, 0, 1], 2));
        assert_eq!(figures.to_acknowledge_s, Some(200.0));
        assert_eq!(figure(&figures, Measure::PerDay), (3.0, true));
        assert_eq!(figure(&figures, Measure::Urgent), (1.0 / 3.0, false));
        assert_eq!(figure(&figures, Measure::TopTen), (1.0, true), "there are only two places");
        let place = Place { point: 1, count: 2, stood_s: 660.0, longest_s: 600.0 };
        assert_eq!((figures.frequent[0], figures.longest[1]), (place, place));
        assert_eq!(figures.longest[0].longest_s, 79_400.0, "what goes on has stood until now");
    }

    #[test]
    fn floods_chattering_and_what_stands_are_found() {
        let flood: Vec<Occurrence> =
            (0..24).map(|i| alarm(i, f64::from(i as i32) * 20.0, Some(1.0), Severity::Low)).collect();
        let alone = day(&flood, 1.0);
        assert_eq!(figure(&alone, Measure::MostInTenMinutes), (24.0, false));
        assert_eq!(figure(&alone, Measure::Flood), (600.0 / 86_400.0, true));
        assert!(!figure(&alone, Measure::TopTen).1);
        assert_eq!(figure(&day(&flood, 3.0), Measure::MostInTenMinutes), (8.0, true), "three share them");
        let chattering: Vec<Occurrence> =
            (0..3).map(|i| alarm(1, f64::from(i) * 25.0, Some(1.0), Severity::Low)).collect();
        assert_eq!(figure(&day(&chattering, 1.0), Measure::Chattering), (1.0, false));
        assert_eq!(figure(&day(&chattering[..2], 1.0), Measure::Chattering), (0.0, true));
        let stale: Vec<Occurrence> = (0..5).map(|i| alarm(i, 0.0, Some(90_000.0), Severity::Low)).collect();
        assert_eq!(figure(&day(&stale, 1.0), Measure::Stale), (5.0, false));
        assert_eq!(figure(&day(&stale[..4], 1.0), Measure::Stale), (4.0, true));
    }

    #[test]
    fn days_are_the_sites() {
        let zone = TimeZone::get("Europe/London").unwrap();
        let alarms = [82_000.0, 83_500.0, 100_000.0].map(|raised| alarm(1, raised, None, Severity::Low));
        let figures = sum_up(&alarms, (at(0.0), at(200_000.0)), 1.0, &zone);
        let days: Vec<(String, usize)> = figures.days.iter().map(|(date, count)| (date.to_string(), *count)).collect();
        assert_eq!(days, [("2026-05-01".to_owned(), 1), ("2026-05-02".to_owned(), 2)]);
    }
}
