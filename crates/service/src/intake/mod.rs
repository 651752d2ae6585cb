//! The way in: one pipeline for every protocol.
//!
//! A protocol turns what it got into a [`Delivery`] and the outcome back into
//! its own answer. Between lie: find the device of the key, decode, match names
//! with signals, let unknown names wait, record durably, publish.

mod answer;

pub(crate) use answer::Reply;

use crate::app::App;
use crate::auth;
use crate::clock;
use crate::plans::DevicePlan;
use crate::problem::Problem;
use lantern_api::{InAnswer, RefusedValue};
use lantern_core::decode::{self, Decoded};
use lantern_core::intake::{Arrival, Understood, understand};
use lantern_core::{Moment, Reading, Refusal, RefusalCode};
use lantern_store::{KeyOwner, StoreError};
use rocket::http::Status;
use std::collections::{BTreeSet, HashMap};
use std::sync::Arc;

/// Refused values that an answer names one by one.
const MAX_NAMED: usize = 100;
/// Undeclared names that may wait on one device.
const MAX_ARRIVALS: usize = 200;

/// What a sender handed over, freed from its protocol.
pub(crate) struct Delivery<'a> {
    /// The key it was sent with.
    pub(crate) secret: &'a str,
    /// The payload; empty if there is none.
    pub(crate) body: &'a [u8],
    /// What the sender calls the payload.
    pub(crate) kind: Kind,
    /// The query of the address: values given beside the payload or instead of it.
    pub(crate) query: &'a str,
}

/// What a payload is, as far as the sender says.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Kind {
    /// JSON, or not said.
    Json,
    /// `name=value` pairs of a form.
    Form,
    /// A table.
    Csv,
}

/// Takes a delivery in. What is understood is durable when this returns.
pub(crate) async fn take(app: &App, delivery: Delivery<'_>) -> Result<InAnswer, Problem> {
    let now = clock::now();
    let owner = owner(app, delivery.secret).await?;
    let plan = app.plans.device(&app.store, owner.device).await?;
    let decoded = decode(&delivery)?;
    app.heard.note(owner.device, owner.id, now, &app.hub);
    let understood = understand(&plan.plan, decoded, now);
    let (plan, understood, waiting) = admit(app, plan, understood, now).await?;
    record(app, &plan, understood, waiting, now).await
}

async fn owner(app: &App, secret: &str) -> Result<KeyOwner, Problem> {
    match app.plans.key_owner(&app.store, &auth::hash(secret)).await {
        Ok(owner) if owner.revoked => Err(Problem::new(
            Status::Forbidden,
            "revoked-key",
            "Revoked key",
            "This key was revoked.",
            "Issue a new key for the device and put it into the sender.",
        )),
        Ok(owner) => Ok(owner),
        Err(StoreError::NotFound) => Err(Problem::new(
            Status::Unauthorized,
            "unknown-key",
            "Unknown key",
            "No device has this key.",
            "Check the key for missing characters, or issue a new one for the device.",
        )),
        Err(other) => Err(other.into()),
    }
}

fn decode<'a>(delivery: &Delivery<'a>) -> Result<Decoded<'a>, Refusal> {
    let query = || decode::pairs(form_urlencoded::parse(delivery.query.as_bytes()));
    if delivery.body.iter().all(u8::is_ascii_whitespace) {
        return query();
    }
    let mut decoded = match delivery.kind {
        Kind::Csv => decode::csv(delivery.body)?,
        Kind::Form if !looks_like_json(delivery.body) => decode::pairs(form_urlencoded::parse(delivery.body))?,
        Kind::Json | Kind::Form => decode::json(delivery.body)?,
    };
    if !delivery.query.is_empty() {
        let more = query()?;
        decoded.items.extend(more.items);
        decoded.refused.extend(more.refused);
    }
    Ok(decoded)
}

/// Some programs call everything they post a form.
fn looks_like_json(body: &[u8]) -> bool {
    matches!(body.iter().find(|b| !b.is_ascii_whitespace()), Some(b'{' | b'['))
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
    let names: BTreeSet<&str> = arrivals.iter().map(|a| a.name.as_str()).collect();
    let admitted: Vec<&str> = names.iter().copied().take(room).collect();
    let signals = app.store.add_arrivals(plan.device, &admitted, now).await?;
    app.plans.forget(plan.device);
    app.hub.change(plan.site, "arrival", Some(&plan.code));
    let ids: HashMap<&str, _> = signals.iter().map(|s| (s.code.as_str(), s.id)).collect();
    let mut refused_names = BTreeSet::new();
    for Arrival { name, at, value } in &arrivals {
        match ids.get(name.as_str()) {
            Some(&signal) => understood.readings.push(Reading { signal, at: *at, value: value.clone() }),
            None => {
                refused_names.insert(name.as_str());
            }
        }
    }
    for name in refused_names {
        let detail = format!("`{name}` is not declared, and {MAX_ARRIVALS} names are waiting on this device already.");
        understood.refused.push(Refusal::of(RefusalCode::TooManyArrivals, name, detail));
    }
    let waiting = admitted.into_iter().map(str::to_owned).collect();
    let plan = app.plans.device(&app.store, plan.device).await?;
    Ok((plan, understood, waiting))
}

async fn record(
    app: &App,
    plan: &Arc<DevicePlan>,
    understood: Understood,
    waiting: Vec<String>,
    now: Moment,
) -> Result<InAnswer, Problem> {
    if understood.readings.is_empty() {
        return Err(nothing_kept(understood.refused));
    }
    let refused_count = understood.refused.len();
    let refused = named(understood.refused);
    let readings = Arc::new(understood.readings);
    let recorded = app.store.record(readings.clone(), now).await?;
    app.latest.note(&readings);
    app.hub.readings(plan, &readings);
    Ok(InAnswer {
        kept: readings.len(),
        repeated: recorded.repeated,
        corrected: recorded.corrected,
        waiting,
        refused,
        refused_count,
    })
}

fn refused_value(refusal: Refusal) -> RefusedValue {
    RefusedValue {
        name: refusal.name.unwrap_or_default(),
        code: refusal.code.as_str().to_owned(),
        detail: refusal.detail,
        remedy: refusal.code.remedy().to_owned(),
    }
}

/// The refused values that an answer names.
fn named(refused: Vec<Refusal>) -> Vec<RefusedValue> {
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
