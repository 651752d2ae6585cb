//! The whole server over pipes in memory: no sockets, no files, and a clock that
//! the tests move.

// A test fails by panicking.
#![allow(clippy::unwrap_used, clippy::expect_used)]

mod common;
/// Messages from publisher to subscriber.
mod delivery;
/// What must not harm the server.
mod holders;
mod hostile;
/// The statements of the standards and their tests.
mod listing;
/// What the protocol demands packet by packet.
mod protocol;
