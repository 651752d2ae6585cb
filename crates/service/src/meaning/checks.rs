//! Checking meanings when they are said.

use super::site::{Circle, Names, SiteMeanings, bind, signal_type};
use crate::app::App;
use crate::clock;
use crate::problem::Problem;
use lantern_core::formula::SignalType;
use lantern_core::meaning::{Checked, Meaning, MeaningError, resolve};
use lantern_core::units::UnitCode;
use lantern_core::{SignalId, SiteId, ValueType};
use lantern_store::{Device, Signal, Site};
use rocket::http::Status;
use std::collections::HashSet;

/// Signals of a site that can mean something else than what is sent.
const MOST: usize = 5_000;

/// The meaning of a signal as it is kept; `None` if its values are as they are sent.
pub(crate) fn parse(signal: &Signal) -> Option<Meaning> {
    // Checked before it was kept.
    signal.meaning.as_deref().and_then(|text| serde_json::from_str(text).ok())
}

/// A signal that is to mean something.
pub(crate) struct Meant<'a> {
    pub(crate) site: SiteId,
    pub(crate) device: &'a str,
    pub(crate) code: &'a str,
    pub(crate) value_type: ValueType,
    pub(crate) unit: Option<&'a str>,
}

impl<'a> Meant<'a> {
    pub(crate) fn of(site: &Site, device: &'a Device, signal: &'a Signal) -> Self {
        Self {
            site: site.id,
            device: &device.code,
            code: &signal.code,
            value_type: signal.value_type.unwrap_or(ValueType::Number),
            unit: signal.unit.as_deref(),
        }
    }

    fn unit(&self) -> Option<UnitCode> {
        self.unit.and_then(|unit| UnitCode::parse(unit).ok())
    }
}

/// Why a meaning is refused.
pub(crate) fn invalid(detail: impl std::fmt::Display) -> Problem {
    Problem::new(
        Status::UnprocessableEntity,
        "bad-meaning",
        "This cannot be what the values mean",
        format!("{detail}."),
        "Mend it at that place; docs/reference/conversions.md, formulas.md and screening.md describe what can be said.",
    )
}

/// Checks what a signal's values are to mean, beside signals that are declared with
/// it. Refuses what goes round in a circle.
pub(crate) async fn check(
    app: &App,
    meant: &Meant<'_>,
    meaning: &Meaning,
    beside: &[(&str, SignalType)],
) -> Result<super::SignalMeaning, Problem> {
    let mut names = Names::new(&app.store, meant.site);
    for (code, known) in beside {
        names.put(meant.device, code, SignalId(0), known.clone());
    }
    names.learn(meaning, meant.device).await?;
    let types = |reference: &str| names.find(reference, meant.device).map(|(_, known)| known.clone());
    let checked =
        Checked::new(meaning, meant.code, meant.value_type, meant.unit().as_ref(), &types).map_err(invalid)?;
    let own = |reference: &str| resolve(reference, meant.device) == (meant.device, meant.code);
    if checked.references().into_iter().any(own) {
        return Err(invalid(format_args!("`{}` cannot need itself", meant.code)));
    }
    refuse_circle(app, meant, meaning, beside).await?;
    let id = names.find(meant.code, meant.device).map_or(SignalId(0), |(id, _)| *id);
    Ok(bind(id, checked, meant.device, &names))
}

/// Whether a meaning fits its signal; it may still go round in a circle.
pub(super) async fn fits(
    app: &App,
    meant: &Meant<'_>,
    meaning: &Meaning,
) -> Result<Result<Checked, MeaningError>, Problem> {
    let mut names = Names::new(&app.store, meant.site);
    names.learn(meaning, meant.device).await?;
    let types = |reference: &str| names.find(reference, meant.device).map(|(_, known)| known.clone());
    Ok(Checked::new(meaning, meant.code, meant.value_type, meant.unit().as_ref(), &types))
}

/// Looks whether the signals that a meaning needs come to need it in turn.
async fn refuse_circle(
    app: &App,
    meant: &Meant<'_>,
    meaning: &Meaning,
    beside: &[(&str, SignalType)],
) -> Result<(), Problem> {
    let signals = app.store.meaningful_signals(meant.site).await?;
    if signals.len() >= MOST {
        return Err(invalid(format_args!("a site has at most {MOST} signals with conversions, formulas or screens")));
    }
    let mut names = Names::new(&app.store, meant.site);
    for (code, known) in beside {
        names.put(meant.device, code, SignalId(0), known.clone());
    }
    // The signal may not be there yet: then nothing can need it.
    names.look(meant.device, meant.code).await?;
    let Some((id, _)) = names.find(meant.code, meant.device).cloned() else { return Ok(()) };
    if id == SignalId(0) {
        return Ok(());
    }
    let mut all = Vec::new();
    for (device, signal) in signals.iter().filter(|(_, signal)| signal.id != id) {
        let Some(meaning) = parse(signal) else { continue };
        names.learn(&meaning, device).await?;
        let types = |reference: &str| names.find(reference, device).map(|(_, known)| known.clone());
        let unit = signal.unit.as_deref().and_then(|unit| UnitCode::parse(unit).ok());
        let value_type = signal.value_type.unwrap_or(ValueType::Number);
        if let Ok(checked) = Checked::new(&meaning, &signal.code, value_type, unit.as_ref(), &types) {
            all.push(bind(signal.id, checked, device, &names));
        }
    }
    names.learn(meaning, meant.device).await?;
    let types = |reference: &str| names.find(reference, meant.device).map(|(_, known)| known.clone());
    let checked =
        Checked::new(meaning, meant.code, meant.value_type, meant.unit().as_ref(), &types).map_err(invalid)?;
    all.push(bind(id, checked, meant.device, &names));
    match SiteMeanings::new(all, HashSet::new()) {
        Ok(_) => Ok(()),
        Err(Circle(_)) => Err(invalid(format_args!(
            "`{}` would go round in a circle: what it needs is worked out from it",
            meant.code
        ))),
    }
}

/// Gives a signal another meaning, which was checked, and gives the number of the
/// version. One that is the same makes none.
pub(crate) async fn set(
    app: &App,
    site: &Site,
    device: &Device,
    signal: &Signal,
    meaning: Option<&Meaning>,
    by: &str,
) -> Result<Option<u32>, Problem> {
    let wanted = meaning.filter(|meaning| !meaning.is_empty());
    if wanted == parse(signal).as_ref() {
        return Ok(None);
    }
    let text = wanted.map(|meaning| serde_json::to_string(meaning).unwrap_or_default());
    let number = app.store.set_meaning(signal.id, text.as_deref(), by, clock::now()).await?;
    app.memories.forget([signal.id]);
    app.plans.forget_all();
    app.hub.change(site.id, "signal", Some(&device.code));
    Ok(Some(number))
}

/// Refuses to let go of signals that others of the site need.
pub(crate) async fn refuse_if_needed(app: &App, site: SiteId, going: &[SignalId]) -> Result<(), Problem> {
    let meanings = app.plans.meanings(&app.store, site).await?;
    for signal in going {
        if let Some(needing) = meanings.dependents(*signal).iter().find(|needing| !going.contains(&needing.signal)) {
            return Err(needed(app, *signal, needing.signal).await?);
        }
    }
    Ok(())
}

async fn needed(app: &App, signal: SignalId, by: SignalId) -> Result<Problem, Problem> {
    let (signal, by) = (app.store.signal_by_id(signal).await?, app.store.signal_by_id(by).await?);
    let device = app.store.device_by_id(by.device).await?;
    Ok(Problem::new(
        Status::Conflict,
        "needed",
        "Another signal needs it",
        format!("`{}/{}` is worked out, converted or screened by means of `{}`.", device.code, by.code, signal.code),
        "Change what that signal means first.",
    ))
}

/// Refuses another type or unit of a signal that does not fit what it means, or what
/// others do with it.
pub(crate) async fn refuse_unfit_change(
    app: &App,
    site: &Site,
    device: &Device,
    signal: &Signal,
    changed: &Signal,
) -> Result<(), Problem> {
    if (&changed.unit, changed.value_type) == (&signal.unit, signal.value_type) {
        return Ok(());
    }
    if let Some(meaning) = parse(signal) {
        check(app, &Meant::of(site, device, changed), &meaning, &[]).await?;
    }
    let meanings = app.plans.meanings(&app.store, site.id).await?;
    for needing in meanings.dependents(signal.id).iter().filter(|needing| needing.all().any(|id| id == signal.id)) {
        let other = app.store.signal_by_id(needing.signal).await?;
        let other_device = app.store.device_by_id(other.device).await?;
        let Some(meaning) = parse(&other) else { continue };
        let mut names = Names::new(&app.store, site.id);
        names.put(&device.code, &signal.code, signal.id, signal_type(changed));
        names.learn(&meaning, &other_device.code).await?;
        let types = |reference: &str| names.find(reference, &other_device.code).map(|(_, known)| known.clone());
        let meant = Meant::of(site, &other_device, &other);
        if let Err(error) = Checked::new(&meaning, meant.code, meant.value_type, meant.unit().as_ref(), &types) {
            let what = format!("`{}/{}` needs `{}` as it is: {error}", other_device.code, other.code, signal.code);
            return Err(invalid(what));
        }
    }
    Ok(())
}
