//! Trying a payload out: what the intake would make of it. Nothing is kept.

use super::dialect::read;
use super::words::{named, refused_value, remark};
use super::{Intake, Said};
use crate::checks::{check_decoder, check_signals};
use crate::clock;
use crate::find;
use crate::plans::DevicePlan;
use crate::problem::Problem;
use jiff::tz::TimeZone;
use lantern_api::{Becomes, NewSignal, Tried, TriedValue};
use lantern_core::decode::{Item, Raw, Times};
use lantern_core::intake::{Placed, Plan, PlannedSignal, join, place};
use lantern_core::{Moment, SignalId, Value};
use lantern_store::Site;

/// Values of a sample that are shown.
const SHOWN: usize = 100;

/// A payload to try out.
pub struct Sample<'a> {
    /// The bytes.
    pub bytes: &'a [u8],
    /// What its sender calls it.
    pub said: Said,
}

/// What a payload is tried out against.
#[derive(Default)]
pub struct TryOut<'a> {
    /// The device whose decoder and signals hold, if no others are given.
    pub device: Option<&'a str>,
    /// A decoder, as it would be set.
    pub decoder: Option<&'a serde_json::Value>,
    /// Signals, as they would be declared.
    pub signals: Option<&'a [NewSignal]>,
}

impl Intake {
    /// Tries a payload out: what each of its values would become, and what is wrong.
    ///
    /// # Errors
    /// A [`Problem`] that says what cannot be so of what it is tried against.
    pub async fn try_out(&self, site: &Site, sample: &Sample<'_>, against: &TryOut<'_>) -> Result<Tried, Problem> {
        let zone = TimeZone::get(&site.zone).unwrap_or(TimeZone::UTC);
        let plan = self.plan_for(site, against, zone.clone()).await?;
        let times = Times::new(clock::now(), zone);
        let read = read(sample.bytes, &sample.said, Some(&plan), &times);
        let dialect = read.dialect.to_owned();
        let recognised = read.remark.map(remark).into_iter();
        Ok(match read.decoded {
            Ok(mut decoded) => Tried {
                dialect,
                count: decoded.items.len(),
                values: join(&plan.plan, decoded.items, &mut decoded.refused)
                    .into_iter()
                    .take(SHOWN)
                    .map(|item| tried(&plan.plan, item, times.now))
                    .collect(),
                refused: named(decoded.refused),
                remarks: recognised.chain(decoded.remarks.into_iter().map(remark)).collect(),
            },
            Err(refusal) => Tried {
                dialect,
                values: Vec::new(),
                count: 0,
                refused: vec![refused_value(refusal)],
                remarks: recognised.collect(),
            },
        })
    }

    /// The plan to try a sample against: the device's, with what else is given.
    async fn plan_for(&self, site: &Site, against: &TryOut<'_>, zone: TimeZone) -> Result<DevicePlan, Problem> {
        let mut plan = DevicePlan::empty(site.id, zone);
        if let Some(code) = against.device {
            let device = find::device(&self.store, site, code).await?;
            let known = self.plans.device(device.id).await?;
            plan.plan = known.plan.clone();
            plan.decoder.clone_from(&known.decoder);
            plan.code.clone_from(&known.code);
        }
        if let Some(form) = against.decoder {
            plan.decoder = Ok(Some(check_decoder(form)?));
        }
        if let Some(signals) = against.signals {
            plan.plan = Plan::default();
            for (index, signal) in check_signals(signals)?.iter().enumerate() {
                let id = SignalId(index as i64);
                let unit = signal.to_api().unit;
                let planned = PlannedSignal { unit, ..PlannedSignal::declared(id, signal.value_type) };
                plan.plan.insert(signal.code.clone(), planned);
            }
        }
        Ok(plan)
    }
}

fn tried(plan: &Plan, item: Item<'_>, now: Moment) -> TriedValue {
    let raw = match &item.value {
        Raw::Number(number) => Value::Number(*number),
        Raw::Flag(flag) => Value::Flag(*flag),
        Raw::Text(text) => Value::Text(text.chars().take(200).collect()),
        Raw::List(list) => Value::Text(format!("{list:?}")),
        Raw::Position(fix) => (*fix).into(),
    };
    let (name, at) = (item.name.to_string(), item.at.map(|at| at.to_string()));
    let (device, unit) = (item.device.as_deref().map(str::to_owned), item.unit.as_deref().map(str::to_owned));
    // What is of another device is matched with the signals of that one.
    let placed = if device.is_some() { place(&Plan::default(), item, now) } else { place(plan, item, now) };
    let (becomes, refused) = match placed {
        Ok(Placed::Reading(_)) => (Becomes::Reading, None),
        Ok(Placed::Rejected(..)) => (Becomes::Rejected, None),
        Ok(Placed::Arrival(_)) => (Becomes::Arrival, None),
        Ok(Placed::Ignored) => (Becomes::Ignored, None),
        Err(refusal) => (Becomes::Refused, Some(refused_value(refusal))),
    };
    TriedValue { name, raw, at, device, unit, becomes, refused }
}
