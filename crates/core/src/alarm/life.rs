//! The life of an alarm: the states of ANSI/ISA-18.2-2016 (figure 6) without latches, and what each
//! event makes of each.
//!
//! | state | in the standard | the condition | somebody has to act |
//! |---|---|---|---|
//! | normal | A, normal | does not hold | no |
//! | unacknowledged | B, unacknowledged | holds | yes |
//! | acknowledged | C, acknowledged | holds | somebody does |
//! | returned | D, returned to normal, unacknowledged | held | somebody has to look |
//! | suppressed | G shelved, H suppressed by design, I out of service | either | not now |

use serde::{Deserialize, Serialize};

/// Why a point is suppressed; there may be several reasons at once.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Hash, Serialize, Deserialize)]
pub struct Reasons {
    /// Somebody has put it aside for a time.
    pub shelved: bool,
    /// Another alarm is its cause: a silent gateway is that of what it carries.
    pub covered: bool,
    /// Somebody works on it.
    pub out_of_service: bool,
}

impl Reasons {
    const fn with(mut self, reason: Reason, is_so: bool) -> Self {
        match reason {
            Reason::Shelved => self.shelved = is_so,
            Reason::Covered => self.covered = is_so,
            Reason::OutOfService => self.out_of_service = is_so,
        }
        self
    }

    const fn has_any(self) -> bool {
        self.shelved || self.covered || self.out_of_service
    }
}

/// One reason of [`Reasons`].
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Reason {
    /// See [`Reasons::shelved`].
    Shelved,
    /// See [`Reasons::covered`].
    Covered,
    /// See [`Reasons::out_of_service`].
    OutOfService,
}

impl Reason {
    /// All there are.
    pub const ALL: [Self; 3] = [Self::Shelved, Self::Covered, Self::OutOfService];
}

/// The state of one watch on one device or signal.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum State {
    /// All is well.
    #[default]
    Normal,
    /// The condition holds and nobody has said that they know.
    Unacknowledged,
    /// The condition holds and somebody knows.
    Acknowledged,
    /// The condition holds no longer, and nobody has said that they knew.
    Returned,
    /// Nobody is called, whether the condition holds or not.
    Suppressed {
        /// Why.
        #[serde(flatten)]
        reasons: Reasons,
        /// Whether the condition holds.
        holds: bool,
    },
}

/// What happens to a point.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Event {
    /// The condition holds, for as long as it had to.
    Holds,
    /// The condition holds no longer, for as long as it had to.
    Ends,
    /// Somebody says that they know.
    Acknowledge,
    /// A reason to be suppressed begins.
    Suppress(Reason),
    /// A reason to be suppressed ends.
    Release(Reason),
}

impl Event {
    /// All there are.
    pub const ALL: [Self; 9] = [
        Self::Holds,
        Self::Ends,
        Self::Acknowledge,
        Self::Suppress(Reason::Shelved),
        Self::Suppress(Reason::Covered),
        Self::Suppress(Reason::OutOfService),
        Self::Release(Reason::Shelved),
        Self::Release(Reason::Covered),
        Self::Release(Reason::OutOfService),
    ];
}

/// What an event came to.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Step {
    /// Nothing has changed.
    Nothing,
    /// The condition holds, and somebody has to be told.
    Raised,
    /// The condition holds, and nobody is told: the point is suppressed.
    RaisedSilently,
    /// What held while the point was suppressed still does: somebody has to be told now.
    Uncovered,
    /// The condition ended, and somebody had acknowledged it, or nobody was told of it.
    Cleared,
    /// The condition ended before anybody acknowledged it.
    Returned,
    /// Somebody has acknowledged it.
    Acknowledged,
    /// The point is suppressed from now on; whoever was called is no longer waited for.
    Suppressed,
    /// The point is no longer suppressed, and its condition does not hold.
    Released,
}

impl Step {
    /// Its word, for the steps of an alarm.
    #[must_use]
    pub const fn as_str(self) -> &'static str {
        match self {
            Self::Nothing => "nothing",
            Self::Raised => "raised",
            Self::RaisedSilently => "raised_silently",
            Self::Uncovered => "uncovered",
            Self::Cleared => "cleared",
            Self::Returned => "returned",
            Self::Acknowledged => "acknowledged",
            Self::Suppressed => "suppressed",
            Self::Released => "released",
        }
    }
}

impl State {
    /// Whether the condition holds.
    #[must_use]
    pub const fn holds(self) -> bool {
        match self {
            Self::Unacknowledged | Self::Acknowledged => true,
            Self::Normal | Self::Returned => false,
            Self::Suppressed { holds, .. } => holds,
        }
    }

    /// Whether somebody has to act: it is counted, and called out.
    #[must_use]
    pub const fn is_pending(self) -> bool {
        matches!(self, Self::Unacknowledged | Self::Returned)
    }

    /// Why it is suppressed, if it is.
    #[must_use]
    pub const fn reasons(self) -> Reasons {
        match self {
            Self::Suppressed { reasons, .. } => reasons,
            _ => Reasons { shelved: false, covered: false, out_of_service: false },
        }
    }

    /// Its word.
    #[must_use]
    pub const fn as_str(self) -> &'static str {
        match self {
            Self::Normal => "normal",
            Self::Unacknowledged => "unacknowledged",
            Self::Acknowledged => "acknowledged",
            Self::Returned => "returned",
            Self::Suppressed { reasons, .. } if reasons.out_of_service => "out_of_service",
            Self::Suppressed { reasons, .. } if reasons.shelved => "shelved",
            Self::Suppressed { .. } => "covered",
        }
    }

    /// What an event makes of it.
    #[must_use]
    pub const fn after(self, event: Event) -> (Self, Step) {
        match (self, event) {
            (Self::Normal | Self::Returned, Event::Holds) => (Self::Unacknowledged, Step::Raised),
            (Self::Unacknowledged, Event::Ends) => (Self::Returned, Step::Returned),
            (Self::Acknowledged, Event::Ends) => (Self::Normal, Step::Cleared),
            (Self::Unacknowledged, Event::Acknowledge) => (Self::Acknowledged, Step::Acknowledged),
            (Self::Returned, Event::Acknowledge) => (Self::Normal, Step::Acknowledged),
            (Self::Suppressed { reasons, holds: false }, Event::Holds) => {
                (Self::Suppressed { reasons, holds: true }, Step::RaisedSilently)
            }
            (Self::Suppressed { reasons, holds: true }, Event::Ends) => {
                (Self::Suppressed { reasons, holds: false }, Step::Cleared)
            }
            (_, Event::Suppress(reason)) => self.suppressed(reason),
            (Self::Suppressed { reasons, holds }, Event::Release(reason)) => released(reasons, holds, reason),
            _ => (self, Step::Nothing),
        }
    }

    const fn suppressed(self, reason: Reason) -> (Self, Step) {
        let before = self.reasons();
        let after = Self::Suppressed { reasons: before.with(reason, true), holds: self.holds() };
        // A second reason suppresses nothing that was not.
        (after, if before.has_any() { Step::Nothing } else { Step::Suppressed })
    }
}

const fn released(reasons: Reasons, holds: bool, reason: Reason) -> (State, Step) {
    let left = reasons.with(reason, false);
    match (left.has_any(), holds) {
        (true, _) => (State::Suppressed { reasons: left, holds }, Step::Nothing),
        (false, true) => (State::Unacknowledged, Step::Uncovered),
        (false, false) => (State::Normal, Step::Released),
    }
}

#[cfg(test)]
mod tests;
