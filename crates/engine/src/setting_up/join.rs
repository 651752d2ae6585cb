//! Signals of numbers that become one position.

use super::SetUp;
use crate::changes::{Change, Concerned};
use crate::clock;
use crate::definitions::meaning_of;
use crate::find;
use crate::problem::Problem;
use lantern_api::{JoinPosition, JoinedPosition, NewSignal};
use lantern_core::fix::FixPart;
use lantern_core::units::{UnitChange, UnitCode};
use lantern_core::{Moment, ValueType};
use lantern_store::{Device, PartSource, Signal, Site, StoreError};

impl SetUp {
    /// Joins signals or arrivals of numbers to one of positions, with their past. What is
    /// sent under their names is a part of the position from then on. They go if nothing of
    /// them is left over.
    ///
    /// # Errors
    /// A [`Problem`] that says what cannot be so.
    pub async fn join_position(
        &self,
        site: &Site,
        device: &Device,
        join: &JoinPosition,
        by: &str,
    ) -> Result<JoinedPosition, Problem> {
        let mut sources = Vec::new();
        for (part, name) in join.parts() {
            let source = self.part_source(device, part, name).await?;
            if sources.iter().any(|known: &PartSource| known.signal == source.signal) {
                return Err(Problem::invalid(part.as_str(), format_args!("`{name}` is another part already")));
            }
            sources.push(source);
        }
        let going: Vec<_> = sources.iter().map(|source| source.signal).collect();
        self.definitions.refuse_if_needed(device.site, &going).await?;
        let position = self.position_signal(site, device, join, by).await?;
        self.store.name_parts(device.id, position.id, &sources).await?;
        self.changes.carry(Change::Signals(Concerned::from(device))).await;
        let found = self.store.join_readings(position.id, &sources, clock::now()).await?;
        self.changes.carry(Change::Readings(Concerned::from(device), vec![position.id])).await;
        if position.meaning.is_some() {
            // What was joined is as it was sent.
            self.jobs.add(position.id, (Moment::MIN, Moment::MAX), by).await?;
        }
        if found.left == 0 {
            for source in &going {
                self.store.remove_signal(*source, clock::now()).await?;
            }
            self.changes.carry(Change::SignalsRemoved(Concerned::from(device), going)).await;
        }
        Ok(JoinedPosition { signal: position.code, joined: found.joined, left: found.left })
    }

    async fn part_source(&self, device: &Device, part: FixPart, name: &str) -> Result<PartSource, Problem> {
        let signal = match self.store.signal(device.id, name).await {
            Err(StoreError::NotFound) => {
                self.store.arrival(device.id, name).await.map_err(|error| Problem::missing(error, "signal", name))?
            }
            found => found?,
        };
        if !matches!(signal.value_type, None | Some(ValueType::Number)) {
            return Err(Problem::invalid(part.as_str(), format_args!("`{name}` has no numbers")));
        }
        if meaning_of(&signal)?.is_some_and(|meaning| meaning.formula.is_some()) {
            let detail = format_args!("`{name}` is worked out by a formula; nothing is sent to it");
            return Err(Problem::invalid(part.as_str(), detail));
        }
        Ok(PartSource { part, signal: signal.id, name: name.to_owned(), change: change_of_unit(&signal, part)? })
    }

    /// The signal of positions: a declared one, or a new one.
    async fn position_signal(
        &self,
        site: &Site,
        device: &Device,
        join: &JoinPosition,
        by: &str,
    ) -> Result<Signal, Problem> {
        match find::signal(&self.store, device, &join.into).await {
            Ok(known) if known.value_type == Some(ValueType::Position) => Ok(known),
            Ok(_) => Err(Problem::invalid("into", format_args!("`{}` is a signal, and not of positions", join.into))),
            Err(_) => {
                let new = NewSignal {
                    code: join.into.clone(),
                    name: join.name.clone(),
                    value_type: ValueType::Position,
                    ..NewSignal::default()
                };
                self.add_signal(site, device, &new, by).await
            }
        }
    }
}

/// From the unit a signal has to that of a part.
fn change_of_unit(signal: &Signal, part: FixPart) -> Result<Option<UnitChange>, Problem> {
    let Some(from) = signal.unit.as_deref().and_then(|unit| UnitCode::parse(unit).ok()) else { return Ok(None) };
    let Ok(to) = UnitCode::parse(part.unit()) else { return Ok(None) };
    let change = UnitChange::between(&from, &to)
        .map_err(|error| Problem::invalid(part.as_str(), format_args!("`{}`: {error}", signal.code)))?;
    Ok((!change.is_identity()).then_some(change))
}
