//! Building the console.

use crate::run::{command, root, run};
use anyhow::{Context, Result};
use std::path::Path;
use std::time::SystemTime;

/// What the build is made from, in `console/`.
const SOURCES: [&str; 7] =
    ["src", "public", "scripts", "index.html", "package-lock.json", "vite.config.ts", "tsconfig.json"];

/// Builds the console unless it is newer than its sources.
pub(crate) fn build() -> Result<()> {
    let dir = root().join("console");
    let built = modified(&dir.join("dist/index.html.br"));
    let newest = SOURCES.iter().filter_map(|source| newest(&dir.join(source))).max();
    if built.is_some() && built >= newest {
        return Ok(());
    }
    packages()?;
    eprintln!("Building the console");
    npm(&["run", "--silent", "build"])
}

/// Installs the console's packages if they are not the locked ones.
pub(crate) fn packages() -> Result<()> {
    let dir = root().join("console");
    let installed = modified(&dir.join("node_modules/.package-lock.json"));
    if installed.is_some() && installed >= modified(&dir.join("package-lock.json")) {
        return Ok(());
    }
    eprintln!("Installing the console's packages");
    // Nothing of what is installed may run for that.
    npm(&["ci", "--ignore-scripts", "--no-progress", "--loglevel=error"])
}

/// Runs npm in `console/`.
pub(crate) fn npm(arguments: &[&str]) -> Result<()> {
    npm_in(&root().join("console"), arguments)
}

/// Runs npm in a folder.
pub(crate) fn npm_in(dir: &Path, arguments: &[&str]) -> Result<()> {
    run(command("npm", arguments).current_dir(dir))
        .with_context(|| format!("in {}, which needs Node.js 20 or newer with npm", dir.display()))
}

fn modified(path: &Path) -> Option<SystemTime> {
    path.metadata().and_then(|metadata| metadata.modified()).ok()
}

fn newest(path: &Path) -> Option<SystemTime> {
    let inside = std::fs::read_dir(path).into_iter().flatten().flatten().filter_map(|entry| newest(&entry.path()));
    inside.chain(modified(path)).max()
}
