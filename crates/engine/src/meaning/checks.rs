//! Whether a meaning fits its site, seen before it is kept.

use crate::checks::invalid_meaning;
use crate::definitions::{Names, Subject, bind, meaning_of, signal_type};
use crate::plans::Plans;
use crate::problem::{Class, Problem};
use lantern_core::formula::SignalType;
use lantern_core::meaning::{Checked, Meaning, MeaningError, SignalMeaning, resolve};
use lantern_core::{SignalId, SiteId};
use lantern_store::{Device, Signal, Site, Store};
use std::sync::Arc;

/// Signals of a site that can have a meaning.
const MOST: usize = 5_000;

/// Checks meanings against what is known of their site.
pub struct Definitions {
    pub(crate) store: Arc<Store>,
    pub(crate) plans: Arc<Plans>,
}

impl Definitions {
    /// Checks what a signal's values are to mean, beside signals that are declared with
    /// it. Refuses what goes round in a circle.
    pub(crate) async fn check(
        &self,
        subject: &Subject<'_>,
        meaning: &Meaning,
        beside: &[(&str, SignalType)],
    ) -> Result<SignalMeaning, Problem> {
        let mut names = Names::new(&self.store, subject.site);
        for (code, known) in beside {
            names.put(subject.device, code, SignalId(0), known.clone());
        }
        names.learn(meaning, subject.device).await?;
        let checked = names.checked(meaning, subject).map_err(invalid_meaning)?;
        let own = |reference: &str| resolve(reference, subject.device) == (subject.device, subject.code);
        if checked.references().into_iter().any(own) {
            return Err(invalid_meaning(format_args!("`{}` cannot need itself", subject.code)));
        }
        names.look(subject.device, subject.code).await?;
        let id = names.find(subject.code, subject.device).map_or(SignalId(0), |(id, _)| *id);
        let bound = bind(id, checked, subject.device, &names);
        let meanings = self.plans.meanings(subject.site).await?;
        if meanings.len() >= MOST {
            return Err(invalid_meaning(format_args!(
                "a site has at most {MOST} signals with conversions, formulas or screens"
            )));
        }
        // A signal that is still to be made is needed by nothing.
        if id != SignalId(0) && meanings.goes_round(&bound) {
            let what =
                format_args!("`{}` would go round in a circle: what it needs is worked out from it", subject.code);
            return Err(invalid_meaning(what));
        }
        Ok(bound)
    }

    /// Whether a meaning fits its signal; it may still go round in a circle.
    pub(super) async fn fits(
        &self,
        subject: &Subject<'_>,
        meaning: &Meaning,
    ) -> Result<Result<Checked, MeaningError>, Problem> {
        let mut names = Names::new(&self.store, subject.site);
        names.learn(meaning, subject.device).await?;
        Ok(names.checked(meaning, subject))
    }

    /// Refuses to let go of signals that others of the site need.
    pub(crate) async fn refuse_if_needed(&self, site: SiteId, going: &[SignalId]) -> Result<(), Problem> {
        let meanings = self.plans.meanings(site).await?;
        for signal in going {
            if let Some(needing) = meanings.dependents(*signal).iter().find(|needing| !going.contains(&needing.signal))
            {
                return Err(self.needed(*signal, needing.signal).await?);
            }
        }
        Ok(())
    }

    /// Refuses signals whose meanings need something that is not there.
    ///
    /// # Errors
    /// A [`Problem`] with code `bad-meaning`.
    pub(crate) async fn refuse_if_broken(&self, site: SiteId, signals: &[SignalId]) -> Result<(), Problem> {
        let meanings = self.plans.meanings(site).await?;
        let Some(broken) = signals.iter().find(|signal| meanings.is_broken(**signal)) else { return Ok(()) };
        let signal = self.store.signal_by_id(*broken).await?;
        Err(invalid_meaning(format_args!(
            "`{}` needs other signals that are no longer there: bring those back first",
            signal.code
        )))
    }

    async fn needed(&self, signal: SignalId, by: SignalId) -> Result<Problem, Problem> {
        let (signal, by) = (self.store.signal_by_id(signal).await?, self.store.signal_by_id(by).await?);
        let device = self.store.device_by_id(by.device).await?;
        Ok(Problem::new(
            Class::Conflict,
            "needed",
            "Another signal needs it",
            format!(
                "`{}/{}` is worked out, converted or screened by means of `{}`.",
                device.code, by.code, signal.code
            ),
            "Change what that signal means first.",
        ))
    }

    /// Refuses another type or unit of a signal that does not fit what it means, or what
    /// others do with it.
    pub(crate) async fn refuse_unfit_change(
        &self,
        site: &Site,
        device: &Device,
        signal: &Signal,
        changed: &Signal,
    ) -> Result<(), Problem> {
        if (&changed.unit, changed.value_type) == (&signal.unit, signal.value_type) {
            return Ok(());
        }
        if let Some(meaning) = meaning_of(signal)? {
            self.check(&Subject::of(site.id, &device.code, changed), &meaning, &[]).await?;
        }
        let meanings = self.plans.meanings(site.id).await?;
        for needing in
            meanings.dependents(signal.id).iter().filter(|needing| needing.depends_on().any(|id| id == signal.id))
        {
            let other = self.store.signal_by_id(needing.signal).await?;
            let other_device = self.store.device_by_id(other.device).await?;
            let Some(meaning) = meaning_of(&other)? else { continue };
            let mut names = Names::new(&self.store, site.id);
            names.put(&device.code, &signal.code, signal.id, signal_type(changed));
            names.learn(&meaning, &other_device.code).await?;
            if let Err(error) = names.checked(&meaning, &Subject::of(site.id, &other_device.code, &other)) {
                let what = format!("`{}/{}` needs `{}` as it is: {error}", other_device.code, other.code, signal.code);
                return Err(invalid_meaning(what));
            }
        }
        Ok(())
    }
}
