//! `lantern export`.

use super::Context;
use crate::args::{ExportArgs, ExportFormat};
use crate::server::segment;
use anyhow::{Context as _, Result, bail};
use futures::StreamExt;
use indicatif::{ProgressBar, ProgressStyle};
use jiff::Timestamp;
use jiff::tz::TimeZone;
use std::fs::File;
use std::io::{self, BufWriter, IsTerminal, Write};
use std::time::Duration;

pub(crate) async fn run(context: &Context, args: ExportArgs) -> Result<()> {
    let server = context.server()?;
    let site = server.site().await?;
    let zone = TimeZone::get(&site.zone)?;
    let mut query = vec![("format", args.format.as_str().to_owned())];
    if !args.signals.is_empty() {
        query.push(("signals", args.signals.join(",")));
    }
    query.extend(args.span.begin(&zone, Timestamp::now())?.map(|at| ("from", at)));
    query.extend(args.span.end(&zone)?.map(|at| ("to", at)));
    query.extend(args.zone.map(|zone| ("zone", zone)));
    query.extend(args.full_digits.then(|| ("digits", "full".to_owned())));
    query.extend(args.spreadsheet.then(|| ("times", "spreadsheet".to_owned())));
    query.extend(args.by.map(|by| ("by", by.as_str().to_owned())));
    query.extend(args.every.map(|seconds| ("width_s", seconds.to_string())));
    let figures: Vec<_> = args.figures.iter().map(|figure| figure.as_str()).collect();
    query.extend((!figures.is_empty()).then(|| ("figures", figures.join(","))));
    query.extend(args.all.then(|| ("all", "true".to_owned())));

    let response = server.stream(&format!("sites/{}/export", segment(&site.code)), &query, None).await?;
    let mut sink: Box<dyn Write> = match &args.file {
        Some(file) => {
            Box::new(BufWriter::new(File::create(file).with_context(|| format!("cannot write {}", file.display()))?))
        }
        None => Box::new(io::stdout().lock()),
    };
    // A bar beside the data would spoil them on the same screen.
    let is_watched = io::stderr().is_terminal() && (args.file.is_some() || !io::stdout().is_terminal());
    let bar = if is_watched { progress() } else { ProgressBar::hidden() };
    let mut body = response.bytes_stream();
    let mut tail = Vec::new();
    while let Some(chunk) = body.next().await {
        let chunk = chunk.context("the export broke off: the connection was lost")?;
        match sink.write_all(&chunk) {
            Err(error) if error.kind() == io::ErrorKind::BrokenPipe => return Ok(()),
            other => other?,
        }
        tail = chunk[chunk.len().saturating_sub(64)..].to_vec();
        bar.inc(chunk.len() as u64);
    }
    sink.flush()?;
    bar.finish_and_clear();
    let is_whole = match args.format {
        ExportFormat::Csv | ExportFormat::CsvLong => !tail.windows(13).any(|part| part == b"# broken off:"),
        ExportFormat::JsonLines => !tail.windows(14).any(|part| part == b"{\"broken_off\":"),
        ExportFormat::Json | ExportFormat::Senml => tail.ends_with(b"]"),
        ExportFormat::SenmlCbor => tail.ends_with(&[0xff]),
        ExportFormat::Parquet => tail.ends_with(b"PAR1"),
    };
    if !is_whole {
        bail!("the export broke off: the service failed while reading; what was written is not all");
    }
    Ok(())
}

fn progress() -> ProgressBar {
    let bar = ProgressBar::new_spinner();
    if let Ok(style) = ProgressStyle::with_template("{spinner} {bytes} written, {bytes_per_sec}") {
        bar.set_style(style);
    }
    bar.enable_steady_tick(Duration::from_millis(200));
    bar
}
