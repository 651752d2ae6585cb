//! What a watch would have done, over history.

use super::judge::{Edge, Judge, Memory};
use super::test::Seen;
use crate::{Moment, Value};
use serde::{Deserialize, Serialize};

/// Occurrences that are listed one by one; beyond it they are only counted.
const LISTED: usize = 1_000;
/// So many within a minute are chattering (ANSI/ISA-18.2-2016, 16.5.4).
const CHATTERING: (usize, f64) = (3, 60.0);
/// An alarm that stands for longer than a day is stale (the same, 16.5.5).
const STALE_S: f64 = 86_400.0;
/// Alarms a day that one person can attend to, very likely (the same, table 7).
const ACCEPTABLE_A_DAY: f64 = 150.0;
/// The share of them that one watch may take without a word.
const SHARE: f64 = 0.1;

/// One time a condition held.
#[derive(Debug, Clone, PartialEq)]
pub struct Occurrence {
    /// When the alarm would have been raised.
    pub from: Moment,
    /// When it would have cleared; none if it still held at the end.
    pub to: Option<Moment>,
    /// The value it would have been raised with.
    pub value: Option<Value>,
}

/// What a watch would have done.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Tried {
    /// The first occurrences, in order.
    pub occurrences: Vec<Occurrence>,
    /// How many there were.
    pub count: usize,
    /// Seconds for which the condition held, in all.
    pub held_s: f64,
    /// Seconds of the longest.
    pub longest_s: f64,
    /// The most within a minute.
    pub most_in_a_minute: usize,
    memory: Memory,
    edges: Vec<Edge>,
    /// When the last ones began.
    lately: Vec<Moment>,
    open: Option<Moment>,
}

impl Tried {
    /// Takes the next reading of the history.
    pub fn take(&mut self, judge: &Judge<'_>, seen: Seen<'_>) {
        judge.take(&mut self.memory, seen, &mut self.edges);
        self.note();
    }

    /// Ends at a time: what holds then is counted until then.
    pub fn end(&mut self, judge: &Judge<'_>, at: Moment) {
        judge.pass(&mut self.memory, at, &mut self.edges);
        self.note();
        if let Some(from) = self.open {
            self.held(at.seconds_since(from));
        }
    }

    fn note(&mut self) {
        for edge in std::mem::take(&mut self.edges) {
            if edge.holds {
                self.begin(edge);
            } else if let Some(from) = self.open.take() {
                self.held(edge.at.seconds_since(from));
                if self.count <= LISTED
                    && let Some(last) = self.occurrences.last_mut()
                {
                    last.to = Some(edge.at);
                }
            }
        }
    }

    fn begin(&mut self, edge: Edge) {
        self.count += 1;
        self.open = Some(edge.at);
        self.lately.retain(|at| edge.at.seconds_since(*at) < CHATTERING.1);
        self.lately.push(edge.at);
        self.most_in_a_minute = self.most_in_a_minute.max(self.lately.len());
        if self.occurrences.len() < LISTED {
            self.occurrences.push(Occurrence { from: edge.at, to: None, value: edge.value });
        }
    }

    fn held(&mut self, seconds: f64) {
        self.held_s += seconds;
        self.longest_s = self.longest_s.max(seconds);
    }
}

/// How often and how long a watch would have called, against the guidance of ANSI/ISA-18.2-2016.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = WatchRating))]
pub struct Rating {
    /// Alarms a day.
    pub per_day: f64,
    /// What to think of; nothing, if it is well set.
    pub remarks: Vec<Remark>,
}

/// What is to be thought of.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = WatchRemark))]
#[serde(rename_all = "snake_case")]
pub enum Remark {
    /// Three or more within a minute: a deadband or a delay is missing.
    Chattering,
    /// It would have stood for longer than a day: nobody acts on it, or nobody can.
    Standing,
    /// It alone would take more than a tenth of the 150 alarms a day that one person can attend to.
    Often,
    /// It would never have called.
    Never,
}

/// Rates what a watch did on one or more signals over a time.
#[must_use]
pub fn rate(tried: &[Tried], span_s: f64) -> Rating {
    let count: usize = tried.iter().map(|one| one.count).sum();
    let per_day = count as f64 * 86_400.0 / span_s.max(1.0);
    let found = [
        (Remark::Chattering, tried.iter().any(|one| one.most_in_a_minute >= CHATTERING.0)),
        (Remark::Standing, tried.iter().any(|one| one.longest_s > STALE_S)),
        (Remark::Often, per_day > ACCEPTABLE_A_DAY * SHARE),
        (Remark::Never, count == 0),
    ];
    Rating { per_day, remarks: found.into_iter().filter(|(_, is_so)| *is_so).map(|(remark, _)| remark).collect() }
}

#[cfg(test)]
mod tests {
    use super::super::{Rule, Watch};
    use super::*;
    use crate::formula::SignalType;
    use crate::quality::Quality;
    use jiff::tz::TimeZone;
    use serde_json::json;

    fn tried(values: &[(f64, f64)], end: f64) -> Tried {
        let watch: Watch = serde_json::from_value(json!({"name": "w", "when": {"is": "above", "limit": 8}})).unwrap();
        let number = SignalType { unit: None, value_type: crate::ValueType::Number };
        let rule = Rule::new(&watch, Some(&number)).unwrap();
        let judge = Judge { rule: &rule, zone: &TimeZone::UTC };
        let at = |seconds: f64| Moment::EPOCH.plus_seconds(seconds);
        let mut tried = Tried::default();
        for (seconds, value) in values {
            let value = Value::Number(*value);
            tried.take(&judge, Seen { at: at(*seconds), value: &value, quality: Quality::Good });
        }
        tried.end(&judge, at(end));
        tried
    }

    #[test]
    fn what_would_have_been_is_counted() {
        let found = tried(&[(0.0, 5.0), (10.0, 9.0), (40.0, 5.0), (50.0, 9.0)], 100.0);
        assert_eq!((found.count, found.held_s, found.longest_s), (2, 80.0, 50.0));
        let ends: Vec<bool> = found.occurrences.iter().map(|one| one.to.is_some()).collect();
        assert_eq!(ends, [true, false]);
        assert_eq!(found.occurrences[0].value, Some(Value::Number(9.0)));
    }

    #[test]
    fn it_is_rated_by_the_guidance() {
        let day = 86_400.0;
        let flapping: Vec<(f64, f64)> = (0..40).map(|i| (f64::from(i) * 15.0, f64::from(i % 2) * 10.0)).collect();
        type Case<'a> = (&'a [(f64, f64)], f64, &'a [Remark]);
        let cases: [Case<'_>; 4] = [
            (&[(0.0, 5.0), (10.0, 9.0), (20.0, 5.0)], day, &[]),
            (&[(0.0, 5.0)], day, &[Remark::Never]),
            (&[(0.0, 9.0)], 2.0 * day, &[Remark::Standing]),
            (&flapping, day, &[Remark::Often]),
        ];
        for (values, end, remarks) in cases {
            assert_eq!(rate(&[tried(values, end)], end).remarks, remarks, "{values:?}");
        }
        let chattering = tried(&[(0.0, 9.0), (10.0, 5.0), (20.0, 9.0), (30.0, 5.0), (40.0, 9.0), (50.0, 5.0)], day);
        assert_eq!(rate(&[chattering], day).remarks, [Remark::Chattering]);
    }
}
