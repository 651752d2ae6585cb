//! One delivery on its way to being understood.

use super::dialect::read;
use super::owners::Part;
use super::words::{named, nothing_kept, remark};
use super::{Body, Delivery, Intake, Line, Said, Target, concerned, owners};
use crate::changes::Change;
use crate::clock;
use crate::keys;
use crate::plans::DevicePlan;
use crate::problem::Problem;
use lantern_api::{ContactDetails, InAnswer};
use lantern_core::allowance::cost;
use lantern_core::decode::{self, Decoded, TIME_NAMES, Times};
use lantern_core::intake::{Arrival, Understood, understand};
use lantern_core::{Moment, Reading, Refusal, RefusalCode};
use lantern_store::{KeyOwner, NewArrival};
use std::borrow::Cow;
use std::collections::{BTreeMap, BTreeSet, HashMap};
use std::ops::Range;
use std::sync::Arc;
use std::time::Duration;

/// Undeclared names that may wait on one device.
const MAX_ARRIVALS: usize = 200;
/// Bytes of a payload that the contact log keeps.
const PAYLOAD_KEPT: usize = 2_048;

/// One delivery on its way: what is found out of it goes into its line of the contact log.
pub(super) struct Reception<'i> {
    pub(super) intake: &'i Intake,
    pub(super) now: Moment,
    pub(super) line: Box<Line>,
}

/// What all parts of a delivery came to, before it is recorded.
pub(super) struct Gathered {
    /// What its sender is told, as far as it is known before.
    pub(super) answer: InAnswer,
    pub(super) readings: Vec<Reading>,
    /// Which of the readings are of which device.
    pub(super) of: Vec<(Arc<DevicePlan>, Range<usize>)>,
}

impl Reception<'_> {
    /// Understands the delivery.
    pub(super) async fn receive(&mut self, delivery: Delivery<'_>) -> Result<Gathered, Problem> {
        let intake = self.intake;
        let credential = delivery.credential?;
        if !credential.can_be_one() {
            // It has not the form of a key: the database need not be asked.
            return Err(keys::unknown());
        }
        let (owner, own) = owners::owner(&intake.plans, credential.hash(), &mut self.line, self.now).await?;
        intake.heard.note_key(owner.id, self.now, &delivery.from);
        if let Some(own) = &own {
            intake.heard.note(own.device, self.now);
        }
        let plan = match &delivery.target.device {
            Some(name) => Some(owners::target(intake, &owner, own.as_ref(), name, &mut self.line, self.now).await??),
            None => own,
        };
        let body = delivery.body?;
        if plan.as_ref().is_some_and(|plan| plan.keeps_payload) {
            let payload = if body.bytes.is_empty() { delivery.query.as_bytes() } else { &body.bytes };
            self.line.payload = Some(payload[..payload.len().min(PAYLOAD_KEPT)].to_vec());
        }
        intake.count(owner.id, delivery.patience_s).await?;
        let zone = match &plan {
            Some(plan) => plan.zone.clone(),
            None => intake.plans.zone(owner.site).await?,
        };
        let mut times = Times::new(self.now, zone);
        let line = &mut self.line.details;
        line.remarks.extend(body.remark.clone().map(remark));
        let decoded = match &delivery.target {
            Target { signal: Some(signal), at, .. } => decode_bare(&body, signal, at.as_deref(), &mut times, line)?,
            Target { at, .. } => {
                if let Some(at) = at {
                    line.remarks.extend(times.set("at", at)?.map(remark));
                }
                decode(&body, &delivery.said, delivery.query, plan.as_deref(), &mut times, line)?
            }
        };
        let cost = cost(decoded.items.len(), decoded.samples);
        wait_for(delivery.patience_s, || intake.allowances.readings(owner.id, cost, clock::steady())).await?;
        let (parts, refused) = owners::parts(intake, &owner, plan, decoded, &mut self.line, self.now).await?;
        self.gather(parts, refused, owner).await
    }

    /// Matches all parts with the signals of their devices.
    async fn gather(
        &self,
        parts: Vec<Part<'_>>,
        mut refused: Vec<Refusal>,
        owner: KeyOwner,
    ) -> Result<Gathered, Problem> {
        let intake = self.intake;
        let device = (owner.device.is_none() && parts.len() == 1).then(|| parts[0].plan.code.clone());
        let mut answer = InAnswer { device, ..InAnswer::default() };
        let (mut readings, mut of) = (Vec::new(), Vec::new());
        for Part { plan, decoded } in parts {
            if Some(plan.device) != owner.device {
                intake.heard.note(plan.device, self.now);
            }
            if let Some(sent) = decoded.clock_time() {
                intake.heard.note_clock(plan.device, self.now, sent);
            }
            let understood = understand(&plan.plan, decoded, self.now);
            intake.links.note(&plan, &understood.readings);
            let (plan, understood, waiting) = if understood.arrivals.is_empty() {
                (plan, understood, Vec::new())
            } else {
                Box::pin(self.admit(plan, understood)).await?
            };
            let start = readings.len();
            readings.extend(understood.readings);
            of.push((plan, start..readings.len()));
            answer.waiting.extend(waiting);
            answer.remarks.extend(understood.remarks.into_iter().map(remark));
            answer.ignored += understood.ignored;
            refused.extend(understood.refused);
        }
        if readings.is_empty() && (answer.ignored == 0 || !refused.is_empty()) {
            return Err(nothing_kept(refused));
        }
        answer.kept = readings.len();
        answer.refused_count = refused.len();
        answer.refused = named(refused);
        Ok(Gathered { answer, readings, of })
    }

    /// Lets new names wait as arrivals, so that their values are readings too.
    async fn admit(
        &self,
        plan: Arc<DevicePlan>,
        mut understood: Understood,
    ) -> Result<(Arc<DevicePlan>, Understood, Vec<String>), Problem> {
        let arrivals = std::mem::take(&mut understood.arrivals);
        let room = MAX_ARRIVALS.saturating_sub(plan.plan.waiting());
        let mut names: BTreeMap<&str, Option<&str>> = BTreeMap::new();
        for arrival in &arrivals {
            let unit = names.entry(&arrival.name).or_default();
            *unit = unit.or(arrival.unit.as_deref());
        }
        let admitted: Vec<NewArrival<'_>> =
            names.into_iter().take(room).map(|(name, unit)| NewArrival { name, unit }).collect();
        let signals = self.intake.store.add_arrivals(plan.device, &admitted, self.now).await?;
        self.intake.changes.carry(Change::Arrivals(concerned(&plan))).await;
        let ids: HashMap<&str, _> = signals.iter().map(|s| (s.code.as_str(), s.id)).collect();
        let mut refused_names = BTreeSet::new();
        for Arrival { name, at, value, .. } in &arrivals {
            match ids.get(name.as_str()) {
                Some(&signal) => understood.readings.push(Reading::good(signal, *at, value.clone())),
                None => {
                    refused_names.insert(name.as_str());
                }
            }
        }
        for name in refused_names {
            let detail =
                format!("`{name}` is not declared, and {MAX_ARRIVALS} names are waiting on this device already.");
            understood.refused.push(Refusal::of(RefusalCode::TooManyArrivals, name, detail));
        }
        let waiting = admitted.into_iter().map(|arrival| arrival.name.to_owned()).collect();
        let plan = self.intake.plans.device(plan.device).await?;
        Ok((plan, understood, waiting))
    }
}

/// Asks for an allowance, again and again while the sender can be kept waiting.
pub(super) async fn wait_for(patience_s: u64, ask: impl Fn() -> Result<(), Problem>) -> Result<(), Problem> {
    let mut left = patience_s;
    loop {
        match ask() {
            Err(problem) if problem.retry_after.is_some_and(|wait| wait <= left) => {
                let wait = problem.retry_after.unwrap_or(1).max(1);
                left = left.saturating_sub(wait);
                tokio::time::sleep(Duration::from_secs(wait)).await;
            }
            other => return other,
        }
    }
}

/// Reads a payload that is nothing but the value of one signal.
fn decode_bare<'a>(
    body: &'a Body,
    signal: &'a str,
    at: Option<&str>,
    times: &mut Times,
    line: &mut ContactDetails,
) -> Result<Decoded<'a>, Refusal> {
    line.dialect = Some("bare value".to_owned());
    let text = std::str::from_utf8(&body.bytes).map_err(|_| {
        Refusal::of(RefusalCode::UnknownPayload, signal, format!("The payload for `{signal}` is not text."))
    })?;
    let remark = at.map(|at| times.set("at", at)).transpose()?.flatten();
    let pair = (Cow::Borrowed(signal), Cow::Borrowed(text.trim()));
    let mut decoded = decode::pairs(std::iter::once(pair), times)?;
    remark.into_iter().for_each(|remark| decoded.remark(remark));
    Ok(decoded)
}

/// Reads payload and query: the query gives values beside the payload, and times
/// for it.
fn decode<'a>(
    body: &'a Body,
    said: &Said,
    query: &'a str,
    plan: Option<&DevicePlan>,
    times: &mut Times,
    line: &mut ContactDetails,
) -> Result<Decoded<'a>, Refusal> {
    let mut values = Vec::new();
    let mut remarks = Vec::new();
    for (name, text) in form_urlencoded::parse(query.as_bytes()) {
        if TIME_NAMES.contains(&name.as_ref()) {
            remarks.extend(times.set(&name, &text)?);
        } else {
            values.push((name, text));
        }
    }
    let has_body = !body.bytes.iter().all(u8::is_ascii_whitespace);
    let mut decoded = if has_body {
        let read = read(&body.bytes, said, plan, times);
        line.dialect = Some(read.dialect.to_owned());
        line.remarks.extend(read.remark.map(remark));
        read.decoded?
    } else {
        line.dialect = Some("query".to_owned());
        decode::pairs(values.drain(..), times)?
    };
    if !values.is_empty() {
        decoded.join(decode::pairs(values, times)?)?;
    }
    remarks.into_iter().for_each(|remark| decoded.remark(remark));
    Ok(decoded)
}
