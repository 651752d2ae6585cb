//! Checking meanings when they are said.

use super::site::{Names, bind, signal_type};
use crate::app::App;
use crate::clock;
use crate::problem::Problem;
use lantern_core::formula::SignalType;
use lantern_core::meaning::{Checked, Meaning, MeaningError, resolve};
use lantern_core::{SignalId, SiteId, ValueType};
use lantern_store::{Device, Signal, Site};
use rocket::http::Status;

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
    pub(crate) fn of(site: SiteId, device: &'a str, signal: &'a Signal) -> Self {
        Self {
            site,
            device,
            code: &signal.code,
            value_type: signal.value_type.unwrap_or(ValueType::Number),
            unit: signal.unit.as_deref(),
        }
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
    let checked = names.checked(meaning, meant).map_err(invalid)?;
    let own = |reference: &str| resolve(reference, meant.device) == (meant.device, meant.code);
    if checked.references().into_iter().any(own) {
        return Err(invalid(format_args!("`{}` cannot need itself", meant.code)));
    }
    names.look(meant.device, meant.code).await?;
    let id = names.find(meant.code, meant.device).map_or(SignalId(0), |(id, _)| *id);
    let bound = bind(id, checked, meant.device, &names);
    let meanings = app.plans.meanings(&app.store, meant.site).await?;
    if meanings.len() >= MOST {
        return Err(invalid(format_args!("a site has at most {MOST} signals with conversions, formulas or screens")));
    }
    // A signal that is still to be made is needed by nothing.
    if id != SignalId(0) && meanings.goes_round(&bound) {
        let what = format_args!("`{}` would go round in a circle: what it needs is worked out from it", meant.code);
        return Err(invalid(what));
    }
    Ok(bound)
}

/// Whether a meaning fits its signal; it may still go round in a circle.
pub(super) async fn fits(
    app: &App,
    meant: &Meant<'_>,
    meaning: &Meaning,
) -> Result<Result<Checked, MeaningError>, Problem> {
    let mut names = Names::new(&app.store, meant.site);
    names.learn(meaning, meant.device).await?;
    Ok(names.checked(meaning, meant))
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
        check(app, &Meant::of(site.id, &device.code, changed), &meaning, &[]).await?;
    }
    let meanings = app.plans.meanings(&app.store, site.id).await?;
    for needing in meanings.dependents(signal.id).iter().filter(|needing| needing.all().any(|id| id == signal.id)) {
        let other = app.store.signal_by_id(needing.signal).await?;
        let other_device = app.store.device_by_id(other.device).await?;
        let Some(meaning) = parse(&other) else { continue };
        let mut names = Names::new(&app.store, site.id);
        names.put(&device.code, &signal.code, signal.id, signal_type(changed));
        names.learn(&meaning, &other_device.code).await?;
        if let Err(error) = names.checked(&meaning, &Meant::of(site.id, &other_device.code, &other)) {
            let what = format!("`{}/{}` needs `{}` as it is: {error}", other_device.code, other.code, signal.code);
            return Err(invalid(what));
        }
    }
    Ok(())
}
