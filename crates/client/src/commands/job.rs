//! `lantern signal reconvert`, `signal versions` and `jobs`.

use super::{Context, zone};
use crate::args::{JobsArgs, ReconvertArgs, SignalPath};
use crate::output::table;
use crate::server::{Server, segment};
use crate::time;
use anyhow::{Result, bail};
use indicatif::{ProgressBar, ProgressStyle};
use jiff::tz::TimeZone;
use lantern_api::{Job, JobState, MeaningVersion, NewReconversion, Page};
use std::io::IsTerminal;
use std::time::Duration;

/// How often a job is asked how far it is.
const ASK: Duration = Duration::from_millis(250);

async fn path(server: &Server, id: i64) -> Result<String> {
    Ok(format!("sites/{}/jobs/{id}", segment(&server.site_code().await?)))
}

pub(crate) async fn reconvert(context: &Context, args: ReconvertArgs) -> Result<()> {
    let server = context.server()?;
    let zone = zone(&server).await?;
    let at = |text: &str| -> Result<String> { Ok(time::moment(text, &zone)?.to_string()) };
    let order = NewReconversion { from: at(&args.from)?, to: args.to.as_deref().map(at).transpose()? };
    let rest = format!("/signals/{}/reconversions", segment(&args.signal.signal));
    let mut job: Job = server.post(&server.device_path(&args.signal.device, &rest).await?, &order).await?;
    if !args.no_wait {
        let bar = if std::io::stderr().is_terminal() { progress() } else { ProgressBar::hidden() };
        while job.ended_at.is_none() {
            tokio::time::sleep(ASK).await;
            job = server.get(&path(&server, job.id).await?, &[]).await?;
            bar.set_length(job.total.unwrap_or_default());
            bar.set_position(job.done);
            bar.set_message(job.at.clone().unwrap_or_default());
        }
        bar.finish_and_clear();
    }
    match job.state {
        JobState::Failed => bail!("{} was left as it was: {}", job.signal, job.detail),
        JobState::Cancelled => bail!("somebody stopped it"),
        _ => {}
    }
    context.output.print(&job, |job| match job.state {
        JobState::Done => format!("{} readings made anew, of {} and what depends on it", job.done, job.signal),
        _ => format!("job {}: see lantern jobs", job.id),
    })
}

fn progress() -> ProgressBar {
    let bar = ProgressBar::new(0);
    if let Ok(style) = ProgressStyle::with_template("{msg} {wide_bar} {pos} of {len} readings, {per_sec}") {
        bar.set_style(style);
    }
    bar
}

pub(crate) async fn versions(context: &Context, signal: SignalPath) -> Result<()> {
    let server = context.server()?;
    let zone = zone(&server).await?;
    let rest = format!("/signals/{}/meaning/versions", segment(&signal.signal));
    let versions: Vec<MeaningVersion> = server.list(&server.device_path(&signal.device, &rest).await?, &[]).await?;
    context.output.print(&versions, |versions| {
        if versions.is_empty() {
            return format!("values of {signal} have always been as they are sent");
        }
        let row = |version: &MeaningVersion| {
            let meaning = version.meaning.as_ref().map_or_else(|| "as it is sent".to_owned(), ToString::to_string);
            vec![version.version.to_string(), time::local(&version.made_at, &zone), version.made_by.clone(), meaning]
        };
        table(&["version", "made", "by", "meaning"], &[0], versions.iter().map(row).collect())
    })
}

pub(crate) async fn jobs(context: &Context, args: JobsArgs) -> Result<()> {
    let server = context.server()?;
    let zone = zone(&server).await?;
    if let Some(id) = args.cancel {
        let job: Job = server.delete(&path(&server, id).await?, &[]).await?;
        return context.output.print(&job, |job| line(job, &zone).join("  "));
    }
    let list = format!("sites/{}/jobs", segment(&server.site_code().await?));
    let page: Page<Job> = server.get(&list, &[]).await?;
    context.output.print(&page.items, |jobs| {
        if jobs.is_empty() {
            return "No history has been made anew.".to_owned();
        }
        let headings = ["job", "signal", "from", "state", "readings", "by"];
        table(&headings, &[0, 4], jobs.iter().map(|job| line(job, &zone)).collect())
    })
}

fn line(job: &Job, zone: &TimeZone) -> Vec<String> {
    let state = match job.state {
        JobState::Waiting => "waiting".to_owned(),
        JobState::Running => format!("at {}", job.at.as_deref().unwrap_or_default()),
        JobState::Done => "done".to_owned(),
        JobState::Failed => format!("failed: {}", job.detail),
        JobState::Cancelled => "cancelled".to_owned(),
    };
    let from = time::local(&job.from, zone);
    vec![job.id.to_string(), job.signal.clone(), from, state, job.done.to_string(), job.made_by.clone()]
}
