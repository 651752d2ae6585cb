//! `cargo xtask test` and `cargo xtask lint`.

use crate::console;
use crate::run::{self, cargo, command, run};
use anyhow::{Context, Result};
use std::process::{Command, Stdio};

/// Installs, builds and tests everything.
pub(crate) fn test(options: &[String]) -> Result<()> {
    install_browser()?;
    console::build()?;
    console::packages()?;
    console::npm(&["run", "--silent", "test"])?;
    run::build()?;
    let options: Vec<&str> = options.iter().map(String::as_str).collect();
    run(&mut cargo(&[&["test", "--release", "--workspace"], options.as_slice()].concat()))
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
