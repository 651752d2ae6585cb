//! The conversation with a server, and how far it got.

use lantern_core::callout::AttemptOutcome;

/// Characters of one line that are kept.
const LONGEST_LINE: usize = 500;

/// What was said to a server, and by it.
#[derive(Debug, Default)]
pub(crate) struct Talk {
    lines: Vec<String>,
    is_handed_over: bool,
}

impl Talk {
    /// We say something.
    pub(crate) fn say(&mut self, text: impl AsRef<str>) {
        self.add("> ", text.as_ref());
    }

    /// The server says something.
    pub(crate) fn hear(&mut self, text: impl AsRef<str>) {
        self.add("< ", text.as_ref());
    }

    /// Something happens.
    pub(crate) fn note(&mut self, text: impl AsRef<str>) {
        self.add("", text.as_ref());
    }

    fn add(&mut self, who: &str, text: &str) {
        let line: String = text.chars().map(|c| if c.is_control() { ' ' } else { c }).take(LONGEST_LINE).collect();
        self.lines.push(format!("{who}{}", line.trim_end()));
    }

    /// From now on the message may be with the server: if it says nothing more, nobody knows.
    pub(crate) fn hand_over(&mut self) {
        self.is_handed_over = true;
    }

    /// How an attempt ended that was cut off here.
    pub(crate) const fn cut_off(&self) -> AttemptOutcome {
        if self.is_handed_over { AttemptOutcome::Uncertain } else { AttemptOutcome::Later }
    }

    /// All of it.
    pub(crate) fn said(&self) -> String {
        self.lines.join("\n")
    }
}

/// What is wrong, with its causes: those that the words say already are not said again.
pub(crate) fn with_causes(what: &str, error: &dyn std::error::Error) -> String {
    let mut text = what.to_owned();
    let mut source = error.source();
    while let Some(cause) = source {
        let cause_text = cause.to_string();
        if !text.contains(&cause_text) {
            text = format!("{text}: {cause_text}");
        }
        source = cause.source();
    }
    text
}
