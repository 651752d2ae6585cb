//! The lamp: the one-glance state of a device or site, in a word or a line that
//! fits a small display.

use crate::alarm::Severity;
use crate::alarm::life::State;
use crate::presence::Presence;

/// What someone who glances at it should do.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Lamp {
    /// Nothing.
    Calm,
    /// Have a look when there is time: something is late, or was never heard.
    Look,
    /// Act: something is silent, or an alarm waits for somebody.
    Alarm,
}

impl Lamp {
    /// The lamp of a device.
    #[must_use]
    pub const fn of(presence: Presence) -> Self {
        match presence {
            Presence::Fresh => Self::Calm,
            Presence::Late | Presence::Never => Self::Look,
            Presence::Silent => Self::Alarm,
        }
    }

    /// What an alarm makes of it: one that somebody has to act on is an alarm, unless it is mild; one
    /// that somebody knows of is worth a look.
    #[must_use]
    pub const fn of_alarm(state: State, severity: Severity) -> Self {
        match (state, severity) {
            (State::Normal | State::Suppressed { .. }, _) => Self::Calm,
            (State::Acknowledged, _) | (_, Severity::Low) => Self::Look,
            (State::Unacknowledged | State::Returned, _) => Self::Alarm,
        }
    }

    /// The lamp of a site: the worst of its devices'.
    pub fn worst(lamps: impl IntoIterator<Item = Self>) -> Self {
        lamps.into_iter().max().unwrap_or(Self::Calm)
    }

    /// The word for it.
    #[must_use]
    pub const fn as_str(self) -> &'static str {
        match self {
            Self::Calm => "calm",
            Self::Look => "look",
            Self::Alarm => "alarm",
        }
    }
}

/// Puts together as many of the parts as fit into so many characters, the most
/// important first, with `gap` between them. Each part may have shorter forms,
/// longest first; the first part is cut if even its shortest does not fit.
#[must_use]
pub fn line(parts: &[&[&str]], gap: &str, width: usize) -> String {
    let count = |text: &str| text.chars().count();
    let mut line = String::new();
    for forms in parts {
        let before = if line.is_empty() { 0 } else { count(&line) + count(gap) };
        match forms.iter().find(|form| before + count(form) <= width) {
            Some(form) if line.is_empty() => line.push_str(form),
            Some(form) => {
                line.push_str(gap);
                line.push_str(form);
            }
            None if line.is_empty() => {
                line = forms.last().map(|form| form.chars().take(width).collect()).unwrap_or_default();
            }
            None => {}
        }
    }
    line
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_worst_device_is_the_sites_lamp() {
        assert_eq!(Lamp::worst([]), Lamp::Calm);
        let lamps = [Presence::Fresh, Presence::Late, Presence::Silent].map(Lamp::of);
        assert_eq!(Lamp::worst(lamps), Lamp::Alarm);
        assert_eq!(Lamp::worst([Presence::Fresh, Presence::Never].map(Lamp::of)), Lamp::Look);
    }

    #[test]
    fn a_line_holds_what_fits() {
        let parts: &[&[&str]] = &[&["tower"], &["1.84 m", "1.8 m"], &["12 s ago", "12 s"]];
        for (width, expected) in [
            (40, "tower 1.84 m 12 s ago"),
            (17, "tower 1.84 m 12 s"),
            (12, "tower 1.84 m"),
            (11, "tower 1.8 m"),
            (10, "tower 12 s"),
            (3, "tow"),
        ] {
            assert_eq!(line(parts, " ", width), expected, "{width}");
        }
    }
}
