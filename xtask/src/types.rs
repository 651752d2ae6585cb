//! `cargo xtask types`: the console's types, made from the description of the interface.

use crate::console::npm_in;
use crate::run::{self, binary, root};
use anyhow::{Context, Result, ensure};
use std::path::PathBuf;
use std::process::Command;

/// Where the types are.
fn schema() -> PathBuf {
    root().join("console/src/api/schema.ts")
}

/// Makes the types again.
pub(crate) fn write() -> Result<()> {
    run::build()?;
    let types = made()?;
    std::fs::write(schema(), types).context("the types cannot be written")
}

/// Makes sure that the types are those of the interface as it is built.
pub(crate) fn check() -> Result<()> {
    let known = std::fs::read_to_string(schema()).context("the types cannot be read")?;
    ensure!(
        made()? == known,
        "console/src/api/schema.ts is not what the interface is described as; run `cargo xtask types` and commit it"
    );
    Ok(())
}

/// The types of the interface as it is built.
fn made() -> Result<String> {
    let tools = root().join("console/tools");
    if !tools.join("node_modules").exists() {
        npm_in(&tools, &["ci", "--no-progress", "--loglevel=error"])?;
    }
    let described = Command::new(binary("key-lantern")).arg("openapi").output().context("key-lantern does not run")?;
    ensure!(described.status.success(), "key-lantern openapi failed ({})", described.status);
    let (from, to) = (root().join("target/openapi.json"), root().join("target/schema.ts"));
    std::fs::write(&from, described.stdout).context("the description cannot be written")?;
    let (from, to_text) = (from.to_string_lossy().into_owned(), to.to_string_lossy().into_owned());
    let flags = ["--root-types", "--root-types-no-schema-prefix", "--output", &to_text];
    npm_in(&tools, &[&["run", "--silent", "types", "--", &from], &flags[..]].concat())?;
    std::fs::read_to_string(to).context("the types cannot be read")
}
