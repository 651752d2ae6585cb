//! The routes within one process: no socket, no child.
#![allow(missing_docs, clippy::unwrap_used)]

/// Who may ask what.
mod access;
/// Bursts of a waveform, and how long values stayed.
mod bursts;
/// Calling people.
mod callouts;
/// How much of what was expected came.
mod coverage;
/// The interface around an engine.
mod desk;
/// Taking readings away.
mod export;
/// Figures of stretches of time.
mod figures;
/// Notes and marks.
mod notes;
/// Where values come from.
mod origin;
mod people;
mod record;
/// What was removed.
mod removed;
/// What is answered.
mod routes;
/// Several devices at once.
mod several;
/// Views of charts, kept by name.
mod views;
/// Why nothing is seen.
mod why;
