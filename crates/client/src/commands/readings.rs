//! `lantern readings`.

use super::{Context, zone};
use crate::args::ReadingsArgs;
use crate::output::{Form, emit, table};
use crate::server::segment;
use crate::{show, time};
use anyhow::Result;
use jiff::Timestamp;
use lantern_api::{Page, Reading};

const PAGE: u64 = 5_000;

pub(crate) async fn run(context: &Context, args: ReadingsArgs) -> Result<()> {
    let server = context.server()?;
    let zone = zone(&server).await?;
    let rest = format!("/signals/{}/readings", segment(&args.signal.signal));
    let path = server.device_path(&args.signal.device, &rest).await?;
    let mut query = vec![("order", if args.newest { "descending" } else { "ascending" }.to_owned())];
    query.extend(args.span.begin(&zone, Timestamp::now())?.map(|at| ("from", at)));
    query.extend(args.span.end(&zone)?.map(|at| ("to", at)));
    query.extend(args.unit.clone().map(|unit| ("unit", unit)));
    if args.all {
        query.push(("all", "true".to_owned()));
    }

    let mut readings: Vec<Reading> = Vec::new();
    let mut after = None;
    let is_more = loop {
        let left = args.limit - readings.len() as u64;
        let mut query = query.clone();
        query.push(("limit", left.min(PAGE).to_string()));
        query.extend(after.map(|after| ("after", after)));
        let page: Page<Reading> = server.get(&path, &query).await?;
        readings.extend(page.items);
        after = page.next;
        if after.is_none() || readings.len() as u64 >= args.limit {
            break after.is_some();
        }
    };
    context.output.print(&readings, |readings| {
        if readings.is_empty() {
            return format!("{} has no readings in that time", args.signal);
        }
        // Columns that say something only.
        let has_raw = readings.iter().any(|reading| reading.raw.is_some());
        let has_doubt = readings.iter().any(|reading| reading.quality.is_some());
        let row = |r: &Reading| {
            let mut row = vec![time::local(&r.at, &zone), show::plain(&r.value)];
            row.extend(has_raw.then(|| r.raw.as_ref().map_or_else(String::new, show::plain)));
            row.extend(has_doubt.then(|| doubt(r)));
            row
        };
        let mut headings = vec!["time", "value"];
        headings.extend(has_raw.then_some("as sent"));
        headings.extend(has_doubt.then_some("quality"));
        table(&headings, if has_raw { &[1, 2] } else { &[1] }, readings.iter().map(row).collect())
    })?;
    if is_more && context.output.form == Form::Table {
        emit(&format!("… and more; see further with --limit, or `lantern export {}`", args.signal))?;
    }
    Ok(())
}

/// What is doubtful of a reading, in words.
fn doubt(reading: &Reading) -> String {
    let Some(quality) = reading.quality else { return "good".to_owned() };
    format!("{}: {}", show::quality(quality), reading.cause.as_deref().unwrap_or("unknown"))
}
