//! The hours in which a watch counts.

use crate::Moment;
use jiff::civil::Weekday;
use jiff::tz::TimeZone;
use serde::{Deserialize, Serialize};

/// A day of the week.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = DayOfWeek))]
#[serde(rename_all = "lowercase")]
pub enum Day {
    /// Monday.
    Mon,
    /// Tuesday.
    Tue,
    /// Wednesday.
    Wed,
    /// Thursday.
    Thu,
    /// Friday.
    Fri,
    /// Saturday.
    Sat,
    /// Sunday.
    Sun,
}

impl From<Weekday> for Day {
    fn from(day: Weekday) -> Self {
        match day {
            Weekday::Monday => Self::Mon,
            Weekday::Tuesday => Self::Tue,
            Weekday::Wednesday => Self::Wed,
            Weekday::Thursday => Self::Thu,
            Weekday::Friday => Self::Fri,
            Weekday::Saturday => Self::Sat,
            Weekday::Sunday => Self::Sun,
        }
    }
}

/// Hours of some days of the week, in a site's zone. Hours that end before they begin go on into the
/// next day.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = ActiveHours))]
#[serde(deny_unknown_fields)]
pub struct Hours {
    /// The days on which they begin; all, if there are none.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub days: Vec<Day>,
    /// From when, such as `22:00`.
    pub from: String,
    /// Until when, such as `06:00`; `24:00` is the end of the day.
    pub to: String,
}

/// The same, understood.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Shift {
    days: Vec<Day>,
    /// Minutes of the day.
    from: u16,
    to: u16,
}

impl Hours {
    /// Understands them; none if a time of day is not one.
    pub(crate) fn understood(&self) -> Option<Shift> {
        let (from, to) = (minutes(&self.from)?, minutes(&self.to)?);
        (from != to && from < 1_440).then(|| Shift { days: self.days.clone(), from, to })
    }
}

fn minutes(text: &str) -> Option<u16> {
    let (hours, minutes) = text.split_once(':')?;
    let is_two = |text: &str| text.len() == 2 && text.bytes().all(|b| b.is_ascii_digit());
    if !is_two(hours) || !is_two(minutes) {
        return None;
    }
    let (hours, minutes): (u16, u16) = (hours.parse().ok()?, minutes.parse().ok()?);
    let all = hours * 60 + minutes;
    (minutes < 60 && all <= 1_440).then_some(all)
}

impl Shift {
    /// Whether a time is in them.
    pub(crate) fn holds(&self, at: Moment, zone: &TimeZone) -> bool {
        let local = at.to_timestamp().to_zoned(zone.clone());
        let minute = local.hour() as u16 * 60 + local.minute() as u16;
        let today = Day::from(local.weekday());
        let begins_on = |day: Day| self.days.is_empty() || self.days.contains(&day);
        if self.from < self.to {
            return begins_on(today) && (self.from..self.to).contains(&minute);
        }
        let yesterday = Day::from(local.weekday().previous());
        (begins_on(today) && minute >= self.from) || (begins_on(yesterday) && minute < self.to)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn hours_are_of_the_sites_days() {
        let zone = TimeZone::get("Europe/London").unwrap();
        let week = vec![Day::Mon, Day::Tue, Day::Wed, Day::Thu, Day::Fri];
        let office = Hours { days: week.clone(), from: "08:00".into(), to: "18:00".into() }.understood().unwrap();
        let night = Hours { days: week, from: "22:00".into(), to: "06:00".into() }.understood().unwrap();
        let whole = Hours { days: Vec::new(), from: "00:00".into(), to: "24:00".into() }.understood().unwrap();
        // The first of May 2026 is a Friday, in summer time.
        for (at, in_office, in_night) in [
            ("2026-05-01T07:00:00Z", true, false),
            ("2026-05-01T06:59:59Z", false, false),
            ("2026-05-01T17:00:00Z", false, false),
            ("2026-05-01T21:00:00Z", false, true),
            ("2026-05-02T04:59:00Z", false, true),
            ("2026-05-02T05:00:00Z", false, false),
            ("2026-05-02T10:00:00Z", false, false),
            ("2026-05-02T22:00:00Z", false, false),
            ("2026-05-04T04:00:00Z", false, false),
        ] {
            let moment = Moment::parse_rfc3339(at).unwrap();
            assert_eq!((office.holds(moment, &zone), night.holds(moment, &zone)), (in_office, in_night), "{at}");
            assert!(whole.holds(moment, &zone), "{at}");
        }
    }

    #[test]
    fn what_is_no_time_of_day_is_refused() {
        for (from, to) in [
            ("8:00", "18:00"),
            ("08:60", "18:00"),
            ("25:00", "26:00"),
            ("08:00", "08:00"),
            ("24:00", "06:00"),
            ("ab:cd", "18:00"),
        ] {
            assert!(Hours { days: Vec::new(), from: from.into(), to: to.into() }.understood().is_none(), "{from} {to}");
        }
    }
}
