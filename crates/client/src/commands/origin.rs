//! `lantern origin`.

use super::{Context, zone};
use crate::args::OriginArgs;
use crate::output::facts;
use crate::server::segment;
use crate::{show, time};
use anyhow::Result;
use jiff::tz::TimeZone;
use lantern_api::{Contact, Origin, TriedStep};

pub(crate) async fn run(context: &Context, args: OriginArgs) -> Result<()> {
    let server = context.server()?;
    let zone = zone(&server).await?;
    let rest = format!("/signals/{}/origin", segment(&args.signal.signal));
    let path = server.device_path(&args.signal.device, &rest).await?;
    let at = args.at.as_deref().map(|at| time::moment(at, &zone)).transpose()?;
    let query: Vec<(&str, String)> = at.into_iter().map(|at| ("at", at.to_string())).collect();
    let origin: Origin = server.get(&path, &query).await?;
    context.output.print(&origin, |origin| told(origin, &zone))
}

/// From the contact to the value, a line for each step.
fn told(origin: &Origin, zone: &TimeZone) -> String {
    let with = |text: String, unit: &str| if unit.is_empty() { text } else { format!("{text} {unit}") };
    let mut lines: Vec<(&str, String)> = Vec::new();
    if let Some(contact) = &origin.contact {
        lines.push(("came with", came(contact, zone)));
        lines.extend(contact.payload.clone().map(|payload| ("payload", payload)));
    } else if origin.sent.is_some() {
        lines.push(("came with", "an attempt that is not in the contact log any more".to_owned()));
    }
    lines.extend(origin.decoder.clone().map(|decoder| ("read by", format!("the decoder {decoder}"))));
    if let Some(hand) = &origin.hand {
        let note = if hand.note.is_empty() { String::new() } else { format!(": {}", hand.note) };
        lines.push(("entered by", format!("{}{note}", hand.person)));
    }
    if let Some(sent) = &origin.sent {
        lines.push(("sent", with(show::plain(sent), origin.sent_unit.as_deref().unwrap_or_default())));
    }
    lines.extend(origin.formula.clone().map(|formula| ("formula", formula)));
    for other in &origin.others {
        let value = other.value.as_ref().map_or_else(|| "—".to_owned(), show::plain);
        let at = other.at.as_deref().map(|at| format!(" at {}", time::local(at, zone))).unwrap_or_default();
        let age = if other.is_too_old { ", too old to count" } else { "" };
        lines.push(("with", format!("{} {}{at}{age}", other.signal, with(value, &other.symbol))));
    }
    lines.extend(origin.steps.iter().map(|step| ("step", step_text(step))));
    if origin.remembers && !origin.steps.is_empty() {
        lines.push(("", "its meaning remembers what was before; this is each step by itself".to_owned()));
    }
    if let Some(version) = &origin.version {
        let made = format!("{} of {}, {}", version.version, version.made_by, time::local(&version.made_at, zone));
        lines.push(("meaning", format!("version {made}")));
    }
    if let Some(remade) = &origin.remade {
        lines.push(("made again", format!("by {}, {}", remade.by, time::local(&remade.at, zone))));
    }
    let reading = &origin.reading;
    let value = with(show::plain(&reading.value), &origin.symbol);
    lines.push(("value", format!("{value} at {}", time::local(&reading.at, zone))));
    let doubt = reading.quality.map_or_else(
        || "good".to_owned(),
        |quality| format!("{}: {}", show::quality(quality), reading.cause.as_deref().unwrap_or_default()),
    );
    lines.push(("quality", doubt));
    format!("{}\n{}", origin.signal, facts(&lines))
}

fn came(contact: &Contact, zone: &TimeZone) -> String {
    let details = &contact.details;
    let dialect = details.dialect.as_ref().map(|dialect| format!(" as {dialect}")).unwrap_or_default();
    let topic = details.topic.as_ref().map(|topic| format!(", topic {topic}")).unwrap_or_default();
    format!("{}{dialect} from {}{topic}, {}", details.protocol, details.from, time::local(&contact.at, zone))
}

fn step_text(step: &TriedStep) -> String {
    match step.output {
        Some(output) => format!("{} → {} {}", show::number(step.input), show::number(output), step.symbol),
        None => format!("{} → nothing: {}", show::number(step.input), step.why.as_deref().unwrap_or_default()),
    }
    .trim_end()
    .to_owned()
}
