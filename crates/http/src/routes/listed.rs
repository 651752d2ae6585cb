//! Signals named in a query, such as `tower/level,larder/temp:Cel`.

use super::query::{self, Wanted};
use crate::found;
use lantern_core::{SiteId, decimals_of_step, step_of_decimals};
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
    /// How many decimals its values are worth, where they are worked out and not as sent.
    pub(super) decimals: Option<u8>,
}

impl Listed {
    pub(super) fn new(device: &str, signal: Signal, unit: Option<&str>) -> Result<Self, Problem> {
        let wanted = query::unit(&signal, unit)?;
        let unit = wanted.code().or_else(|| signal.unit.clone());
        Ok(Self { path: format!("{device}/{}", signal.code), signal, wanted, unit, decimals: None })
    }

    /// Finds out how many decimals its values are worth. What was sent keeps its digits; what
    /// was worked out of it has more than its sensor can resolve, and so have `means` of what was sent.
    pub(super) async fn resolve(&mut self, engine: &Engine, site: SiteId, means: bool) -> Result<(), Problem> {
        let declared = engine.plans.signals(self.signal.device).await?;
        let Some(of) = declared.iter().find(|of| of.signal.id == self.signal.id) else { return Ok(()) };
        let is_worked_out = of.meaning.as_ref().is_some_and(|m| m.formula.is_some() || m.conversion.is_some());
        if !(means || is_worked_out || self.wanted.code().is_some()) {
            return Ok(());
        }
        let (last, decimals) = engine.now.last(site, of).await?;
        let number = last.good.last().and_then(|point| point.value.as_number()).unwrap_or_default();
        let step = step_of_decimals(decimals);
        let shown = (self.wanted.number(number + step) - self.wanted.number(number)).abs();
        // One more than is shown: two values that were sent stay two.
        self.decimals = shown.is_normal().then(|| decimals_of_step(shown) + 1);
        Ok(())
    }

    /// A number in the unit that is wanted, with the decimals it is worth.
    pub(super) fn number(&self, number: f64) -> f64 {
        let number = self.wanted.number(number);
        match self.decimals {
            Some(decimals) => {
                let parts = 10f64.powi(i32::from(decimals));
                (number * parts).round() / parts
            }
            None => number,
        }
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
