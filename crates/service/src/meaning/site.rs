//! The meanings of a site, and what depends on what.

use super::checks::{Meant, parse};
use lantern_core::formula::SignalType;
use lantern_core::meaning::{Checked, Derivation, Meaning, MeaningError, Want, resolve};
use lantern_core::units::UnitCode;
use lantern_core::{SignalId, SiteId, ValueType};
use lantern_store::{Signal, Store, StoreError};
use std::collections::{HashMap, HashSet};
use std::sync::Arc;

/// A signal's meaning, with the signals it needs.
#[derive(Debug)]
pub(crate) struct SignalMeaning {
    pub(crate) signal: SignalId,
    pub(crate) checked: Checked,
    /// The signals of [`Checked::needs`], by place.
    pub(crate) needs: Vec<SignalId>,
    /// The signals of [`Derivation::inputs`], by place.
    pub(crate) inputs: Vec<SignalId>,
}

impl SignalMeaning {
    /// The signals that have to be converted and screened before this one.
    fn before(&self) -> impl Iterator<Item = SignalId> + '_ {
        let needs = self.checked.needs().iter().zip(&self.needs);
        let needs = needs.filter(|(need, _)| need.want != Want::Beside).map(|(_, signal)| *signal);
        needs.chain(self.inputs.iter().copied())
    }

    /// All signals it depends on.
    pub(crate) fn all(&self) -> impl Iterator<Item = SignalId> + '_ {
        self.needs.iter().chain(&self.inputs).copied()
    }
}

/// What is known of a site's meanings.
#[derive(Debug, Default)]
pub(crate) struct SiteMeanings {
    meanings: HashMap<SignalId, Arc<SignalMeaning>>,
    /// Signals whose meaning does not hold any more: what is sent cannot be
    /// converted.
    broken: HashSet<SignalId>,
    /// Derived signals by the signals they are worked out from.
    feeds: HashMap<SignalId, Vec<SignalId>>,
    /// In which order to go: what needs others comes after them.
    ranks: HashMap<SignalId, usize>,
}

/// Why the meanings of a site cannot hold together.
#[derive(Debug)]
struct Circle(SignalId);

impl SiteMeanings {
    fn new(meanings: Vec<SignalMeaning>, broken: HashSet<SignalId>) -> Result<Self, Circle> {
        let meanings: HashMap<SignalId, Arc<SignalMeaning>> =
            meanings.into_iter().map(|meaning| (meaning.signal, Arc::new(meaning))).collect();
        let mut feeds: HashMap<SignalId, Vec<SignalId>> = HashMap::new();
        for meaning in meanings.values() {
            for input in &meaning.inputs {
                feeds.entry(*input).or_default().push(meaning.signal);
            }
        }
        let ranks = ranks(&meanings)?;
        Ok(Self { meanings, broken, feeds, ranks })
    }

    /// Reads those of a site.
    pub(crate) async fn load(store: &Store, site: SiteId) -> Result<Self, StoreError> {
        let signals = store.meaningful_signals(site).await?;
        let mut names = Names::new(store, site);
        let mut meanings = Vec::new();
        let mut broken = HashSet::new();
        for (device, signal) in &signals {
            let Some(meaning) = parse(signal) else { continue };
            names.learn(&meaning, device).await?;
            match names.checked(&meaning, &Meant::of(site, device, signal)) {
                Ok(checked) => meanings.push(bind(signal.id, checked, device, &names)),
                Err(error) => {
                    tracing::warn!(signal = signal.code, %error, "a meaning does not hold any more");
                    broken.insert(signal.id);
                }
            }
        }
        // A circle is refused when it is made; one that is there all the same
        // leaves all values as they are sent, rather than none.
        Ok(Self::new(meanings, broken).unwrap_or_else(|Circle(signal)| {
            tracing::error!(signal = signal.0, "meanings go round in a circle; none of this site's hold");
            Self::default()
        }))
    }

    pub(crate) fn is_empty(&self) -> bool {
        self.len() == 0
    }

    /// How many signals mean something, or did.
    pub(crate) fn len(&self) -> usize {
        self.meanings.len() + self.broken.len()
    }

    pub(crate) fn get(&self, signal: SignalId) -> Option<&Arc<SignalMeaning>> {
        self.meanings.get(&signal)
    }

    pub(crate) fn is_broken(&self, signal: SignalId) -> bool {
        self.broken.contains(&signal)
    }

    /// Derived signals that are worked out from a signal.
    pub(crate) fn fed_by(&self, signal: SignalId) -> &[SignalId] {
        self.feeds.get(&signal).map_or(&[], Vec::as_slice)
    }

    pub(crate) fn rank(&self, signal: SignalId) -> usize {
        self.ranks.get(&signal).copied().unwrap_or(0)
    }

    /// Whether a meaning would need, directly or by others, the signal it is of.
    pub(crate) fn goes_round(&self, new: &SignalMeaning) -> bool {
        let mut ahead: Vec<SignalId> = new.before().collect();
        let mut seen = HashSet::new();
        while let Some(signal) = ahead.pop() {
            if signal == new.signal {
                return true;
            }
            if seen.insert(signal) {
                ahead.extend(self.meanings.get(&signal).iter().flat_map(|meaning| meaning.before()));
            }
        }
        false
    }

    /// All signals whose values depend on a signal's, in the order in which to make
    /// them anew.
    pub(crate) fn dependents(&self, signal: SignalId) -> Vec<Arc<SignalMeaning>> {
        let mut touched = HashSet::from([signal]);
        let mut ordered: Vec<_> = self.meanings.values().collect();
        ordered.sort_by_key(|meaning| (self.rank(meaning.signal), meaning.signal));
        let mut found = Vec::new();
        for meaning in ordered {
            if meaning.signal != signal && meaning.all().any(|other| touched.contains(&other)) {
                touched.insert(meaning.signal);
                found.push(meaning.clone());
            }
        }
        found
    }
}

/// How many steps from what nothing has to come before; what goes round has none.
fn ranks(meanings: &HashMap<SignalId, Arc<SignalMeaning>>) -> Result<HashMap<SignalId, usize>, Circle> {
    let mut ranks = HashMap::new();
    let mut left: Vec<&Arc<SignalMeaning>> = meanings.values().collect();
    while !left.is_empty() {
        let before = left.len();
        left.retain(|meaning| {
            let mut rank = 0;
            for other in meaning.before() {
                match (ranks.get(&other), meanings.contains_key(&other)) {
                    (Some(known), _) => rank = rank.max(known + 1),
                    (None, true) => return true,
                    (None, false) => rank = rank.max(1),
                }
            }
            ranks.insert(meaning.signal, rank);
            false
        });
        if left.len() == before {
            return Err(Circle(left[0].signal));
        }
    }
    Ok(ranks)
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

    /// Looks for one; what is not there is remembered as that.
    pub(crate) async fn look(&mut self, device: &str, code: &str) -> Result<(), StoreError> {
        let name = (device.to_owned(), code.to_owned());
        if self.known.contains_key(&name) {
            return Ok(());
        }
        let found = async {
            let device = self.store.device(self.site, device).await?;
            self.store.signal(device.id, code).await
        };
        let found = match found.await {
            // Texts are nothing to work with.
            Ok(signal) if signal.value_type == Some(ValueType::Text) => None,
            Ok(signal) => Some((signal.id, signal_type(&signal))),
            Err(StoreError::NotFound) => None,
            Err(error) => return Err(error),
        };
        self.known.insert(name, found);
        Ok(())
    }

    /// Takes a signal as known that is still to be made, or to be changed.
    pub(crate) fn put(&mut self, device: &str, code: &str, signal: SignalId, known: SignalType) {
        self.known.insert((device.to_owned(), code.to_owned()), Some((signal, known)));
    }

    /// Looks for all that a meaning could refer to.
    pub(crate) async fn learn(&mut self, meaning: &Meaning, device: &str) -> Result<(), StoreError> {
        for reference in references(meaning) {
            let (of, code) = resolve(&reference, device);
            self.look(of, code).await?;
        }
        Ok(())
    }

    /// Checks a meaning of a signal; what it could refer to was learnt before.
    pub(crate) fn checked(&self, meaning: &Meaning, of: &Meant<'_>) -> Result<Checked, MeaningError> {
        let unit = of.unit.and_then(|unit| UnitCode::parse(unit).ok());
        let types = |reference: &str| self.find(reference, of.device).map(|(_, known)| known.clone());
        Checked::new(meaning, of.code, of.value_type, unit.as_ref(), &types)
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
        if let Some(position) = &screen.position {
            found.extend([position.latitude.clone(), position.longitude.clone()]);
            found.extend(position.fix.iter().map(|fix| fix.signal.clone()));
        }
    }
    if let Some(formula) = &meaning.formula {
        found.extend(lantern_core::formula::names(formula));
    }
    found
}

pub(crate) fn signal_type(signal: &Signal) -> SignalType {
    SignalType {
        unit: signal.unit.as_deref().and_then(|unit| UnitCode::parse(unit).ok()),
        is_flag: signal.value_type == Some(ValueType::Flag),
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
