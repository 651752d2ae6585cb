//! `cargo demo`.

use crate::{console, run};
use anyhow::Result;
use std::os::unix::process::CommandExt;

/// Builds everything, then becomes the demo.
pub(crate) fn demo(options: &[String]) -> Result<()> {
    console::build()?;
    run::build()?;
    let error = std::process::Command::new(run::binary("lantern-sim")).arg("demo").args(options).exec();
    Err(error.into())
}
