//! The words of a message: names in braces, and what stands for them.

use std::fmt::Write;

const MOST_CHARACTERS: usize = 2_000;
/// Characters of a text message that is sent: three parts of one that is written in Unicode (67 each,
/// 3GPP TS 23.040).
pub const TEXT_CHARACTERS: usize = 200;

/// What a message can tell. What is not known is empty.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Words {
    /// `severity`: low, medium, high or urgent.
    pub severity: String,
    /// `name`: what the watch is called.
    pub name: String,
    /// `site`: what the site is called.
    pub site: String,
    /// `device`: what the device is called.
    pub device: String,
    /// `signal`: what the signal is called.
    pub signal: String,
    /// `value`: the value it was raised with, and its unit.
    pub value: String,
    /// `condition`: what is wrong, with its limit.
    pub condition: String,
    /// `raised`: since when, by the site's clock.
    pub raised: String,
    /// `place`: where the device stands, in words.
    pub place: String,
    /// `map`: an address that opens a map there.
    pub map: String,
    /// `others`: the last values of the device's other signals.
    pub others: String,
    /// `advice`: what to do.
    pub advice: String,
    /// `link`: where it is acknowledged.
    pub link: String,
}

impl Words {
    fn of(&self, name: Name) -> &str {
        match name {
            Name::Severity => &self.severity,
            Name::Watch => &self.name,
            Name::Site => &self.site,
            Name::Device => &self.device,
            Name::Signal => &self.signal,
            Name::Value => &self.value,
            Name::Condition => &self.condition,
            Name::Raised => &self.raised,
            Name::Place => &self.place,
            Name::Map => &self.map,
            Name::Others => &self.others,
            Name::Advice => &self.advice,
            Name::Link => &self.link,
        }
    }
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Name {
    Severity,
    Watch,
    Site,
    Device,
    Signal,
    Value,
    Condition,
    Raised,
    Place,
    Map,
    Others,
    Advice,
    Link,
}

const NAMES: [(&str, Name); 13] = [
    ("severity", Name::Severity),
    ("name", Name::Watch),
    ("site", Name::Site),
    ("device", Name::Device),
    ("signal", Name::Signal),
    ("value", Name::Value),
    ("condition", Name::Condition),
    ("raised", Name::Raised),
    ("place", Name::Place),
    ("map", Name::Map),
    ("others", Name::Others),
    ("advice", Name::Advice),
    ("link", Name::Link),
];

/// What a mail says unless a roster has words of its own.
const MAIL: &str = "{name}\n\
    {device} {signal}: {value}\n\
    {condition}\n\
    Since {raised}\n\
    Where: {place} {map}\n\
    Also: {others}\n\
    What to do: {advice}\n\
    Acknowledge: {link}";

/// What a text message says: it has to be short.
const SHORT: &str = "{severity}: {name}\n\
    {device} {signal} {value}\n\
    {place}\n\
    {advice}\n\
    {link}";

#[derive(Debug, Clone, PartialEq)]
enum Part {
    Text(String),
    Name(Name),
}

/// What is wrong with the words of a message.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum TemplateError {
    /// There is no such name.
    #[error("has `{{{0}}}`, which stands for nothing; the names are {names}", names = names())]
    Unknown(String),
    /// A brace is not closed.
    #[error("has a brace that is not closed")]
    Open,
    /// It is too long.
    #[error("has at most {MOST_CHARACTERS} characters")]
    Long,
}

fn names() -> String {
    NAMES.map(|(word, _)| format!("{{{word}}}")).join(" ")
}

/// The words of a message. A line of which every name is unknown is left out.
#[derive(Debug, Clone, PartialEq)]
pub struct Template {
    lines: Vec<Vec<Part>>,
}

impl Template {
    /// The usual words of a mail.
    #[must_use]
    pub fn mail() -> Self {
        Self::usual(MAIL)
    }

    /// The usual words of a text message.
    #[must_use]
    pub fn short() -> Self {
        Self::usual(SHORT)
    }

    fn usual(text: &str) -> Self {
        Self { lines: text.lines().map(|text| line(text).unwrap_or_default()).collect() }
    }

    /// Reads what somebody wrote.
    ///
    /// # Errors
    /// [`TemplateError`].
    pub fn read(text: &str) -> Result<Self, TemplateError> {
        if text.chars().count() > MOST_CHARACTERS {
            return Err(TemplateError::Long);
        }
        Ok(Self { lines: text.lines().map(line).collect::<Result<_, _>>()? })
    }

    /// The words for an alarm.
    #[must_use]
    pub fn with(&self, words: &Words) -> String {
        let mut text = String::new();
        for line in &self.lines {
            let mut named = line.iter().filter_map(|part| match part {
                Part::Name(name) => Some(words.of(*name)),
                Part::Text(_) => None,
            });
            let has_names = line.iter().any(|part| matches!(part, Part::Name(_)));
            if has_names && named.all(str::is_empty) {
                continue;
            }
            let mut written = String::new();
            for part in line {
                let _ = match part {
                    Part::Text(text) => written.write_str(text),
                    Part::Name(name) => written.write_str(words.of(*name)),
                };
            }
            text.push_str(written.trim());
            text.push('\n');
        }
        text.truncate(text.trim_end().len());
        text
    }
}

/// Words that are cut so that they fit a text message together with what follows them, which stays whole: an
/// address that is cut acknowledges nothing.
#[must_use]
pub fn fit_text(words: &str, kept: &str) -> String {
    let whole = [words, kept].into_iter().filter(|part| !part.is_empty()).collect::<Vec<_>>().join("\n");
    if whole.chars().count() <= TEXT_CHARACTERS || words.is_empty() {
        return whole;
    }
    // One for the ellipsis, one for the line break.
    let room = TEXT_CHARACTERS.saturating_sub(kept.chars().count() + 2);
    let cut: String = words.chars().take(room).collect();
    format!("{}…\n{kept}", cut.trim_end())
}

fn line(text: &str) -> Result<Vec<Part>, TemplateError> {
    let mut parts = Vec::new();
    let mut rest = text;
    while let Some((before, after)) = rest.split_once('{') {
        let (name, after) = after.split_once('}').ok_or(TemplateError::Open)?;
        let known = NAMES.iter().find(|(word, _)| *word == name).map(|(_, name)| *name);
        if !before.is_empty() {
            parts.push(Part::Text(before.to_owned()));
        }
        parts.push(Part::Name(known.ok_or_else(|| TemplateError::Unknown(name.to_owned()))?));
        rest = after;
    }
    if !rest.is_empty() {
        parts.push(Part::Text(rest.to_owned()));
    }
    Ok(parts)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn words() -> Words {
        Words {
            severity: "high".into(),
            name: "Fridge is warm".into(),
            device: "Buffet fridge".into(),
            signal: "temperature".into(),
            value: "9.4 °C".into(),
            raised: "1 Dec 12:00".into(),
            ..Words::default()
        }
    }

    #[test]
    fn lines_of_which_nothing_is_known_are_left_out() {
        let text = Template::mail().with(&words());
        assert_eq!(text, "Fridge is warm\nBuffet fridge temperature: 9.4 °C\nSince 1 Dec 12:00");
    }

    #[test]
    fn the_usual_words_are_understood() {
        for text in [MAIL, SHORT] {
            assert_eq!(Template::usual(text), Template::read(text).unwrap());
        }
        let text = Template::short().with(&words());
        assert_eq!(text, "high: Fridge is warm\nBuffet fridge temperature 9.4 °C");
    }

    #[test]
    fn own_words_are_filled_in_once() {
        let template = Template::read("{severity}: {name}\n\nCall the yard. {place}").unwrap();
        let words = Words { name: "{severity}".into(), place: "tower".into(), ..words() };
        assert_eq!(template.with(&words), "high: {severity}\n\nCall the yard. tower");
    }

    #[test]
    fn what_answers_a_text_message_is_never_cut() {
        let kept = "https://lantern.example/acknowledge#0123456789abcdef\nReply OK 7";
        assert_eq!(fit_text("high: Fridge is warm", kept), format!("high: Fridge is warm\n{kept}"));
        let long = fit_text(&"ü".repeat(500), kept);
        assert!(long.ends_with(&format!("ü…\n{kept}")), "{long}");
        assert_eq!(long.chars().count(), TEXT_CHARACTERS);
        assert_eq!(fit_text("Over", ""), "Over");
        assert!(fit_text("words", &"k".repeat(300)).ends_with(&"k".repeat(300)));
    }

    #[test]
    fn unknown_names_are_refused_with_those_there_are() {
        let error = Template::read("{valu}").unwrap_err();
        assert!(error.to_string().contains("`{valu}`") && error.to_string().contains("{value}"), "{error}");
        assert_eq!(Template::read("{name").unwrap_err(), TemplateError::Open);
        assert_eq!(Template::read(&"a".repeat(2_001)).unwrap_err(), TemplateError::Long);
    }
}
