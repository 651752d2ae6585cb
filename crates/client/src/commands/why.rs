//! `lantern why`.

use super::Context;
use crate::server::segment;
use anyhow::Result;
use lantern_api::{Mend, Stage, Why};

pub(crate) async fn run(context: &Context, of: &str) -> Result<()> {
    let server = context.server()?;
    let (device, signal) = match of.split_once('/') {
        Some((device, signal)) => (device, Some(signal)),
        None => (of, None),
    };
    let rest = signal.map_or_else(|| "/why".to_owned(), |signal| format!("/signals/{}/why", segment(signal)));
    let path = server.device_path(device, &rest).await?;
    let why: Why = server.get(&path, &[]).await?;
    context.output.print(&why, told)
}

/// What is right, what is wrong, and the command that mends it.
fn told(why: &Why) -> String {
    let mut lines: Vec<String> = why.passed.iter().map(|stage| format!("  ok     {}", words(*stage).0)).collect();
    lines.extend(why.stage.map(|stage| format!("  wrong  {}", words(stage).1)));
    lines.push(String::new());
    lines.push(why.what.clone());
    lines.push(why.means.clone());
    lines.extend(mending(why).map(|command| format!("\n  {command}")));
    lines.join("\n")
}

/// What is looked at, in words if it is right and if it is wrong.
const fn words(stage: Stage) -> (&'static str, &'static str) {
    match stage {
        Stage::Declared => ("it is declared", "it is not declared"),
        Stage::Key => ("it has a key that may send", "it has no key that may send"),
        Stage::Contact => ("its messages come", "its messages do not come"),
        Stage::Payload => ("they can be read", "they cannot be read"),
        Stage::Name => ("its names are declared", "a name is not declared"),
        Stage::Time => ("it goes on sending", "it no longer sends this"),
        Stage::Kept => ("its readings are still kept", "its readings are no longer kept"),
        Stage::Losses => ("its messages come through", "its messages get lost"),
        Stage::Clock => ("its clock is right", "its clock is wrong"),
        Stage::Quality => ("its values can be believed", "its value cannot be believed"),
        Stage::Live => ("it counts: it is not in trial", "it is in trial"),
    }
}

fn mending(why: &Why) -> Option<String> {
    let device = &why.device;
    let signal = |name: &str| format!("{device}/{name}");
    Some(match &why.mend {
        Mend::Nothing => return None,
        Mend::Declare => format!("lantern claim {device}"),
        Mend::IssueKey => format!("lantern key issue {device}"),
        Mend::Send => format!("lantern recipe {device}"),
        Mend::SeeContacts | Mend::SetClock => format!("lantern contacts {device}"),
        Mend::Claim { name, into: Some(into) } => format!("lantern claim {} --into {into}", signal(name)),
        Mend::Claim { name, into: None } => format!("lantern claim {}", signal(name)),
        Mend::SeeMeaning => format!("lantern screen {}", signal(why.signal.as_deref().unwrap_or_default())),
        Mend::SeeRetention => format!("lantern retention {}", signal(why.signal.as_deref().unwrap_or_default())),
        Mend::Commission => format!("lantern commission {device}"),
    })
}
