//! `cargo xtask test` and `cargo xtask lint`.

use crate::run::{cargo, command, run};
use crate::{console, modules, types};
use anyhow::{Context, Result, anyhow, ensure};
use std::io::{BufRead, BufReader};
use std::process::{Command, Stdio};

/// Installs, builds and tests everything.
pub(crate) fn test(options: &[String]) -> Result<()> {
    install_programs()?;
    console::build()?;
    console::packages()?;
    // Programs and tests in one go: tests alone would not build the programs they run.
    let mut build = vec!["build", "--bins", "--tests"];
    if lints_while_building() {
        build.push("--workspace");
    }
    beside(|| console::npm(&["run", "--silent", "test"]), || run(&mut cargo(&build)))?;
    types::check()?;
    let options: Vec<&str> = options.iter().map(String::as_str).collect();
    counted(&mut cargo(&[&["test"], options.as_slice()].concat()))
}

/// Runs the tests and says at the end how many there were in all: each crate's
/// own line says it only for itself.
fn counted(command: &mut Command) -> Result<()> {
    let mut child = command.stdout(Stdio::piped()).spawn().context("cannot run cargo")?;
    let stdout = child.stdout.take().context("cargo has no output")?;
    let (mut passed, mut failed) = (0, 0);
    for line in BufReader::new(stdout).lines() {
        let line = line?;
        println!("{line}");
        if line.starts_with("test result:") {
            passed += number_before(&line, " passed");
            failed += number_before(&line, " failed");
        }
    }
    let status = child.wait()?;
    println!("\n{passed} passed, {failed} failed");
    ensure!(status.success(), "the tests failed ({status})");
    Ok(())
}

fn number_before(line: &str, word: &str) -> u32 {
    let before = line.split(word).next().unwrap_or_default();
    before.rsplit(' ').next().and_then(|number| number.parse().ok()).unwrap_or(0)
}

/// Formatting and linters, warnings being errors.
pub(crate) fn lint() -> Result<()> {
    run(&mut cargo(&["fmt", "--all", "--check"]))?;
    modules::check()?;
    console::packages()?;
    let console = || console::npm(&["run", "--silent", "lint"]);
    if lints_while_building() {
        return console();
    }
    beside(console, || run(&mut cargo(&["clippy", "--workspace", "--all-targets", "--", "--deny", "warnings"])))
}

/// Whether the compiler is asked to lint what it builds, as `.ci/run` does: then nothing is
/// compiled a second time to be linted.
fn lints_while_building() -> bool {
    std::env::var_os("RUSTC_WORKSPACE_WRAPPER").is_some()
}

/// Works on the console and on the crates at the same time: long stretches of compiling keep only one
/// processor busy. Both are told, whatever becomes of the other.
fn beside(console: impl FnOnce() -> Result<()> + Send, crates: impl FnOnce() -> Result<()>) -> Result<()> {
    std::thread::scope(|scope| {
        let console = scope.spawn(console);
        let crates = crates();
        let console = console.join().unwrap_or_else(|_| Err(anyhow!("what works on the console broke off")));
        console.and(crates)
    })
}

/// Programs the tests run beside our own, and Debian's packages of them: a browser
/// for the console, and what recipes are written for.
const PROGRAMS: [(&str, &[&str]); 4] = [
    ("chromedriver", &["chromium-driver", "fonts-dejavu-core"]),
    ("chromium", &["chromium"]),
    ("python3", &["python3"]),
    ("curl", &["curl"]),
];

/// Installs the programs that are missing.
fn install_programs() -> Result<()> {
    let is_missing = |program: &str| {
        Command::new(program).arg("--version").stdout(Stdio::null()).stderr(Stdio::null()).status().is_err()
    };
    let missing: Vec<_> = PROGRAMS.into_iter().filter(|(program, _)| is_missing(program)).collect();
    if missing.is_empty() {
        return Ok(());
    }
    let packages: Vec<&str> = missing.iter().flat_map(|(_, packages)| packages.iter().copied()).collect();
    eprintln!("Installing {} for the tests", packages.join(", "));
    let apt = |arguments: &[&str]| {
        let mut apt = command("apt-get", arguments);
        run(apt.env("DEBIAN_FRONTEND", "noninteractive").stdout(Stdio::null()))
    };
    apt(&["update", "-qq"])
        .and_then(|()| apt(&[&["install", "-y", "-qq"], packages.as_slice()].concat()))
        .with_context(|| format!("the tests need {}; install them by hand", packages.join(", ")))
}

#[cfg(test)]
mod tests {
    use super::number_before;

    #[test]
    fn results_are_counted() {
        let line = "test result: FAILED. 17 passed; 2 failed; 0 ignored; 0 measured";
        assert_eq!((number_before(line, " passed"), number_before(line, " failed")), (17, 2));
        assert_eq!(number_before("test result: odd", " passed"), 0);
    }
}
