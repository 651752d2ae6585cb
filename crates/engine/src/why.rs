//! Finds out why nothing is seen of a device or a signal: gathers what is known and has the
//! core judge it.

use crate::clock;
use crate::contacts::{self, Contacts};
use crate::heard::Heard;
use crate::keys;
use crate::problem::Problem;
use lantern_api::{Contact, ContactDetails, Outcome, Why};
use lantern_core::Moment;
use lantern_core::presence::Patience;
use lantern_core::why::{Attempt, Evidence, Keys, SignalEvidence, Stage, first_wrong};
use lantern_store::{Caller, Device, Order, Page, Signal, Store};
use std::collections::HashSet;
use std::sync::Arc;

/// Lines of the contact log that are looked at.
const LINES: u32 = 100;
/// How long attempts of somebody unknown may be the device's, in seconds.
const STRAY_S: f64 = 3_600.0;

/// Who asks, and from where.
#[derive(Debug, Default)]
pub struct Asked {
    /// Attempts of unknown senders may be told; they may be meant for another site.
    pub sees_unknown: bool,
    /// The address in the recipes, if it leads every machine to itself.
    pub own_address: Option<String>,
}

/// Answers why.
pub struct Whys {
    pub(crate) store: Arc<Store>,
    pub(crate) heard: Arc<Heard>,
    pub(crate) contacts: Arc<Contacts>,
}

impl Whys {
    /// The first thing that is wrong with a device, or with one of its signals.
    ///
    /// # Errors
    /// A [`Problem`] if the database fails.
    pub async fn why(&self, device: &Device, signal: Option<&Signal>, asked: Asked) -> Result<Why, Problem> {
        let now = clock::now();
        let evidence = self.evidence(device, signal, asked, now).await?;
        let found = first_wrong(&evidence);
        let passed = Stage::ALL.into_iter().take_while(|stage| found.stage.is_none_or(|wrong| *stage < wrong));
        Ok(Why {
            device: device.code.clone(),
            signal: signal.map(|signal| signal.code.clone()),
            at: now.to_string(),
            passed: passed.collect(),
            stage: found.stage,
            code: found.code,
            what: found.what,
            means: found.means,
            mend: found.mend,
        })
    }

    async fn evidence(
        &self,
        device: &Device,
        signal: Option<&Signal>,
        asked: Asked,
        now: Moment,
    ) -> Result<Evidence, Problem> {
        // What happened just now counts, written or not.
        self.heard.flush().await?;
        self.contacts.flush().await?;
        let known = self.store.keys(device.site, Some(device.id), i64::MAX, LINES).await?;
        let usable = known.iter().filter(|key| keys::may_send(key, now)).count();
        let lines = self.lines(Caller::Device(device.site, device.id)).await?;
        let addresses: HashSet<String> = (lines.iter().map(|line| line.details.from.clone()))
            .chain(known.iter().filter_map(|key| key.last_used_from.clone()))
            .collect();
        let heard = self.heard.last(device.id).or(device.last_heard_at);
        let stray = match asked.sees_unknown {
            true => self.stray(&addresses, heard.is_none(), now).await?,
            false => None,
        };
        let signals = self.store.signals(device.id).await?;
        let is_declared = |signal: &&Signal| signal.value_type.is_some();
        let declared = signals.iter().filter(is_declared).map(|signal| signal.code.clone()).collect();
        let waiting = signals.iter().filter(|signal| !is_declared(signal)).map(|signal| signal.code.clone()).collect();
        let newest = lines.first();
        let patience = device.silent_after.unwrap_or(Patience::SILENT_AFTER);
        let day = self.store.link_totals(&[device.id], now.plus_seconds(-86_400.0)).await?;
        Ok(Evidence {
            now,
            state: device.state,
            silent_after_s: patience * device.interval_s,
            keys: Keys { all: known.len(), usable },
            heard,
            refused: newest
                .filter(|line| line.details.outcome == Outcome::Refused)
                .and_then(|line| attempt(line, None)),
            refused_value: signal.and_then(|signal| newest.and_then(|line| attempt(line, Some(&signal.code)))),
            stray,
            waiting,
            declared,
            day: day.get(&device.id).copied().unwrap_or_default(),
            own_address: asked.own_address,
            clock_offset_s: self.heard.clock_offset_s(device.id),
            signal: match signal {
                Some(signal) => {
                    let interval_s = signal.interval_s.unwrap_or(device.interval_s);
                    Some(self.signal(signal, patience * interval_s).await?)
                }
                None => None,
            },
        })
    }

    async fn signal(&self, signal: &Signal, silent_after_s: f64) -> Result<SignalEvidence, Problem> {
        let newest = Page { signal: signal.id, from: Moment::MIN, to: Moment::MAX, limit: 1, order: Order::Descending };
        let points = self.store.points(newest).await?;
        let last = points.first().map(|point| (point.at, point.quality));
        let forgotten = match last {
            Some(_) => None,
            None => self.store.time_span(signal.id).await?.map(|(_, last)| last),
        };
        Ok(SignalEvidence { code: signal.code.clone(), last, forgotten, silent_after_s })
    }

    async fn lines(&self, caller: Caller) -> Result<Vec<Contact>, Problem> {
        let lines = self.store.contacts(caller, i64::MAX, LINES).await?;
        Ok(lines.iter().map(contacts::kept).collect())
    }

    /// The newest attempt of somebody unknown from these addresses, or `from_anywhere` of late.
    async fn stray(
        &self,
        addresses: &HashSet<String>,
        from_anywhere: bool,
        now: Moment,
    ) -> Result<Option<Attempt>, Problem> {
        let is_its = |line: &Contact| {
            let is_late = Moment::parse(&line.at).is_ok_and(|at| now.seconds_since(at) <= STRAY_S);
            addresses.contains(&line.details.from) || (from_anywhere && is_late)
        };
        let lines = self.lines(Caller::Unknown).await?;
        Ok(lines.iter().find(|line| is_its(line)).and_then(|line| attempt(line, None)))
    }
}

/// What a line says was refused: of a value by its name, or the first of all.
fn attempt(line: &Contact, name: Option<&str>) -> Option<Attempt> {
    let ContactDetails { from, refused, .. } = &line.details;
    let refused = refused.iter().find(|refused| name.is_none_or(|name| refused.name == name))?;
    Some(Attempt {
        at: Moment::parse(&line.at).ok()?,
        from: from.clone(),
        code: refused.code.clone(),
        detail: refused.detail.clone(),
        remedy: refused.remedy.clone(),
    })
}
