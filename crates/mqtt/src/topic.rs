//! Topic names and topic filters (MQTT 5.0 and 3.1.1, section 4.7).

use std::sync::Arc;

/// Levels a topic may have: what walks the tree is bounded by it.
const MAX_LEVELS: usize = 64;
/// Bytes a topic may have. The standard permits 65,535.
const MAX_BYTES: usize = 1_024;
const SHARED: &str = "$share";

/// Why a text is no topic name or filter.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
pub enum TopicError {
    /// It has no characters.
    #[error("a topic needs at least one character")]
    Empty,
    /// It is over the limit.
    #[error("a topic has at most {MAX_BYTES} bytes and {MAX_LEVELS} levels")]
    TooLong,
    /// A wildcard in a name, or in the wrong place of a filter.
    #[error("`+` and `#` stand alone in a level of a filter, `#` in the last one only")]
    Wildcard,
    /// A shared subscription without a name or filter.
    #[error("a shared subscription is written $share/NAME/FILTER, with neither `+` nor `#` in the name")]
    Share,
    /// A character that no topic may have.
    #[error("a topic has no null character")]
    Null,
}

fn check_size(text: &str) -> Result<(), TopicError> {
    if text.is_empty() {
        return Err(TopicError::Empty);
    }
    if text.contains('\0') {
        return Err(TopicError::Null);
    }
    if text.len() > MAX_BYTES || text.bytes().filter(|b| *b == b'/').count() >= MAX_LEVELS {
        return Err(TopicError::TooLong);
    }
    Ok(())
}

/// Checks the name of a topic to publish on.
///
/// # Errors
/// [`TopicError`].
pub fn check_name(name: &str) -> Result<(), TopicError> {
    check_size(name)?;
    if name.contains(['+', '#']) { Err(TopicError::Wildcard) } else { Ok(()) }
}

/// A checked topic filter, with the name of the group that shares it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Filter {
    /// The filter as it was written.
    pub written: Arc<str>,
    share: Option<std::ops::Range<usize>>,
}

impl Filter {
    /// Reads a filter.
    ///
    /// # Errors
    /// [`TopicError`].
    pub fn parse(text: &str) -> Result<Self, TopicError> {
        check_size(text)?;
        let mut share = None;
        let mut inner = text;
        let mut levels = text.splitn(3, '/');
        if levels.next() == Some(SHARED) {
            let name = levels.next().unwrap_or_default();
            inner = levels.next().unwrap_or_default();
            if name.is_empty() || name.contains(['+', '#']) || inner.is_empty() {
                return Err(TopicError::Share);
            }
            let start = SHARED.len() + 1;
            share = Some(start..start + name.len());
        }
        let count = inner.split('/').count();
        for (place, level) in inner.split('/').enumerate() {
            let is_fine = match level {
                "+" => true,
                "#" => place + 1 == count,
                other => !other.contains(['+', '#']),
            };
            if !is_fine {
                return Err(TopicError::Wildcard);
            }
        }
        Ok(Self { written: text.into(), share })
    }

    /// The name of the group that shares the subscription.
    #[must_use]
    pub fn group(&self) -> Option<&str> {
        self.share.clone().map(|range| &self.written[range])
    }

    /// The filter itself, without the group.
    #[must_use]
    pub fn pattern(&self) -> &str {
        match &self.share {
            Some(range) => &self.written[range.end + 1..],
            None => &self.written,
        }
    }
}

/// Whether a topic name matches a filter (without group).
#[must_use]
pub fn matches(pattern: &str, name: &str) -> bool {
    if name.starts_with('$') && pattern.starts_with(['+', '#']) {
        return false;
    }
    let mut names = name.split('/');
    for level in pattern.split('/') {
        match (level, names.next()) {
            ("#", _) => return true,
            ("+", Some(_)) => {}
            (level, Some(name)) if level == name => {}
            _ => return false,
        }
    }
    names.next().is_none()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn filters_match_as_the_standard_has_it() {
        for (pattern, name, expected) in [
            ("a/b", "a/b", true),
            ("a/b", "a/b/c", false),
            ("a/+", "a/b", true),
            ("a/+", "a", false),
            ("a/+", "a/", true),
            ("+/+", "/a", true),
            ("+", "/a", false),
            ("/+", "/a", true),
            ("a/#", "a", true),
            ("a/#", "a/b/c", true),
            ("a/#", "ab", false),
            ("#", "a/b", true),
            ("#", "$x/y", false),
            ("+/y", "$x/y", false),
            ("$x/#", "$x/y", true),
            ("a/+/c", "a/b/c", true),
            ("a/+/c", "a/b/b/c", false),
            ("A", "a", false),
        ] {
            assert_eq!(matches(pattern, name), expected, "{pattern} {name}");
        }
    }

    #[test]
    fn names_and_filters_are_checked() {
        for (name, expected) in [
            ("a/b", Ok(())),
            ("/", Ok(())),
            ("a b/ü", Ok(())),
            ("", Err(TopicError::Empty)),
            ("a/+", Err(TopicError::Wildcard)),
            ("a#", Err(TopicError::Wildcard)),
            ("a\0", Err(TopicError::Null)),
        ] {
            assert_eq!(check_name(name), expected, "{name}");
        }
        assert_eq!(check_name(&"a".repeat(1_025)), Err(TopicError::TooLong));
        assert_eq!(check_name(&"/".repeat(64)), Err(TopicError::TooLong));
        for (text, fine) in [
            ("#", true),
            ("a/#", true),
            ("a/#/b", false),
            ("a#", false),
            ("a+/b", false),
            ("+", true),
            ("$share/g/a/#", true),
            ("$share//a", false),
            ("$share/g", false),
            ("$share/g+/a", false),
            ("$share/g/", false),
        ] {
            assert_eq!(Filter::parse(text).is_ok(), fine, "{text}");
        }
        let shared = Filter::parse("$share/readers/a/+").unwrap();
        assert_eq!((shared.group(), shared.pattern()), (Some("readers"), "a/+"));
    }
}
