//! A long fuzzing run: `cargo xtask fuzz`.

use clap::Parser;
use lantern_fuzz::{Failure, TARGETS, Until, run};
use std::process::ExitCode;
use std::time::Duration;

#[derive(Parser)]
#[command(name = "lantern-fuzz", about = "Fuzz everything that reads a sender's bytes")]
struct Cli {
    /// Targets; all if absent
    targets: Vec<String>,
    /// Seconds for each target
    #[arg(long, default_value_t = 60)]
    seconds: u64,
    /// Where the random numbers begin; another number tries other inputs
    #[arg(long, default_value_t = 1)]
    seed: u64,
}

fn main() -> ExitCode {
    let cli = Cli::parse();
    if let Some(unknown) = cli.targets.iter().find(|name| TARGETS.iter().all(|target| target.name != name.as_str())) {
        let names: Vec<&str> = TARGETS.iter().map(|target| target.name).collect();
        eprintln!("fuzz: there is no target `{unknown}`; there are {}", names.join(", "));
        return ExitCode::from(2);
    }
    let wanted = TARGETS.iter().filter(|target| cli.targets.is_empty() || cli.targets.iter().any(|n| n == target.name));
    for target in wanted {
        match run(target, cli.seed, Until::Time(Duration::from_secs(cli.seconds))) {
            Ok(tried) => println!("{:22} {tried:>12} inputs, none failed", target.name),
            Err(Failure { target, input }) => {
                let file = format!("fuzz-{target}.bin");
                match std::fs::write(&file, &input) {
                    Ok(()) => eprintln!("fuzz: {target} failed; the input is in {file}"),
                    Err(error) => eprintln!("fuzz: {target} failed, and {file} cannot be written ({error}): {input:?}"),
                }
                return ExitCode::FAILURE;
            }
        }
    }
    ExitCode::SUCCESS
}
