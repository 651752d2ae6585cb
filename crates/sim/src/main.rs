//! The simulated railway: its devices, and the demo that shows them.

mod demo;
mod devices;
mod field;
mod noise;
mod notes;
mod railway;
mod rolling;
mod senders;
mod service;
mod site;
mod watches;

use clap::{Parser, Subcommand};
use std::process::ExitCode;

#[derive(Parser)]
#[command(name = "lantern-sim", version, about = "The made-up railway that shows Key Lantern at work")]
struct Cli {
    #[command(subcommand)]
    command: Command,
}

#[derive(Subcommand)]
enum Command {
    /// Start a service with the demo site and fourteen days of history, and its senders
    Demo(demo::Demo),
}

fn main() -> ExitCode {
    // Fails only if there is a provider already, which is as good.
    let _ = rustls::crypto::ring::default_provider().install_default();
    let Command::Demo(demo) = Cli::parse().command;
    let result = tokio::runtime::Builder::new_current_thread()
        .enable_all()
        .build()
        .map_err(anyhow::Error::from)
        .and_then(|runtime| runtime.block_on(demo.run()));
    match result {
        Ok(()) => ExitCode::SUCCESS,
        Err(error) => {
            eprintln!("demo: {error:#}");
            ExitCode::FAILURE
        }
    }
}
