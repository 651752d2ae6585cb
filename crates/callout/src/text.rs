//! Text messages, by an HTTP gateway or one that takes mail.

use crate::http::{check, exchange, of_status, reason};
use crate::talk::Talk;
use lantern_core::callout::{AttemptOutcome, TEXT_CHARACTERS};
use lantern_engine::callouts::Outgoing;
use reqwest::Client;

/// A gateway for text messages.
#[derive(Clone)]
pub struct TextGateway {
    /// How it takes messages.
    pub by: Gateway,
}

/// How a gateway takes messages.
#[derive(Clone, PartialEq, Eq)]
pub enum Gateway {
    /// By HTTP POST. `{to}` and `{text}` in its body stand for the number and the words.
    Http {
        /// Where.
        address: String,
        /// The body: a JSON document, or a form.
        body: String,
        /// What is sent as `Authorization`, if anything.
        authorization: String,
        /// What its answer holds if it has taken the message; any good answer will do, if that is empty.
        taken: String,
    },
    /// By mail to an address, in which `{to}` stands for the digits of the number.
    Mail {
        /// Such as `{to}@text.example`.
        address: String,
    },
}

impl std::fmt::Debug for TextGateway {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str("TextGateway")
    }
}

impl TextGateway {
    /// Whether it can be used.
    ///
    /// # Errors
    /// A sentence that names the setting.
    pub(crate) fn check(&self, has_mail: bool) -> Result<(), String> {
        match &self.by {
            Gateway::Mail { address } if !address.contains("{to}") || !address.contains('@') => {
                Err(format!("`text_mail` is `{address}`; it is a mail address with {{to}} in it"))
            }
            Gateway::Mail { .. } if !has_mail => Err("`text_mail` needs `mail_server`".to_owned()),
            Gateway::Http { body, .. } if !body.contains("{to}") || !body.contains("{text}") => {
                Err("`text_body` has to have {to} and {text} in it".to_owned())
            }
            _ => Ok(()),
        }
    }
}

/// Whether a body is JSON; a form, if it is not.
fn is_json(body: &str) -> bool {
    body.trim_start().starts_with(['{', '['])
}

/// The body with the number and the words in their places, written so that they cannot break out of them.
fn filled(body: &str, to: &str, text: &str) -> String {
    let written = |text: &str| {
        if is_json(body) {
            let quoted = serde_json::Value::from(text).to_string();
            quoted[1..quoted.len() - 1].to_owned()
        } else {
            form_urlencoded::byte_serialize(text.as_bytes()).collect()
        }
    };
    // Both at once: words that contain `{to}` stay as they are.
    let mut filled = String::with_capacity(body.len() + text.len());
    let mut rest = body;
    while let Some(at) = rest.find('{') {
        let (before, after) = rest.split_at(at);
        filled.push_str(before);
        let (put, length) = match after {
            it if it.starts_with("{to}") => (written(to), 4),
            it if it.starts_with("{text}") => (written(text), 6),
            _ => ("{".to_owned(), 1),
        };
        filled.push_str(&put);
        rest = &after[length..];
    }
    filled + rest
}

/// Sends a message by HTTP.
pub(crate) async fn send(
    gateway: &TextGateway,
    client: &Client,
    may_be_private: bool,
    message: &Outgoing,
    talk: &mut Talk,
) -> AttemptOutcome {
    let Gateway::Http { address, body, authorization, taken } = &gateway.by else { return AttemptOutcome::Refused };
    if let Err(why) = check(address, may_be_private) {
        talk.note(why);
        return AttemptOutcome::Refused;
    }
    let words: String = message.text.chars().take(TEXT_CHARACTERS).collect();
    let content_type = if is_json(body) { "application/json" } else { "application/x-www-form-urlencoded" };
    let mut request = client.post(address).header("content-type", content_type);
    if !authorization.is_empty() {
        request = request.header("authorization", authorization);
    }
    talk.say(format!("POST to the gateway, for {}", message.address));
    let answered = exchange(request.body(filled(body, &message.address, &words)), talk).await;
    let (status, said) = match answered {
        Ok(answered) => answered,
        Err(outcome) => return outcome,
    };
    if let Ok(text) = &said {
        talk.hear(text);
    }
    match (of_status(status), said) {
        // It says that all is well, and something that it does not say when it is.
        (AttemptOutcome::Sent, Ok(text)) if !text.contains(taken.as_str()) => {
            talk.note(format!("The answer does not hold `{taken}`: the message may have been sent."));
            AttemptOutcome::Uncertain
        }
        (AttemptOutcome::Sent, Err(error)) => {
            talk.note(reason(&error));
            AttemptOutcome::Uncertain
        }
        (outcome, _) => outcome,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn words_cannot_break_out_of_the_body() {
        let cases = [
            (r#"{"to": "{to}", "text": "{text}"}"#, r#"{"to": "+4412", "text": "a \"b\"\n{to} ü"}"#),
            ("to={to}&text={text}&x=1", "to=%2B4412&text=a+%22b%22%0A%7Bto%7D+%C3%BC&x=1"),
        ];
        for (body, expected) in cases {
            assert_eq!(filled(body, "+4412", "a \"b\"\n{to} ü"), expected);
        }
    }
}
