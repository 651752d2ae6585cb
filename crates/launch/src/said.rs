//! What the service prints when it is up.

use std::net::SocketAddr;

/// The line after which it has said everything.
const LAST: &str = "Ctrl-C stops it.";

/// What the service prints when it is up.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Said {
    /// The address of its pages and of the API, such as `http://127.0.0.1:8710`.
    pub url: String,
    /// The code with which the first person is made, if there is nobody yet.
    pub code: Option<String>,
    /// Scheme and address of where else it listens, such as `mqtt`.
    others: Vec<(String, SocketAddr)>,
}

impl Said {
    /// Where it listens besides, by scheme: `mqtt`, `mqtts`, `https`.
    #[must_use]
    pub fn at(&self, scheme: &str) -> Option<SocketAddr> {
        self.others.iter().find(|(known, _)| known == scheme).map(|(_, address)| *address)
    }

    /// Listens until everything was said; gives back the lines after that too. `None` if it
    /// falls silent before.
    pub(crate) fn listen<L: Iterator<Item = String>>(mut lines: L) -> Option<(Self, L)> {
        let mut said = Self::default();
        loop {
            let line = lines.next()?;
            if line == LAST {
                return (!said.url.is_empty()).then_some((said, lines));
            }
            said.take(&line);
        }
    }

    fn take(&mut self, line: &str) {
        if let Some(url) = line.strip_prefix("Key Lantern is at ") {
            url.clone_into(&mut self.url);
        } else if let Some((_, code)) = line.split_once("/set-up?code=") {
            self.code = Some(code.to_owned());
        } else if let Some((_, at)) = line.split_once(" is at ")
            && let Some((scheme, address)) = at.split_once("://")
            && let Ok(address) = address.parse()
        {
            self.others.push((scheme.to_owned(), address));
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn listen(text: &str) -> Option<(Said, Vec<String>)> {
        Said::listen(text.lines().map(str::to_owned)).map(|(said, rest)| (said, rest.collect()))
    }

    #[test]
    fn everything_it_says_is_understood() {
        let text = "Key Lantern is at http://127.0.0.1:8710\nMQTT is at mqtt://127.0.0.1:1883\n\
                    HTTP over TLS is at https://127.0.0.1:8711\n\
                    Set up the first person at http://127.0.0.1:8710/set-up?code=abc\n\
                    or with: lantern login http://127.0.0.1:8710 --setup abc\nCtrl-C stops it.\nmore\n";
        let (said, rest) = listen(text).unwrap();
        assert_eq!((said.url.as_str(), said.code.as_deref()), ("http://127.0.0.1:8710", Some("abc")));
        assert_eq!(said.at("mqtt"), Some(([127, 0, 0, 1], 1883).into()));
        assert_eq!(said.at("https").map(|address| address.port()), Some(8711));
        assert_eq!(said.at("mqtts"), None);
        assert_eq!(rest, ["more"]);
    }

    #[test]
    fn whoever_falls_silent_has_not_started() {
        assert_eq!(listen(""), None);
        assert_eq!(listen("Key Lantern is at http://127.0.0.1:8710\n"), None);
        assert_eq!(listen("Ctrl-C stops it.\n"), None);
    }
}
