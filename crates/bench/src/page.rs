//! A page of the console, and how much of a core it takes.

use crate::median;
use crate::service::Service;
use anyhow::Result;
use lantern_e2e::Browser;
use std::time::{Duration, Instant};

/// A browser in which somebody has logged in and sees the page behind a path below the site.
pub(crate) async fn logged_in(service: &Service, below: &str) -> Browser {
    let browser = Browser::start(1_280, 800, false).await;
    browser.open(&format!("{}/log-in?back=/sites/bench{below}", service.url)).await;
    browser.fill("Name", "bench").await;
    browser.fill("Password", "bench bench bench").await;
    browser.press("Log in").await;
    browser
}

/// How much of a core a page took, in percent: medians.
pub(crate) struct Busy {
    /// Its scripts alone.
    pub(crate) scripts: f64,
    /// All its tasks.
    pub(crate) all: f64,
}

/// How much of a core a page takes while something is sent again and again, for so long each round.
pub(crate) async fn watched(
    browser: &Browser,
    rounds: u8,
    (every, long): (Duration, Duration),
    mut send: impl AsyncFnMut() -> Result<()>,
) -> Result<Busy> {
    let (mut scripts, mut all) = (Vec::new(), Vec::new());
    for _ in 0..rounds {
        let before = browser.busy_s().await;
        let started = Instant::now();
        let mut tick = tokio::time::interval(every);
        while started.elapsed() < long {
            tick.tick().await;
            send().await?;
        }
        let after = browser.busy_s().await;
        let of_core = |seconds: f64| 100.0 * seconds / started.elapsed().as_secs_f64();
        scripts.push(of_core(after.0 - before.0));
        all.push(of_core(after.1 - before.1));
    }
    let busy = Busy { scripts: median(scripts), all: median(all) };
    eprintln!("scripts of the page: {:.1} % of a core, all its tasks: {:.1} %", busy.scripts, busy.all);
    Ok(busy)
}
