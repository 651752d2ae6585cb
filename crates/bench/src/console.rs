//! The console in a browser, on a site of a thousand devices.

use crate::page::{logged_in, watched};
use crate::service::Service;
use crate::thousand::{self, DEVICES};
use crate::{Entry, median};
use anyhow::{Context, Result};
use lantern_e2e::{Browser, Locator};
use std::time::{Duration, Instant};

/// What a browser needs to show the lamp room, over the wire, in KB.
const FIRST_LOAD_KB: f64 = 220.0;
/// From data to painted, in milliseconds.
const READY_MS: f64 = 500.0;
/// Of a core, in percent, while events come.
const LIVE_PERCENT: f64 = 20.0;
/// Deliveries a second.
const EVENTS_PER_S: u32 = 10;
/// How long one measurement of them takes.
const WATCHED: Duration = Duration::from_secs(20);

/// Watches for the first cards, and says when they were painted.
const WATCH: &str = "
    window.painted = undefined;
    const seen = () => {
        if (document.querySelectorAll('[data-device]').length < 3) return;
        observer.disconnect();
        requestAnimationFrame(() => requestAnimationFrame(() => { window.painted = performance.now(); }));
    };
    const observer = new MutationObserver(seen);
    observer.observe(document, { childList: true, subtree: true });
";

/// When the last answer with devices was there, and when their cards were painted.
const TOLD: &str = "
    const answers = performance.getEntriesByType('resource').filter((one) => one.name.includes('/now?'));
    return [Math.max(...answers.map((one) => one.responseEnd)), window.painted ?? null];
";

/// The bytes of page, scripts and styles as they came over the wire.
const LOADED: &str = "
    const files = performance.getEntriesByType('resource').filter((one) => /\\.(js|css)$/.test(one.name));
    const page = performance.getEntriesByType('navigation');
    return [...page, ...files].reduce((sum, one) => sum + one.encodedBodySize, 0);
";

/// Measures one of the entries.
pub(crate) async fn measure(name: &str, rounds: u8) -> Result<Entry> {
    let dir = tempfile::tempdir()?;
    let service = thousand::start(dir.path()).await?;
    let browser = logged_in(&service, "").await;
    browser.find(Locator::Css("[data-device]")).await;
    let entry = match name {
        "console-live-1000" => live(&service, &browser, rounds).await?,
        "console-lamp-ready" => ready(&service, &browser, rounds).await?,
        _ => first_load(&service, &browser).await?,
    };
    browser.page.clone().close().await?;
    Ok(entry)
}

/// Script time while a reading comes ten times a second.
async fn live(service: &Service, browser: &Browser, rounds: u8) -> Result<Entry> {
    let mut sent = 0_usize;
    let busy = watched(browser, rounds, (Duration::from_secs(1) / EVENTS_PER_S, WATCHED), async || {
        let body = format!(r#"{{"s0":{}}}"#, sent % 90);
        sent += 1;
        service.send(&service.keys[(sent - 1) * 7 % DEVICES], body).await
    })
    .await?;
    let figure = busy.scripts;
    Ok(Entry {
        name: "console-live-1000",
        figure,
        unit: "% of a core",
        limit: LIVE_PERCENT,
        ratio: LIVE_PERCENT / figure,
    })
}

/// From the last answer with devices to their cards on the screen.
async fn ready(service: &Service, browser: &Browser, rounds: u8) -> Result<Entry> {
    let mut figures = Vec::new();
    browser.run_first(WATCH).await;
    for _ in 0..rounds {
        browser.open(&format!("{}/sites/bench", service.url)).await;
        let deadline = Instant::now() + Duration::from_secs(30);
        let took = loop {
            let told = browser.page.execute(TOLD, vec![]).await?;
            if let (Some(data), Some(painted)) = (told[0].as_f64(), told[1].as_f64()) {
                break painted - data;
            }
            anyhow::ensure!(Instant::now() < deadline, "no cards were painted");
            tokio::time::sleep(Duration::from_millis(50)).await;
        };
        figures.push(took);
    }
    let figure = median(figures);
    Ok(Entry { name: "console-lamp-ready", figure, unit: "ms", limit: READY_MS, ratio: READY_MS / figure })
}

/// What comes over the wire before the lamp room is there, packed.
async fn first_load(service: &Service, browser: &Browser) -> Result<Entry> {
    browser.open(&format!("{}/sites/bench", service.url)).await;
    browser.find(Locator::Css("[data-device]")).await;
    let bytes = browser.page.execute(LOADED, vec![]).await?;
    let figure = bytes.as_f64().context("no sizes")? / 1_000.0;
    Ok(Entry { name: "console-first-load", figure, unit: "KB", limit: FIRST_LOAD_KB, ratio: FIRST_LOAD_KB / figure })
}
