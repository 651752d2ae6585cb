//! What comes of a dry run, counted.

use crate::shown;
use lantern_api as api;
use lantern_core::quality::Quality;
use lantern_core::series::{Point, largest_triangles};
use lantern_core::{Moment, Value};
use std::collections::BTreeMap;

/// Readings that a dry run looks at.
const MOST: u64 = 2_000_000;
/// Examples it shows.
const EXAMPLES: usize = 200;
/// Points of its curves.
const CURVE: usize = 1_000;

/// What comes of a dry run.
#[derive(Default)]
pub(super) struct Tally {
    pub(super) readings: u64,
    pub(super) good: u64,
    good_now: u64,
    pub(super) changed: u64,
    by_quality: BTreeMap<u8, u64>,
    examples: Vec<Point>,
    curve: Vec<(f64, f64)>,
    curve_now: Vec<(f64, f64)>,
}

impl Tally {
    pub(super) const fn is_full(&self) -> bool {
        self.readings >= MOST
    }

    pub(super) fn count(&mut self, quality: Quality) {
        self.readings += 1;
        if quality.is_good() {
            self.good += 1;
        } else {
            *self.by_quality.entry(quality.code()).or_default() += 1;
        }
    }

    pub(super) fn take(&mut self, point: &Point) {
        self.count(point.quality);
        if point.quality.is_good() {
            self.curve.extend(point.value.as_number().map(|value| (point.at.as_micros() as f64, value)));
        } else {
            self.examples.push(point.clone());
        }
    }

    pub(super) fn take_old(&mut self, point: &Point) {
        if point.quality.is_good() {
            self.good_now += 1;
            self.curve_now.extend(point.value.as_number().map(|value| (point.at.as_micros() as f64, value)));
        }
    }

    pub(super) fn caught(&self) -> Vec<api::Caught> {
        let mut caught: Vec<api::Caught> = self
            .by_quality
            .iter()
            .filter_map(|(code, count)| {
                let (quality, cause) = shown::doubt(Quality::from_code(*code)?)?;
                Some(api::Caught { quality, cause, count: *count })
            })
            .collect();
        caught.sort_by_key(|caught| std::cmp::Reverse(caught.count));
        caught
    }

    pub(super) fn result(self, from: Moment, until: Moment) -> api::DryRunResult {
        let step = self.examples.len().div_ceil(EXAMPLES).max(1);
        api::DryRunResult {
            from: from.to_string(),
            to: until.to_string(),
            readings: self.readings,
            changed: self.changed,
            good: self.good,
            good_now: self.good_now,
            caught: self.caught(),
            examples: self.examples.iter().step_by(step).cloned().map(shown::point).collect(),
            curve: curve(&self.curve),
            curve_now: curve(&self.curve_now),
        }
    }
}

fn curve(points: &[(f64, f64)]) -> Vec<api::Reading> {
    let chosen = largest_triangles(points, CURVE);
    let shown = chosen.into_iter().filter_map(|place| {
        let (at, value) = *points.get(place)?;
        Some(shown::reading((Moment::from_micros(at as i64)?, Value::Number(value))))
    });
    shown.collect()
}
