//! `cargo xtask test` and `cargo xtask lint`.

use crate::console;
use crate::run::{self, cargo, command, run};
use anyhow::{Context, Result, ensure};
use std::io::{BufRead, BufReader};
use std::process::{Command, Stdio};

/// Installs, builds and tests everything.
pub(crate) fn test(options: &[String]) -> Result<()> {
    install_browser()?;
    console::build()?;
    console::packages()?;
    console::npm(&["run", "--silent", "test"])?;
    run::build()?;
    let options: Vec<&str> = options.iter().map(String::as_str).collect();
    counted(&mut cargo(&[&["test", "--release", "--workspace"], options.as_slice()].concat()))
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
    console::packages()?;
    console::npm(&["run", "--silent", "lint"])?;
    run(&mut cargo(&["clippy", "--release", "--workspace", "--all-targets", "--", "--deny", "warnings"]))
}

/// Chromium with its driver, from Debian's packages if they are missing.
fn install_browser() -> Result<()> {
    let is_there = |program: &str| {
        Command::new(program).arg("--version").stdout(Stdio::null()).stderr(Stdio::null()).status().is_ok()
    };
    if is_there("chromedriver") && is_there("chromium") {
        return Ok(());
    }
    eprintln!("Installing Chromium for the browser tests");
    let apt = |arguments: &[&str]| {
        let mut apt = command("apt-get", arguments);
        run(apt.env("DEBIAN_FRONTEND", "noninteractive").stdout(Stdio::null()))
    };
    apt(&["update", "-qq"])
        .and_then(|()| apt(&["install", "-y", "-qq", "chromium", "chromium-driver", "fonts-dejavu-core"]))
        .context("the browser tests need Chromium and chromedriver; install them by hand")
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
