//! `lantern contacts`.

use super::{Context, zone};
use crate::args::ContactsArgs;
use crate::live::Live;
use crate::output::{Form, emit};
use crate::server::segment;
use crate::time;
use anyhow::Result;
use jiff::tz::TimeZone;
use lantern_api::{Contact, ContactEvent, Outcome, Page};
use std::fmt::Write;
use std::sync::Arc;

pub(crate) async fn run(context: &Context, args: ContactsArgs) -> Result<()> {
    let server = Arc::new(context.server()?);
    let path = match &args.device {
        Some(device) => server.device_path(device, "/contacts").await?,
        None if args.unknown => "contacts/unknown".to_owned(),
        None => format!("sites/{}/contacts", segment(&server.site_code().await?)),
    };
    // Unknown keys belong to no site, so there may be none whose zone to use.
    let zone = if args.unknown { zone(&server).await.unwrap_or(TimeZone::UTC) } else { zone(&server).await? };
    // Opened before the list is asked for, so that nothing falls between.
    let live = if args.follow { Some(Live::open(server.clone()).await?) } else { None };
    let mut page: Page<Contact> = server.get(&path, &[("limit", args.limit.to_string())]).await?;
    page.items.reverse();
    let Some(mut live) = live else {
        return context.output.print(&page.items, |contacts| list(contacts, &zone));
    };
    let device = args.device.unwrap_or_default();
    let show = |contact: &Contact| match context.output.form {
        Form::Json => Ok(serde_json::to_string(contact)?),
        Form::Table => anyhow::Ok(line(contact, &zone)),
    };
    for contact in &page.items {
        emit(&show(contact)?)?;
    }
    while let Some((name, data)) = live.recv().await {
        if name == "contact" {
            let event: ContactEvent = serde_json::from_str(&data)?;
            // What was asked for while the stream was open already may come again.
            if event.device == device && !page.items.contains(&event.contact) {
                emit(&show(&event.contact)?)?;
            }
        }
    }
    Ok(())
}

fn list(contacts: &[Contact], zone: &TimeZone) -> String {
    if contacts.is_empty() {
        return "No contact yet. `lantern recipe DEVICE` says how to send.".to_owned();
    }
    contacts.iter().map(|contact| line(contact, zone)).collect::<Vec<_>>().join("\n")
}

/// One attempt: a line, and below it what was wrong and what to do.
fn line(contact: &Contact, zone: &TimeZone) -> String {
    let d = &contact.details;
    let outcome = match d.outcome {
        Outcome::Kept => "kept   ",
        Outcome::Partly => "partly ",
        Outcome::Refused => "REFUSED",
    };
    let mut line = format!("{}  {outcome}  {} from {}", time::local(&contact.at, zone), d.protocol, d.from);
    if let Some(topic) = &d.topic {
        let _ = write!(line, " on {topic}");
    }
    // A connection that came or went holds no bytes: its note says it all.
    let is_connection = d.bytes == 0 && d.kept == 0 && !d.remarks.is_empty();
    if !is_connection {
        let _ = write!(line, ", {} bytes", d.bytes);
    }
    if let Some(dialect) = &d.dialect {
        let _ = write!(line, ", {dialect}");
    }
    if d.outcome != Outcome::Refused && !is_connection {
        let _ = write!(line, ": {} readings", d.kept);
    }
    for (count, word) in [(d.repeated, "there already"), (d.corrected, "corrected"), (d.ignored, "ignored")] {
        if count > 0 {
            let _ = write!(line, ", {count} {word}");
        }
    }
    if d.times > 1 {
        let _ = write!(line, ", {} times", d.times);
    }
    if !d.waiting.is_empty() {
        let _ = write!(line, "\n    arrived: {}", d.waiting.join(", "));
    }
    for refused in &d.refused {
        let _ = write!(line, "\n    {}: {}\n      {}", refused.code, refused.detail, refused.remedy);
    }
    let more = d.refused_count.saturating_sub(d.refused.len() as u64);
    if more > 0 && d.times == 1 {
        let _ = write!(line, "\n    and {more} more");
    }
    for remark in &d.remarks {
        let _ = write!(line, "\n    note: {}", remark.detail);
    }
    if let Some(payload) = &contact.payload {
        for part in payload.lines() {
            let shown: String = part.chars().map(|c| if c.is_control() { ' ' } else { c }).collect();
            let _ = write!(line, "\n    | {shown}");
        }
    }
    line
}
