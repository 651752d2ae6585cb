//! `lantern changes` and `lantern undo`.

use super::{Context, zone};
use crate::args::ChangesArgs;
use crate::output::table;
use crate::server::{segment, with_query};
use crate::time;
use anyhow::{Context as _, Result};
use jiff::tz::TimeZone;
use lantern_api::{ChangeLine, FieldDifference, Page};

/// Characters of a value in the table.
const MOST_CHARACTERS: usize = 40;

pub(crate) async fn list(context: &Context, args: ChangesArgs) -> Result<()> {
    let server = context.server()?;
    let (path, zone) = if args.everywhere {
        ("changes".to_owned(), TimeZone::system())
    } else {
        (format!("sites/{}/changes", segment(&server.site_code().await?)), zone(&server).await?)
    };
    let moment = |text: Option<String>| text.map(|text| time::moment(&text, &zone)).transpose();
    let mut query = Vec::new();
    query.extend(args.about.map(|about| ("object", about)));
    query.extend(args.who.map(|who| ("who", who)));
    query.extend(args.words.map(|words| ("words", words)));
    query.extend(moment(args.from)?.map(|at| ("from", at.to_string())));
    query.extend(moment(args.to)?.map(|at| ("to", at.to_string())));
    if let Some(file) = args.file {
        let text = server.text(&with_query(&format!("{path}/file"), &query)).await?;
        std::fs::write(&file, &text).with_context(|| format!("{} cannot be written", file.display()))?;
        return context.output.say(&format!("{} rows written to {}", text.lines().count() - 1, file.display()));
    }
    query.push(("limit", args.most.to_string()));
    let page: Page<ChangeLine> = server.get(&path, &query).await?;
    context.output.print(&page.items, |lines| {
        if lines.is_empty() {
            return "Nothing was changed that fits.".to_owned();
        }
        table(&["id", "at", "who", "by", "what", "how"], &[0], lines.iter().map(|line| row(line, &zone)).collect())
    })
}

pub(crate) async fn undo(context: &Context, id: i64) -> Result<()> {
    let server = context.server()?;
    let path = format!("sites/{}/changes/{id}/undo", segment(&server.site_code().await?));
    let line: ChangeLine = server.post(&path, &()).await?;
    context.output.print(&line, |line| format!("change {id} is undone: {}", differences(&line.differences)))
}

fn row(line: &ChangeLine, zone: &TimeZone) -> Vec<String> {
    let object = if line.object.is_empty() { "the site" } else { &line.object };
    let place = line.site.as_ref().map_or(String::new(), |site| format!("{site}: "));
    // What was made or removed as a whole is not told field by field.
    let is_whole = ["added", "removed"].contains(&line.action.as_str());
    let mut how = if is_whole { String::new() } else { differences(&line.differences) };
    if let Some(by) = line.undone_by {
        how = format!("(undone by {by}) {how}");
    }
    let by = format!("{} at {}", line.way, line.from);
    vec![
        line.id.to_string(),
        time::local(&line.at, zone),
        line.who.clone(),
        by,
        format!("{place}{} {object}", line.action),
        how,
    ]
}

fn differences(all: &[FieldDifference]) -> String {
    let word = |value: &Option<serde_json::Value>| match value {
        None | Some(serde_json::Value::Null) => "nothing".to_owned(),
        Some(serde_json::Value::String(text)) => cut(text),
        Some(other) => cut(&other.to_string()),
    };
    all.iter()
        .map(|one| format!("{}: {} -> {}", one.field, word(&one.before), word(&one.after)))
        .collect::<Vec<_>>()
        .join("; ")
}

fn cut(text: &str) -> String {
    if text.chars().count() <= MOST_CHARACTERS {
        return text.to_owned();
    }
    text.chars().take(MOST_CHARACTERS - 1).chain(['…']).collect()
}
