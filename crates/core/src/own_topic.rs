//! Topics of its own that a device is told: what is published there is its, so
//! that a sender that is in the field already needs no new firmware.
//!
//! A pattern is a topic filter of MQTT (section 4.7 of the standard) in which a
//! level may also be `{device}`, `{signal}` or `{at}`: what stands there names a
//! device that this one carries, the signal, or the time.

/// Patterns a device may have.
pub const MAX_PATTERNS: usize = 20;

/// A checked pattern.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct OwnTopic {
    levels: Vec<Level>,
}

#[derive(Debug, Clone, PartialEq, Eq)]
enum Level {
    Text(String),
    Any,
    Rest,
    Device,
    Signal,
    At,
}

/// What the levels of a topic say.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Said<'a> {
    /// The device the message is of, as its sender calls it.
    pub device: Option<&'a str>,
    /// The signal its payload is a value of.
    pub signal: Option<&'a str>,
    /// The time of its values.
    pub at: Option<&'a str>,
}

/// Why a text is no pattern.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum PatternError {
    /// Empty, or over 1,024 bytes or 64 levels.
    #[error("a topic has 1 to 1,024 bytes and at most 64 levels")]
    Size,
    /// `+`, `#`, `{` or `}` where they mean nothing.
    #[error(
        "`{0}` is no level of a topic; `+` and `#` stand alone, `#` last, and {{device}}, {{signal}} and {{at}} too"
    )]
    Level(String),
    /// A placeholder that stands there twice.
    #[error("`{0}` stands there twice")]
    Twice(String),
    /// Nothing but wildcards, which would take every message of the site.
    #[error("a topic of a device's own needs a level that is text")]
    Everything,
}

impl OwnTopic {
    /// Reads a pattern.
    ///
    /// # Errors
    /// [`PatternError`].
    pub fn parse(text: &str) -> Result<Self, PatternError> {
        let count = text.split('/').count();
        if text.is_empty() || text.len() > 1_024 || count > 64 || text.contains('\0') {
            return Err(PatternError::Size);
        }
        let mut levels: Vec<Level> = Vec::with_capacity(count);
        for (place, text) in text.split('/').enumerate() {
            let level = match text {
                "+" => Level::Any,
                "#" if place + 1 == count => Level::Rest,
                "{device}" => Level::Device,
                "{signal}" => Level::Signal,
                "{at}" => Level::At,
                other if other.contains(['+', '#', '{', '}']) => return Err(PatternError::Level(other.to_owned())),
                other => Level::Text(other.to_owned()),
            };
            if matches!(level, Level::Device | Level::Signal | Level::At) && levels.contains(&level) {
                return Err(PatternError::Twice(text.to_owned()));
            }
            levels.push(level);
        }
        if levels.iter().any(|level| matches!(level, Level::Text(text) if !text.is_empty())) {
            Ok(Self { levels })
        } else {
            Err(PatternError::Everything)
        }
    }

    /// What a topic says, if it is one of these.
    #[must_use]
    pub fn find<'t>(&self, topic: &'t str) -> Option<Said<'t>> {
        let mut said = Said::default();
        let mut given = topic.split('/');
        for level in &self.levels {
            if *level == Level::Rest {
                return Some(said);
            }
            let here = given.next()?;
            match level {
                Level::Text(text) if text != here => return None,
                Level::Device => said.device = Some(here),
                Level::Signal => said.signal = Some(here),
                Level::At => said.at = Some(here),
                Level::Text(_) | Level::Any | Level::Rest => {}
            }
        }
        given.next().is_none().then_some(said)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn levels_name_device_signal_and_time() {
        let said = |device, signal, at| Some(Said { device, signal, at });
        for (pattern, topic, expected) in [
            ("plant/boiler", "plant/boiler", said(None, None, None)),
            ("plant/boiler", "plant/boiler/x", None),
            ("plant/{signal}", "plant/temp", said(None, Some("temp"), None)),
            ("radio/{device}/up", "radio/a1b2/up", said(Some("a1b2"), None, None)),
            ("log/+/{device}/{signal}/{at}", "log/x/n7/t/1777636800", said(Some("n7"), Some("t"), Some("1777636800"))),
            ("radio/{device}/#", "radio/a1b2/x/y", said(Some("a1b2"), None, None)),
            ("radio/{device}/#", "radio/a1b2", said(Some("a1b2"), None, None)),
            ("radio/{device}/#", "radio", None),
        ] {
            assert_eq!(OwnTopic::parse(pattern).unwrap().find(topic), expected, "{pattern} {topic}");
        }
    }

    #[test]
    fn patterns_are_checked() {
        for (pattern, expected) in [
            ("", PatternError::Size),
            ("a/#/b", PatternError::Level("#".into())),
            ("a/b+", PatternError::Level("b+".into())),
            ("a/{what}", PatternError::Level("{what}".into())),
            ("a/{device}/{device}", PatternError::Twice("{device}".into())),
            ("+/{device}", PatternError::Everything),
            ("#", PatternError::Everything),
        ] {
            assert_eq!(OwnTopic::parse(pattern), Err(expected), "{pattern}");
        }
    }
}
