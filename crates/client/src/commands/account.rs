//! `lantern account` and `lantern come-in`.

use super::login::{choose_password, current_password, log_in_as};
use super::people::roles;
use super::{Context, ask};
use crate::args::{AccountCommand, ComeInArgs};
use crate::output::{facts, table};
use crate::server::{Server, segment};
use crate::time;
use anyhow::{Result, bail};
use jiff::tz::TimeZone;
use lantern_api::{Account, AccountChange, ComeIn, HeldSession, MadeToken, NewPassword, NewToken, Session};

pub(crate) async fn run(context: &Context, command: AccountCommand) -> Result<()> {
    let server = context.server()?;
    match command {
        AccountCommand::Show => {
            let account: Account = server.get("account", &[]).await?;
            context.output.print(&account, shown)
        }
        AccountCommand::Set(args) => {
            let change = AccountChange {
                name: args.name,
                decimal_mark: args.numbers.map(Into::into),
                zone: args.zone.map(|zone| (zone != "site").then_some(zone)),
                addresses: (!args.addresses.is_empty()).then_some(args.addresses),
            };
            let account: Account = server.patch("account", &change).await?;
            context.output.print(&account, shown)
        }
        AccountCommand::Password => {
            let change = NewPassword { old: current_password()?, new: choose_password("LANTERN_NEW_PASSWORD")? };
            server.set("account/password", &change).await?;
            context.output.say("The password is changed; all your other log-ins and tokens have ended")
        }
        AccountCommand::Sessions => {
            let all: Vec<HeldSession> = server.list("account/sessions", &[]).await?;
            context.output.print(&all, |all| sessions(all))
        }
        AccountCommand::End { id } => {
            server.remove(&format!("account/sessions/{id}")).await?;
            context.output.say(&format!("log-in {id} has ended"))
        }
        AccountCommand::Token { name, at_most, only, days } => {
            let new = NewToken { name, at_most: at_most.map(Into::into), site: only, days };
            let made: MadeToken = server.post("account/tokens", &new).await?;
            context.output.print(&made, |made| {
                let until = time::local(&made.session.expires_at, &TimeZone::system());
                format!("{}\ngood until {until}; it is shown this once", made.token)
            })
        }
        AccountCommand::Leave { code } => {
            server.remove(&format!("account/sites/{}", segment(&code))).await?;
            context.output.say(&format!("you have left {code}"))
        }
    }
}

fn shown(account: &Account) -> String {
    let or = |text: String, instead: &str| if text.is_empty() { instead.to_owned() } else { text };
    let second = match &account.second_factor_since {
        Some(since) => {
            format!("since {}, {} recovery codes left", time::local(since, &TimeZone::system()), account.recovery_codes)
        }
        None => "none; set one up in the console".to_owned(),
    };
    let numbers = account.decimal_mark.map_or("as the site has them", |mark| mark.as_str());
    facts(&[
        ("name", account.name.clone()),
        ("administrator", if account.is_administrator { "yes" } else { "no" }.to_owned()),
        ("sites", or(roles(&account.sites), "no role on any")),
        ("numbers", numbers.to_owned()),
        ("zone", account.zone.clone().unwrap_or_else(|| "that of the site".to_owned())),
        ("addresses", or(account.addresses.join(", "), "none")),
        ("second factor", second),
    ])
}

fn sessions(all: &[HeldSession]) -> String {
    let zone = TimeZone::system();
    let row = |one: &HeldSession| {
        let bounds = [one.at_most.map(|role| format!("at most {}", role.as_str())), one.site.clone()];
        let used = one.last_used_at.as_ref().map_or_else(|| "never".to_owned(), |at| time::local(at, &zone));
        vec![
            one.id.to_string(),
            if one.is_this { format!("{} (this one)", one.kind) } else { one.kind.clone() },
            one.name.clone(),
            bounds.into_iter().flatten().collect::<Vec<_>>().join(", "),
            used,
            one.last_from.clone(),
            time::local(&one.expires_at, &zone),
        ]
    };
    table(&["id", "kind", "name", "held to", "last used", "from", "until"], &[0], all.iter().map(row).collect())
}

/// Comes in by a one-time address, or sets a new password with one, and keeps the log-in.
pub(crate) async fn come_in(context: &Context, args: ComeInArgs) -> Result<()> {
    let Some((page, secret)) = args.address.split_once('#') else {
        bail!("this is no one-time address: it has a # before its secret");
    };
    let (url, is_new_password) = match (page.strip_suffix("/join"), page.strip_suffix("/new-password")) {
        (Some(url), _) => (url, false),
        (_, Some(url)) => (url, true),
        _ => bail!("this is no one-time address: before the # stands /join or /new-password"),
    };
    let server = Server::anonymous(url)?;
    let name = match args.name {
        _ if is_new_password => None,
        Some(name) => Some(name),
        None => Some(ask("Name", "no name given: add --name NAME")?),
    };
    let password = choose_password("LANTERN_PASSWORD")?;
    let come = ComeIn { secret: secret.to_owned(), name, password, second: args.code, token: true };
    let session: Session = server.post("come-in", &come).await?;
    log_in_as(context, &server, session)
}
