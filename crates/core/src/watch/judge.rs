//! From what readings say to edges: when a condition has held for long enough, and when it has not.

use super::check::Rule;
use super::test::{Remembered, Seen};
use crate::{Moment, Value};
use jiff::tz::TimeZone;
use serde::{Deserialize, Serialize};

/// The condition holds from now on, or no longer.
#[derive(Debug, Clone, PartialEq)]
pub struct Edge {
    /// Since when: the delay is over then.
    pub at: Moment,
    /// Whether it holds.
    pub holds: bool,
    /// The last value that was looked at.
    pub value: Option<Value>,
}

/// What is remembered of a rule on one signal or device.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
pub struct Memory {
    /// The newest time that was judged, in microseconds since 1970.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    judged: Option<i64>,
    /// Whether the condition holds.
    #[serde(default)]
    holds: bool,
    /// Since when readings have said otherwise.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    otherwise: Option<i64>,
    /// When that began.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    edge: Option<i64>,
    /// The last value that was looked at.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    value: Option<Value>,
    #[serde(default)]
    test: Remembered,
}

impl Memory {
    /// The newest time that was judged.
    #[must_use]
    pub fn judged(&self) -> Option<Moment> {
        self.judged.and_then(Moment::from_micros)
    }

    /// Whether the condition holds.
    #[must_use]
    pub const fn holds(&self) -> bool {
        self.holds
    }

    /// The memory of the same place for another rule: what holds is known, and nothing else.
    #[must_use]
    pub fn for_another_rule(&self) -> Self {
        Self { holds: self.holds, ..Self::default() }
    }

    /// Begins with the first reading there will ever be.
    pub const fn begin_with_the_first(&mut self) {
        self.judged = Some(Moment::MIN.as_micros());
    }

    /// Forgets up to which time was judged, because the clock was put back; what holds goes on.
    pub fn begin_order_anew(&mut self) {
        (self.judged, self.otherwise, self.edge) = (None, None, None);
    }

    /// Whether time alone may bring an edge.
    #[must_use]
    pub const fn is_waiting(&self) -> bool {
        self.otherwise.is_some()
    }
}

/// Judges readings by a rule, in the zone of a site.
#[derive(Debug, Clone, Copy)]
pub struct Judge<'r> {
    /// The rule.
    pub rule: &'r Rule,
    /// The site's zone, for the hours in which the rule counts.
    pub zone: &'r TimeZone,
}

impl Judge<'_> {
    /// Takes a reading; says whether it could be judged. One that is older than what was judged
    /// already cannot: what it would have changed has to be found in the history.
    pub fn take(&self, memory: &mut Memory, seen: Seen<'_>, edges: &mut Vec<Edge>) -> bool {
        let at = seen.at.as_micros();
        if memory.judged.is_some_and(|judged| at < judged) {
            return false;
        }
        // What had to hold until now may have held for long enough before this reading came.
        self.pass(memory, seen.at, edges);
        memory.judged = Some(at);
        let said = self.rule.test.says(seen, self.rule.least, &mut memory.test);
        if said.is_some() {
            memory.value = Some(seen.value.clone());
            self.pass(memory, seen.at, edges);
        }
        true
    }

    /// Lets time pass up to a moment: the last reading holds until the next. Readings from before it
    /// may still come.
    pub fn pass(&self, memory: &mut Memory, to: Moment, edges: &mut Vec<Edge>) {
        let at = to.as_micros();
        let Some(said) = memory.test.said else { return };
        let is_wrong = said && self.rule.counts_at(to, self.zone);
        if is_wrong == memory.holds {
            memory.otherwise = None;
            return;
        }
        let since = *memory.otherwise.get_or_insert(at);
        let delay = if is_wrong { self.rule.delay_on } else { self.rule.delay_off };
        if at - since >= delay {
            memory.holds = is_wrong;
            memory.otherwise = None;
            // What is known later than it was so does not end before it began.
            let at = memory.edge.map_or(since + delay, |edge| edge.max(since + delay));
            memory.edge = Some(at);
            edges.push(Edge {
                at: Moment::from_micros(at).unwrap_or(to),
                holds: is_wrong,
                value: memory.value.clone(),
            });
        }
    }
}

#[cfg(test)]
mod tests;
