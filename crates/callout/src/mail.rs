//! Mail by SMTP (RFC 5321), with STARTTLS (RFC 3207) or TLS from the start (RFC 8314).
//!
//! The steps are taken one by one, so that the conversation can be shown, and so that it is known whether the
//! server had the message when it fell silent.

use crate::talk::{Talk, with_causes};
use lantern_core::callout::AttemptOutcome;
use lantern_engine::callouts::Outgoing;
use lettre::message::{Mailbox, header::ContentType};
use lettre::transport::smtp::Error;
use lettre::transport::smtp::authentication::{Credentials, Mechanism};
use lettre::transport::smtp::client::{AsyncSmtpConnection, Certificate, TlsParameters};
use lettre::transport::smtp::commands::{Data, Mail, Rcpt};
use lettre::transport::smtp::extension::{ClientId, Extension, MailBodyParameter, MailParameter};
use lettre::transport::smtp::response::Response;
use lettre::{Address, Message};
use std::time::Duration;

/// How long connecting may take.
const CONNECTING: Duration = Duration::from_secs(20);

/// How a connection to a mail server is protected.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Security {
    /// It begins in the clear and turns to TLS before anything is said.
    StartTls,
    /// It is TLS from the start.
    Tls,
    /// Not at all: for a server on this machine.
    Clear,
}

/// A mail server.
#[derive(Clone)]
pub struct MailServer {
    /// Its name.
    pub host: String,
    /// Its port.
    pub port: u16,
    /// How the connection is protected.
    pub security: Security,
    /// Who logs in, and by which password.
    pub login: Option<(String, String)>,
    /// Whom mail comes from, such as `Key Lantern <lantern@railway.example>`.
    pub from: String,
}

impl std::fmt::Debug for MailServer {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("MailServer").field("host", &self.host).field("port", &self.port).finish_non_exhaustive()
    }
}

/// Why a conversation ended before the message was taken.
struct Stopped(AttemptOutcome);

impl MailServer {
    /// Whether it can be used.
    ///
    /// # Errors
    /// A sentence that names the setting.
    pub(crate) fn check(&self) -> Result<(), String> {
        self.sender().map(drop)
    }

    fn sender(&self) -> Result<Mailbox, String> {
        self.from.parse().map_err(|error| format!("`mail_from` is `{}`, which is no mail address: {error}", self.from))
    }

    /// Sends a message.
    pub(crate) async fn send(
        &self,
        message: &Outgoing,
        to: &str,
        roots: Option<&[u8]>,
        talk: &mut Talk,
    ) -> AttemptOutcome {
        let (from, to, letter) = match self.letter(message, to) {
            Ok(letter) => letter,
            Err(error) => {
                talk.note(error);
                return AttemptOutcome::Refused;
            }
        };
        match self.converse(&from, &to, &letter, roots, talk).await {
            Ok(()) => AttemptOutcome::Sent,
            Err(Stopped(outcome)) => outcome,
        }
    }

    fn letter(&self, message: &Outgoing, to: &str) -> Result<(Address, Address, Vec<u8>), String> {
        let from = self.sender()?;
        let to: Mailbox = to.parse().map_err(|error| format!("{to} is no mail address: {error}"))?;
        let domain = from.email.domain().to_owned();
        let letter = Message::builder()
            .from(from.clone())
            .to(to.clone())
            // The same message has the same id, however often it is sent.
            .message_id(Some(format!("<callout-{}-{}@{domain}>", message.id, message.made_at.as_micros())))
            .subject(message.subject.clone())
            .header(ContentType::TEXT_PLAIN)
            .body(message.text.clone())
            .map_err(|error| format!("The message could not be written: {error}"))?;
        Ok((from.email, to.email, letter.formatted()))
    }

    async fn converse(
        &self,
        from: &Address,
        to: &Address,
        letter: &[u8],
        roots: Option<&[u8]>,
        talk: &mut Talk,
    ) -> Result<(), Stopped> {
        let mut connection = self.connect(roots, talk).await?;
        if let Some((user, password)) = &self.login {
            let credentials = Credentials::new(user.clone(), password.clone());
            talk.say(format!("AUTH {user}, with the password"));
            let mechanisms = [Mechanism::Plain, Mechanism::Login];
            // A password that is wrong is put right by somebody, and then the message goes out.
            heard(talk, connection.auth(&mechanisms, &credentials).await)
                .map_err(|_| Stopped(AttemptOutcome::Later))?;
        }
        let mut options = Vec::new();
        if !letter.is_ascii() && connection.server_info().supports_feature(Extension::EightBitMime) {
            options.push(MailParameter::Body(MailBodyParameter::EightBitMime));
        }
        talk.say(format!("MAIL FROM:<{from}>"));
        heard(talk, connection.command(Mail::new(Some(from.clone()), options)).await)?;
        talk.say(format!("RCPT TO:<{to}>"));
        heard(talk, connection.command(Rcpt::new(to.clone(), Vec::new())).await)?;
        talk.say("DATA");
        heard(talk, connection.command(Data).await)?;
        talk.say(format!("the message, {} bytes", letter.len()));
        talk.hand_over();
        heard(talk, connection.message(letter).await)?;
        // It is taken; whether the server says good-bye does not matter.
        let _ = tokio::time::timeout(Duration::from_secs(2), connection.quit()).await;
        Ok(())
    }

    async fn connect(&self, roots: Option<&[u8]>, talk: &mut Talk) -> Result<AsyncSmtpConnection, Stopped> {
        let later = |talk: &mut Talk, error: &dyn std::error::Error| {
            talk.note(with_causes(&error.to_string(), error));
            Stopped(AttemptOutcome::Later)
        };
        let tls = match self.security {
            Security::Clear => None,
            Security::StartTls | Security::Tls => Some(self.tls(roots).map_err(|error| later(talk, &error))?),
        };
        let hello = ClientId::default();
        talk.note(format!("Connecting to {}:{}", self.host, self.port));
        let at_once = tls.clone().filter(|_| self.security == Security::Tls);
        let address = (self.host.as_str(), self.port);
        let connecting = AsyncSmtpConnection::connect_tokio1(address, Some(CONNECTING), &hello, at_once, None).await;
        let mut connection = connecting.map_err(|error| later(talk, &error))?;
        talk.hear(connection.server_info().name());
        if let (Security::StartTls, Some(tls)) = (self.security, tls) {
            talk.say("STARTTLS");
            connection.starttls(tls, &hello).await.map_err(|error| later(talk, &error))?;
            talk.note("The connection is encrypted.");
        }
        Ok(connection)
    }

    fn tls(&self, roots: Option<&[u8]>) -> Result<TlsParameters, Error> {
        let mut builder = TlsParameters::builder(self.host.clone());
        if let Some(pem) = roots {
            builder = builder.add_root_certificate(Certificate::from_pem(pem)?);
        }
        builder.build()
    }
}

/// Takes what a server answers down; says how the attempt ended if it was no good answer.
fn heard(talk: &mut Talk, answer: Result<Response, Error>) -> Result<(), Stopped> {
    match answer {
        Ok(response) => {
            let words: Vec<&str> = response.message().collect();
            talk.hear(format!("{} {}", response.code(), words.join(" ")));
            Ok(())
        }
        Err(error) => {
            let text = with_causes(&error.to_string(), &error);
            if error.status().is_some() {
                talk.hear(text);
            } else {
                talk.note(text);
            }
            Err(Stopped(match error.status() {
                Some(_) if error.is_permanent() => AttemptOutcome::Refused,
                Some(_) => AttemptOutcome::Later,
                None => talk.cut_off(),
            }))
        }
    }
}
