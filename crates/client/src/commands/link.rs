//! `lantern link`, `lantern join` and `lantern lamp`.

use super::{Context, zone};
use crate::args::{JoinArgs, LampArgs};
use crate::output::table;
use crate::server::segment;
use crate::{show, time};
use anyhow::Result;
use jiff::tz::TimeZone;
use lantern_api::{Joining, Link, LinkValue, NewJoining};

/// How messages of a device, and of those it carries, come through.
pub(crate) async fn link(context: &Context, device: &str) -> Result<()> {
    let server = context.server()?;
    let zone = zone(&server).await?;
    let own: Link = server.get(&server.device_path(device, "/link").await?, &[]).await?;
    let mut links: Vec<Link> = server.list(&server.device_path(device, "/carried").await?, &[]).await?;
    links.insert(0, own);
    context.output.print(&links, |links| shown(links, &zone))
}

fn shown(links: &[Link], zone: &TimeZone) -> String {
    let value = |value: &Option<LinkValue>| {
        value.as_ref().map(|v| format!("{} {}", v.value, v.symbol).trim().to_owned()).unwrap_or_default()
    };
    let row = |link: &Link| {
        let ratio = link.day.delivery_ratio.map(|ratio| format!("{:.1} %", ratio * 100.0)).unwrap_or_default();
        vec![
            link.device.clone(),
            link.identity.clone().unwrap_or_default(),
            show::presence(link.presence).to_owned(),
            link.last_heard_at.as_deref().map(|at| time::local(at, zone)).unwrap_or_default(),
            value(&link.battery),
            value(&link.quality),
            link.day.received.to_string(),
            link.day.lost.to_string(),
            link.day.repeated.to_string(),
            link.day.restarted.to_string(),
            ratio,
        ]
    };
    table(
        &[
            "device",
            "called",
            "presence",
            "last heard",
            "battery",
            "link",
            "came",
            "lost",
            "again",
            "restarts",
            "delivered in 24 h",
        ],
        &[6, 7, 8, 9, 10],
        links.iter().map(row).collect(),
    )
}

/// Opens or closes a joining window.
pub(crate) async fn join(context: &Context, args: JoinArgs) -> Result<()> {
    let server = context.server()?;
    let zone = zone(&server).await?;
    let path = server.device_path(&args.device, "/joining").await?;
    let joining: Joining = if args.close {
        server.delete(&path, &[]).await?
    } else {
        server.post(&path, &NewJoining { minutes: args.minutes, kind: args.kind }).await?
    };
    context.output.print(&joining, |joining| match &joining.until {
        Some(until) => format!(
            "Until {} {} admits what it has not carried before. `lantern link {}` shows what joined.",
            time::local(until, &zone),
            args.device,
            args.device
        ),
        None => format!("The joining window of {} is closed; what is new waits as an arrival.", args.device),
    })
}

/// The lamp of a site or device.
pub(crate) async fn lamp(context: &Context, args: LampArgs) -> Result<()> {
    let server = context.server()?;
    let mut path = match &args.device {
        Some(device) => server.device_path(device, "/lamp").await?,
        None => format!("sites/{}/lamp", segment(&server.site_code().await?)),
    };
    if let Some(width) = args.width {
        path += &format!("?width={width}");
    }
    let text = server.text(&path).await?;
    context.output.print(&text.trim_end(), |text| (*text).to_owned())
}
