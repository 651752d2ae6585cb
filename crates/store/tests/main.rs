//! The store on real files.
#![allow(missing_docs, clippy::unwrap_used)]

/// Backup, check and restore.
mod backup;
/// Bursts of a waveform, and how long values stayed.
mod bursts;
/// People, their log-ins, roles and invitations.
mod people;
/// Series against a model, and against crashes.
/// Sums of many segments at once.
mod rollups;
mod series;
/// Everything else, file by file of the crate.
mod store;
/// What they share.
mod world;
