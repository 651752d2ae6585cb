//! The meanings of a site's signals as they are kept, put together.

use crate::documents::{self, Damaged};
use lantern_core::formula::SignalType;
use lantern_core::meaning::{Checked, Circle, Derivation, Meaning, MeaningError, SignalMeaning, SiteMeanings, resolve};
use lantern_core::units::UnitCode;
use lantern_core::{SignalId, SiteId, ValueType};
use lantern_store::{Signal, Store, StoreError};
use std::collections::{HashMap, HashSet};

/// The meaning of a signal as it is kept; `None` if its values are as they are sent.
///
/// # Errors
/// [`Damaged`] if it cannot be read.
pub fn meaning_of(signal: &Signal) -> Result<Option<Meaning>, Damaged> {
    documents::read_optional(signal.meaning.as_deref())
}

/// What a signal's values mean, as a document to be shown.
///
/// # Errors
/// [`Damaged`] if it cannot be read.
pub fn meaning_document(text: Option<&str>) -> Result<Option<serde_json::Value>, Damaged> {
    let meaning: Option<Meaning> = documents::read_optional(text)?;
    Ok(meaning.and_then(|meaning| serde_json::to_value(meaning).ok()))
}

/// A signal that a meaning is checked for.
pub struct Subject<'a> {
    /// Its site.
    pub site: SiteId,
    /// The code of its device.
    pub device: &'a str,
    /// Its code.
    pub code: &'a str,
    /// The type of its values.
    pub value_type: ValueType,
    /// The UCUM code of its unit.
    pub unit: Option<&'a str>,
}

impl<'a> Subject<'a> {
    /// A signal there is.
    #[must_use]
    pub fn of(site: SiteId, device: &'a str, signal: &'a Signal) -> Self {
        Self {
            site,
            device,
            code: &signal.code,
            value_type: signal.value_type.unwrap_or(ValueType::Number),
            unit: signal.unit.as_deref(),
        }
    }
}

/// Reads the meanings of a site. One that cannot be read, or does not hold any more, is
/// broken: what its signal is sent is rejected, and kept as it was sent.
pub(crate) async fn load(store: &Store, site: SiteId) -> Result<SiteMeanings, StoreError> {
    let signals = store.meaningful_signals(site).await?;
    let mut names = Names::new(store, site);
    let mut meanings = Vec::new();
    let mut broken = HashSet::new();
    for (device, signal) in &signals {
        let meaning = match meaning_of(signal) {
            Ok(Some(meaning)) => meaning,
            Ok(None) => continue,
            Err(damaged) => {
                tracing::error!(device, signal = signal.code, %damaged, "a meaning is damaged");
                broken.insert(signal.id);
                continue;
            }
        };
        names.learn(&meaning, device).await?;
        match names.checked(&meaning, &Subject::of(site, device, signal)) {
            Ok(checked) => meanings.push(bind(signal.id, checked, device, &names)),
            Err(error) => {
                tracing::warn!(device, signal = signal.code, %error, "a meaning does not hold any more");
                broken.insert(signal.id);
            }
        }
    }
    // A circle is refused when it is made. If there is one all the same, nothing can be
    // worked out in an order, and nothing is taken for good.
    let all: Vec<SignalId> = signals.iter().map(|(_, signal)| signal.id).collect();
    Ok(SiteMeanings::new(meanings, broken).unwrap_or_else(|circle: Circle| {
        tracing::error!(error = %circle, "the meanings of a site go round in a circle; none of them holds");
        SiteMeanings::all_broken(all)
    }))
}

/// Signals of a site by `DEVICE/SIGNAL`, as they are asked for.
pub(crate) struct Names<'a> {
    store: &'a Store,
    site: SiteId,
    known: HashMap<(String, String), Option<(SignalId, SignalType)>>,
}

impl<'a> Names<'a> {
    pub(crate) fn new(store: &'a Store, site: SiteId) -> Self {
        Self { store, site, known: HashMap::new() }
    }

    /// Looks for one. That there is none is remembered as well.
    pub(crate) async fn look(&mut self, device: &str, code: &str) -> Result<(), StoreError> {
        let name = (device.to_owned(), code.to_owned());
        if self.known.contains_key(&name) {
            return Ok(());
        }
        let found = match self.store.signal_named(self.site, device, code).await {
            // Nothing is worked out from texts.
            Ok(signal) if signal.value_type == Some(ValueType::Text) => None,
            Ok(signal) => Some((signal.id, signal_type(&signal))),
            Err(StoreError::NotFound) => None,
            Err(error) => return Err(error),
        };
        self.known.insert(name, found);
        Ok(())
    }

    /// Adds a signal that is still to be made, or takes one as it will be after a change.
    pub(crate) fn put(&mut self, device: &str, code: &str, signal: SignalId, known: SignalType) {
        self.known.insert((device.to_owned(), code.to_owned()), Some((signal, known)));
    }

    /// Looks for all signals a meaning could refer to.
    pub(crate) async fn learn(&mut self, meaning: &Meaning, device: &str) -> Result<(), StoreError> {
        for reference in references(meaning) {
            let (of, code) = resolve(&reference, device);
            self.look(of, code).await?;
        }
        Ok(())
    }

    /// Checks a meaning of a signal, after [`Names::learn`].
    pub(crate) fn checked(&self, meaning: &Meaning, of: &Subject<'_>) -> Result<Checked, MeaningError> {
        let unit = of.unit.and_then(|unit| UnitCode::parse(unit).ok());
        let types = |reference: &str| self.find(reference, of.device).map(|(_, known)| known.clone());
        Checked::new(meaning, of.value_type, unit.as_ref(), &types)
    }

    pub(crate) fn find(&self, reference: &str, own: &str) -> Option<&(SignalId, SignalType)> {
        let (device, code) = resolve(reference, own);
        self.known.get(&(device.to_owned(), code.to_owned()))?.as_ref()
    }
}

/// What a meaning refers to, as far as that can be told before it is checked.
fn references(meaning: &Meaning) -> HashSet<String> {
    let mut found = HashSet::new();
    let steps = meaning.conversion.iter().flat_map(|conversion| &conversion.steps);
    found.extend(steps.filter_map(|step| step.needs().map(str::to_owned)));
    if let Some(screen) = &meaning.screen {
        found.extend(screen.dependence.iter().map(|dependence| dependence.signal.clone()));
        let fix = screen.position.iter().filter_map(|position| position.fix.as_ref());
        found.extend(fix.map(|fix| fix.signal.clone()));
    }
    if let Some(formula) = &meaning.formula {
        found.extend(lantern_core::formula::names(formula));
    }
    found
}

pub(crate) fn signal_type(signal: &Signal) -> SignalType {
    SignalType {
        unit: signal.unit.as_deref().and_then(|unit| UnitCode::parse(unit).ok()),
        value_type: signal.value_type.unwrap_or_default(),
    }
}

/// A checked meaning with the signals it refers to.
pub(crate) fn bind(signal: SignalId, checked: Checked, device: &str, names: &Names<'_>) -> SignalMeaning {
    // All were found when it was checked.
    let id = |reference: &str| names.find(reference, device).map_or(SignalId(0), |(id, _)| *id);
    let needs = checked.needs().iter().map(|need| id(&need.signal)).collect();
    let inputs = Derivation::new(&checked).map_or_else(Vec::new, |derivation| derivation.inputs().map(id).collect());
    SignalMeaning { signal, checked, needs, inputs }
}
