//! The way in: one pipeline for every protocol.
//!
//! A protocol turns what it got into a [`Delivery`] and the outcome back into
//! its own answer. Between lie: find the owner of the key, count its allowance,
//! read the payload, find the devices it is of, match names with signals, let
//! unknown names wait, record durably, publish, and note all of it in the
//! contact log.

mod answer;
mod delivery;
mod dialect;
mod owners;

pub(crate) use answer::Reply;
pub(crate) use delivery::{Body, Credential, Delivery, Target};
pub(crate) use dialect::{Said, read};
pub(crate) use owners::{check as check_key, known as known_key, not_granted};

use crate::app::App;
use crate::clock;
use crate::contacts::{Attempt, PAYLOAD_KEPT};
use crate::meaning::{Meant, apply};
use crate::plans::DevicePlan;
use crate::problem::Problem;
use lantern_api::{ContactDetails, InAnswer, Outcome, RefusedValue, Remark};
use lantern_core::allowance::cost;
use lantern_core::decode::{self, Decoded, TIME_NAMES, Times};
use lantern_core::intake::{Arrival, Understood, understand};
use lantern_core::state::StateChange;
use lantern_core::{DeviceId, Moment, Reading, Refusal, RefusalCode, decode as core_decode};
use lantern_store::{Caller, KeyOwner, NewArrival};
use std::borrow::Cow;
use std::collections::{BTreeMap, BTreeSet, HashMap};
use std::sync::Arc;
use std::time::Duration;

/// Refused values that an answer names one by one.
const MAX_NAMED: usize = 100;
/// Refused values that the contact log names.
const MAX_LOGGED: usize = 5;
/// Undeclared names that may wait on one device.
const MAX_ARRIVALS: usize = 200;

/// What the contact log will say, as far as it is known.
struct Draft {
    caller: Caller,
    device: Option<String>,
    details: ContactDetails,
    payload: Option<Vec<u8>>,
}

/// Gives the changes that are to be durable together with the readings.
pub(crate) type Route<'a> = &'a mut (dyn FnMut() -> Vec<StateChange> + Send);

/// Takes a delivery in. What is understood is durable when this returns.
pub(crate) async fn take(app: &App, delivery: Delivery<'_>) -> Result<InAnswer, Problem> {
    let mut answer = take_with(app, delivery, clock::now(), &mut Vec::new).await?;
    if let Some(device) = answer.1
        && app.commands.has_waiting(device)
    {
        answer.0.commands = app.commands.collect(app, device).await?;
    }
    Ok(answer.0)
}

/// Takes a delivery in that arrived at `now`, together with what `route` gives;
/// that is called when nothing but the storage can go wrong any more. Also says
/// which device it was of, if of one.
pub(crate) async fn take_with(
    app: &App,
    delivery: Delivery<'_>,
    now: Moment,
    route: Route<'_>,
) -> Result<(InAnswer, Option<DeviceId>), Problem> {
    let is_aside = delivery.is_aside;
    let details = ContactDetails {
        protocol: delivery.protocol.to_owned(),
        topic: delivery.topic.map(|topic| topic.chars().take(200).collect()),
        from: delivery.from.clone(),
        bytes: (delivery.body.as_ref().map_or(0, |body| body.sent) + delivery.query.len()) as u64,
        times: 1,
        ..ContactDetails::default()
    };
    let mut draft = Draft { caller: Caller::Unknown, device: None, details, payload: None };
    let mut result = process(app, delivery, &mut draft, now, route).await;
    if is_aside && let Some(detail) = result.as_ref().err().and_then(only_unreadable) {
        let detail = format!("Nothing was kept of it as readings: {detail} It was passed on.");
        let answer = InAnswer { remarks: vec![Remark { code: "passed-on".to_owned(), detail }], ..InAnswer::default() };
        result = app.store.keep(route()).await.map(|()| answer).map_err(Into::into);
    }
    conclude(&mut draft.details, &result);
    let Draft { caller, device, details, payload } = draft;
    app.contacts.note(Attempt { caller, device, at: now, details, payload });
    let of = if let Caller::Device(_, device) = caller { Some(device) } else { None };
    result.map(|answer| (answer, of))
}

/// What is said of a delivery of which just the payload was not to be read: nothing
/// about its sender or the service was wrong.
fn only_unreadable(problem: &Problem) -> Option<&str> {
    let is_payload = matches!(problem.status.code, 400 | 413 | 415 | 422) && problem.retry_after.is_none();
    is_payload.then_some(problem.detail.as_str())
}

/// Puts the outcome into the contact log's line.
fn conclude(details: &mut ContactDetails, result: &Result<InAnswer, Problem>) {
    match result {
        Ok(answer) => {
            details.outcome = if answer.refused_count == 0 { Outcome::Kept } else { Outcome::Partly };
            details.kept = answer.kept as u64;
            details.repeated = answer.repeated as u64;
            details.corrected = answer.corrected as u64;
            details.ignored = answer.ignored as u64;
            details.waiting.clone_from(&answer.waiting);
            details.refused = answer.refused.iter().take(MAX_LOGGED).cloned().collect();
            details.refused_count = answer.refused_count as u64;
            details.remarks.extend(answer.remarks.iter().cloned());
        }
        Err(problem) => {
            details.outcome = Outcome::Refused;
            details.refused = problem.refused.iter().take(MAX_LOGGED).cloned().collect();
            if details.refused.is_empty() {
                details.refused = vec![RefusedValue {
                    name: String::new(),
                    code: problem.code.to_owned(),
                    detail: problem.detail.clone(),
                    remedy: problem.remedy.clone().into_owned(),
                }];
            }
            details.refused_count = details.refused.len() as u64;
        }
    }
}

async fn process(
    app: &App,
    delivery: Delivery<'_>,
    draft: &mut Draft,
    now: Moment,
    route: Route<'_>,
) -> Result<InAnswer, Problem> {
    let owner = owners::owner(app, delivery.credential?.hash(), draft, now).await?;
    app.heard.note_key(owner.id, now, &delivery.from);
    let own = match owner.device {
        Some(device) => Some(app.plans.device(&app.store, device).await?),
        None => None,
    };
    if let Some(own) = &own {
        app.heard.note(own.device, now, &app.hub);
    }
    let plan = match &delivery.target.device {
        Some(name) => Some(owners::target(app, &owner, own.as_ref(), name, draft, now).await??),
        None => own,
    };
    let body = delivery.body?;
    if plan.as_ref().is_some_and(|plan| plan.keeps_payload) {
        let payload = if body.bytes.is_empty() { delivery.query.as_bytes() } else { &body.bytes };
        draft.payload = Some(payload[..payload.len().min(PAYLOAD_KEPT)].to_vec());
    }
    let patience_s = delivery.patience_s;
    wait_for(patience_s, |now| app.allowances.request(owner.id, now)).await?;
    let zone = match &plan {
        Some(plan) => plan.zone.clone(),
        None => app.plans.zone(&app.store, owner.site).await?,
    };
    let mut times = Times::new(now, zone);
    draft.details.remarks.extend(body.remark.clone().map(remark));
    let decoded = match &delivery.target {
        Target { signal: Some(signal), at, .. } => decode_bare(&body, signal, at.as_deref(), &mut times, draft)?,
        Target { at, .. } => {
            if let Some(at) = at {
                draft.details.remarks.extend(times.set("at", at)?.map(remark));
            }
            decode(&body, &delivery.said, delivery.query, plan.as_deref(), &mut times, draft)?
        }
    };
    let cost = cost(decoded.items.len(), decoded.samples);
    wait_for(patience_s, |now| app.allowances.readings(owner.id, cost, now)).await?;
    let parts = owners::parts(app, &owner, plan, decoded, &delivery.from, draft, now).await?;
    accept(app, parts, owner, now, route).await
}

/// Asks for an allowance, again and again while the sender can be kept waiting.
async fn wait_for(patience_s: u64, ask: impl Fn(Moment) -> Result<(), Problem>) -> Result<(), Problem> {
    let mut left = patience_s;
    loop {
        match ask(clock::now()) {
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
    draft: &mut Draft,
) -> Result<Decoded<'a>, Refusal> {
    draft.details.dialect = Some("bare value".to_owned());
    let text = std::str::from_utf8(&body.bytes).map_err(|_| {
        Refusal::of(RefusalCode::UnknownPayload, signal, format!("The payload for `{signal}` is not text."))
    })?;
    let remark = at.map(|at| times.set("at", at)).transpose()?.flatten();
    let pair = (Cow::Borrowed(signal), Cow::Borrowed(text.trim()));
    let mut decoded = core_decode::pairs(std::iter::once(pair), times)?;
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
    draft: &mut Draft,
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
        draft.details.dialect = Some(read.dialect.to_owned());
        draft.details.remarks.extend(read.remark.map(remark));
        read.decoded?
    } else {
        draft.details.dialect = Some("query".to_owned());
        core_decode::pairs(values.drain(..), times)?
    };
    if !values.is_empty() {
        decoded.join(core_decode::pairs(values, times)?)?;
    }
    remarks.into_iter().for_each(|remark| decoded.remark(remark));
    Ok(decoded)
}

/// A part of a delivery and the device it is of.
struct Part<'a> {
    plan: Arc<DevicePlan>,
    decoded: Decoded<'a>,
}

/// What all parts together came to, before it is recorded.
#[derive(Default)]
struct Gathered {
    readings: Vec<Reading>,
    of: Vec<(Arc<DevicePlan>, std::ops::Range<usize>)>,
    waiting: Vec<String>,
    refused: Vec<Refusal>,
    remarks: Vec<decode::Remark>,
    ignored: usize,
}

async fn accept(
    app: &App,
    (parts, refused): (Vec<Part<'_>>, Vec<Refusal>),
    owner: KeyOwner,
    now: Moment,
    route: Route<'_>,
) -> Result<InAnswer, Problem> {
    let mut gathered = Gathered { refused, ..Gathered::default() };
    let device = (owner.device.is_none() && parts.len() == 1).then(|| parts[0].plan.code.clone());
    for Part { plan, decoded } in parts {
        if Some(plan.device) != owner.device {
            app.heard.note(plan.device, now, &app.hub);
        }
        if let Some(sent) = decoded.clock_time() {
            app.heard.note_clock(plan.device, now, sent);
        }
        let understood = understand(&plan.plan, decoded, now);
        app.links.note(&plan, &understood.readings);
        let (plan, understood, waiting) = admit(app, plan, understood, now).await?;
        let start = gathered.readings.len();
        gathered.readings.extend(understood.readings);
        gathered.of.push((plan, start..gathered.readings.len()));
        gathered.waiting.extend(waiting);
        gathered.refused.extend(understood.refused);
        gathered.remarks.extend(understood.remarks);
        gathered.ignored += understood.ignored;
    }
    record(app, gathered, device, now, route).await
}

/// Lets new names wait as arrivals, so that their values are readings too.
async fn admit(
    app: &App,
    plan: Arc<DevicePlan>,
    mut understood: Understood,
    now: Moment,
) -> Result<(Arc<DevicePlan>, Understood, Vec<String>), Problem> {
    let arrivals = std::mem::take(&mut understood.arrivals);
    if arrivals.is_empty() {
        return Ok((plan, understood, Vec::new()));
    }
    let room = MAX_ARRIVALS.saturating_sub(plan.plan.waiting());
    let mut names: BTreeMap<&str, Option<&str>> = BTreeMap::new();
    for arrival in &arrivals {
        let unit = names.entry(&arrival.name).or_default();
        *unit = unit.or(arrival.unit.as_deref());
    }
    let admitted: Vec<NewArrival<'_>> =
        names.into_iter().take(room).map(|(name, unit)| NewArrival { name, unit }).collect();
    let signals = app.store.add_arrivals(plan.device, &admitted, now).await?;
    app.plans.forget(plan.device);
    app.hub.change(plan.site, "arrival", Some(&plan.code));
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
        let detail = format!("`{name}` is not declared, and {MAX_ARRIVALS} names are waiting on this device already.");
        understood.refused.push(Refusal::of(RefusalCode::TooManyArrivals, name, detail));
    }
    let waiting = admitted.into_iter().map(|arrival| arrival.name.to_owned()).collect();
    let plan = app.plans.device(&app.store, plan.device).await?;
    Ok((plan, understood, waiting))
}

async fn record(
    app: &App,
    gathered: Gathered,
    device: Option<String>,
    now: Moment,
    route: Route<'_>,
) -> Result<InAnswer, Problem> {
    if gathered.readings.is_empty() && (gathered.ignored == 0 || !gathered.refused.is_empty()) {
        return Err(nothing_kept(gathered.refused));
    }
    let mut answer = InAnswer {
        kept: gathered.readings.len(),
        waiting: gathered.waiting,
        refused_count: gathered.refused.len(),
        refused: named(gathered.refused),
        ignored: gathered.ignored,
        remarks: gathered.remarks.into_iter().map(remark).collect(),
        device,
        ..InAnswer::default()
    };
    let changes = route();
    if gathered.readings.is_empty() && changes.is_empty() {
        return Ok(answer);
    }
    // From what the values mean to their being recorded, nobody changes that.
    let _gate = app.memories.gate.read().await;
    let meanings = match gathered.of.first() {
        Some((plan, _)) => app.plans.meanings(&app.store, plan.site).await?,
        None => Arc::default(),
    };
    let Meant { readings, recorded, not_good } = apply(app, &meanings, gathered.readings, changes, now).await?;
    answer.not_good = not_good;
    answer.repeated = recorded.repeated;
    answer.corrected = recorded.corrected;
    answer.expired = recorded.expired;
    app.latest.note(&readings);
    for (plan, range) in gathered.of {
        if app.dummies.check(&app.store, &readings[range.clone()], now).await? {
            app.hub.change(plan.site, "commissioning", Some(&plan.code));
        }
        app.outward.readings(&plan, &readings, range.clone());
        app.hub.readings(&plan, &readings, range);
    }
    Ok(answer)
}

pub(crate) fn refused_value(refusal: Refusal) -> RefusedValue {
    RefusedValue {
        name: refusal.name.unwrap_or_default(),
        code: refusal.code.as_str().to_owned(),
        detail: refusal.detail,
        remedy: refusal.code.remedy().to_owned(),
    }
}

pub(crate) fn remark(remark: decode::Remark) -> Remark {
    Remark { code: remark.code.as_str().to_owned(), detail: remark.detail }
}

/// The refused values that an answer names.
pub(crate) fn named(refused: Vec<Refusal>) -> Vec<RefusedValue> {
    refused.into_iter().take(MAX_NAMED).map(refused_value).collect()
}

/// All values were refused: the first one's reason stands for the delivery.
fn nothing_kept(refused: Vec<Refusal>) -> Problem {
    let first = refused.first().cloned();
    let first = first.unwrap_or_else(|| Refusal::whole(RefusalCode::NoValues, "The request holds no values."));
    let mut problem = Problem::from(first);
    problem.refused = named(refused);
    problem
}
