//! The service of Key Lantern: HTTP in and out, the live stream, and the tasks
//! that run beside them.
//!
//! [`serve`] runs it until it is told to stop. A delivery goes through
//! [`intake`]; everything else is one file per resource in `routes`, with what
//! kinds and documents need in [`setting_up`], the checklist of a new device in
//! [`commissioning`] and sending instructions in [`recipes`]. What is
//! kept in memory has an owner each: [`plans`](plans::Plans) what the intake
//! knows of devices, [`latest`](latest::Latest) the last readings,
//! [`heard`](heard::Heard) the presence of devices, [`live`](live::Hub) the
//! events to be sent.

mod allowances;
mod app;
mod auth;
mod base;
mod checks;
mod clock;
mod commands;
mod commissioning;
mod contacts;
mod declared;
mod dummies;
mod heard;
mod intake;
mod latest;
mod links;
mod live;
mod meaning;
mod mqtt;
mod plans;
mod problem;
mod recipes;
mod routes;
mod run;
mod setting_up;
pub mod settings;
mod tls;
mod translate;

pub use run::serve;
