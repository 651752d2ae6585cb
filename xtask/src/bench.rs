//! `cargo xtask bench`.

use crate::run;
use anyhow::Result;
use std::os::unix::process::CommandExt;

/// Builds what is measured, then becomes the benchmark.
pub(crate) fn bench(options: &[String]) -> Result<()> {
    run::build()?;
    let error = std::process::Command::new(run::binary("lantern-bench")).args(options).exec();
    Err(error.into())
}
