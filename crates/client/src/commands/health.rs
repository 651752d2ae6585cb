//! `lantern health`.

use super::Context;
use crate::output::table;
use anyhow::{Result, bail};
use lantern_api::{Health, HealthPart};

pub(crate) async fn run(context: &Context, confirm_clock: bool) -> Result<()> {
    let server = context.server()?;
    if confirm_clock {
        server.tell("clock/confirm").await?;
    }
    let health: Health = server.health().await?;
    context.output.print(&health, |health| {
        let word = |part: &HealthPart| if part.is_well { "well" } else { "not well" }.to_owned();
        let row = |part: &HealthPart| vec![part.name.clone(), word(part), part.detail.clone()];
        let parts = table(&["part", "state", "what"], &[], health.parts.iter().map(row).collect());
        format!("Key Lantern {}, its clock says {}\n\n{parts}", health.version, health.now)
    })?;
    if health.status != "ok" {
        bail!("the service is not well");
    }
    Ok(())
}
