//! `lantern removed`.

use super::{Context, zone};
use crate::output::table;
use crate::server::segment;
use crate::time;
use anyhow::Result;
use jiff::tz::TimeZone;
use lantern_api::Removed;

pub(crate) async fn run(context: &Context) -> Result<()> {
    let server = context.server()?;
    let path = format!("sites/{}/removed", segment(&server.site_code().await?));
    let zone = zone(&server).await?;
    let removed: Vec<Removed> = server.list(&path, &[]).await?;
    context.output.print(&removed, |removed| list(removed, &zone))
}

fn list(removed: &[Removed], zone: &TimeZone) -> String {
    if removed.is_empty() {
        return "Nothing was removed within the last day.".to_owned();
    }
    let row = |removed: &Removed| {
        let code = match &removed.signal {
            Some(signal) => format!("{}/{signal}", removed.device),
            None => removed.device.clone(),
        };
        vec![code, removed.name.clone(), time::local(&removed.at, zone), time::local(&removed.until, zone)]
    };
    table(&["removed", "name", "at", "can be brought back until"], &[], removed.iter().map(row).collect())
}
