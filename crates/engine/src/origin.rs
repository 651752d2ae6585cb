//! Where a value comes from: what was sent, with which contact it came, and what was made of it.

use crate::contacts::kept;
use crate::latest::Latest;
use crate::meaning::{Context, others_at, step};
use crate::plans::{DeclaredSignal, Plans};
use crate::problem::{Class, Problem};
use crate::shown;
use lantern_api as api;
use lantern_core::meaning::{Memory, SignalMeaning};
use lantern_core::series::Point;
use lantern_core::{Moment, SignalId};
use lantern_store::{Caller, Device, Order, Outcome, Page, Signal, Site, Store};
use std::sync::Arc;

/// Jobs and versions of a signal that are looked through.
const LOOKED_AT: u32 = 200;
/// Senders' clocks and ours may differ by so much, in seconds.
const SLACK_S: f64 = 2.0;

/// Tells where values come from.
pub struct Origins {
    pub(crate) store: Arc<Store>,
    pub(crate) plans: Arc<Plans>,
    pub(crate) latest: Arc<Latest>,
}

impl Origins {
    /// Where the value of a signal at a time comes from: that of the last reading up to then, whatever its
    /// quality.
    ///
    /// # Errors
    /// A [`Problem`] if there is no reading.
    pub async fn of(&self, site: &Site, device: &Device, signal: &Signal, at: Moment) -> Result<api::Origin, Problem> {
        let page = Page { signal: signal.id, from: Moment::MIN, to: at.next(), limit: 1, order: Order::Descending };
        let Some(point) = self.store.points(page).await?.pop() else {
            return Err(Problem::new(
                Class::Missing,
                "not-found",
                "Not found",
                format!("`{}/{}` has no reading up to {at}.", device.code, signal.code),
                "Ask for a later time.",
            ));
        };
        let declared = DeclaredSignal::from(signal.clone());
        let mut origin = api::Origin {
            signal: format!("{}/{}", device.code, signal.code),
            reading: shown::reading_of(device.state, point.clone()),
            unit: signal.unit.clone(),
            symbol: declared.symbol.clone(),
            formula: declared.meaning.as_ref().and_then(|meaning| meaning.formula.clone()),
            sent_unit: declared.meaning.as_ref().and_then(|meaning| meaning.conversion.as_ref()?.from.clone()),
            sent: None,
            contact: None,
            decoder: None,
            hand: None,
            steps: Vec::new(),
            remembers: false,
            version: None,
            remade: None,
            others: Vec::new(),
        };
        let meanings = self.plans.meanings(site.id).await?;
        if let Some(meaning) = meanings.get(signal.id) {
            self.explain(meaning, &point, &mut origin).await?;
            (origin.version, origin.remade) = self.version(site, signal.id, point.at).await?;
        }
        origin.hand = self.by_hand(signal.id, point.at).await?;
        if origin.formula.is_none() && origin.hand.is_none() {
            origin.sent = Some(point.sent());
            origin.contact = self.contact(site, device, point.at).await?;
            origin.decoder = self.decoder(device).await?;
        }
        Ok(origin)
    }

    /// The steps of a conversion, and what other signals said then.
    async fn explain(&self, meaning: &SignalMeaning, point: &Point, origin: &mut api::Origin) -> Result<(), Problem> {
        origin.others = others_at(&self.store, meaning, point.at).await?;
        origin.remembers = meaning.checked.remembers();
        let Some(raw) = point.sent().as_number().filter(|_| meaning.checked.formula().is_none()) else { return Ok(()) };
        let mut context = Context::default();
        context.learn(&self.store, &self.latest, meaning, (point.at, point.at)).await?;
        let seen = context.seen_by(&meaning.needs);
        let traced = meaning.checked.trace(point.at.as_micros(), raw, &seen, &Memory::default());
        origin.steps = traced.into_iter().map(step).collect();
        Ok(())
    }

    /// The version of the meaning that made a value of a time, as far as is known, and who had it made again.
    async fn version(
        &self,
        site: &Site,
        signal: SignalId,
        at: Moment,
    ) -> Result<(Option<api::VersionMade>, Option<api::Remade>), Problem> {
        let jobs = self.store.jobs(site.id, i64::MAX, LOOKED_AT).await?;
        let remade = jobs.into_iter().find_map(|job| {
            let is_of_it = job.signal == signal && (job.from..job.to).contains(&at);
            let (ended, outcome) = job.ended.filter(|_| is_of_it)?;
            (outcome == Outcome::Done).then_some((ended, job.made_by))
        });
        let made_at = remade.as_ref().map_or(at, |(ended, _)| (*ended).max(at));
        let versions = self.store.meaning_versions(signal, u32::MAX, LOOKED_AT).await?;
        // What was sent before the first version was made was converted by none, or made again with it.
        let version = versions.into_iter().find(|version| version.made_at <= made_at).map(|version| api::VersionMade {
            version: version.number,
            made_by: version.made_by,
            made_at: version.made_at.to_string(),
        });
        Ok((version, remade.map(|(ended, by)| api::Remade { by, at: ended.to_string() })))
    }

    async fn by_hand(&self, signal: SignalId, at: Moment) -> Result<Option<api::HandReading>, Problem> {
        let hand = self.store.hand_readings(signal, at, at.next(), 1).await?.pop();
        Ok(hand.map(shown::hand_reading))
    }

    /// The first attempt after a time that brought readings as old: its own, or one of the device that carries it.
    async fn contact(&self, site: &Site, device: &Device, at: Moment) -> Result<Option<api::Contact>, Problem> {
        for of in [Some(device.id), device.carrier].into_iter().flatten() {
            let lines =
                self.store.contacts(Caller::Device(site.id, of), i64::MAX, lantern_store::CONTACTS_KEPT).await?;
            let brought = lines.iter().rev().filter(|line| line.at.seconds_since(at) >= -SLACK_S).find_map(|line| {
                let contact = kept(line);
                let oldest_s = contact.details.oldest_s.unwrap_or(0) as f64 + SLACK_S;
                (contact.details.kept > 0 && line.at.seconds_since(at) <= oldest_s).then_some(contact)
            });
            if brought.is_some() {
                return Ok(brought);
            }
        }
        Ok(None)
    }

    /// Whose decoder reads what the device sends.
    async fn decoder(&self, device: &Device) -> Result<Option<String>, Problem> {
        if device.decoder.is_some() {
            return Ok(Some("the device's own".to_owned()));
        }
        let Some((kind, revision)) = device.kind else { return Ok(None) };
        let kind = self.store.kind_code(kind).await?;
        Ok(Some(format!("of kind {kind}, revision {revision}")))
    }
}
