//! Measurements, each against a limit from the same run.
//!
//! Absolute figures depend on the machine and on what else it does; the ratio of
//! a figure to a limit measured in turn with it does much less. Each entry runs
//! figure and limit alternately and takes the medians.

mod alarm_history;
mod charts;
mod console;
mod dialects;
mod intake;
mod latency;
mod meaning;
mod month;
mod mqtt;
mod now;
mod page;
mod plain_rows;
mod reconvert;
mod service;
mod single;
mod store;
mod store_data;
mod thousand;
mod work;

use anyhow::{Result, bail};
use clap::Parser;
use serde::Serialize;
use std::path::PathBuf;
use std::process::ExitCode;

#[derive(Parser)]
#[command(name = "lantern-bench", about = "Measure, each figure against a limit from the same run")]
struct Cli {
    /// Entries to measure; all if absent
    names: Vec<String>,
    /// Also write the results to a file, as a JSON array
    #[arg(long, value_name = "FILE")]
    json: Option<PathBuf>,
    /// How often each figure and each limit is measured
    #[arg(long, default_value_t = 5, value_parser = clap::value_parser!(u8).range(1..=99))]
    rounds: u8,
}

/// One result.
#[derive(Debug, Serialize)]
pub(crate) struct Entry {
    pub(crate) name: &'static str,
    pub(crate) figure: f64,
    pub(crate) unit: &'static str,
    pub(crate) limit: f64,
    /// Turned so that bigger is better.
    pub(crate) ratio: f64,
}

const NAMES: [&str; 40] = [
    "intake-batch-1000",
    "intake-single-64",
    "intake-senml-cbor",
    "intake-csv",
    "intake-waveform",
    "intake-decode",
    "intake-record",
    "mqtt-qos1-100",
    "mqtt-idle-5000",
    "mqtt-fanout-1000",
    "now-1000",
    "live-latency",
    "console-live-1000",
    "console-lamp-ready",
    "console-first-load",
    "console-chart-year",
    "console-zoom",
    "console-live-charts",
    "console-waveform",
    "store-bytes-slow",
    "store-bytes-waveform",
    "store-chart-year",
    "store-chart-20",
    "figures-month",
    "export-parquet",
    "store-append",
    "store-scan",
    "store-growth",
    "store-chart-all",
    "store-start",
    "store-waveform-day",
    "meaning-chain",
    "meaning-formula",
    "meaning-intake",
    "meaning-screened",
    "meaning-reconvert",
    "watches-intake",
    "watches-latency",
    "alarms-history",
    "door-single-64",
];

fn main() -> ExitCode {
    let _ = rustls::crypto::ring::default_provider().install_default();
    let cli = Cli::parse();
    let runtime = tokio::runtime::Builder::new_multi_thread().enable_all().build().map_err(anyhow::Error::from);
    match runtime.and_then(|runtime| runtime.block_on(measure(&cli))) {
        Ok(()) => ExitCode::SUCCESS,
        Err(error) => {
            eprintln!("bench: {error:#}");
            ExitCode::FAILURE
        }
    }
}

async fn measure(cli: &Cli) -> Result<()> {
    if cli.names == [single::BARE] {
        return single::serve().await;
    }
    if cli.names == [mqtt::BARE] {
        return mqtt::serve().await;
    }
    if let Some(unknown) = cli.names.iter().find(|name| !NAMES.contains(&name.as_str())) {
        bail!("there is no entry `{unknown}`; there are {}", NAMES.join(", "));
    }
    let wanted = NAMES.into_iter().filter(|name| cli.names.is_empty() || cli.names.iter().any(|n| n == name));
    let mut entries = Vec::new();
    println!("{:24} {:>14} {:>14} {:12} {:>7}", "entry", "figure", "limit", "unit", "ratio");
    for name in wanted {
        let entry = match name {
            "intake-batch-1000" => intake::batch_1000(cli.rounds).await?,
            "intake-single-64" => single::single_64(cli.rounds).await?,
            "watches-intake" => intake::watched(cli.rounds).await?,
            "watches-latency" => latency::alarms().await?,
            "alarms-history" => alarm_history::measure(cli.rounds).await?,
            "door-single-64" => single::door_64(cli.rounds).await?,
            "intake-decode" => intake::decode(cli.rounds).await?,
            "intake-record" => intake::record(cli.rounds).await?,
            "mqtt-qos1-100" => mqtt::qos1_100(cli.rounds).await?,
            "mqtt-idle-5000" => mqtt::idle_5000().await?,
            "mqtt-fanout-1000" => mqtt::fanout_1000(cli.rounds).await?,
            "now-1000" => now::now_1000(cli.rounds).await?,
            "live-latency" => latency::measure().await?,
            "console-chart-year" | "console-zoom" | "console-live-charts" | "console-waveform" => {
                charts::measure(name, cli.rounds).await?
            }
            name if name.starts_with("console-") => console::measure(name, cli.rounds).await?,
            "store-bytes-slow" | "store-bytes-waveform" => store::bytes(name).await?,
            "store-chart-year" => store::chart_year(cli.rounds).await?,
            "store-chart-20" => month::chart_20(cli.rounds).await?,
            "figures-month" => month::figures(cli.rounds).await?,
            "export-parquet" => month::parquet(cli.rounds).await?,
            "store-scan" => month::scan(cli.rounds).await?,
            "store-append" => store::append(cli.rounds).await?,
            "store-growth" => store::growth().await?,
            "store-chart-all" => store::chart_all().await?,
            "store-start" => store::start().await?,
            "store-waveform-day" => store::waveform_day().await?,
            "meaning-chain" => meaning::chain(cli.rounds)?,
            "meaning-formula" => meaning::formula(cli.rounds)?,
            "meaning-intake" => intake::with_meaning(name, &intake::converted(), cli.rounds).await?,
            "meaning-screened" => intake::with_meaning(name, &intake::screened(), cli.rounds).await?,
            "meaning-reconvert" => reconvert::measure(cli.rounds).await?,
            dialect => dialects::measure(dialect, cli.rounds).await?,
        };
        println!(
            "{:24} {:>14} {:>14} {:12} {:>7.2}",
            entry.name,
            shown(entry.figure),
            shown(entry.limit),
            entry.unit,
            entry.ratio
        );
        entries.push(entry);
    }
    if let Some(file) = &cli.json {
        std::fs::write(file, serde_json::to_vec_pretty(&entries)?)?;
    }
    Ok(())
}

/// Small figures with decimals.
fn shown(figure: f64) -> String {
    if figure < 100.0 { format!("{figure:.2}") } else { format!("{figure:.0}") }
}

/// The middle one.
pub(crate) fn median(values: Vec<f64>) -> f64 {
    lantern_core::median(values.into_iter()).unwrap_or_default()
}
