//! The report of a commissioning, as Markdown.

use lantern_api::{Commissioning, DeviceState, StepState};
use lantern_core::duration;
use std::fmt::Write;

/// Writes the report. `live` says who let the device go live and when.
#[must_use]
pub fn markdown(c: &Commissioning, site: &str, live: Option<(&str, &str)>) -> String {
    let mut text = format!("# Commissioning of {} (`{}`), {site}\n\n", c.name, c.device);
    let _ = match live {
        Some((person, at)) => writeln!(text, "Live since {at}, by {person}."),
        None if c.state == DeviceState::Live => writeln!(text, "Live, without a report."),
        None => writeln!(text, "In trial since {}.", c.trial_since.as_deref().unwrap_or("its making")),
    };
    let _ = writeln!(text, "As of {}: {}\n\n| step | | finding |\n|---|---|---|", c.at, c.verdict);
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
            let came = dummy.passed_at.as_deref().unwrap_or("not yet");
            let _ = writeln!(text, "| `{}` | {expected}{within} | {came} |", dummy.signal);
        }
    }
    if let Some(soak) = &c.soak {
        let _ = write!(
            text,
            "\n## Soak test\n\nFrom {} to {}: {} of {} reports came; the longest gap was {}, from {}.\n",
            soak.from,
            soak.to,
            soak.received,
            soak.expected,
            duration(soak.longest_gap_s),
            soak.gap_from
        );
    }
    text
}
