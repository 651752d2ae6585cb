//! Tasks of the repository: `cargo xtask TASK`.

mod console;
mod demo;
mod modules;
mod package;
mod run;
mod sbom;
mod shots;
mod test;
mod times;
mod types;

use clap::{Parser, Subcommand};
use std::process::ExitCode;

#[derive(Parser)]
#[command(name = "cargo xtask", about = "Tasks of the repository")]
struct Cli {
    #[command(subcommand)]
    task: Task,
}

#[derive(Subcommand)]
enum Task {
    /// Build everything and start the demo site
    Demo {
        /// Options of the demo, such as --port 9000 --speed 10; --help lists them
        #[arg(trailing_var_arg = true, allow_hyphen_values = true)]
        options: Vec<String>,
    },
    /// Install what the tests need, build everything and run all tests
    Test {
        /// Passed on to `cargo test`, such as a part of a test's name
        #[arg(trailing_var_arg = true, allow_hyphen_values = true)]
        options: Vec<String>,
    },
    /// Check formatting and run the linters
    Lint,
    /// Build the console
    Console,
    /// Measure, each figure against a limit from the same run
    Bench {
        /// Names of entries and --json FILE; --help lists them
        #[arg(trailing_var_arg = true, allow_hyphen_values = true)]
        options: Vec<String>,
    },
    /// Fuzz everything that reads a sender's bytes, a minute for each target
    Fuzz {
        /// Names of targets, --seconds and --seed; --help lists them
        #[arg(trailing_var_arg = true, allow_hyphen_values = true)]
        options: Vec<String>,
    },
    /// Run the service while things go wrong around it, and check what is left
    Faults {
        /// --minutes, --seed and more; --help lists them
        #[arg(trailing_var_arg = true, allow_hyphen_values = true)]
        options: Vec<String>,
    },
    /// Make a Debian package of service and client
    Package {
        /// Of the programs as the tests have them, which is quicker
        #[arg(long)]
        quick: bool,
    },
    /// Gather what a container image holds
    Image {
        /// Of the programs as the tests have them, which is quicker
        #[arg(long)]
        quick: bool,
    },
    /// Write what the programs are made of (CycloneDX), and list the licences
    Sbom,
    /// Take the pictures in docs/screenshots
    Shots,
    /// Make the console's types from the description of the interface
    Types,
    /// Say which modules of a crate use which, in layers
    Modules {
        /// Names of crates; all if none is given
        names: Vec<String>,
    },
    /// Build everything from nothing and say what each package cost
    Times {
        /// How many packages to list
        #[arg(default_value_t = 40)]
        shown: usize,
    },
}

fn main() -> ExitCode {
    let result = match Cli::parse().task {
        Task::Demo { options } => demo::demo(&options),
        Task::Test { options } => test::test(&options),
        Task::Lint => test::lint(),
        Task::Modules { names } => modules::print(&names),
        Task::Console => console::build(),
        Task::Bench { options } => run::measure(&options),
        Task::Fuzz { options } => run::build_and_become("lantern-fuzz", &options),
        Task::Faults { options } => run::faults(&options),
        Task::Package { quick } => package::package(quick),
        Task::Image { quick } => package::image(quick),
        Task::Sbom => sbom::write(),
        Task::Shots => shots::shots(),
        Task::Types => types::write(),
        Task::Times { shown } => times::times(shown),
    };
    match result {
        Ok(()) => ExitCode::SUCCESS,
        Err(error) => {
            eprintln!("xtask: {error:#}");
            ExitCode::FAILURE
        }
    }
}
