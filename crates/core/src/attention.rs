//! What of a device needs somebody's attention, the most urgent first.

use crate::clock_offset;
use crate::link::LinkCounts;
use crate::presence::Presence;
use crate::quality::Quality;
use serde::{Deserialize, Serialize};

/// A share of messages lost in a day that is worth a word.
pub const LOSSES_WORTH_SAYING: f64 = 0.05;
/// Messages of a day from which on a share lost says something.
const ENOUGH_MESSAGES: u64 = 20;
/// A battery is low below this share of its range.
pub const BATTERY_LOW: f64 = 0.2;

/// Kinds of what needs attention, the most urgent first.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "kebab-case")]
pub enum Concern {
    /// A watch has found something, and it goes on or nobody has looked.
    Alarm,
    /// It reports no more.
    Silent,
    /// Its messages get lost.
    Losses,
    /// Its battery will soon be empty.
    BatteryLow,
    /// Its clock is wrong.
    WrongClock,
    /// Its last value cannot be believed.
    Suspect,
    /// It should have reported.
    Late,
    /// It sends names that nobody has declared.
    NamesWaiting,
    /// It was never heard.
    Never,
    /// It is in trial.
    Trial,
}

/// Something that needs attention.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Attention {
    /// What it is.
    pub concern: Concern,
    /// The reason in words, such as `lost 23 % of a day's messages`.
    pub text: String,
}

/// A battery, and the range of what it says.
#[derive(Debug, Clone, PartialEq)]
pub struct Battery {
    /// What it says.
    pub value: f64,
    /// The same with its unit, for people.
    pub shown: String,
    /// The value of an empty one.
    pub empty: f64,
    /// The value of a full one.
    pub full: f64,
}

/// What is known of a device now.
#[derive(Debug, Clone)]
pub struct Standing<'a> {
    /// Whether it reports.
    pub presence: Presence,
    /// Whether it is in trial.
    pub is_trial: bool,
    /// Its alarms that go on or wait for somebody, the worst first.
    pub alarms: Vec<&'a str>,
    /// How its messages came through in the last 24 hours.
    pub day: LinkCounts,
    /// Its battery, if it tells of one whose range is known.
    pub battery: Option<Battery>,
    /// How far its clock is behind, in seconds.
    pub clock_offset_s: Option<f64>,
    /// Signals whose last reading is not good: name and quality.
    pub doubts: Vec<(&'a str, Quality)>,
    /// Names that wait for somebody to declare them.
    pub waiting: usize,
}

/// What of a device needs attention, the most urgent first.
#[must_use]
pub fn attention(standing: &Standing<'_>) -> Vec<Attention> {
    let presence = match standing.presence {
        Presence::Fresh => None,
        Presence::Late => Some((Concern::Late, "late".to_owned())),
        Presence::Silent => Some((Concern::Silent, "silent".to_owned())),
        Presence::Never => Some((Concern::Never, "never heard".to_owned())),
    };
    let found = [
        several(&standing.alarms).map(|text| (Concern::Alarm, text)),
        presence,
        losses(standing.day).map(|text| (Concern::Losses, text)),
        standing.battery.as_ref().and_then(battery_low).map(|text| (Concern::BatteryLow, text)),
        standing.clock_offset_s.and_then(wrong_clock).map(|text| (Concern::WrongClock, text)),
        suspect(&standing.doubts).map(|text| (Concern::Suspect, text)),
        waiting(standing.waiting).map(|text| (Concern::NamesWaiting, text)),
        standing.is_trial.then(|| (Concern::Trial, "in trial".to_owned())),
    ];
    let mut found: Vec<Attention> =
        found.into_iter().flatten().map(|(concern, text)| Attention { concern, text }).collect();
    found.sort_by_key(|attention| attention.concern);
    found
}

/// The state of all devices in a sentence, from the most urgent concern of each, if it has any:
/// `9 of 11 are well, 1 silent since 02:14, 1 losing messages`.
#[must_use]
pub fn sentence(most_urgent: &[Option<Concern>], silent_since: Option<&str>) -> String {
    let of = |concern: Option<Concern>| most_urgent.iter().filter(|one| **one == concern).count();
    let (all, well) = (most_urgent.len(), of(None));
    if all == well {
        return match all {
            0 => "No device yet".to_owned(),
            1 => "The one device is well".to_owned(),
            2 => "Both devices are well".to_owned(),
            _ => format!("All {all} devices are well"),
        };
    }
    let mut sentence = format!("{well} of {all} {} well", if well == 1 { "is" } else { "are" });
    for concern in Concern::ALL {
        match of(Some(concern)) {
            0 => {}
            count => sentence.push_str(&format!(", {count} {}", concern.told())),
        }
        if let (Concern::Silent, Some(since), 1..) = (concern, silent_since, of(Some(concern))) {
            sentence.push_str(&format!(" since {since}"));
        }
    }
    sentence
}

impl Concern {
    /// All of them, the most urgent first.
    pub const ALL: [Self; 10] = [
        Self::Alarm,
        Self::Silent,
        Self::Losses,
        Self::BatteryLow,
        Self::WrongClock,
        Self::Suspect,
        Self::Late,
        Self::NamesWaiting,
        Self::Never,
        Self::Trial,
    ];

    /// How devices of which it is the most urgent are counted, as after `3`.
    #[must_use]
    pub const fn told(self) -> &'static str {
        match self {
            Self::Alarm => "in alarm",
            Self::Silent => "silent",
            Self::Losses => "losing messages",
            Self::BatteryLow => "with a low battery",
            Self::WrongClock => "with a wrong clock",
            Self::Suspect => "with suspect values",
            Self::Late => "late",
            Self::NamesWaiting => "with names waiting",
            Self::Never => "never heard",
            Self::Trial => "in trial",
        }
    }
}

/// The first of some names, and how many more there are.
fn several(names: &[&str]) -> Option<String> {
    let (first, more) = names.split_first()?;
    Some(if more.is_empty() { (*first).to_owned() } else { format!("{first} and {} more", more.len()) })
}

/// What is lost of a day's messages, if it is worth saying.
pub(crate) fn losses(day: LinkCounts) -> Option<String> {
    if day.received + day.lost < ENOUGH_MESSAGES {
        return None;
    }
    let lost = 1.0 - day.delivery_ratio()?;
    (lost > LOSSES_WORTH_SAYING).then(|| format!("lost {:.0} % of a day's messages", lost * 100.0))
}

fn battery_low(battery: &Battery) -> Option<String> {
    let share = (battery.value - battery.empty) / (battery.full - battery.empty);
    (share < BATTERY_LOW).then(|| format!("battery low: {}", battery.shown))
}

fn wrong_clock(offset_s: f64) -> Option<String> {
    (offset_s.abs() > clock_offset::WORTH_SAYING_S).then(|| format!("clock {}", clock_offset::told(offset_s)))
}

fn suspect(doubts: &[(&str, Quality)]) -> Option<String> {
    let told = |(name, quality): &(&str, Quality)| {
        Some(match quality {
            Quality::Good => return None,
            Quality::Suspect(cause) => format!("{name} suspect ({})", cause.as_str()),
            Quality::Rejected(cause) => format!("{name} rejected ({})", cause.as_str()),
        })
    };
    let mut told = doubts.iter().filter_map(told);
    let first = told.next()?;
    Some(match told.count() {
        0 => first,
        more => format!("{first} and {more} more"),
    })
}

fn waiting(names: usize) -> Option<String> {
    match names {
        0 => None,
        1 => Some("1 name waits to be declared".to_owned()),
        more => Some(format!("{more} names wait to be declared")),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::quality::Cause;

    fn well() -> Standing<'static> {
        Standing {
            presence: Presence::Fresh,
            is_trial: false,
            alarms: Vec::new(),
            day: LinkCounts { received: 1_000, ..LinkCounts::default() },
            battery: Some(Battery { value: 3.9, shown: "3.9 V".into(), empty: 2.0, full: 4.2 }),
            clock_offset_s: Some(2.0),
            doubts: Vec::new(),
            waiting: 0,
        }
    }

    #[test]
    fn each_concern_has_its_reason_and_a_device_that_is_well_has_none() {
        type Spoil = fn(&mut Standing<'static>);
        let cases: [(Spoil, Option<(Concern, &str)>); 19] = [
            (|_| (), None),
            (|s| s.alarms = vec!["Frost"], Some((Concern::Alarm, "Frost"))),
            (|s| s.alarms = vec!["Leak", "Frost"], Some((Concern::Alarm, "Leak and 1 more"))),
            (|s| s.presence = Presence::Silent, Some((Concern::Silent, "silent"))),
            (|s| s.presence = Presence::Late, Some((Concern::Late, "late"))),
            (|s| s.presence = Presence::Never, Some((Concern::Never, "never heard"))),
            (|s| s.day.lost = 300, Some((Concern::Losses, "lost 23 % of a day's messages"))),
            (|s| s.day.lost = 50, None),
            (|s| s.day = LinkCounts { received: 9, lost: 9, ..LinkCounts::default() }, None),
            (|s| s.day = LinkCounts::default(), None),
            (
                |s| s.battery = Some(Battery { value: 11.0, shown: "11 %".into(), empty: 0.0, full: 100.0 }),
                Some((Concern::BatteryLow, "battery low: 11 %")),
            ),
            (|s| s.battery = None, None),
            (|s| s.clock_offset_s = Some(-10_800.0), Some((Concern::WrongClock, "clock 3.0 h ahead"))),
            (|s| s.clock_offset_s = None, None),
            (
                |s| s.doubts = vec![("Level", Quality::Suspect(Cause::Jump))],
                Some((Concern::Suspect, "Level suspect (jump)")),
            ),
            (
                |s| s.doubts = vec![("Air", Quality::Rejected(Cause::Range)); 3],
                Some((Concern::Suspect, "Air rejected (range) and 2 more")),
            ),
            (|s| s.waiting = 1, Some((Concern::NamesWaiting, "1 name waits to be declared"))),
            (|s| s.waiting = 2, Some((Concern::NamesWaiting, "2 names wait to be declared"))),
            (|s| s.is_trial = true, Some((Concern::Trial, "in trial"))),
        ];
        for (spoil, expected) in cases {
            let mut standing = well();
            spoil(&mut standing);
            let found = attention(&standing);
            let found: Vec<_> = found.iter().map(|a| (a.concern, a.text.as_str())).collect();
            assert_eq!(found, Vec::from_iter(expected), "{standing:?}");
        }
    }

    #[test]
    fn the_most_urgent_comes_first() {
        let standing = Standing {
            presence: Presence::Late,
            is_trial: true,
            alarms: vec!["Frost"],
            day: LinkCounts { received: 50, lost: 50, ..LinkCounts::default() },
            battery: Some(Battery { value: 2.1, shown: "2.1 V".into(), empty: 2.0, full: 4.2 }),
            clock_offset_s: Some(600.0),
            doubts: vec![("Level", Quality::Suspect(Cause::Jump))],
            waiting: 3,
        };
        let concerns: Vec<Concern> = attention(&standing).iter().map(|a| a.concern).collect();
        use Concern::{Alarm, BatteryLow, Late, Losses, NamesWaiting, Suspect, Trial, WrongClock};
        assert_eq!(concerns, [Alarm, Losses, BatteryLow, WrongClock, Suspect, Late, NamesWaiting, Trial]);
    }

    #[test]
    fn a_sentence_counts_each_device_once() {
        use Concern::{Losses, Silent, Trial};
        for (devices, since, expected) in [
            (&[][..], None, "No device yet"),
            (&[None], None, "The one device is well"),
            (&[None, None], None, "Both devices are well"),
            (&[None, None, None], None, "All 3 devices are well"),
            (&[None, Some(Trial)], None, "1 of 2 is well, 1 in trial"),
            (
                &[Some(Losses), None, Some(Silent), Some(Silent), None],
                Some("02:14"),
                "2 of 5 are well, 2 silent since 02:14, 1 losing messages",
            ),
            (&[Some(Losses)], Some("02:14"), "0 of 1 are well, 1 losing messages"),
        ] {
            assert_eq!(sentence(devices, since), expected);
        }
        assert!(Concern::ALL.is_sorted(), "the most urgent first");
    }
}
