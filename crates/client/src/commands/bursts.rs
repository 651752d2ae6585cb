//! `lantern bursts`.

use super::{Context, zone};
use crate::args::BurstsArgs;
use crate::output::table;
use crate::server::segment;
use crate::{show, time};
use anyhow::Result;
use jiff::tz::TimeZone;
use jiff::{Timestamp, Unit};
use lantern_api::{Burst, Extreme, Page};

pub(crate) async fn run(context: &Context, args: BurstsArgs) -> Result<()> {
    let server = context.server()?;
    let zone = zone(&server).await?;
    let rest = format!("/signals/{}/bursts", segment(&args.signal.signal));
    let path = server.device_path(&args.signal.device, &rest).await?;
    let mut query = vec![("limit", args.limit.to_string())];
    query.extend(args.newest.then(|| ("order", "descending".to_owned())));
    query.extend(args.span.begin(&zone, Timestamp::now())?.map(|at| ("from", at)));
    query.extend(args.span.end(&zone)?.map(|at| ("to", at)));
    query.extend(args.gap.map(|gap| ("gap_s", gap.to_string())));
    query.extend(args.unit.clone().map(|unit| ("unit", unit)));
    let found: Page<Burst> = server.get(&path, &query).await?;
    context.output.print(&found, |found| {
        if found.items.is_empty() {
            return format!("{} has no readings in that time", args.signal);
        }
        let rows = found.items.iter().map(|burst| row(burst, &zone)).collect();
        let headings = ["from", "length", "samples", "doubtful", "least", "at", "most", "at", "mean"];
        let told = table(&headings, &[1, 2, 3, 4, 6, 8], rows);
        if found.next.is_some() { format!("{told}\n… and more; see further with --limit or --from") } else { told }
    })
}

fn row(burst: &Burst, zone: &TimeZone) -> Vec<String> {
    let value = |extreme: &Option<Extreme>| extreme.as_ref().map_or_else(|| "—".to_owned(), |e| show::number(e.value));
    let at = |extreme: &Option<Extreme>| {
        let at = extreme.as_ref().and_then(|extreme| extreme.at.as_deref());
        at.map_or_else(String::new, |at| time_of_day(at, zone))
    };
    vec![
        time::local(&burst.from, zone),
        length(burst),
        burst.count.to_string(),
        burst.doubtful.to_string(),
        value(&burst.min),
        at(&burst.min),
        value(&burst.max),
        at(&burst.max),
        burst.mean.map_or_else(|| "—".to_owned(), show::number),
    ]
}

fn length(burst: &Burst) -> String {
    let ends = burst.from.parse::<Timestamp>().ok().zip(burst.to.parse::<Timestamp>().ok());
    let seconds = ends.and_then(|(from, to)| to.since(from).ok()?.total(Unit::Second).ok());
    match seconds {
        Some(seconds) if seconds < 120.0 => format!("{seconds:.2} s"),
        Some(seconds) => time::age(seconds),
        None => String::new(),
    }
}

fn time_of_day(at: &str, zone: &TimeZone) -> String {
    let parsed = at.parse::<Timestamp>().map(|at| at.to_zoned(zone.clone()));
    parsed.map_or_else(|_| at.to_owned(), |at| at.strftime("%H:%M:%S%.3f").to_string())
}
