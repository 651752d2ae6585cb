//! A site of a thousand devices that have sent for two hours.

use crate::service::Service;
use anyhow::Result;
use futures::{StreamExt, TryStreamExt};
use jiff::Timestamp;
use std::path::Path;

/// Devices of the site.
pub(crate) const DEVICES: usize = 1_000;
/// Signals of each.
const SIGNALS: usize = 3;
/// A reading of each signal every two minutes, for two hours.
const TIMES: usize = 60;

/// Starts a service and fills it.
pub(crate) async fn start(data: &Path) -> Result<Service> {
    let service = Service::start_with(data, DEVICES, SIGNALS).await?;
    let begin = Timestamp::now().as_second() - 120 * TIMES as i64;
    futures::stream::iter(service.keys.iter().enumerate())
        .map(|(device, key)| past(&service, key, device, begin))
        .buffer_unordered(8)
        .try_collect::<()>()
        .await?;
    Ok(service)
}

async fn past(service: &Service, key: &str, device: usize, begin: i64) -> Result<()> {
    let line = |time: usize| {
        let at = begin + 120 * time as i64;
        let value = |signal: usize| ((time + device + signal) % 40) as f64 / 10.0;
        format!(r#"{{"at":{at},"s0":{},"s1":{},"s2":{}}}"#, value(0), value(1), value(2))
    };
    service.send(key, format!("[{}]", (0..TIMES).map(line).collect::<Vec<_>>().join(","))).await
}
