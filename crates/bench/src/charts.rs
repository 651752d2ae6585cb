//! Charts in a browser: a year, zooming, and what comes live.

use crate::page::{logged_in, watched};
use crate::service::Service;
use crate::{Entry, median};
use anyhow::{Context, Result, ensure};
use jiff::Timestamp;
use lantern_e2e::{Browser, Locator};
use std::fmt::Write;
use std::path::Path;
use std::time::Duration;

/// Signals of the device; the first has a year behind it.
const SIGNALS: usize = 5;
/// A reading every 10 s for a year.
const TIMES: usize = 3_153_600;
/// Readings in one delivery.
const DELIVERY: usize = 4_800;
/// Deliveries a second, of a reading of each signal.
const EVENTS_PER_S: u32 = 10;
/// Samples of a waveform in the message of each second.
const SAMPLES: usize = 250;
/// How long one measurement of what comes live takes.
const WATCHED: Duration = Duration::from_secs(15);

/// Does something to the page, and waits until the chart shows what was asked for: it was busy, is so no
/// more, and has been painted. Gives the milliseconds from the deed on.
const UNTIL_DRAWN: &str = "
    const [deed, done] = arguments;
    const chart = document.querySelector('[aria-busy]');
    const began = performance.now();
    const finish = () => requestAnimationFrame(() => setTimeout(() => done(performance.now() - began)));
    let wasBusy = false;
    const observer = new MutationObserver(() => {
        wasBusy ||= chart.ariaBusy === 'true';
        if (!wasBusy || chart.ariaBusy === 'true') return;
        observer.disconnect();
        finish();
    });
    observer.observe(chart, { attributes: true, attributeFilter: ['aria-busy'] });
    new Function(deed)();
";

/// Turns the wheel with the control key held over the middle of the first pane.
fn wheel(turn: i32) -> String {
    format!(
        "const over = document.querySelector('.u-over'); const box = over.getBoundingClientRect();
         over.dispatchEvent(new WheelEvent('wheel', {{ ctrlKey: true, deltaY: {turn}, bubbles: true, cancelable: true,
             clientX: box.left + box.width / 2, clientY: box.top + box.height / 2 }}));"
    )
}

/// Measures one of the entries.
pub(crate) async fn measure(name: &'static str, rounds: u8) -> Result<Entry> {
    let dir = tempfile::tempdir()?;
    let service = start(dir.path(), matches!(name, "console-chart-year" | "console-zoom")).await?;
    let browser = logged_in(&service, "/charts").await;
    browser.sees("No signal is chosen yet").await;
    let (figure, unit, limit) = match name {
        "console-chart-year" => (year(&service, &browser, rounds).await?, "ms", 300.0),
        "console-zoom" => (zoom(&service, &browser, rounds).await?, "ms", 100.0),
        "console-live-charts" => (live(&service, &browser, rounds).await?, "% of a core", 15.0),
        _ => (waveform(&service, &browser, rounds).await?, "% of a core", 25.0),
    };
    browser.page.clone().close().await?;
    Ok(Entry { name, figure, unit, limit, ratio: limit / figure })
}

async fn start(data: &Path, has_past: bool) -> Result<Service> {
    let service = Service::start_with(data, 1, SIGNALS).await?;
    let begin = Timestamp::now().as_second() - 10 * TIMES as i64;
    for start in (0..if has_past { TIMES } else { 0 }).step_by(DELIVERY) {
        let mut body = String::from("[");
        for time in start..start + DELIVERY {
            let value = (time / 300 % 400 + time * 13 % 7) as f64 / 10.0;
            let comma = if time == start { "" } else { "," };
            let _ = write!(body, "{comma}{{\"at\":{},\"s0\":{value}}}", begin + 10 * time as i64);
        }
        body.push(']');
        service.send(&service.keys[0], body).await?;
    }
    Ok(service)
}

async fn open(service: &Service, browser: &Browser, signals: usize, span: &str) -> Result<()> {
    let signals: Vec<String> = (0..signals).map(|signal| format!("d0/s{signal}")).collect();
    browser.open(&format!("{}/sites/bench/charts?signals={}&span={span}", service.url, signals.join(","))).await;
    browser.find(Locator::Css("[aria-busy='false'] .u-over")).await;
    Ok(())
}

async fn until_drawn(browser: &Browser, deed: &str) -> Result<f64> {
    let took = browser.page.execute_async(UNTIL_DRAWN, vec![deed.into()]).await?;
    took.as_f64().context("the chart was never drawn")
}

/// From the press on "1 year" to the year on the screen.
async fn year(service: &Service, browser: &Browser, rounds: u8) -> Result<f64> {
    const PRESS: &str = "[...document.querySelectorAll('button')].find((one) => one.textContent === '1 year').click();";
    let mut figures = Vec::new();
    for _ in 0..rounds {
        open(service, browser, 1, "1d").await?;
        figures.push(until_drawn(browser, PRESS).await?);
        let told = browser.text_of("[data-story]", |story| story.contains("lowest")).await;
        ensure!(!told.contains("no readings"), "nothing was drawn: {told}");
    }
    Ok(median(figures))
}

/// A step of the wheel, inwards from the year to minutes.
async fn zoom(service: &Service, browser: &Browser, rounds: u8) -> Result<f64> {
    let mut figures = Vec::new();
    for _ in 0..rounds {
        open(service, browser, 1, "1y").await?;
        for _ in 0..12 {
            figures.push(until_drawn(browser, &wheel(-300)).await?);
        }
    }
    Ok(median(figures))
}

/// Five signals that come ten times a second.
async fn live(service: &Service, browser: &Browser, rounds: u8) -> Result<f64> {
    open(service, browser, SIGNALS, "10m").await?;
    let mut sent = 0_usize;
    let busy = watched(browser, rounds, (Duration::from_secs(1) / EVENTS_PER_S, WATCHED), async || {
        let body: Vec<String> = (0..SIGNALS).map(|signal| format!("\"s{signal}\":{}", (sent + signal) % 90)).collect();
        sent += 1;
        service.send(&service.keys[0], format!("{{{}}}", body.join(","))).await
    })
    .await?;
    Ok(busy.all)
}

/// A waveform whose samples of a second come each second.
async fn waveform(service: &Service, browser: &Browser, rounds: u8) -> Result<f64> {
    open(service, browser, 1, "10s").await?;
    let busy = watched(browser, rounds, (Duration::from_secs(1), WATCHED), async || {
        let every = 1.0 / SAMPLES as f64;
        let begin = Timestamp::now().as_millisecond() as f64 / 1_000.0 - 1.0;
        let samples: Vec<String> =
            (0..SAMPLES).map(|sample| format!("{:.2}", (sample as f64 / 7.0).sin() * 9.0)).collect();
        let body = format!(r#"{{"at":{begin:.3},"every":{every},"s0":[{}]}}"#, samples.join(","));
        service.send(&service.keys[0], body).await
    })
    .await?;
    Ok(busy.all)
}
