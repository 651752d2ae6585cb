//! `cargo xtask shots`.

use crate::run::{cargo, run};
use crate::{console, run as running};
use anyhow::Result;

/// Takes the pictures in `docs/screenshots` from the demo.
pub(crate) fn shots() -> Result<()> {
    console::build()?;
    running::build()?;
    run(&mut cargo(&["run", "--bin", "shots"]))
}
