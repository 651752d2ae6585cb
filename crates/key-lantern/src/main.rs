//! The service binary: the command line, and the console's files.

mod console;
mod install;

use clap::{Args, Parser, Subcommand};
use console::Console;
use install::{InstallArgs, UninstallArgs};
use lantern_http::openapi_document;
use lantern_service::settings::{Flags, LogFormat, Settings};
use lantern_service::{Cause, maintenance, serve, with_sources};
use std::io::IsTerminal;
use std::path::PathBuf;
use std::process::ExitCode;
use std::sync::Arc;
use tracing_subscriber::filter::Targets;
use tracing_subscriber::prelude::*;

/// Each request allocates and frees a few dozen small things on several threads,
/// which the system's allocator is slow at (docs/performance.md).
#[global_allocator]
static ALLOCATOR: mimalloc::MiMalloc = mimalloc::MiMalloc;

#[derive(Parser)]
#[command(
    name = "key-lantern",
    version,
    about = "Receives what sensors send, keeps it and shows it live and in history",
    after_help = "Settings come from the defaults, a TOML file, KEY_LANTERN_… variables and flags, each over the one before.\n\nExamples:\n  key-lantern serve\n  key-lantern serve --data /var/lib/key-lantern --http 0.0.0.0:8710\n  KEY_LANTERN_LOG_FORMAT=json key-lantern serve --config key-lantern.toml\n  key-lantern settings --config key-lantern.toml"
)]
struct Cli {
    #[command(subcommand)]
    command: Command,
}

#[derive(Subcommand)]
enum Command {
    /// Run the service until SIGINT or SIGTERM; a second signal forces the end
    Serve(Flags),
    /// Print the effective settings and where each came from
    Settings(Flags),
    /// Print the description of the HTTP interface (OpenAPI 3.1), as /api/v1/openapi.json has it
    Openapi,
    /// Check the database: segments, summaries against readings, references
    #[command(
        after_help = "The service must not be running. Exit code 1 if anything is wrong.\n\nExamples:\n  key-lantern check --data /var/lib/key-lantern\n  key-lantern check --data /var/lib/key-lantern --repair"
    )]
    Check(CheckArgs),
    /// Put a backup in place as the database, after checking it
    #[command(
        after_help = "The service must not be running. `lantern backup FILE` makes such files.\n\nExamples:\n  key-lantern restore monday.sqlite --data /var/lib/key-lantern\n  key-lantern restore monday.sqlite --data /var/lib/key-lantern --replace"
    )]
    Restore(RestoreArgs),
    /// Install the service: a user of its own, a unit of systemd with few rights, settings, a data folder
    #[command(
        after_help = "Done again with a newer program it brings the service up to date; settings that are there stay.\n\nExamples:\n  key-lantern install --dry-run\n  sudo key-lantern install"
    )]
    Install(InstallArgs),
    /// Take the service away; settings and data stay unless the data folder is named once more
    #[command(
        after_help = "Examples:\n  sudo key-lantern uninstall\n  sudo key-lantern uninstall --purge /var/lib/key-lantern"
    )]
    Uninstall(UninstallArgs),
}

#[derive(Args)]
struct CheckArgs {
    /// Directory of the database
    #[arg(long, value_name = "DIR", env = "KEY_LANTERN_DATA", default_value = "key-lantern-data")]
    data: PathBuf,
    /// Put right what can be
    #[arg(long)]
    repair: bool,
}

#[derive(Args)]
struct RestoreArgs {
    /// The backup
    file: PathBuf,
    /// Directory of the database
    #[arg(long, value_name = "DIR", env = "KEY_LANTERN_DATA", default_value = "key-lantern-data")]
    data: PathBuf,
    /// Put it in place of a database that is there, which is kept beside it
    #[arg(long)]
    replace: bool,
}

fn main() -> ExitCode {
    let result = match Cli::parse().command {
        Command::Serve(flags) => run(&flags),
        Command::Check(args) => check(&args),
        Command::Restore(args) => restore(&args),
        Command::Install(args) => install::install(&args),
        Command::Uninstall(args) => install::uninstall(&args),
        Command::Openapi => {
            println!("{:#}", openapi_document());
            Ok(())
        }
        Command::Settings(flags) => flags.resolve().map(|(_, sourced)| print_settings(&sourced)).map_err(Cause::from),
    };
    match result {
        Ok(()) => ExitCode::SUCCESS,
        Err(error) => {
            eprintln!("key-lantern: {}", with_sources(&*error));
            ExitCode::FAILURE
        }
    }
}

fn run(flags: &Flags) -> Result<(), Cause> {
    let (settings, _) = flags.resolve()?;
    start_logging(&settings)?;
    Ok(serve(settings, Arc::new(Console))?)
}

fn print_settings(sourced: &[(String, String, String)]) {
    let width = |part: fn(&(String, String, String)) -> &str| sourced.iter().map(|s| part(s).len()).max().unwrap_or(0);
    let (names, values) = (width(|s| &s.0), width(|s| &s.1));
    for (name, value, source) in sourced {
        println!("{name:names$}  {value:values$}  {source}");
    }
}

/// Tells a person how far it is, on the line it told before.
fn progress(done: u64, total: u64) {
    if std::io::stderr().is_terminal() {
        eprint!("\r{done} of {total} segments checked");
        if done >= total {
            eprintln!();
        }
    }
}

fn check(args: &CheckArgs) -> Result<(), Cause> {
    let checked = maintenance::check(&args.data, args.repair, progress)?;
    for finding in &checked.findings {
        println!("{finding}");
    }
    if checked.found > checked.findings.len() as u64 {
        println!("… and {} more", checked.found - checked.findings.len() as u64);
    }
    println!("{} readings in {} segments, {} journal entries", checked.readings, checked.segments, checked.entries);
    let left = checked.findings.iter().filter(|finding| finding.mended != Some(true)).count();
    match (checked.found, left) {
        (0, _) => println!("all is as it should be"),
        (found, 0) => println!("{found} found, all put right"),
        (found, left) => return Err(format!("{found} found, {left} of them not put right").into()),
    }
    Ok(())
}

fn restore(args: &RestoreArgs) -> Result<(), Cause> {
    let (checked, old) = maintenance::restore(&args.file, &args.data, args.replace, progress)?;
    println!("{} readings in {} segments are in place", checked.readings, checked.segments);
    if let Some(old) = old {
        println!("the database that was there is kept as {}", old.display());
    }
    Ok(())
}

fn start_logging(settings: &Settings) -> Result<(), Cause> {
    // SQLx speaks of each slow statement, which bulk writing is full of.
    let targets: Targets = format!("{},sqlx=error", settings.log_level)
        .parse()
        .map_err(|e| format!("log_level `{}` is no filter: {e}", settings.log_level))?;
    let lines =
        tracing_subscriber::fmt::layer().with_writer(std::io::stderr).with_ansi(std::io::stderr().is_terminal());
    let registry = tracing_subscriber::registry();
    match settings.log_format {
        LogFormat::Text => registry.with(lines.with_target(false).with_filter(targets)).init(),
        LogFormat::Json => registry.with(lines.json().flatten_event(true).with_filter(targets)).init(),
    }
    Ok(())
}
