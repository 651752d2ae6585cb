//! `lantern arrivals`.

use super::Context;
use crate::output::table;
use crate::server::segment;
use crate::{show, time};
use anyhow::Result;
use jiff::tz::TimeZone;
use lantern_api::Arrival;

pub(crate) async fn run(context: &Context) -> Result<()> {
    let server = context.server()?;
    let site = server.site().await?;
    let arrivals: Vec<Arrival> = server.list(&format!("sites/{}/arrivals", segment(&site.code)), &[]).await?;
    let zone = TimeZone::get(&site.zone)?;
    context.output.print(&arrivals, |arrivals| list(arrivals, &zone))
}

fn list(arrivals: &[Arrival], zone: &TimeZone) -> String {
    if arrivals.is_empty() {
        return "No arrivals: everything that came in was declared.".to_owned();
    }
    let row = |arrival: &Arrival| {
        let (at, value) = match &arrival.last {
            Some(last) => (time::local(&last.at, zone), show::plain(&last.value)),
            None => (String::new(), String::new()),
        };
        vec![
            format!("{}/{}", arrival.device, arrival.name),
            show::value_type(arrival.value_type).to_owned(),
            value,
            at,
            arrival.readings.to_string(),
        ]
    };
    table(&["arrival", "looks like", "last value", "at", "readings"], &[2, 4], arrivals.iter().map(row).collect())
}
