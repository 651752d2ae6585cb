//! The engine on a real store, without any protocol.
#![allow(missing_docs, clippy::unwrap_used)]

/// Watches and alarms.
mod alarms;
/// What comes under undeclared names.
mod arrivals;
/// Calling people.
mod callouts;
/// What is remembered, against what is so.
mod changes;
/// The way of a command.
mod commands;
/// The way of a reading.
mod intake;
/// The clock leaps.
mod leaps;
/// What is sent becomes what it means.
mod meaning;
/// Devices as they are now.
mod now;
/// Coming in, roles, log-ins and tokens.
mod people;
/// Whether a device is there.
mod presence;
/// The set-up.
mod setting_up;
/// Clocks that leap.
mod trusted_clock;
/// An engine with two sites.
mod why;
mod world;
