//! The store on real files.
#![allow(missing_docs, clippy::unwrap_used)]

/// Watches, alarms and their figures.
mod alarms;
/// Backup, check and restore.
mod backup;
/// Bursts of a waveform, and how long values stayed.
mod bursts;
/// Rosters, alarms in their hands, and the outbox.
mod callouts;
/// People, their log-ins, roles and invitations.
mod people;
/// Series against a model, and against crashes.
/// Sums of many segments at once.
mod rollups;
mod series;
/// What people set up, each of one site.
mod set_up;
/// Two sites with the same codes.
mod sites;
/// Everything else, file by file of the crate.
mod store;
/// What they share.
mod world;
