//! The whole product from outside, one module for each side of it.
#![allow(clippy::unwrap_used, clippy::expect_used)]

/// Watches and alarms.
mod alarms;
/// Calling people.
mod callouts;
/// Charts of several devices in a browser.
mod charts;
/// The command line.
mod client;
/// Commands to devices, and what becomes of them.
mod commands;
/// Trial, contact log, presence.
mod commissioning;
/// The console in a browser.
mod console;
/// The demo.
mod demo;
/// Every way to write readings.
mod dialects;
/// The way in: what is taken, what is refused, and how it is said.
mod installing;
mod intake;
/// `kill -9` in the middle of it.
mod kill;
/// Gateways, and how messages come through.
mod links;
/// The live stream.
mod live;
/// Every command that only looks.
mod looking;
/// Conversions, formulas, screens, and making the past again.
mod meaning;
/// MQTT with a client library that is not ours.
mod mqtt;
mod mqtt_sessions;
/// Sites, devices, signals, keys.
mod objects;
/// Parquet files, opened by a reader of other make.
mod parquet;
/// Setting up, logging in, sessions.
mod people;
mod positions;
/// Now, readings, summaries, export.
mod reading_back;
/// Sending instructions, each really run.
mod recipes;
/// Every refusal there is.
mod refusals;
/// Starting, settings, stopping.
mod running;
/// Kinds, documents, keys, arrivals, readings by hand.
mod setting_up;
/// Summaries, retention, backup, the disk budget.
mod storage;
/// TLS for both, and certificates as keys.
mod tls;
