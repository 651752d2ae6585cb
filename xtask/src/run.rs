//! Running programs.

use anyhow::{Context, Result, bail};
use std::os::unix::process::CommandExt;
use std::path::{Path, PathBuf};
use std::process::Command;

/// The root of the repository.
pub(crate) fn root() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).parent().map(Path::to_owned).unwrap_or_default()
}

/// A command that runs in the root.
pub(crate) fn command(program: &str, arguments: &[&str]) -> Command {
    let mut command = Command::new(program);
    command.args(arguments).current_dir(root());
    command
}

/// The cargo that runs this.
pub(crate) fn cargo(arguments: &[&str]) -> Command {
    let program = std::env::var("CARGO").unwrap_or_else(|_| "cargo".to_owned());
    // What is locked is built: a lock that does not fit is an error. Formatting builds nothing.
    let (verb, rest) = arguments.split_first().map_or((&[][..], &[][..]), |(_, rest)| (&arguments[..1], rest));
    let locked: &[&str] = if verb == ["fmt"] { &[] } else { &["--locked"] };
    let mut command = command(&program, &[verb, locked, rest].concat());
    // What it says of this package would look like a change to others, which would be
    // compiled again after each cargo that was started by hand.
    for (name, _) in std::env::vars_os() {
        if name.to_str().is_some_and(|name| name.starts_with("CARGO_PKG_") || name.starts_with("CARGO_MANIFEST_")) {
            command.env_remove(name);
        }
    }
    command
}

/// Runs a command to its end.
pub(crate) fn run(command: &mut Command) -> Result<()> {
    let words: Vec<_> =
        std::iter::once(command.get_program()).chain(command.get_args()).map(|word| word.to_string_lossy()).collect();
    let shown = words.join(" ");
    let status = command.status().with_context(|| format!("cannot run {shown}"))?;
    if !status.success() {
        bail!("{shown} failed ({status})");
    }
    Ok(())
}

/// A built binary.
pub(crate) fn binary(name: &str) -> PathBuf {
    // Where this binary is, the others are too.
    let own = std::env::current_exe().unwrap_or_default();
    own.with_file_name(name)
}

/// Builds all binaries but the measurements. All of them always, because building a part
/// would choose other features of shared packages and compile those once more.
pub(crate) fn build() -> Result<()> {
    run(&mut cargo(&["build", "--bins"]))
}

/// Builds everything, then becomes one of the programs.
pub(crate) fn build_and_become(program: &str, options: &[String]) -> Result<()> {
    build()?;
    Err(Command::new(binary(program)).args(options).exec().into())
}

/// Builds everything, also the library that spoils files and clock, then lets things go wrong.
pub(crate) fn faults(options: &[String]) -> Result<()> {
    run(&mut cargo(&["build", "--bins", "--lib"]))?;
    Err(Command::new(binary("lantern-faults")).args(options).exec().into())
}

/// Builds the measurements and what they measure as it ships, then becomes them.
pub(crate) fn measure(options: &[String]) -> Result<()> {
    run(&mut cargo(&["build", "--release", "--bins", "--workspace"]))?;
    let target = binary("xtask").parent().and_then(Path::parent).map(Path::to_owned).unwrap_or_default();
    Err(Command::new(target.join("release/lantern-bench")).args(options).exec().into())
}
