//! Logging in and out.

use super::{Context, ask};
use crate::args::LoginArgs;
use crate::login::Login;
use crate::server::Server;
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
    let password = password(args.setup.is_some())?;
    let session: Session = match args.setup {
        Some(code) => server.post("set-up", &SetUp { code, name, password, token: true }).await?,
        None => server.post("log-in", &LogIn { name, password, token: true }).await?,
    };
    let token = session.token.clone().context("the service gave no token")?;
    Login { url: server.url().to_owned(), token, site: context.connection.site.clone() }.save()?;
    // The token stays out of what is printed: it is kept where only you can read it.
    let shown = Session { token: None, ..session };
    context.output.print(&shown, |s| format!("Logged in to {} as {} ({})", server.url(), s.person, s.role))
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

fn password(is_new: bool) -> Result<String> {
    if let Ok(password) = std::env::var("LANTERN_PASSWORD") {
        return Ok(password);
    }
    if !io::stdin().is_terminal() {
        bail!("no password given: set LANTERN_PASSWORD");
    }
    let password = rpassword::prompt_password(if is_new { "New password: " } else { "Password: " })?;
    if is_new && rpassword::prompt_password("Once more: ")? != password {
        bail!("the two passwords differ");
    }
    Ok(password)
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
