//! `lantern enter`.

use super::{Context, zone};
use crate::args::{EnterArgs, typed};
use crate::server::segment;
use crate::{show, time};
use anyhow::Result;
use lantern_api::{NewHandReading, Reading};

pub(crate) async fn run(context: &Context, args: EnterArgs) -> Result<()> {
    let server = context.server()?;
    let zone = zone(&server).await?;
    let at = args.at.as_deref().map(|at| time::moment(at, &zone)).transpose()?;
    let new = NewHandReading {
        value: serde_json::from_value(typed(&args.value))?,
        at: at.map(|at| at.to_string()),
        note: args.note,
    };
    let rest = format!("/signals/{}/readings", segment(&args.signal.signal));
    let path = server.device_path(&args.signal.device, &rest).await?;
    let reading: Reading = server.post(&path, &new).await?;
    context.output.print(&reading, |reading| {
        let doubt = reading.quality.map(|quality| {
            format!("; it is {}: {}", show::quality(quality), reading.cause.as_deref().unwrap_or_default())
        });
        let at = time::local(&reading.at, &zone);
        format!("{} {} at {at}{}", args.signal, show::plain(&reading.value), doubt.unwrap_or_default())
    })
}
