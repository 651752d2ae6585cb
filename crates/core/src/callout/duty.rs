//! A roster, understood: whose turn it is, and what comes next.

use super::address::Callee;
use super::roster::Roster;
use super::text::{Template, TemplateError};
use crate::Moment;
use crate::alarm::Severity;
use crate::watch::Shift;
use jiff::civil::Date;
use jiff::tz::TimeZone;
use std::fmt;

const MOST_NAME: usize = 100;
const MOST_CALLED: usize = 20;
const MOST_TURNS: usize = 50;
const MOST_DEVICES: usize = 500;
/// Passing on takes a minute at least, and a day at most.
const PASS_ON_MIN: std::ops::RangeInclusive<f64> = 1.0..=1_440.0;
const ROUNDS: std::ops::RangeInclusive<u32> = 1..=20;
/// When nobody is on duty or it is quiet, the roster is looked at again after so many seconds.
const LOOK_AGAIN_S: f64 = 60.0;

/// What is wrong with a roster.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("`{field}` {message}")]
pub struct RosterError {
    /// Which field, such as `turns.hours`.
    pub field: &'static str,
    /// What is wrong with it, after its name.
    pub message: String,
}

fn wrong(field: &'static str, message: impl fmt::Display) -> RosterError {
    RosterError { field, message: message.to_string() }
}

/// Days, both included.
#[derive(Debug, Clone, PartialEq)]
struct Days {
    from: Date,
    to: Date,
}

/// A roster, understood.
#[derive(Debug, Clone, PartialEq)]
pub struct Duty {
    least: Severity,
    devices: Vec<String>,
    order: Vec<Callee>,
    turns: Vec<(Shift, Vec<Callee>)>,
    holidays: Vec<(Days, Vec<Callee>)>,
    absences: Vec<(Callee, Option<Callee>, Days)>,
    also: Vec<Callee>,
    pass_on_s: f64,
    rounds: u32,
    quiet: Vec<Shift>,
    says_end: bool,
    /// The words of its messages, if they are not the usual ones.
    pub text: Option<Template>,
}

/// What comes next for an alarm nobody has acknowledged.
#[derive(Debug, Clone, PartialEq)]
pub enum Next {
    /// These are told at once; the first of the order follows without a pause.
    Tell(Vec<Callee>),
    /// This one is called, and the next one at that time.
    Call(Callee, Moment),
    /// Nobody is called before that time.
    Wait(Moment),
    /// Everybody has been called as often as they are to be.
    Over,
}

impl Duty {
    /// Understands a roster.
    ///
    /// # Errors
    /// [`RosterError`]: which field, and what is wrong with it.
    pub fn new(roster: &Roster) -> Result<Self, RosterError> {
        if roster.name.trim().is_empty() || roster.name.chars().count() > MOST_NAME {
            return Err(wrong("name", format_args!("is 1 to {MOST_NAME} characters")));
        }
        if roster.devices.len() > MOST_DEVICES {
            return Err(wrong("devices", format_args!("names at most {MOST_DEVICES} devices")));
        }
        if roster.turns.len().max(roster.holidays.len()).max(roster.absences.len()) > MOST_TURNS {
            return Err(wrong("turns", format_args!("holidays and absences are at most {MOST_TURNS} each")));
        }
        if !PASS_ON_MIN.contains(&roster.pass_on_min) {
            return Err(wrong("pass_on_min", "is 1 to 1440 minutes"));
        }
        if !ROUNDS.contains(&roster.rounds) {
            return Err(wrong("rounds", "is 1 to 20"));
        }
        let order = callees("order", &roster.order)?;
        let also = callees("also", &roster.also)?;
        if order.is_empty() && also.is_empty() {
            return Err(wrong("order", "names nobody; name who is called first"));
        }
        let turns = roster
            .turns
            .iter()
            .map(|turn| Ok((shift("turns.hours", &turn.hours)?, callees("turns.order", &turn.order)?)));
        let holidays = roster.holidays.iter().map(|holiday| {
            Ok((days("holidays", &holiday.from, &holiday.to)?, callees("holidays.order", &holiday.order)?))
        });
        let absences = roster.absences.iter().map(|absence| {
            let stand_in = Some(absence.stand_in.trim()).filter(|name| !name.is_empty());
            let stand_in = stand_in.map(|name| callee("absences.stand_in", name)).transpose()?;
            Ok((callee("absences.who", &absence.who)?, stand_in, days("absences", &absence.from, &absence.to)?))
        });
        Ok(Self {
            least: roster.least,
            devices: roster.devices.clone(),
            order,
            turns: turns.collect::<Result<_, RosterError>>()?,
            holidays: holidays.collect::<Result<_, RosterError>>()?,
            absences: absences.collect::<Result<_, RosterError>>()?,
            also,
            pass_on_s: roster.pass_on_min * 60.0,
            rounds: roster.rounds,
            quiet: roster.quiet.iter().map(|hours| shift("quiet", hours)).collect::<Result<_, _>>()?,
            says_end: roster.says_end,
            text: template(&roster.text).map_err(|error| wrong("text", error))?,
        })
    }

    /// Whether it calls for alarms of a severity on a device; on the service, if that is none.
    #[must_use]
    pub fn is_for(&self, severity: Severity, device: Option<&str>) -> bool {
        let is_of = |device: &str| self.devices.iter().any(|code| code == device);
        severity >= self.least && (self.devices.is_empty() || device.is_some_and(is_of))
    }

    /// Everybody it names, wherever.
    pub fn everybody(&self) -> impl Iterator<Item = &Callee> {
        let planned = self.turns.iter().map(|(_, order)| order).chain(self.holidays.iter().map(|(_, order)| order));
        let stand_ins = self.absences.iter().filter_map(|(_, stand_in, _)| stand_in.as_ref());
        self.order.iter().chain(planned.flatten()).chain(stand_ins).chain(&self.also)
    }

    /// Whether somebody who was called is told when it is over.
    #[must_use]
    pub fn says_end_to(&self, callee: &Callee) -> bool {
        self.says_end || self.also.contains(callee)
    }

    /// Who is called at a time, in this order: holidays come before the weekly plan, that before the usual
    /// order. Those who are away are stood in for or left out.
    #[must_use]
    pub fn on_duty(&self, at: Moment, zone: &TimeZone) -> Vec<Callee> {
        let today = at.to_timestamp().to_zoned(zone.clone()).date();
        let is_in = |days: &Days| (days.from..=days.to).contains(&today);
        let holiday = self.holidays.iter().find(|(days, _)| is_in(days)).map(|(_, order)| order);
        let turn = || self.turns.iter().find(|(shift, _)| shift.holds(at, zone)).map(|(_, order)| order);
        let planned = holiday.or_else(turn).unwrap_or(&self.order);
        let mut order: Vec<Callee> = Vec::new();
        for callee in planned {
            let away = self.absences.iter().find(|(who, _, days)| who == callee && is_in(days));
            let called = away.map_or(Some(callee), |(_, stand_in, _)| stand_in.as_ref());
            if let Some(called) = called.filter(|called| !order.contains(called)) {
                order.push(called.clone());
            }
        }
        order
    }

    /// What comes next for an alarm that nobody has acknowledged, of which so many steps were done.
    #[must_use]
    pub fn next(&self, step: u32, severity: Severity, now: Moment, zone: &TimeZone) -> Next {
        let Some(called) = step.checked_sub(1) else { return Next::Tell(self.also.clone()) };
        if severity < Severity::Urgent && self.quiet.iter().any(|shift| shift.holds(now, zone)) {
            return Next::Wait(now.plus_seconds(LOOK_AGAIN_S));
        }
        let order = self.on_duty(now, zone);
        let has_nobody = self.order.is_empty() && self.turns.is_empty() && self.holidays.is_empty();
        let Ok(count @ 1..) = u32::try_from(order.len()) else {
            return if has_nobody { Next::Over } else { Next::Wait(now.plus_seconds(LOOK_AGAIN_S)) };
        };
        if called / count >= self.rounds {
            return Next::Over;
        }
        match order.into_iter().nth((called % count) as usize) {
            Some(callee) => Next::Call(callee, now.plus_seconds(self.pass_on_s)),
            None => Next::Over,
        }
    }
}

fn template(text: &str) -> Result<Option<Template>, TemplateError> {
    if text.trim().is_empty() { Ok(None) } else { Template::read(text).map(Some) }
}

fn callee(field: &'static str, text: &str) -> Result<Callee, RosterError> {
    Callee::read(text).ok_or_else(|| {
        wrong(field, format_args!("names `{text}`: write somebody's name, an e-mail address, a telephone number with its country (+44 …), https://… or topic:…"))
    })
}

fn callees(field: &'static str, texts: &[String]) -> Result<Vec<Callee>, RosterError> {
    if texts.len() > MOST_CALLED {
        return Err(wrong(field, format_args!("names at most {MOST_CALLED}")));
    }
    let mut all = Vec::with_capacity(texts.len());
    for text in texts {
        let callee = callee(field, text)?;
        if all.contains(&callee) {
            return Err(wrong(field, format_args!("names {callee} twice; set `rounds` to call them again")));
        }
        all.push(callee);
    }
    Ok(all)
}

fn shift(field: &'static str, hours: &crate::watch::Hours) -> Result<Shift, RosterError> {
    hours.understood().ok_or_else(|| wrong(field, "are from HH:MM to HH:MM, and not the same"))
}

fn days(field: &'static str, from: &str, to: &str) -> Result<Days, RosterError> {
    let date = |text: &str| {
        text.parse::<Date>().map_err(|_| wrong(field, format_args!("has `{text}`: write a day such as 2026-12-24")))
    };
    let days = Days { from: date(from)?, to: date(to)? };
    if days.from > days.to {
        return Err(wrong(field, "end before they begin"));
    }
    Ok(days)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    const ROSTER: &str = r#"{"name": "Duty", "least": "high", "order": ["Ann", "Ben"], "pass_on_min": 5, "rounds": 2,
        "turns": [{"hours": {"days": ["sat", "sun"], "from": "00:00", "to": "24:00"}, "order": ["Cleo", "+44 20 7946 0000"]}],
        "holidays": [{"from": "2026-12-24", "to": "2026-12-26", "order": ["Dora"]}],
        "absences": [{"who": "Ann", "stand_in": "Ben", "from": "2026-12-07", "to": "2026-12-08"},
                     {"who": "Ben", "from": "2026-12-09", "to": "2026-12-09"}],
        "also": ["topic:yard/bell"], "quiet": [{"from": "22:00", "to": "06:00"}]}"#;

    fn duty() -> Duty {
        Duty::new(&serde_json::from_str(ROSTER).unwrap()).unwrap()
    }

    fn at(text: &str) -> Moment {
        Moment::parse_rfc3339(text).unwrap()
    }

    fn zone() -> TimeZone {
        TimeZone::get("Europe/London").unwrap()
    }

    #[test]
    fn who_is_on_duty_follows_the_plan_the_holidays_and_the_absences() {
        let cases = [
            ("2026-12-01T12:00:00Z", "Ann Ben", "a weekday"),
            ("2026-12-05T12:00:00Z", "Cleo +442079460000", "a Saturday"),
            ("2026-12-07T12:00:00Z", "Ben", "Ben stands in for Ann, and is not called twice"),
            ("2026-12-09T12:00:00Z", "Ann", "nobody stands in for Ben"),
            ("2026-12-26T12:00:00Z", "Dora", "a holiday on a Saturday"),
            ("2026-06-05T23:30:00Z", "Cleo +442079460000", "Saturday begins by the clock of the site"),
        ];
        for (time, expected, why) in cases {
            let order: Vec<String> = duty().on_duty(at(time), &zone()).iter().map(ToString::to_string).collect();
            assert_eq!(order.join(" "), expected, "{why}");
        }
    }

    #[test]
    fn a_call_is_passed_on_and_ends_after_the_last_round() {
        let (duty, mut now) = (duty(), at("2026-12-01T12:00:00Z"));
        let topic = Callee::Address(super::super::Address::Topic("yard/bell".to_owned()));
        assert_eq!(duty.next(0, Severity::High, now, &zone()), Next::Tell(vec![topic]));
        let mut called = Vec::new();
        for step in 1.. {
            match duty.next(step, Severity::High, now, &zone()) {
                Next::Call(callee, then) => {
                    assert!((then.seconds_since(now) - 300.0).abs() < 1e-6);
                    (called, now) = ([called, vec![callee.to_string()]].concat(), then);
                }
                Next::Over => break,
                other => panic!("{other:?}"),
            }
        }
        assert_eq!(called, ["Ann", "Ben", "Ann", "Ben"]);
    }

    #[test]
    fn quiet_hours_hold_back_all_but_urgent_calls() {
        let (duty, night) = (duty(), at("2026-12-01T23:00:00Z"));
        assert!(matches!(duty.next(1, Severity::High, night, &zone()), Next::Wait(_)));
        assert!(matches!(duty.next(1, Severity::Urgent, night, &zone()), Next::Call(..)));
        assert!(matches!(duty.next(0, Severity::High, night, &zone()), Next::Tell(_)), "machines do not sleep");
    }

    #[test]
    fn it_is_for_what_is_bad_enough_on_its_devices() {
        let mut roster: Roster = serde_json::from_str(ROSTER).unwrap();
        assert!(Duty::new(&roster).unwrap().is_for(Severity::High, None));
        assert!(!Duty::new(&roster).unwrap().is_for(Severity::Medium, Some("fridge")));
        roster.devices = vec!["fridge".to_owned()];
        let duty = Duty::new(&roster).unwrap();
        assert!(duty.is_for(Severity::High, Some("fridge")));
        assert!(!duty.is_for(Severity::Urgent, Some("tower")) && !duty.is_for(Severity::Urgent, None));
    }

    #[test]
    fn what_makes_no_sense_is_refused_with_its_field() {
        let cases = [
            (r#"{"name": "", "order": ["Ann"]}"#, "name"),
            (r#"{"name": "D", "order": []}"#, "order"),
            (r#"{"name": "D", "order": ["Ann", "Ann"]}"#, "order"),
            (r#"{"name": "D", "order": ["ann@"]}"#, "order"),
            (r#"{"name": "D", "order": ["Ann"], "pass_on_min": 0.5}"#, "pass_on_min"),
            (r#"{"name": "D", "order": ["Ann"], "rounds": 0}"#, "rounds"),
            (r#"{"name": "D", "order": ["Ann"], "quiet": [{"from": "6", "to": "22:00"}]}"#, "quiet"),
            (
                r#"{"name": "D", "order": ["Ann"], "holidays": [{"from": "2026-12-26", "to": "2026-12-24", "order": []}]}"#,
                "holidays",
            ),
            (
                r#"{"name": "D", "order": ["Ann"], "absences": [{"who": "Ann", "from": "24.12.", "to": "2026-12-24"}]}"#,
                "absences",
            ),
            (r#"{"name": "D", "order": ["Ann"], "text": "{valu} is wrong"}"#, "text"),
        ];
        for (text, field) in cases {
            let error = Duty::new(&serde_json::from_str(text).unwrap()).unwrap_err();
            assert_eq!(error.field, field, "{text}: {error}");
        }
    }

    proptest! {
        /// Whatever the clock does between steps, every step calls one or waits, and there is an end.
        #[test]
        fn calling_always_ends(times in prop::collection::vec(0i64..4_000_000_000, 1..60)) {
            let (duty, mut step, mut calls) = (duty(), 1, 0);
            for micros in times {
                let now = Moment::from_micros(micros * 1_000_000).unwrap();
                match duty.next(step, Severity::Urgent, now, &zone()) {
                    Next::Call(_, then) => {
                        prop_assert!(then > now);
                        (step, calls) = (step + 1, calls + 1);
                    }
                    Next::Over => break,
                    other => prop_assert!(false, "{:?}", other),
                }
            }
            prop_assert!(calls <= 2 * 2, "two rounds of at most two");
        }
    }
}
