//! The store on real files.
#![allow(missing_docs, clippy::unwrap_used)]

/// Backup, check and restore.
mod backup;
/// Series against a model, and against crashes.
mod series;
/// Everything else, file by file of the crate.
mod store;
