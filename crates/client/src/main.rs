//! `lantern`, the command line of Key Lantern.

mod args;
mod commands;
mod document;
mod dots;
mod live;
mod login;
mod output;
mod screen;
mod server;
mod show;
mod time;

use args::{Cli, Command, command_line};
use clap::FromArgMatches;
use output::Output;
use std::process::ExitCode;

fn main() -> ExitCode {
    // Fails only if there is a provider already, which is as good.
    let _ = rustls::crypto::ring::default_provider().install_default();
    let cli = match Cli::from_arg_matches(&command_line().get_matches()) {
        Ok(cli) => cli,
        Err(error) => error.exit(),
    };
    let runtime = match tokio::runtime::Builder::new_current_thread().enable_all().build() {
        Ok(runtime) => runtime,
        Err(error) => {
            eprintln!("lantern: the runtime cannot start: {error}");
            return ExitCode::FAILURE;
        }
    };
    match runtime.block_on(run(cli)) {
        Ok(()) => ExitCode::SUCCESS,
        Err(error) => {
            eprintln!("lantern: {error:#}");
            ExitCode::FAILURE
        }
    }
}

async fn run(cli: Cli) -> anyhow::Result<()> {
    let context = commands::Context { output: Output::new(cli.output), connection: cli.connection };
    match cli.command {
        Command::Login(args) => commands::login::login(&context, args).await,
        Command::Logout => commands::login::logout(&context).await,
        Command::Site { command } => commands::site::run(&context, command).await,
        Command::Alarms(args) => commands::alarms::list(&context, *args).await,
        Command::Acknowledge(args) => commands::alarms::acknowledge(&context, args).await,
        Command::Shelve(args) => commands::alarms::shelve(&context, args).await,
        Command::Callouts(args) => commands::roster::callouts(&context, args).await,
        Command::Roster { command } => commands::roster::run(&context, command).await,
        Command::Watch { command } => commands::watch::run(&context, command).await,
        Command::Note { command } => commands::note::run(&context, command).await,
        Command::ComeIn(args) => commands::account::come_in(&context, args).await,
        Command::Account(command) => commands::account::run(&context, command).await,
        Command::People(command) => commands::people::run(&context, command).await,
        Command::Everyone(command) => commands::people::everyone(&context, command).await,
        Command::Changes(args) => commands::changes::list(&context, args).await,
        Command::Undo { id } => commands::changes::undo(&context, id).await,
        Command::Health { confirm_clock } => commands::health::run(&context, confirm_clock).await,
        Command::Removed => commands::removed::run(&context).await,
        Command::Device { command } => commands::device::run(&context, command).await,
        Command::Signal { command } => commands::signal::run(&context, command).await,
        Command::MqttSession { command } => commands::mqtt_session::run(&context, command).await,
        Command::Key { command } => commands::key::run(&context, command).await,
        Command::Kind { command } => commands::kind::run(&context, command).await,
        Command::Decoder { command } => commands::decoder::run(&context, command).await,
        Command::Arrivals { ignored } => commands::arrivals::list(&context, ignored).await,
        Command::Claim(args) => commands::arrivals::claim(&context, args).await,
        Command::Ignore(args) => commands::arrivals::ignore(&context, args).await,
        Command::Why { of } => commands::why::run(&context, &of).await,
        Command::Contacts(args) => commands::contacts::run(&context, args).await,
        Command::Commission(args) => commands::commission::run(&context, args).await,
        Command::Recipe(args) => commands::recipe::run(&context, args).await,
        Command::Enter(args) => commands::enter::run(&context, args).await,
        Command::Send(args) => commands::send::run(&context, args).await,
        Command::Now(args) => commands::now::run(&context, args).await,
        Command::Readings(args) => commands::readings::run(&context, args).await,
        Command::Follow(args) => commands::follow::run(&context, args).await,
        Command::Give(args) => commands::command::run(&context, args).await,
        Command::Link { device } => commands::link::link(&context, &device).await,
        Command::Join(args) => commands::link::join(&context, args).await,
        Command::Lamp(args) => commands::link::lamp(&context, args).await,
        Command::Export(args) => commands::export::run(&context, args).await,
        Command::Coverage(args) => commands::coverage::run(&context, args).await,
        Command::View(command) => commands::view::run(&context, command).await,
        Command::Bursts(args) => commands::bursts::run(&context, args).await,
        Command::Origin(args) => commands::origin::run(&context, args).await,
        Command::Chart(args) => commands::chart::run(&context, args).await,
        Command::Figures(args) => commands::figures::run(&context, args).await,
        Command::Summary(args) => commands::storage::summary(&context, args).await,
        Command::Span(args) => commands::storage::span(&context, args).await,
        Command::Gaps(args) => commands::storage::gaps(&context, args).await,
        Command::Erase(args) => commands::storage::erase(&context, args).await,
        Command::Retention(args) => commands::storage::retention(&context, args).await,
        Command::Conversion(args) => commands::meaning::conversion(&context, args).await,
        Command::Formula(args) => commands::meaning::formula(&context, args).await,
        Command::Screen(args) => commands::meaning::screen(&context, args).await,
        Command::Quality(args) => commands::meaning::quality_of(&context, args).await,
        Command::Calibrate(args) => commands::meaning::calibrate(&context, args).await,
        Command::Compare(args) => commands::compare::run(&context, args).await,
        Command::Jobs(args) => commands::job::jobs(&context, args).await,
        Command::Storage => commands::storage::storage(&context).await,
        Command::Backup(args) => commands::storage::backup(&context, args).await,
        Command::Completions { shell } => {
            commands::completions(shell);
            Ok(())
        }
    }
}
