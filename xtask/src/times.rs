//! `cargo xtask times`: what a build from nothing spends its time on.

use crate::run::{cargo, root, run};
use anyhow::{Context, Result};
use serde::Deserialize;
use std::collections::HashMap;
use std::time::Instant;

/// One thing cargo did, as its report of timings lists it.
#[derive(Deserialize)]
struct Unit {
    name: String,
    /// Such as ` key_lantern "test"`, or empty for a library.
    #[serde(default)]
    target: String,
    /// Seconds.
    duration: f64,
}

/// What one package cost.
#[derive(Default)]
struct Cost {
    seconds: f64,
    /// What was compiled or run, and for how many seconds.
    parts: Vec<(String, f64)>,
}

/// Builds all programs and tests into a folder of their own, from nothing, and prints
/// what each package cost. The folder stays, so that the next call can tell the price of
/// one more dependency; it is emptied first.
pub(crate) fn times(shown: usize) -> Result<()> {
    let dir = root().join("target/times");
    if dir.exists() {
        std::fs::remove_dir_all(&dir).with_context(|| format!("cannot empty {}", dir.display()))?;
    }
    let begun = Instant::now();
    let mut build = cargo(&["build", "--bins", "--tests", "--timings"]);
    run(build.env("CARGO_TARGET_DIR", &dir).env("CARGO_INCREMENTAL", "0"))?;
    let took = begun.elapsed().as_secs_f64();
    let report = dir.join("cargo-timings/cargo-timing.html");
    let page = std::fs::read_to_string(&report).with_context(|| format!("cannot read {}", report.display()))?;
    print(&costs(&units(&page)?), took, shown);
    Ok(())
}

/// The units in cargo's report, which it keeps as JSON in a script of the page.
fn units(page: &str) -> Result<Vec<Unit>> {
    let begin = "const UNIT_DATA = ";
    let start = page.find(begin).context("cargo's report of timings has another form than this task knows")?;
    let mut values = serde_json::Deserializer::from_str(&page[start + begin.len()..]).into_iter();
    values.next().context("cargo's report of timings lists no units")?.context("cargo's report of timings is no JSON")
}

/// The cost of each package, the dearest first.
fn costs(units: &[Unit]) -> Vec<(String, Cost)> {
    let mut costs: HashMap<String, Cost> = HashMap::new();
    for unit in units {
        let cost = costs.entry(unit.name.clone()).or_default();
        cost.seconds += unit.duration;
        let part = if unit.target.trim().is_empty() { "lib" } else { unit.target.trim() };
        cost.parts.push((part.to_owned(), unit.duration));
    }
    let mut costs: Vec<_> = costs.into_iter().collect();
    costs.sort_by(|(_, a), (_, b)| b.seconds.total_cmp(&a.seconds));
    costs
}

fn print(costs: &[(String, Cost)], took: f64, shown: usize) {
    let total: f64 = costs.iter().map(|(_, cost)| cost.seconds).sum();
    println!("{took:.0} s in all; the seconds of {} packages, which cargo builds side by side:", costs.len());
    for (name, cost) in costs.iter().take(shown) {
        let parts: Vec<String> = cost
            .parts
            .iter()
            .filter(|(_, seconds)| *seconds >= 0.5)
            .map(|(part, seconds)| format!("{part} {seconds:.0}"))
            .collect();
        println!("{:7.1} {:4.1} %  {name:28} {}", cost.seconds, 100.0 * cost.seconds / total, parts.join(", "));
    }
    let rest: f64 = costs.iter().skip(shown).map(|(_, cost)| cost.seconds).sum();
    if costs.len() > shown {
        println!("{rest:7.1} {:4.1} %  {} more", 100.0 * rest / total, costs.len() - shown);
    }
}

#[cfg(test)]
mod tests {
    use super::{costs, units};

    #[test]
    fn the_dearest_package_comes_first_with_all_its_parts() {
        let page = r#"<script>const UNIT_DATA = [
            {"i":0,"name":"a","version":"1","mode":"todo","target":"","start":0.1,"duration":2.0},
            {"i":1,"name":"b","version":"1","mode":"todo","target":" b \"test\"","start":0.1,"duration":1.5},
            {"i":2,"name":"b","version":"1","mode":"todo","target":"","start":0.1,"duration":1.0}];</script>"#;
        let costs = costs(&units(page).unwrap());
        assert_eq!(costs[0].0, "b");
        assert_eq!(costs[0].1.parts, [("b \"test\"".to_owned(), 1.5), ("lib".to_owned(), 1.0)]);
        assert_eq!(costs[1].1.seconds, 2.0);
        assert!(units("<p>nothing</p>").is_err());
    }
}
