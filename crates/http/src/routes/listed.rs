//! Signals named in a query, such as `tower/level,larder/temp:Cel`.

use super::query::{self, Wanted};
use crate::found;
use lantern_engine::Engine;
use lantern_engine::Problem;
use lantern_store::Signal;

/// Signals in one request.
const MAX_SIGNALS: usize = 50;

/// A signal of a list.
pub(super) struct Listed {
    /// `device/signal`.
    pub(super) path: String,
    pub(super) signal: Signal,
    /// How its values are shown: in the unit behind the colon, if there is one.
    pub(super) wanted: Wanted,
    /// The code of the unit they are shown in.
    pub(super) unit: Option<String>,
}

impl Listed {
    pub(super) fn new(device: &str, signal: Signal, unit: Option<&str>) -> Result<Self, Problem> {
        let wanted = query::unit(&signal, unit)?;
        let unit = wanted.code().or_else(|| signal.unit.clone());
        Ok(Self { path: format!("{device}/{}", signal.code), signal, wanted, unit })
    }
}

/// The signals of a list, or all that a site has declared, [`MAX_SIGNALS`] at most.
pub(super) async fn listed_or_all(engine: &Engine, site: &str, list: Option<&str>) -> Result<Vec<Listed>, Problem> {
    if let Some(list) = list {
        return listed(engine, site, list).await;
    }
    let site = found::site(&engine.store, site).await?;
    let mut all = Vec::new();
    for device in engine.store.devices(site.id, "", MAX_SIGNALS as u32 + 1).await? {
        for signal in engine.store.signals(device.id).await?.into_iter().filter(|signal| signal.value_type.is_some()) {
            all.push(Listed::new(&device.code, signal, None)?);
        }
        if all.len() > MAX_SIGNALS {
            return Err(Problem::invalid("signals", format_args!("at most {MAX_SIGNALS} at once; name them")));
        }
    }
    Ok(all)
}

/// The signals of a list, 1 to [`MAX_SIGNALS`] of them.
pub(super) async fn listed(engine: &Engine, site: &str, list: &str) -> Result<Vec<Listed>, Problem> {
    let paths: Vec<&str> = list.split(',').map(str::trim).filter(|path| !path.is_empty()).collect();
    if paths.is_empty() || paths.len() > MAX_SIGNALS {
        return Err(Problem::invalid("signals", format_args!("name 1 to {MAX_SIGNALS} of them, each DEVICE/SIGNAL")));
    }
    let mut listed = Vec::with_capacity(paths.len());
    for path in paths {
        let (path, unit) = path.split_once(':').map_or((path, None), |(path, unit)| (path, Some(unit)));
        let Some((device, code)) = path.split_once('/') else {
            return Err(Problem::invalid("signals", format_args!("`{path}` is not DEVICE/SIGNAL")));
        };
        let (_, device, signal) = found::signal(&engine.store, site, device, code).await?;
        listed.push(Listed::new(&device.code, signal, unit)?);
    }
    Ok(listed)
}
