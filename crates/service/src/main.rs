//! The service binary.

use clap::{Parser, Subcommand};
use key_lantern::settings::{Flags, LogFormat, Settings};
use std::io::IsTerminal;
use std::process::ExitCode;
use tracing_subscriber::EnvFilter;

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
}

fn main() -> ExitCode {
    let result = match Cli::parse().command {
        Command::Serve(flags) => flags.resolve().and_then(|(settings, _)| serve(settings)),
        Command::Settings(flags) => flags.resolve().map(|(_, sourced)| print_settings(&sourced)),
    };
    match result {
        Ok(()) => ExitCode::SUCCESS,
        Err(message) => {
            eprintln!("key-lantern: {message}");
            ExitCode::FAILURE
        }
    }
}

fn print_settings(sourced: &[(String, String, String)]) {
    let width = |part: fn(&(String, String, String)) -> &str| sourced.iter().map(|s| part(s).len()).max().unwrap_or(0);
    let (names, values) = (width(|s| &s.0), width(|s| &s.1));
    for (name, value, source) in sourced {
        println!("{name:names$}  {value:values$}  {source}");
    }
}

fn serve(settings: Settings) -> Result<(), String> {
    start_logging(&settings)?;
    let runtime = tokio::runtime::Builder::new_multi_thread()
        .enable_all()
        .build()
        .map_err(|e| format!("the runtime cannot start: {e}"))?;
    runtime.block_on(key_lantern::serve(settings))
}

fn start_logging(settings: &Settings) -> Result<(), String> {
    // SQLx speaks of each slow statement, which bulk writing is full of.
    let filter = EnvFilter::try_new(format!("{},sqlx=error", settings.log_level))
        .map_err(|e| format!("log_level `{}` is no filter: {e}", settings.log_level))?;
    let builder = tracing_subscriber::fmt()
        .with_env_filter(filter)
        .with_writer(std::io::stderr)
        .with_ansi(std::io::stderr().is_terminal());
    match settings.log_format {
        LogFormat::Text => builder.with_target(false).init(),
        LogFormat::Json => builder.json().flatten_event(true).init(),
    }
    Ok(())
}
