//! What callouts are sent by, from the settings.

use crate::settings::{Listen, MailSecurity, Settings};
use lantern_callout::{Gateway, MailServer, Outside, Security, Senders, TextGateway};
use lantern_engine::callouts::{Post, Replies, SignOfLife};
use std::sync::Arc;

/// What the engine is given to send with.
///
/// # Errors
/// A sentence that names the setting.
pub(crate) fn post(settings: &Settings) -> Result<Post, String> {
    let outside = Outside {
        mail: mail(settings)?,
        text: text(settings)?,
        may_be_private: settings.callouts_may_be_private,
        roots: roots(&settings.outside_roots)?,
    };
    let sign_of_life = (!settings.sign_of_life_url.is_empty())
        .then(|| SignOfLife { address: settings.sign_of_life_url.clone(), every_s: settings.sign_of_life_min * 60.0 });
    let replies = (!settings.text_reply_key.is_empty()).then(|| Replies {
        key: settings.text_reply_key.clone(),
        from: settings.text_reply_from.clone(),
        text: settings.text_reply_text.clone(),
    });
    if settings.text_reply_key.len() < 16 && replies.is_some() {
        return Err("`text_reply_key` is too easy to guess; it must have 16 characters or more".to_owned());
    }
    let sender = Arc::new(Senders::new(outside)?);
    Ok(Post { sender, public_url: public_url(settings), sign_of_life, replies })
}

/// Where people reach the service: as the settings say, or else where it listens, if that is one address.
fn public_url(settings: &Settings) -> String {
    match settings.http {
        Listen::At(at) if settings.public_url.is_empty() && !at.ip().is_unspecified() && at.port() != 0 => {
            format!("http://{at}")
        }
        _ => settings.public_url.clone(),
    }
}

fn mail(settings: &Settings) -> Result<Option<MailServer>, String> {
    if settings.mail_server.is_empty() {
        return Ok(None);
    }
    let parts = settings.mail_server.rsplit_once(':').and_then(|(host, port)| Some((host, port.parse().ok()?)));
    let (host, port) = parts.ok_or_else(|| {
        format!("`mail_server` is {}; write HOST:PORT, such as mail.example:587", settings.mail_server)
    })?;
    if settings.mail_from.is_empty() {
        return Err("`mail_server` needs `mail_from`: whom mail comes from".to_owned());
    }
    let security = match settings.mail_security {
        MailSecurity::Starttls => Security::StartTls,
        MailSecurity::Tls => Security::Tls,
        MailSecurity::Clear => Security::Clear,
    };
    let login = (!settings.mail_user.is_empty()).then(|| (settings.mail_user.clone(), settings.mail_password.clone()));
    Ok(Some(MailServer { host: host.to_owned(), port, security, login, from: settings.mail_from.clone() }))
}

fn text(settings: &Settings) -> Result<Option<TextGateway>, String> {
    let by = match (settings.text_url.is_empty(), settings.text_mail.is_empty()) {
        (true, true) => return Ok(None),
        (false, false) => return Err("`text_url` and `text_mail` are both set; set one of them".to_owned()),
        (true, false) => Gateway::Mail { address: settings.text_mail.clone() },
        (false, true) => Gateway::Http {
            address: settings.text_url.clone(),
            body: settings.text_body.clone(),
            authorization: settings.text_authorization.clone(),
            taken: settings.text_taken.clone(),
        },
    };
    Ok(Some(TextGateway { by }))
}

fn roots(file: &str) -> Result<Option<Vec<u8>>, String> {
    if file.is_empty() {
        return Ok(None);
    }
    let pem = std::fs::read(file).map_err(|error| format!("`outside_roots`: {file} cannot be read: {error}"))?;
    Ok(Some(pem))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn settings_that_cannot_work_are_named() {
        type Change = fn(&mut Settings);
        let cases: [(Change, &str); 7] = [
            (|s| s.mail_server = "mail.example".into(), "mail_server"),
            (|s| s.mail_server = "mail.example:25".into(), "mail_from"),
            (|s| (s.mail_server, s.mail_from) = ("mail.example:25".into(), "lantern".into()), "mail_from"),
            (|s| (s.text_url, s.text_body) = ("https://text.example".into(), "{to}".into()), "text_body"),
            (|s| s.text_mail = "{to}@text.example".into(), "mail_server"),
            (|s| s.text_reply_key = "easy".into(), "text_reply_key"),
            (|s| s.outside_roots = "no-such-file.pem".into(), "outside_roots"),
        ];
        for (change, setting) in cases {
            let mut settings = Settings::default();
            change(&mut settings);
            let error = post(&settings).err().unwrap_or_default();
            assert!(error.contains(&format!("`{setting}`")), "{setting}: {error}");
        }
        assert!(post(&Settings::default()).is_ok());
    }
}
