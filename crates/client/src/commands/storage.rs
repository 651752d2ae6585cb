//! `lantern summary`, `gaps`, `retention`, `erase`, `storage` and `backup`.

use super::{Context, ask, zone};
use crate::args::{BackupArgs, EraseArgs, GapsArgs, RetentionArgs, SpanArgs, SummaryArgs};
use crate::output::{Form, emit, facts, table};
use crate::server::{Server, segment};
use crate::{show, time};
use anyhow::{Context as _, Result, bail};
use futures::StreamExt;
use indicatif::{ProgressBar, ProgressStyle};
use jiff::Timestamp;
use jiff::tz::TimeZone;
use lantern_api::{
    Bucket, Deletion, Gap, Page, Retention, RetentionEffect, RetentionState, SignalSpan, Storage, SummaryTable, Value,
};
use std::fs::File;
use std::io::{BufWriter, IsTerminal, Write};
use std::path::PathBuf;
use std::time::Duration;

pub(crate) async fn summary(context: &Context, args: SummaryArgs) -> Result<()> {
    let server = context.server()?;
    let zone = zone(&server).await?;
    let list: Vec<String> = args.signals.iter().map(ToString::to_string).collect();
    let mut query = vec![("signals", list.join(","))];
    query.extend(args.span.begin(&zone, Timestamp::now())?.map(|at| ("from", at)));
    query.extend(args.span.end(&zone)?.map(|at| ("to", at)));
    match args.by {
        Some(by) => query.push(("by", by.as_str().to_owned())),
        None => query.push(("buckets", args.buckets.to_string())),
    }
    let path = format!("sites/{}/summary", segment(&server.site_code().await?));
    let summary: SummaryTable = server.get(&path, &query).await?;
    context.output.print(&summary, |summary| {
        let of_signal = |one: &lantern_api::SignalSummary| {
            let unit = one.unit.as_ref().map(|unit| format!(" in {unit}")).unwrap_or_default();
            let title = format!("{}{unit}", one.signal);
            if one.buckets.is_empty() {
                return format!("{title}: no readings in that time");
            }
            let rows = one.buckets.iter().map(|bucket| row(bucket, summary.time.by.is_some(), &zone)).collect();
            let headings = ["from", "least", "mean", "most", "first", "last", "mean in time", "readings"];
            format!("{title}\n{}", table(&headings, &[1, 2, 3, 4, 5, 6, 7], rows))
        };
        summary.signals.iter().map(of_signal).collect::<Vec<_>>().join("\n\n")
    })
}

fn row(bucket: &Bucket, is_date: bool, zone: &TimeZone) -> Vec<String> {
    let start = Timestamp::from_millisecond(bucket.start_ms as i64).unwrap_or_default().to_zoned(zone.clone());
    let start = start.strftime(if is_date { "%a %Y-%m-%d" } else { "%Y-%m-%d %H:%M:%S" }).to_string();
    let number = |value: f64| show::plain(&Value::Number((value * 1e4).round() / 1e4));
    let b = bucket;
    let mut row = vec![start];
    row.extend([b.min, b.mean, b.max, b.first, b.last, b.time_mean].map(number));
    row.push(b.count.to_string());
    row
}

pub(crate) async fn span(context: &Context, args: SpanArgs) -> Result<()> {
    let server = context.server()?;
    let zone = zone(&server).await?;
    let list: Vec<String> = args.signals.iter().map(ToString::to_string).collect();
    let query: Vec<(&str, String)> = if list.is_empty() { Vec::new() } else { vec![("signals", list.join(","))] };
    let path = format!("sites/{}/span", segment(&server.site_code().await?));
    let spans: Vec<SignalSpan> = server.get(&path, &query).await?;
    context.output.print(&spans, |spans| {
        let at = |at: &Option<String>| at.as_ref().map_or_else(|| "—".to_owned(), |at| time::local(at, &zone));
        let row = |span: &SignalSpan| vec![span.signal.clone(), at(&span.first_at), at(&span.last_at)];
        table(&["signal", "first", "last"], &[], spans.iter().map(row).collect())
    })
}

pub(crate) async fn gaps(context: &Context, args: GapsArgs) -> Result<()> {
    let server = context.server()?;
    let zone = zone(&server).await?;
    let rest = format!("/signals/{}/gaps", segment(&args.signal.signal));
    let mut query = vec![("limit", "1000".to_owned())];
    query.extend(args.span.begin(&zone, Timestamp::now())?.map(|at| ("from", at)));
    query.extend(args.span.end(&zone)?.map(|at| ("to", at)));
    query.extend(args.longer_than.map(|seconds| ("longer_than_s", seconds.to_string())));
    let page: Page<Gap> = server.get(&server.device_path(&args.signal.device, &rest).await?, &query).await?;
    context.output.print(&page.items, |gaps| {
        if gaps.is_empty() {
            return format!("{} has no gap in that time", args.signal);
        }
        let row = |gap: &Gap| vec![time::local(&gap.from, &zone), time::local(&gap.to, &zone), time::age(gap.length_s)];
        table(&["last before", "first after", "length"], &[2], gaps.iter().map(row).collect())
    })?;
    if page.next.is_some() {
        context.output.say("… and more; ask for a shorter time, or for longer gaps with --longer-than")?;
    }
    Ok(())
}

pub(crate) async fn retention(context: &Context, args: RetentionArgs) -> Result<()> {
    let server = context.server()?;
    let (path, what) = match (&args.signal, &args.kind) {
        (Some(signal), _) => {
            let rest = format!("/signals/{}/retention", segment(&signal.signal));
            (server.device_path(&signal.device, &rest).await?, signal.to_string())
        }
        (None, Some(kind)) => {
            let path = format!("sites/{}/kinds/{}/retention", segment(&server.site_code().await?), segment(kind));
            (path, format!("kind {kind}"))
        }
        (None, None) => bail!("name a signal, or a kind with --kind"),
    };
    if args.reset {
        server.remove(&path).await?;
        return context.output.say(&format!("{what} has no retention of its own any more"));
    }
    let state: RetentionState = server.get(&path, &[]).await?;
    let given = [args.raw, args.minutes, args.hours, args.days];
    if given.iter().all(Option::is_none) {
        return context.output.print(&state, |state| {
            let whose = if state.own.is_some() { "its own" } else { "not set here" };
            format!("{what} ({whose})\n{}", kept(&state.effective))
        });
    }
    let now = state.effective;
    let or = |new: Option<crate::args::Keep>, old: Option<f64>| new.map_or(old, |keep| keep.0);
    let wanted = Retention {
        raw_s: or(args.raw, now.raw_s),
        minute_s: or(args.minutes, now.minute_s),
        hour_s: or(args.hours, now.hour_s),
        day_s: or(args.days, now.day_s),
    };
    let dry = if args.dry_run { "?dry_run=true" } else { "" };
    let effect: RetentionEffect = server.put(&format!("{path}{dry}"), &wanted).await?;
    context.output.print(&effect, |effect| {
        let tense = if effect.set { "within the hour" } else { "if it were set" };
        let signals = if effect.signals == 1 { "1 signal".to_owned() } else { format!("{} signals", effect.signals) };
        format!(
            "{what}, {signals}\n{}\n{tense}: {} readings go, summaries of {} of them stay, {} become free",
            kept(&wanted),
            effect.readings,
            effect.summarized,
            size(effect.bytes)
        )
    })
}

fn kept(retention: &Retention) -> String {
    let length = |seconds: Option<f64>| seconds.map_or_else(|| "for ever".to_owned(), time::age);
    facts(&[
        ("readings", length(retention.raw_s)),
        ("minutes", length(retention.minute_s)),
        ("hours", length(retention.hour_s)),
        ("days", length(retention.day_s)),
    ])
}

/// Bytes in words.
pub(super) fn size(bytes: u64) -> String {
    match bytes as f64 {
        b if b < 1e3 => format!("{b} bytes"),
        b if b < 1e6 => format!("{:.1} kB", b / 1e3),
        b if b < 1e9 => format!("{:.1} MB", b / 1e6),
        b => format!("{:.2} GB", b / 1e9),
    }
}

pub(crate) async fn erase(context: &Context, args: EraseArgs) -> Result<()> {
    let server = context.server()?;
    let zone = zone(&server).await?;
    let rest = format!("/signals/{}/readings", segment(&args.signal.signal));
    let path = server.device_path(&args.signal.device, &rest).await?;
    let times = [("from", &args.from), ("to", &args.to)];
    let times = times.map(|(name, text)| Ok((name, time::moment(text, &zone)?.to_string())));
    let mut query: Vec<(&str, String)> = times.into_iter().collect::<Result<_>>()?;
    query.push(("dry_run", "true".to_owned()));
    let mut deletion: Deletion = server.delete(&path, &query).await?;
    if !args.dry_run && deletion.readings > 0 {
        if !args.yes {
            let question = format!("Delete {} readings of {}? Type yes", deletion.readings, args.signal);
            if ask(&question, "say --yes to delete readings where nobody can be asked")? != "yes" {
                bail!("nothing was deleted");
            }
        }
        query.pop();
        deletion = server.delete(&path, &query).await?;
    }
    context.output.print(&deletion, |deletion| {
        let done = if deletion.deleted { "deleted" } else { "in that time; none was deleted" };
        format!("{} readings of {} {done}", deletion.readings, args.signal)
    })
}

pub(crate) async fn storage(context: &Context) -> Result<()> {
    let storage: Storage = context.server()?.get("storage", &[]).await?;
    context.output.print(&storage, |storage| {
        let budget = storage.budget_bytes.map_or_else(|| "none: all the disk has".to_owned(), size);
        let note = if storage.nearly_full {
            "\nMost of it is used. When it is full, readings are turned away: keep less, or raise disk_budget_mb."
        } else {
            ""
        };
        format!("{}{note}", facts(&[("used", size(storage.used_bytes)), ("budget", budget)]))
    })
}

pub(crate) async fn backup(context: &Context, args: BackupArgs) -> Result<()> {
    if args.file.exists() {
        bail!("{} is there already; choose another name", args.file.display());
    }
    let server = context.server()?;
    let part = PathBuf::from(format!("{}.part", args.file.display()));
    let written = download(&server, &part).await;
    if written.is_err() {
        let _ = std::fs::remove_file(&part);
    }
    let bytes = written?;
    std::fs::rename(&part, &args.file)?;
    if context.output.form == Form::Json {
        return emit(&serde_json::json!({"file": args.file, "bytes": bytes}).to_string());
    }
    emit(&format!(
        "{} of backup, checked, in {}; put it back with: key-lantern restore {}",
        size(bytes),
        args.file.display(),
        args.file.display()
    ))
}

/// Bytes written.
async fn download(server: &Server, file: &PathBuf) -> Result<u64> {
    let mut sink = BufWriter::new(File::create(file).with_context(|| format!("cannot write {}", file.display()))?);
    let bar = if std::io::stderr().is_terminal() { ProgressBar::new_spinner() } else { ProgressBar::hidden() };
    bar.set_message("the service writes and checks the backup");
    bar.enable_steady_tick(Duration::from_millis(100));
    let response = server.stream("backup", &[], None).await?;
    let length = response.content_length().context("the service does not say how long the backup is")?;
    bar.set_length(length);
    bar.set_style(ProgressStyle::with_template("{bar:30} {bytes} of {total_bytes}  {bytes_per_sec}  {eta}")?);
    let mut body = response.bytes_stream();
    let mut written = 0;
    while let Some(chunk) = body.next().await {
        let chunk = chunk.context("the backup broke off: the connection was lost")?;
        sink.write_all(&chunk)?;
        written += chunk.len() as u64;
        bar.set_position(written);
    }
    bar.finish_and_clear();
    if written != length {
        bail!("the backup broke off: {written} of {length} bytes came");
    }
    sink.into_inner().map_err(std::io::IntoInnerError::into_error)?.sync_all()?;
    Ok(written)
}
