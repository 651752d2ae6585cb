//! Drives the real binaries: the service over HTTP, the client as a process, the
//! console in Chromium.

// A test harness fails by panicking.
#![allow(clippy::unwrap_used, clippy::expect_used, clippy::missing_panics_doc)]

mod binaries;
mod browser;
mod client;
mod demo;
mod mqtt;
mod service;
mod stand_ins;

pub use binaries::binary;
pub use browser::Browser;
pub use client::Client;
pub use demo::Demo;
pub use fantoccini::Locator;
pub use mqtt::{Came, Dial, Event, Mqtt};
pub use service::{Answer, Service};
pub use stand_ins::StandIns;

use std::time::{Duration, Instant};

/// How long anything may take before a test gives up on it.
pub const PATIENCE: Duration = Duration::from_secs(60);

/// Asks again and again until there is an answer, and fails after [`PATIENCE`].
pub async fn eventually<T, F: Future<Output = Option<T>>>(what: &str, mut ask: impl FnMut() -> F) -> T {
    let deadline = Instant::now() + PATIENCE;
    loop {
        if let Some(answer) = ask().await {
            return answer;
        }
        assert!(Instant::now() < deadline, "waited {PATIENCE:?} in vain for {what}");
        tokio::time::sleep(Duration::from_millis(20)).await;
    }
}
