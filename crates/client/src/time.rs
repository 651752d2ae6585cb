//! Times on the command line and in tables.

use clap::Args;
use jiff::civil;
use jiff::tz::TimeZone;
use jiff::{Timestamp, ToSpan, Zoned};

/// From when to when.
#[derive(Args, Clone, Default)]
pub(crate) struct Span {
    /// Begin: a date, a local time of the site, or RFC 3339
    #[arg(long, value_name = "TIME", conflicts_with = "since")]
    pub(crate) from: Option<String>,
    /// End, itself excluded: as --from; now if absent
    #[arg(long, value_name = "TIME")]
    pub(crate) to: Option<String>,
    /// Begin so long ago: 90s, 10m, 2h, 7d, 4w (default: 1d)
    #[arg(long, value_name = "AGO", value_parser = parse_ago)]
    pub(crate) since: Option<i64>,
}

impl Span {
    /// The begin, if one is given, as RFC 3339.
    pub(crate) fn begin(&self, zone: &TimeZone, now: Timestamp) -> anyhow::Result<Option<String>> {
        match (&self.from, self.since) {
            (Some(from), _) => Ok(Some(moment(from, zone)?.to_string())),
            (None, Some(seconds)) => Ok(Some(now.checked_sub(seconds.seconds())?.to_string())),
            (None, None) => Ok(None),
        }
    }

    /// The end, if one is given, as RFC 3339.
    pub(crate) fn end(&self, zone: &TimeZone) -> anyhow::Result<Option<String>> {
        self.to.as_deref().map(|to| Ok(moment(to, zone)?.to_string())).transpose()
    }
}

/// A length of time in seconds, which may be none.
pub(crate) fn parse_length(text: &str) -> Result<i64, String> {
    if text.starts_with('0') && text.len() <= 2 { Ok(0) } else { parse_ago(text) }
}

pub(crate) fn parse_ago(text: &str) -> Result<i64, String> {
    let wrong = || "write it as a number and s, m, h, d or w, such as 2h".to_owned();
    let unit = text.chars().last().ok_or_else(wrong)?;
    let number: i64 = text.strip_suffix(unit).and_then(|n| n.parse().ok()).ok_or_else(wrong)?;
    let seconds = match unit {
        's' => 1,
        'm' => 60,
        'h' => 3_600,
        'd' => 86_400,
        'w' => 604_800,
        _ => return Err(wrong()),
    };
    if !(1..=36_500 * 86_400 / seconds).contains(&number) {
        return Err("between 1s and 36500d".to_owned());
    }
    Ok(number * seconds)
}

/// A time as it is typed: RFC 3339, or local to the site.
pub(crate) fn moment(text: &str, zone: &TimeZone) -> anyhow::Result<Timestamp> {
    if let Ok(timestamp) = text.parse::<Timestamp>() {
        return Ok(timestamp);
    }
    let local = text.parse::<civil::DateTime>().map_err(|_| {
        anyhow::anyhow!("`{text}` is not a time: write 2026-05-01, 2026-05-01T12:00 or 2026-05-01T12:00:00Z")
    })?;
    Ok(local.to_zoned(zone.clone())?.timestamp())
}

/// A time as tables show it: local to the site, to the second.
pub(crate) fn local(text: &str, zone: &TimeZone) -> String {
    text.parse::<Timestamp>()
        .map_or_else(|_| text.to_owned(), |t| zoned(t, zone).strftime("%Y-%m-%d %H:%M:%S").to_string())
}

/// A time in a zone that programs read too (RFC 3339): `2026-05-01T14:00:00.25+02:00`.
pub(crate) fn with_offset(text: &str, zone: &TimeZone) -> String {
    text.parse::<Timestamp>()
        .map_or_else(|_| text.to_owned(), |t| zoned(t, zone).strftime("%Y-%m-%dT%H:%M:%S%.f%:z").to_string())
}

fn zoned(timestamp: Timestamp, zone: &TimeZone) -> Zoned {
    timestamp.to_zoned(zone.clone())
}

/// An age in words: `12 s`, `5 min`, `3 h`, `2 days`.
pub(crate) fn age(seconds: f64) -> String {
    match seconds {
        s if s < 90.0 => format!("{:.0} s", s.max(0.0)),
        s if s < 5_400.0 => format!("{:.0} min", s / 60.0),
        s if s < 129_600.0 => format!("{:.0} h", s / 3_600.0),
        s => format!("{:.0} days", s / 86_400.0),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_time_in_a_zone_is_the_same_time() {
        let zone = TimeZone::get("Europe/Madrid").unwrap();
        for (utc, local) in [
            ("2026-05-01T12:00:00Z", "2026-05-01T14:00:00+02:00"),
            ("2026-12-01T12:00:00.25Z", "2026-12-01T13:00:00.25+01:00"),
            ("no time", "no time"),
        ] {
            let seen = with_offset(utc, &zone);
            assert_eq!(seen, local);
            assert_eq!(seen.parse::<Timestamp>().ok(), utc.parse::<Timestamp>().ok());
        }
    }

    #[test]
    fn ago_is_a_number_and_a_unit() {
        for (text, expected) in [
            ("90s", Some(90)),
            ("2h", Some(7_200)),
            ("7d", Some(604_800)),
            ("2", None),
            ("h", None),
            ("-1h", None),
            ("", None),
            ("9999999w", None),
            ("1µ", None),
        ] {
            assert_eq!(parse_ago(text).ok(), expected, "{text}");
        }
    }

    #[test]
    fn a_bare_date_is_midnight_at_the_site() {
        let zone = TimeZone::get("Europe/London").unwrap();
        let begin = |from: &str| {
            Span { from: Some(from.into()), ..Span::default() }.begin(&zone, Timestamp::UNIX_EPOCH).unwrap().unwrap()
        };
        assert_eq!(begin("2026-07-01"), "2026-06-30T23:00:00Z");
        assert_eq!(begin("2026-07-01T12:30"), "2026-07-01T11:30:00Z");
        assert_eq!(begin("2026-07-01T12:30:00Z"), "2026-07-01T12:30:00Z");
    }

    #[test]
    fn ages_are_in_words() {
        for (seconds, expected) in
            [(0.2, "0 s"), (89.0, "89 s"), (120.0, "2 min"), (7_300.0, "2 h"), (200_000.0, "2 days")]
        {
            assert_eq!(age(seconds), expected);
        }
    }
}
