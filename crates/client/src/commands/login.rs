//! Logging in and out.

use super::{Context, ask};
use crate::args::LoginArgs;
use crate::login::Login;
use crate::server::{Refused, Server};
use anyhow::{Context as _, Result, bail};
use lantern_api::{LogIn, Session, SetUp};
use std::io::{self, IsTerminal};

pub(crate) async fn login(context: &Context, args: LoginArgs) -> Result<()> {
    let known = Login::load().ok().flatten().unwrap_or_default();
    let url = args.address.or_else(|| context.connection.url.clone()).unwrap_or(known.url);
    if url.is_empty() {
        bail!("say where: `lantern login URL`");
    }
    let server = Server::anonymous(&url)?;
    if is_open_to_others(server.url()) {
        eprintln!(
            "lantern: {} is not encrypted: whoever is on the way there can read your password and the token. \
             Use an address with https:// if the service has one.",
            server.url()
        );
    }
    let name = match args.name {
        Some(name) => name,
        None => ask("Name", "no name given: add --name NAME")?,
    };
    let password = if args.setup.is_some() { choose_password("LANTERN_PASSWORD")? } else { current_password()? };
    let session: Session = match args.setup {
        Some(code) => server.post("set-up", &SetUp { code, name, password, token: true }).await?,
        None => log_in(&server, name, password, args.code).await?,
    };
    log_in_as(context, &server, session)
}

/// Keeps the token of someone who got in, and says so.
pub(super) fn log_in_as(context: &Context, server: &Server, session: Session) -> Result<()> {
    let token = session.token.clone().context("the service gave no token")?;
    Login { url: server.url().to_owned(), token, site: context.connection.site.clone() }.save()?;
    // The token stays out of what is printed: it is kept where only you can read it.
    let shown = Session { token: None, ..session };
    context.output.print(&shown, |s| format!("Logged in to {} as {}", server.url(), s.person))
}

/// Logs in, and asks for the code of the second factor if the person has set one up.
async fn log_in(server: &Server, name: String, password: String, code: Option<String>) -> Result<Session> {
    let mut wanted = LogIn { name, password, second: code, token: true };
    match server.post("log-in", &wanted).await {
        Err(error) if wanted.second.is_none() && is_code_missing(&error) => {
            wanted.second = Some(ask("Code of the second factor", "a second factor is needed: add --code CODE")?);
            server.post("log-in", &wanted).await
        }
        answer => answer,
    }
}

fn is_code_missing(error: &anyhow::Error) -> bool {
    error.downcast_ref::<Refused>().is_some_and(|refused| refused.code == "second-factor-needed")
}

pub(crate) async fn logout(context: &Context) -> Result<()> {
    if Login::load()?.is_none() {
        return context.output.say("Not logged in");
    }
    let ended = match context.server() {
        Ok(server) => server.tell("log-out").await,
        Err(error) => Err(error),
    };
    Login::forget()?;
    if let Err(error) = ended {
        eprintln!("lantern: the token is forgotten here, but the service did not end it: {error:#}");
    }
    context.output.say("Logged out")
}

/// Whether what is sent to an address can be read on its way to another machine.
fn is_open_to_others(url: &str) -> bool {
    let Some(rest) = url.strip_prefix("http://") else { return false };
    let authority = rest.split(['/', '?']).next().unwrap_or_default();
    let host = match authority.strip_prefix('[') {
        Some(inner) => inner.split(']').next().unwrap_or_default(),
        None => authority.rsplit_once(':').map_or(authority, |(host, _)| host),
    };
    let is_own = host.parse::<std::net::IpAddr>().is_ok_and(|address| address.is_loopback());
    !is_own && host != "localhost"
}

/// The password of someone who has one.
pub(super) fn current_password() -> Result<String> {
    given_password("LANTERN_PASSWORD", "Password: ")
}

/// A new password, typed twice, or from a variable.
pub(super) fn choose_password(variable: &str) -> Result<String> {
    let password = given_password(variable, "New password: ")?;
    if std::env::var(variable).is_err() && rpassword::prompt_password("Once more: ")? != password {
        bail!("the two passwords differ");
    }
    Ok(password)
}

fn given_password(variable: &str, question: &str) -> Result<String> {
    if let Ok(password) = std::env::var(variable) {
        return Ok(password);
    }
    if !io::stdin().is_terminal() {
        bail!("no password given: set {variable}");
    }
    Ok(rpassword::prompt_password(question)?)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn plain_http_to_another_machine_is_open_to_others() {
        for (url, is_open) in [
            ("http://127.0.0.1:8710", false),
            ("http://localhost:8710", false),
            ("http://[::1]:8710", false),
            ("https://lantern.example", false),
            ("http://lantern.example", true),
            ("http://192.168.4.20:8710", true),
            ("http://localhost.example", true),
            ("http://[2001:db8::1]/", true),
        ] {
            assert_eq!(is_open_to_others(url), is_open, "{url}");
        }
    }
}
