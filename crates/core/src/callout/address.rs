//! Where a message goes.

use serde::{Deserialize, Serialize};
use std::fmt;
use std::str::FromStr;

const MOST_CHARACTERS: usize = 500;

/// How a message is carried.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = CalloutWay))]
#[serde(rename_all = "lowercase")]
pub enum Way {
    /// E-mail (RFC 5321).
    Mail,
    /// A text message to a telephone, by a gateway.
    Text,
    /// A webhook: JSON by HTTP POST, signed.
    Webhook,
    /// A message on an MQTT topic of the site.
    Topic,
}

impl Way {
    /// All there are.
    pub const ALL: [Self; 4] = [Self::Mail, Self::Text, Self::Webhook, Self::Topic];

    /// Its word.
    #[must_use]
    pub const fn as_str(self) -> &'static str {
        match self {
            Self::Mail => "mail",
            Self::Text => "text",
            Self::Webhook => "webhook",
            Self::Topic => "topic",
        }
    }

    /// Whether a receiver knows a message it had already, so that one that may have been sent can be
    /// sent again.
    #[must_use]
    pub const fn knows_repeats(self) -> bool {
        matches!(self, Self::Webhook | Self::Topic)
    }
}

impl FromStr for Way {
    type Err = ();

    fn from_str(word: &str) -> Result<Self, ()> {
        Self::ALL.into_iter().find(|way| way.as_str() == word).ok_or(())
    }
}

/// Where a message goes.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub enum Address {
    /// An e-mail address.
    Mail(String),
    /// The number of a telephone: `+` and digits (ITU-T E.164).
    Text(String),
    /// An `https://` or `http://` address.
    Webhook(String),
    /// A topic.
    Topic(String),
}

impl Address {
    /// How a message gets there.
    #[must_use]
    pub const fn way(&self) -> Way {
        match self {
            Self::Mail(_) => Way::Mail,
            Self::Text(_) => Way::Text,
            Self::Webhook(_) => Way::Webhook,
            Self::Topic(_) => Way::Topic,
        }
    }
}

impl fmt::Display for Address {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Mail(text) | Self::Text(text) | Self::Webhook(text) => f.write_str(text),
            Self::Topic(topic) => write!(f, "topic:{topic}"),
        }
    }
}

impl FromStr for Address {
    type Err = ();

    /// Reads what people write: `ann@railway.example`, `+44 20 7946 0000`, `https://…`, `topic:yard/bell`.
    fn from_str(text: &str) -> Result<Self, ()> {
        let text = text.trim();
        if text.is_empty() || text.chars().count() > MOST_CHARACTERS || text.chars().any(char::is_control) {
            return Err(());
        }
        if let Some(topic) = text.strip_prefix("topic:") {
            let is_topic = !topic.is_empty() && !topic.starts_with(['/', '$']) && !topic.contains(['+', '#']);
            return is_topic.then(|| Self::Topic(topic.to_owned())).ok_or(());
        }
        if text.starts_with("https://") || text.starts_with("http://") {
            let has_host = text.split_once("://").is_some_and(|(_, rest)| !rest.starts_with('/') && !rest.is_empty());
            return (has_host && !text.contains(' ')).then(|| Self::Webhook(text.to_owned())).ok_or(());
        }
        if let Some(number) = text.strip_prefix('+') {
            return number_of(number).map(Self::Text).ok_or(());
        }
        let (name, host) = text.rsplit_once('@').ok_or(())?;
        let is_mail = !name.is_empty() && host.contains('.') && !host.starts_with('.') && !host.ends_with('.');
        let is_plain = |part: &str| !part.contains([' ', ',', ';', '<', '>', '"', '(', ')']);
        (is_mail && is_plain(name) && is_plain(host)).then(|| Self::Mail(text.to_owned())).ok_or(())
    }
}

/// A telephone number without the signs people write between its digits.
fn number_of(text: &str) -> Option<String> {
    let is_between = |c: char| matches!(c, ' ' | '-' | '/' | '(' | ')' | '.');
    let digits: String = text.chars().filter(|c| !is_between(*c)).collect();
    let is_number = (7..=15).contains(&digits.len()) && digits.bytes().all(|b| b.is_ascii_digit());
    is_number.then(|| format!("+{digits}"))
}

/// Whom a roster calls.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub enum Callee {
    /// Somebody of that name, at all addresses they gave.
    Person(String),
    /// An address.
    Address(Address),
}

impl Callee {
    /// Reads what stands in a roster: an address, or else somebody's name.
    #[must_use]
    pub fn read(text: &str) -> Option<Self> {
        let text = text.trim();
        if let Ok(address) = text.parse() {
            return Some(Self::Address(address));
        }
        let looks_like_address = text.contains('@') || text.starts_with('+') || text.contains([':', '/']);
        let is_name = !text.is_empty() && text.chars().count() <= 80 && !text.chars().any(char::is_control);
        (is_name && !looks_like_address).then(|| Self::Person(text.to_owned()))
    }
}

impl fmt::Display for Callee {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Person(name) => f.write_str(name),
            Self::Address(address) => address.fmt(f),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn addresses_are_told_from_names_and_from_what_is_neither() {
        let mail = |text: &str| Some(Callee::Address(Address::Mail(text.to_owned())));
        let cases = [
            ("ann@railway.example", mail("ann@railway.example")),
            (" +44 (20) 7946-0000 ", Some(Callee::Address(Address::Text("+442079460000".to_owned())))),
            (
                "https://hook.example/a?b=c",
                Some(Callee::Address(Address::Webhook("https://hook.example/a?b=c".to_owned()))),
            ),
            ("topic:yard/bell", Some(Callee::Address(Address::Topic("yard/bell".to_owned())))),
            ("Ann Fielding", Some(Callee::Person("Ann Fielding".to_owned()))),
            ("ann@railway", None),
            ("@railway.example", None),
            ("ann@railway.example, ben@railway.example", None),
            ("ann@railway.example\r\nBcc: all@railway.example", None),
            ("+44 12", None),
            ("+44 20 7946 000x", None),
            ("topic:yard/#", None),
            ("topic:", None),
            ("http://", None),
            ("ftp://hook.example", None),
            ("", None),
        ];
        for (text, expected) in cases {
            assert_eq!(Callee::read(text), expected, "{text:?}");
        }
    }

    #[test]
    fn what_is_written_is_read_again() {
        for text in ["ann@railway.example", "+442079460000", "https://hook.example/", "topic:yard/bell"] {
            let address: Address = text.parse().unwrap();
            assert_eq!(address.to_string(), text);
        }
    }
}
