//! Runs the service under load of all protocols while things go wrong around it: it is killed,
//! its disk is full, fails or is slow, its clock leaps, strangers knock, its certificate changes.
//! Then looks whether every acknowledged reading is there once, and nothing else.

mod calls;
mod check;
mod control;
mod hostile;
mod ledger;
mod load;
mod plan;
mod service;
mod strangers;
mod watch;

use anyhow::{Result, ensure};
use calls::Receiver;
use check::check;
use clap::Parser;
use control::Files;
use ledger::Ledger;
use load::{Sender, Way, listen};
use plan::{Fault, Plan};
use reqwest::Method;
use serde_json::json;
use service::Service;
use std::process::ExitCode;
use std::sync::Arc;
use std::time::{Duration, Instant, SystemTime, UNIX_EPOCH};
use tokio::time::sleep;
use watch::Watch;

/// Runs the service while things go wrong around it, and checks what is left
#[derive(Parser)]
#[command(name = "cargo xtask faults")]
struct Options {
    /// How long
    #[arg(long, default_value_t = 1.0)]
    minutes: f64,
    /// The same seed makes the same things go wrong in the same order; another one each time if absent
    #[arg(long)]
    seed: Option<u64>,
    /// Megabytes of memory the service may use
    #[arg(long, default_value_t = 250)]
    most_mb: u64,
    /// Files it may have open
    #[arg(long, default_value_t = 2_000)]
    most_files: u64,
    /// Instead: measure how long genuine senders wait while strangers do their worst
    #[arg(long)]
    hostile: bool,
    /// Keep its folder, with its database and its log
    #[arg(long)]
    keep: bool,
}

fn main() -> ExitCode {
    let options = Options::parse();
    let seed =
        options.seed.unwrap_or_else(|| SystemTime::now().duration_since(UNIX_EPOCH).map_or(1, |now| now.as_secs()));
    println!("seed {seed}");
    let _ = rustls::crypto::ring::default_provider().install_default();
    let result = tokio::runtime::Builder::new_multi_thread().enable_all().build().map_err(anyhow::Error::from);
    match result.and_then(|runtime| runtime.block_on(run(&options, seed))) {
        Ok(true) => ExitCode::SUCCESS,
        Ok(false) => ExitCode::FAILURE,
        Err(error) => {
            eprintln!("{error:#}\nrepeat it with --seed {seed}");
            ExitCode::FAILURE
        }
    }
}

async fn run(options: &Options, seed: u64) -> Result<bool> {
    let mut folder = tempfile::tempdir()?;
    folder.disable_cleanup(options.keep);
    if options.keep {
        println!("in {}", folder.path().display());
    }
    if options.hostile {
        return hostile::run(folder.path(), options.most_mb).await;
    }
    let mut service = Service::start(folder.path()).await?;
    let watch = Arc::<Watch>::default();
    watch.at(service.id());
    watch.start();
    let rest_files = watch::files(service.id());
    let mut senders = Vec::new();
    let ways = [Way::Http, Way::Http, Way::HttpUntimed, Way::Qos1, Way::Qos1, Way::Qos2, Way::Qos2];
    for (number, way) in ways.into_iter().enumerate() {
        let device = format!("device-{number}");
        let key = service.device(&device).await?;
        senders.push(Sender { device, key, way, ledger: Ledger::default() });
    }
    let reader = service.call(Method::POST, "sites/marlbeck/keys", Some(json!({"grants": ["read"]}))).await?;
    let heard = listen(reader["key"].as_str().unwrap_or_default(), &service.place).await?;
    let receiver = Receiver::start(&service.place.url).await?;
    receiver.watch(&service).await?;
    let (stop, stopped) = tokio::sync::watch::channel(false);
    let tasks: Vec<_> = senders.iter().map(|sender| sender.start(&service.place, stopped.clone())).collect();

    let begun = Instant::now();
    let end = Duration::from_secs_f64(options.minutes * 60.0);
    let (mut count, mut slowest) = (0, Duration::ZERO);
    for (number, (pause, fault)) in Plan::new(seed).enumerate() {
        if begun.elapsed() + pause > end {
            break;
        }
        sleep(pause).await;
        let at: Vec<String> = senders.iter().map(|sender| sender.ledger.sent().to_string()).collect();
        println!("{:>7.1} s  {fault} ({})", begun.elapsed().as_secs_f64(), at.join(" "));
        happen(&mut service, fault, seed.wrapping_add(number as u64)).await?;
        slowest = slowest.max(service.wait_until_well().await?);
        watch.at(service.id());
        count += 1;
    }

    let _ = stop.send(true);
    for task in tasks {
        task.await??;
    }
    println!(
        "\n{:<10} {:<12} {:>8} {:>8} {:>8} {:>5} {:>7} {:>7} {:>9} {:>7}",
        "device", "way", "sent", "acked", "kept", "lost", "doubled", "strange", "summaries", "unheard"
    );
    let mut is_clean = true;
    for sender in &senders {
        let verdict = check(&service, sender, &heard).await?;
        let of = &verdict.differences;
        println!(
            "{:<10} {:<12} {:>8} {:>8} {:>8} {:>5} {:>7} {:>7} {:>9} {:>7}",
            sender.device,
            format!("{:?}", sender.way),
            of.sent,
            of.acknowledged,
            of.kept,
            of.lost.len(),
            of.doubled,
            of.strange,
            verdict.wrong_summaries,
            verdict.unheard.len()
        );
        for (what, numbers) in [("lost", &of.lost), ("unheard", &verdict.unheard)] {
            if !numbers.is_empty() {
                println!("           {what}: {}", ranges(numbers));
            }
        }
        is_clean &= verdict.is_clean();
    }
    let timed: Vec<&str> =
        senders.iter().filter(|sender| sender.way.is_timed()).map(|sender| sender.device.as_str()).collect();
    let calls = receiver.check(&service, &timed).await?;
    println!(
        "\n{} alarms: {} lost, {} doubled, {} strange; {} called nobody, {} called twice",
        calls.alarms, calls.lost, calls.doubled, calls.strange, calls.uncalled, calls.called_twice
    );
    is_clean &= calls.is_clean();
    service.stop()?;
    println!(
        "\n{count} faults, {} writes spoilt; at most {} MB of memory and {} open files ({rest_files} at rest); well again after {:.1} s at most; ended by itself {} times; seed {seed}",
        service.control.spoilt()?,
        watch.memory_mb(),
        watch.files(),
        slowest.as_secs_f64(),
        service.ended
    );
    ensure!(watch.memory_mb() <= options.most_mb, "more memory than {} MB", options.most_mb);
    ensure!(watch.files() <= options.most_files, "more open files than {}", options.most_files);
    println!("{}", if is_clean { "clean" } else { "NOT CLEAN" });
    Ok(is_clean)
}

/// Numbers in order as the first ten ranges.
fn ranges(numbers: &[u64]) -> String {
    let parts = numbers.chunk_by(|a, b| a + 1 == *b);
    let shown = |part: &[u64]| match part {
        [first, .., last] => format!("{first} to {last}"),
        [only] => only.to_string(),
        [] => String::new(),
    };
    parts.take(10).map(shown).collect::<Vec<_>>().join(", ")
}

/// Lets something go wrong, and be well again.
async fn happen(service: &mut Service, fault: Fault, seed: u64) -> Result<()> {
    let spoil = async |service: &Service, files: Files, time: Duration| {
        service.control.files(files)?;
        sleep(time).await;
        service.control.files(Files::Well)
    };
    match fault {
        Fault::Kill => {
            service.kill()?;
            service.start_again()
        }
        Fault::Stop => {
            service.stop()?;
            service.start_again()
        }
        Fault::FullDisk(time) => spoil(service, Files::Full, time).await,
        Fault::FailingWrites(of_thousand, time) => spoil(service, Files::Failing(of_thousand), time).await,
        Fault::SlowWrites(milliseconds, time) => spoil(service, Files::Slow(milliseconds), time).await,
        Fault::KillOnFullDisk => {
            service.control.files(Files::Full)?;
            sleep(Duration::from_millis(500)).await;
            service.kill()?;
            service.control.files(Files::Well)?;
            service.start_again()
        }
        Fault::Strangers(count) => {
            strangers::visit(count, &service.place, seed).await;
            Ok(())
        }
        Fault::ClockLeap(seconds, time) => {
            service.control.clock_ahead(seconds)?;
            sleep(time).await;
            service.control.clock_ahead(0)
        }
        Fault::LeapAtStart(seconds, time) => {
            service.kill()?;
            service.control.clock_ahead(seconds)?;
            service.start_again()?;
            sleep(time).await;
            service.control.clock_ahead(0)
        }
        Fault::NewCertificate => service.new_certificate().await,
    }
}

#[cfg(test)]
mod tests {
    use super::ranges;

    #[test]
    fn numbers_are_shown_as_ranges() {
        assert_eq!(ranges(&[1, 2, 3, 7, 9, 10]), "1 to 3, 7, 9 to 10");
        assert_eq!(ranges(&[]), "");
    }
}
