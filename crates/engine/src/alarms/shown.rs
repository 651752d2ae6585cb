//! Alarms and watches as they are shown.

use super::Alarms;
use crate::documents;
use crate::shown::symbol;
use lantern_api as api;
use lantern_core::alarm::life::State;
use lantern_core::watch::Watch;
use lantern_store::{AlarmRow, AlarmStep, WatchRow};

/// An alarm.
#[must_use]
pub fn alarm(row: AlarmRow) -> api::Alarm {
    let state = match row.state.as_deref().and_then(|text| documents::read::<State>(text).ok()) {
        Some(State::Normal) | None => "cleared".to_owned(),
        Some(state) => state.as_str().to_owned(),
    };
    let (acknowledged_by, acknowledged_at) = row.acknowledged.map_or((None, None), |(who, at)| (who, Some(at)));
    api::Alarm {
        id: row.id,
        watch: row.watch,
        name: row.name,
        severity: row.severity,
        state,
        device: row.device,
        signal: row.signal,
        value: row.value.as_deref().and_then(|text| documents::read(text).ok()),
        symbol: row.unit.as_deref().map(|unit| symbol(Some(unit))),
        raised_at: row.raised_at.to_string(),
        recorded_at: row.recorded_at.to_string(),
        cleared_at: row.cleared_at.map(|at| at.to_string()),
        acknowledged_at: acknowledged_at.map(|at| at.to_string()),
        acknowledged_by,
        shelved_until: row.shelved_until.map(|at| at.to_string()),
        is_silent: row.is_silent,
        is_found: row.is_found,
    }
}

/// A step of an alarm.
#[must_use]
pub fn step(step: AlarmStep) -> api::AlarmStep {
    api::AlarmStep { at: step.at.to_string(), step: step.step, who: step.who, note: step.note }
}

impl Alarms {
    /// A watch, with how many places it is on.
    #[must_use]
    pub fn shown(&self, row: WatchRow) -> api::SiteWatch {
        let (places, holding) = self.standing(row.id);
        let (watch, damaged) = match documents::read::<Watch>(&row.body) {
            Ok(watch) => (Some(watch), None),
            Err(damaged) => (None, Some(damaged.to_string())),
        };
        let (changed_by, changed_at) = row.changed.map_or((None, None), |(who, at)| (Some(who), Some(at.to_string())));
        let unit = watch.as_ref().and_then(|watch| watch.when.unit());
        api::SiteWatch {
            code: row.code,
            symbol: unit.map(|unit| symbol(Some(unit))),
            watch,
            damaged,
            places,
            holding,
            made_by: row.made.0,
            made_at: row.made.1.to_string(),
            changed_by,
            changed_at,
        }
    }
}
