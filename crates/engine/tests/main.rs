//! The engine on a real store, without any protocol.
#![allow(missing_docs, clippy::unwrap_used)]

/// What is remembered, against what is so.
mod changes;
/// The way of a reading.
mod intake;
/// An engine with two sites.
mod world;
