//! Sending what calls people: mail, text messages and webhooks.
//!
//! | file | holds |
//! |---|---|
//! | `mail` | mail by SMTP (RFC 5321), with STARTTLS or TLS |
//! | `text` | text messages, by an HTTP gateway or one that takes mail |
//! | `webhook` | JSON by HTTP POST, signed (RFC 9421) |
//! | `http` | the HTTP client, which keeps away from private addresses |
//! | `talk` | the conversation with a server, and how far it got |
//!
//! Every attempt has an end within a minute. Whoever sends decides nothing: it says how an attempt ended.

mod http;
mod mail;
mod talk;
mod text;
mod webhook;

pub use mail::{MailServer, Security};
pub use text::{Gateway, TextGateway};

use futures::future::BoxFuture;
use lantern_core::callout::{AttemptOutcome, Way};
use lantern_engine::callouts::{Answer, Outgoing, Sender};
use std::time::Duration;
use talk::Talk;

/// An attempt takes no longer.
const LONGEST: Duration = Duration::from_secs(60);

/// What messages are sent by.
#[derive(Debug, Clone, Default)]
pub struct Outside {
    /// The mail server.
    pub mail: Option<MailServer>,
    /// The gateway for text messages.
    pub text: Option<TextGateway>,
    /// Whether webhooks and the gateway may be at addresses that are no public ones.
    pub may_be_private: bool,
    /// Certificates (PEM) that sign those of servers, besides the system's.
    pub roots: Option<Vec<u8>>,
}

/// Sends messages.
pub struct Senders {
    outside: Outside,
    http: reqwest::Client,
}

impl Senders {
    /// Makes ready to send.
    ///
    /// # Errors
    /// A sentence: the certificates or an address in the settings cannot be read.
    pub fn new(outside: Outside) -> Result<Self, String> {
        // Whoever has installed one already has installed the same.
        let _ = rustls::crypto::ring::default_provider().install_default();
        let http = http::client(outside.may_be_private, outside.roots.as_deref())?;
        if let Some(server) = &outside.mail {
            server.check()?;
        }
        if let Some(gateway) = &outside.text {
            gateway.check(outside.mail.is_some())?;
        }
        Ok(Self { outside, http })
    }

    async fn converse(&self, message: &Outgoing, talk: &mut Talk) -> AttemptOutcome {
        let refused = |talk: &mut Talk, why: &str| {
            talk.note(why);
            AttemptOutcome::Refused
        };
        match (message.way, &self.outside.mail, &self.outside.text) {
            (Way::Mail, Some(server), _) => {
                server.send(message, &message.address, self.outside.roots.as_deref(), talk).await
            }
            (Way::Text, server, Some(gateway)) => match (&gateway.by, server) {
                (Gateway::Http { .. }, _) => {
                    text::send(gateway, &self.http, self.outside.may_be_private, message, talk).await
                }
                (Gateway::Mail { address }, Some(server)) => {
                    let to = address.replace("{to}", message.address.trim_start_matches('+'));
                    server.send(message, &to, self.outside.roots.as_deref(), talk).await
                }
                (Gateway::Mail { .. }, None) => refused(talk, "The gateway takes mail, and no mail server is set."),
            },
            (Way::Webhook, ..) => webhook::send(&self.http, self.outside.may_be_private, message, talk).await,
            _ => refused(talk, "Nothing is set up that sends this."),
        }
    }
}

impl Sender for Senders {
    fn can_send(&self, way: Way) -> bool {
        match way {
            Way::Mail => self.outside.mail.is_some(),
            Way::Text => self.outside.text.is_some(),
            Way::Webhook => true,
            Way::Topic => false,
        }
    }

    fn send<'a>(&'a self, message: &'a Outgoing) -> BoxFuture<'a, Answer> {
        Box::pin(async move {
            let mut talk = Talk::default();
            let outcome = match tokio::time::timeout(LONGEST, self.converse(message, &mut talk)).await {
                Ok(outcome) => outcome,
                Err(_) => {
                    talk.note(format!("No answer within {} s.", LONGEST.as_secs()));
                    talk.cut_off()
                }
            };
            Answer::new(outcome, talk.said())
        })
    }

    fn knock<'a>(&'a self, address: &'a str) -> BoxFuture<'a, Result<(), String>> {
        Box::pin(async move {
            http::check(address, self.outside.may_be_private)?;
            let answer = self.http.get(address).send().await.map_err(|error| http::reason(&error))?;
            if answer.status().is_success() { Ok(()) } else { Err(format!("it answered {}", answer.status())) }
        })
    }
}
