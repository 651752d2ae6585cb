//! The simulated railway: its devices, and the demo that shows them.

mod demo;
mod devices;
mod field;
mod noise;
mod notes;
mod railway;
mod rolling;
mod rosters;
mod senders;
mod service;
mod site;
mod stand_ins;
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
    /// Stand in for the servers that callouts go to: mail, text messages and webhooks
    StandIns(stand_ins::StandIns),
}

fn main() -> ExitCode {
    // Fails only if there is a provider already, which is as good.
    let _ = rustls::crypto::ring::default_provider().install_default();
    let command = Cli::parse().command;
    let result =
        tokio::runtime::Builder::new_current_thread().enable_all().build().map_err(anyhow::Error::from).and_then(
            |runtime| match command {
                Command::Demo(demo) => runtime.block_on(demo.run()),
                Command::StandIns(stand_ins) => runtime.block_on(stand_ins.run()),
            },
        );
    match result {
        Ok(()) => ExitCode::SUCCESS,
        Err(error) => {
            eprintln!("lantern-sim: {error:#}");
            ExitCode::FAILURE
        }
    }
}
