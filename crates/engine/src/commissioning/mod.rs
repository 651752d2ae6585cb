//! Commissioning: the checklist of a new device, judged by what came from it; dummy values,
//! the soak test, and going live.

mod report;
mod steps;

pub use report::markdown;

use crate::changes::{Change, Changes, Concerned};
use crate::clock;
use crate::documents;
use crate::find;
use crate::heard::Heard;
use crate::latest::Latest;
use crate::problem::{Class, Problem};
use lantern_api::{Commissioning, DummyTest, GoLive, NewDummyTest, Soak, StepState, TrialReadings};
use lantern_core::coverage::{Coverage, coverage};
use lantern_core::{DeviceState, Moment, Value, ValueType};
use lantern_store::{self as store, Device, KeptReport, Signal, Site, Store, StoreError};
use std::sync::Arc;

/// Times that are judged, at most: the newest.
const MAX_TIMES: u32 = 200_000;
/// Readings counted, at most.
const COUNT_LIMIT: u32 = 1_000_000;
/// How long a soak test lasts if nobody says it, in hours.
const SOAK_HOURS: f64 = 12.0;

/// A declared signal and what came of it.
struct Seen {
    signal: Signal,
    readings: Vec<(Moment, Value)>,
}

/// Puts devices into trial, follows them through it, and lets them go live.
pub struct Commissionings {
    pub(crate) store: Arc<Store>,
    pub(crate) latest: Arc<Latest>,
    pub(crate) heard: Arc<Heard>,
    pub(crate) changes: Arc<Changes>,
}

impl Commissionings {
    /// Works out how far a device is.
    ///
    /// # Errors
    /// A [`Problem`] if the database fails.
    pub async fn judge(&self, device: &Device) -> Result<Commissioning, Problem> {
        let now = clock::now();
        let since = device.trial_since.unwrap_or(device.created_at);
        let mut seen = Vec::new();
        for signal in self.store.signals(device.id).await? {
            if signal.value_type.is_some() {
                seen.push(Seen { readings: self.latest.readings(signal.id).await?, signal });
            }
        }
        let times = self.store.reading_times(device.id, since, now, MAX_TIMES).await?;
        let soak = self.soak(device, now).await?;
        // A key is in use as soon as it was used, not when that is written.
        self.heard.flush().await?;
        let keys = self.store.keys(device.site, Some(device.id), i64::MAX, 100).await?;
        let steps = vec![
            steps::contacted(self.heard.last(device.id).or(device.last_heard_at), since, now),
            steps::key(device.identity.is_some() && device.last_heard_at.is_some(), &keys, now),
            steps::signals(&seen),
            steps::plausible(&seen),
            steps::clock_step(self.heard.clock_offset_s(device.id), !times.is_empty()),
            steps::interval(&times, since, now, device.interval_s),
            steps::coverage_step(soak.as_ref()),
        ];
        let is_ready = steps.iter().all(|step| step.state == StepState::Passed);
        let extent = self.store.count_device_readings(device.id, COUNT_LIMIT).await?;
        let tests = self.store.dummies(device.id).await?;
        let numbers = seen.iter().filter(|seen| seen.signal.value_type == Some(ValueType::Number));
        Ok(Commissioning {
            device: device.code.clone(),
            name: device.name.clone(),
            state: device.state,
            trial_since: device.trial_since.map(|at| at.to_string()),
            at: now.to_string(),
            verdict: steps::verdict(&steps),
            is_ready,
            steps,
            dummies: numbers.map(|seen| dummy(seen, &tests)).collect(),
            soak,
            trial_readings: if device.state == DeviceState::Trial { extent.count } else { 0 },
        })
    }

    async fn soak(&self, device: &Device, now: Moment) -> Result<Option<Soak>, Problem> {
        let Some((from, seconds)) = device.soak else { return Ok(None) };
        let to = from.plus_seconds(seconds);
        let until = to.min(now);
        let times = self.store.reading_times(device.id, from, until, MAX_TIMES).await?;
        let Coverage { expected, received, longest_gap_s, gap_from, .. } =
            coverage(&times, from, until, device.interval_s);
        Ok(Some(Soak {
            from: from.to_string(),
            to: to.to_string(),
            is_over: to <= now,
            expected,
            received,
            longest_gap_s,
            gap_from: gap_from.to_string(),
        }))
    }

    /// The report of a commissioning as Markdown: the one with which a live device went live,
    /// or how far it is.
    ///
    /// # Errors
    /// A [`Problem`] with code `damaged` if the kept report cannot be read.
    pub async fn report(&self, site: &Site, device: &Device) -> Result<String, Problem> {
        let kept = match self.store.last_report(device.id).await {
            Ok(kept) if device.state == DeviceState::Live => Some(kept),
            Ok(_) | Err(StoreError::NotFound) => None,
            Err(other) => return Err(other.into()),
        };
        Ok(match kept {
            Some(kept) => {
                let judged: Commissioning = documents::read(&kept.report)?;
                markdown(&judged, site, Some((&kept.person, &kept.at.to_string())))
            }
            None => markdown(&self.judge(device).await?, site, None),
        })
    }

    /// Asks for a dummy value: when it comes, the path of the signal is proved.
    ///
    /// # Errors
    /// A [`Problem`] that says what cannot be so.
    pub async fn ask_dummy(&self, device: &Device, new: &NewDummyTest) -> Result<Commissioning, Problem> {
        let signal = find::signal(&self.store, device, &new.signal).await?;
        in_trial(device)?;
        if signal.value_type != Some(ValueType::Number) {
            return Err(Problem::invalid("signal", "only numbers are tried with dummy values"));
        }
        if !new.expected.is_finite() || !(0.0..=1e300).contains(&new.tolerance) {
            return Err(Problem::invalid("tolerance", "0 or more"));
        }
        let test = store::DummyTest {
            signal: signal.id,
            expected: new.expected,
            tolerance: new.tolerance,
            asked_at: clock::now(),
            passed_at: None,
        };
        self.store.ask_dummy(test).await?;
        self.changes.carry(Change::DummyAsked(Concerned::from(device), test)).await;
        self.judged_again(device).await
    }

    /// Begins a soak test: the device stays at its place for hours, and coverage is measured.
    ///
    /// # Errors
    /// A [`Problem`] that says what cannot be so.
    pub async fn begin_soak(&self, device: &Device, hours: Option<f64>) -> Result<Commissioning, Problem> {
        let hours = hours.unwrap_or(SOAK_HOURS);
        if !(0.001..=720.0).contains(&hours) {
            return Err(Problem::invalid("hours", "from 0.001 to 720 (thirty days)"));
        }
        in_trial(device)?;
        self.store.set_soak(device.id, Some((clock::now(), hours * 3_600.0))).await?;
        self.stepped(device).await
    }

    /// Ends a soak test without a result.
    ///
    /// # Errors
    /// A [`Problem`] if the database fails.
    pub async fn end_soak(&self, device: &Device) -> Result<Commissioning, Problem> {
        self.store.set_soak(device.id, None).await?;
        self.stepped(device).await
    }

    /// Lets a device go live, and gives how many trial readings were cleared. With open or
    /// failed steps it goes only `anyway`.
    ///
    /// # Errors
    /// A [`Problem`] with code `not-in-trial` or `not-ready`.
    pub async fn go_live(&self, device: &Device, order: &GoLive, person: &str) -> Result<u64, Problem> {
        in_trial(device)?;
        let judged = self.judge(device).await?;
        if !judged.is_ready && !order.anyway {
            return Err(Problem::new(
                Class::Conflict,
                "not-ready",
                "Not ready",
                judged.verdict,
                "Finish the steps, or send it with `anyway`.",
            ));
        }
        let now = clock::now();
        let report = KeptReport { at: now, person: person.to_owned(), report: documents::write(&judged)? };
        self.store.keep_report(device.id, &report).await?;
        self.store.set_device_state(device.id, DeviceState::Live, now).await?;
        let cleared = match order.trial_readings {
            TrialReadings::Keep => 0,
            TrialReadings::Clear => {
                let cleared = self.store.clear_readings(device.id).await?;
                let signals = self.store.signals(device.id).await?.into_iter().map(|signal| signal.id).collect();
                self.changes.carry(Change::Readings(Concerned::from(device), signals)).await;
                cleared
            }
        };
        self.changed(device).await?;
        Ok(cleared)
    }

    /// Puts a live device into trial again: its readings are trial readings until it
    /// goes live, and those it has already are among them.
    ///
    /// # Errors
    /// A [`Problem`] if it is in trial already.
    pub async fn begin_trial(&self, device: &Device) -> Result<Commissioning, Problem> {
        if device.state != DeviceState::Live {
            return Err(Problem::invalid("device", format_args!("`{}` is in trial already", device.code)));
        }
        self.store.set_device_state(device.id, DeviceState::Trial, clock::now()).await?;
        let device = self.changed(device).await?;
        self.judge(&device).await
    }

    /// The device is in another state now.
    async fn changed(&self, device: &Device) -> Result<Device, Problem> {
        let device = self.store.device_by_id(device.id).await?;
        self.changes.carry(Change::Device(Box::new(device.clone()))).await;
        self.changes.carry(Change::Commissioning(Concerned::from(&device))).await;
        Ok(device)
    }

    /// A step was begun or ended.
    async fn stepped(&self, device: &Device) -> Result<Commissioning, Problem> {
        self.changes.carry(Change::Commissioning(Concerned::from(device))).await;
        self.judged_again(device).await
    }

    async fn judged_again(&self, device: &Device) -> Result<Commissioning, Problem> {
        self.judge(&self.store.device_by_id(device.id).await?).await
    }
}

fn in_trial(device: &Device) -> Result<(), Problem> {
    if device.state == DeviceState::Trial {
        return Ok(());
    }
    Err(Problem::new(
        Class::Conflict,
        "not-in-trial",
        "Not in trial",
        format!("`{}` is not in trial.", device.code),
        "Put it into trial first; its readings are trial readings then.",
    ))
}

fn dummy(seen: &Seen, tests: &[store::DummyTest]) -> DummyTest {
    let test = tests.iter().find(|test| test.signal == seen.signal.id);
    DummyTest {
        signal: seen.signal.code.clone(),
        expected: test.map(|t| t.expected),
        tolerance: test.map(|t| t.tolerance),
        asked_at: test.map(|t| t.asked_at.to_string()),
        passed_at: test.and_then(|t| t.passed_at).map(|at| at.to_string()),
        last: seen.readings.last().map(|(_, value)| value.clone()),
    }
}
