//! The report of a commissioning, as Markdown.

use jiff::Timestamp;
use jiff::tz::TimeZone;
use lantern_api::{Commissioning, DeviceState, StepState};
use lantern_core::duration;
use lantern_store::Site;
use std::fmt::Write;

/// Writes the report, with times in the zone of the site. `live` says who let the device go live
/// and when.
#[must_use]
pub fn markdown(c: &Commissioning, site: &Site, live: Option<(&str, &str)>) -> String {
    let zone = TimeZone::get(&site.zone).unwrap_or(TimeZone::UTC);
    let local = |at: &str| local(at, &zone);
    let mut text = format!(
        "# Commissioning of {} (`{}`), {}\n\nTimes are those of {}.\n\n",
        c.name, c.device, site.name, site.zone
    );
    let _ = match live {
        Some((person, at)) => writeln!(text, "Live since {}, by {person}.", local(at)),
        None if c.state == DeviceState::Live => writeln!(text, "Live, without a report."),
        None => {
            let since = c.trial_since.as_deref().map_or_else(|| "its making".to_owned(), local);
            writeln!(text, "In trial since {since}.")
        }
    };
    let _ = writeln!(text, "As of {}: {}\n\n| step | | finding |\n|---|---|---|", local(&c.at), c.verdict);
    for step in &c.steps {
        let state = match step.state {
            StepState::Open => "open",
            StepState::Passed => "passed",
            StepState::Failed => "failed",
        };
        let _ = writeln!(text, "| {} | {state} | {} |", step.title, step.finding.replace('|', "\\|"));
    }
    if c.dummies.iter().any(|dummy| dummy.asked_at.is_some()) {
        text.push_str("\n## Dummy values\n\n| signal | asked for | came |\n|---|---|---|\n");
        for dummy in c.dummies.iter().filter(|dummy| dummy.asked_at.is_some()) {
            let expected = dummy.expected.unwrap_or_default();
            let within = dummy.tolerance.filter(|t| *t > 0.0).map(|t| format!(" ± {t}")).unwrap_or_default();
            let came = dummy.passed_at.as_deref().map_or_else(|| "not yet".to_owned(), local);
            let _ = writeln!(text, "| `{}` | {expected}{within} | {came} |", dummy.signal);
        }
    }
    if let Some(soak) = &c.soak {
        let _ = write!(
            text,
            "\n## Soak test\n\nFrom {} to {}: {} of {} reports came; the longest gap was {}, from {}.\n",
            local(&soak.from),
            local(&soak.to),
            soak.received,
            soak.expected,
            duration(soak.longest_gap_s),
            local(&soak.gap_from)
        );
    }
    text
}

/// A time as a clock in the zone showed it: `2026-05-01 14:02:09`.
fn local(at: &str, zone: &TimeZone) -> String {
    let moment = at.parse::<Timestamp>();
    moment.map_or_else(
        |_| at.to_owned(),
        |moment| moment.to_zoned(zone.clone()).strftime("%Y-%m-%d %H:%M:%S").to_string(),
    )
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn times_are_those_of_the_zone() {
        let zone = TimeZone::get("Europe/London").unwrap();
        for (at, expected) in [
            ("2026-05-01T12:00:00Z", "2026-05-01 13:00:00"),
            ("2026-12-01T12:00:00.25Z", "2026-12-01 12:00:00"),
            ("some day", "some day"),
        ] {
            assert_eq!(local(at, &zone), expected);
        }
    }
}
