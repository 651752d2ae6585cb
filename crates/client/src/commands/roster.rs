//! `lantern roster` and `callouts`.

use super::{Context, zone};
use crate::args::{CalloutsArgs, RosterArgs, RosterCommand};
use crate::document;
use crate::output::{facts, table};
use crate::server::{Server, segment};
use crate::time;
use anyhow::{Context as _, Result};
use jiff::tz::TimeZone;
use lantern_api::{
    AttemptOutcome, Callout, CalloutHistory, CalloutState, Hours, NewRoster, Page, Roster, SigningKey, SiteRoster,
    TestCallout,
};

pub(crate) async fn run(context: &Context, command: RosterCommand) -> Result<()> {
    let server = context.server()?;
    let path = path(&server, "rosters").await?;
    let of = |code: &str| format!("{path}/{}", segment(code));
    match command {
        RosterCommand::Add { name, roster, code } => {
            let new = NewRoster { code, roster: written(name, *roster)? };
            let made: SiteRoster = server.post(&path, &new).await?;
            context.output.print(&made, |made| told(made, "made"))
        }
        RosterCommand::List => {
            let found: Vec<SiteRoster> = server.list(&path, &[]).await?;
            context.output.print(&found, |found| listed(found))
        }
        RosterCommand::Show { code } => {
            let found: SiteRoster = server.get(&of(&code), &[]).await?;
            let text = match (&found.roster, &found.damaged) {
                (Some(roster), _) => document::to_toml(roster)?,
                (None, damaged) => damaged.clone().unwrap_or_default(),
            };
            context.output.print(&found, |_| text)
        }
        RosterCommand::Change { code, file } => {
            let roster: Roster = document::read(&file)?;
            let changed: SiteRoster = server.put(&of(&code), &roster).await?;
            context.output.print(&changed, |changed| told(changed, "changed"))
        }
        RosterCommand::Test { code, to } => {
            let zone = zone(&server).await?;
            let sent: Vec<CalloutHistory> = server.post(&format!("{}/test", of(&code)), &TestCallout { to }).await?;
            let all = |sent: &Vec<CalloutHistory>| {
                sent.iter().map(|one| history(one, &zone)).collect::<Vec<_>>().join("\n\n")
            };
            context.output.print(&sent, all)?;
            let is_sent = sent.iter().all(|one| one.callout.state == CalloutState::Sent);
            anyhow::ensure!(is_sent, "not all messages were sent; see what the server said");
            Ok(())
        }
        RosterCommand::Key { code } => {
            let key: SigningKey = server.get(&format!("{}/signing-key", of(&code)), &[]).await?;
            context.output.print(&key, |key| key.signing_key.clone())
        }
        RosterCommand::Remove { code } => {
            server.remove(&of(&code)).await?;
            context.output.print(&serde_json::json!({"removed": code}), |_| format!("roster {code} removed"))
        }
    }
}

pub(crate) async fn callouts(context: &Context, args: CalloutsArgs) -> Result<()> {
    let server = context.server()?;
    let zone = zone(&server).await?;
    let path = path(&server, "callouts").await?;
    if let Some(id) = args.id {
        let found: CalloutHistory = server.get(&format!("{path}/{id}"), &[]).await?;
        return context.output.print(&found, |found| history(found, &zone));
    }
    let mut query = vec![("limit", args.limit.to_string())];
    query.extend(args.alarm.map(|alarm| ("alarm", alarm.to_string())));
    query.extend(args.state.map(|state| ("state", state)));
    let found: Page<Callout> = server.get(&path, &query).await?;
    context.output.print(&found.items, |found| messages(found, &zone))
}

async fn path(server: &Server, rest: &str) -> Result<String> {
    Ok(format!("sites/{}/{rest}", segment(&server.site_code().await?)))
}

/// The roster that the arguments say.
fn written(name: String, args: RosterArgs) -> Result<Roster> {
    if let Some(file) = args.file {
        return Ok(Roster { name, ..document::read(&file)? });
    }
    let quiet = match &args.quiet {
        Some(hours) => {
            let (from, to) = hours.split_once('-').context("write quiet hours as FROM-TO, such as 22:00-06:00")?;
            vec![Hours { days: Vec::new(), from: from.to_owned(), to: to.to_owned() }]
        }
        None => Vec::new(),
    };
    Ok(Roster {
        name,
        least: args.least,
        devices: args.devices,
        order: args.call,
        turns: Vec::new(),
        holidays: Vec::new(),
        absences: Vec::new(),
        also: args.also,
        pass_on_min: args.pass_on as f64 / 60.0,
        rounds: args.rounds,
        quiet,
        says_end: true,
        text: String::new(),
    })
}

fn told(roster: &SiteRoster, done: &str) -> String {
    let now = match roster.on_duty.as_slice() {
        [] => "nobody is called now".to_owned(),
        on_duty => format!("called now: {}", on_duty.join(", then ")),
    };
    let troubles = roster.troubles.iter().map(|trouble| format!("\n  {trouble}")).collect::<String>();
    format!("roster {} {done}; {now}{troubles}", roster.code)
}

fn listed(found: &[SiteRoster]) -> String {
    if found.is_empty() {
        return "No rosters: nobody is called. Make one with: lantern roster add NAME --call WHO".to_owned();
    }
    let row = |one: &SiteRoster| {
        let (name, least, pass_on) = match &one.roster {
            Some(roster) => {
                (roster.name.clone(), roster.least.as_str().to_owned(), time::age(roster.pass_on_min * 60.0))
            }
            None => (one.damaged.clone().unwrap_or_default(), String::new(), String::new()),
        };
        vec![one.code.clone(), name, least, one.on_duty.join(", "), pass_on, one.troubles.join(" ")]
    };
    table(&["roster", "name", "from", "called now", "passed on after", "trouble"], &[], found.iter().map(row).collect())
}

fn word(state: CalloutState) -> &'static str {
    match state {
        CalloutState::Waiting => "waiting",
        CalloutState::Sending => "being sent",
        CalloutState::Sent => "sent",
        CalloutState::Failed => "failed",
        CalloutState::Uncertain => "may have been sent",
        CalloutState::Dropped => "not needed",
    }
}

fn messages(found: &[Callout], zone: &TimeZone) -> String {
    if found.is_empty() {
        return "Nobody was called.".to_owned();
    }
    let row = |one: &Callout| {
        vec![
            one.id.to_string(),
            time::local(&one.made_at, zone),
            one.callee.clone(),
            one.way.map_or_else(String::new, |way| way.as_str().to_owned()),
            one.subject.clone(),
            word(one.state).to_owned(),
        ]
    };
    table(&["callout", "made", "to", "by", "about", "state"], &[0], found.iter().map(row).collect())
}

fn history(found: &CalloutHistory, zone: &TimeZone) -> String {
    let callout = &found.callout;
    let alarms = found.alarms.iter().map(ToString::to_string).collect::<Vec<_>>().join(", ");
    let to = match callout.address == callout.callee || callout.address.is_empty() {
        true => callout.callee.clone(),
        false => format!("{}, {}", callout.callee, callout.address),
    };
    let mut text = facts(&[
        ("callout", callout.id.to_string()),
        ("to", to),
        ("by", callout.way.map_or_else(String::new, |way| way.as_str().to_owned())),
        ("state", word(callout.state).to_owned()),
        ("made", time::local(&callout.made_at, zone)),
        ("alarms", alarms),
        ("subject", callout.subject.clone()),
    ]);
    text.push_str(&format!("\n\n{}", indented(&found.text)));
    for attempt in &found.attempts {
        let outcome = attempt.outcome.map_or("goes on", AttemptOutcome::as_str);
        text.push_str(&format!("\n\n{}  {outcome}\n{}", time::local(&attempt.began_at, zone), indented(&attempt.said)));
    }
    text
}

fn indented(text: &str) -> String {
    text.lines().map(|line| format!("  {line}")).collect::<Vec<_>>().join("\n")
}
