//! Runs: readings of one signal in order of time, held by columns.

use crate::quality::Quality;
use crate::{Moment, Value};
use std::ops::Range;

/// One reading of a run.
#[derive(Debug, Clone, PartialEq)]
pub struct Point {
    /// When it was measured.
    pub at: Moment,
    /// What was measured, in the signal's unit.
    pub value: Value,
    /// How far it can be trusted.
    pub quality: Quality,
    /// The number that was sent, where the value was converted from it.
    pub raw: Option<f64>,
}

impl Point {
    /// What was sent: the raw value, or the value itself where there is none.
    #[must_use]
    pub fn sent(&self) -> Value {
        self.raw.map_or_else(|| self.value.clone(), Value::Number)
    }

    /// A good reading as it was sent.
    #[must_use]
    pub const fn good(at: Moment, value: Value) -> Self {
        Self { at, value, quality: Quality::Good, raw: None }
    }
}

/// Readings of one signal, strictly ascending in time.
///
/// Held by columns: a number takes 16 bytes with its time, and 8 more with a raw
/// value. Quality and raw values take room only in runs that have any but good and
/// unconverted ones.
#[derive(Debug, Clone, Default)]
pub struct Run {
    times: Vec<i64>,
    values: Values,
    /// Empty, or as long as `times`.
    qualities: Vec<Quality>,
    /// Empty, or as long as `times`, with [`NO_RAW`] where there is none.
    raws: Vec<f64>,
}

/// A raw value is always a number, so what is none says that there is none.
pub(super) const NO_RAW: f64 = f64::NAN;

/// A column of values: numbers alone, or anything.
#[derive(Debug, Clone)]
pub(super) enum Values {
    Numbers(Vec<f64>),
    Any(Vec<Value>),
}

impl Default for Values {
    fn default() -> Self {
        Self::Numbers(Vec::new())
    }
}

impl Values {
    pub(super) fn get(&self, index: usize) -> Value {
        match self {
            Self::Numbers(numbers) => Value::Number(numbers[index]),
            Self::Any(values) => values[index].clone(),
        }
    }

    pub(super) fn push(&mut self, value: Value) {
        match (&mut *self, value) {
            (Self::Numbers(numbers), Value::Number(number)) => numbers.push(number),
            (Self::Numbers(numbers), value) => {
                let mut values: Vec<Value> = numbers.iter().copied().map(Value::Number).collect();
                values.push(value);
                *self = Self::Any(values);
            }
            (Self::Any(values), value) => values.push(value),
        }
    }

    fn extend(&mut self, other: &Self, range: Range<usize>) {
        match (&mut *self, other) {
            (Self::Numbers(numbers), Self::Numbers(more)) => numbers.extend_from_slice(&more[range]),
            (Self::Any(values), Self::Any(more)) => values.extend_from_slice(&more[range]),
            (_, other) => {
                for index in range {
                    self.push(other.get(index));
                }
            }
        }
    }
}

impl Run {
    /// A run of its columns, which are as long as each other; the last two may
    /// be empty. Times ascend.
    pub(super) fn from_columns(times: Vec<i64>, values: Values, qualities: Vec<Quality>, raws: Vec<f64>) -> Self {
        debug_assert!(times.is_sorted_by(|a, b| a < b), "times do not ascend");
        Self { times, values, qualities, raws }
    }

    /// An empty run with room for so many numbers.
    fn with_room_for(count: usize) -> Self {
        Self { times: Vec::with_capacity(count), values: Values::Numbers(Vec::with_capacity(count)), ..Self::default() }
    }

    /// How many readings.
    #[must_use]
    pub fn len(&self) -> usize {
        self.times.len()
    }

    /// Whether there is none.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        self.times.is_empty()
    }

    /// The times in microseconds since 1970, ascending.
    #[must_use]
    pub fn times(&self) -> &[i64] {
        &self.times
    }

    /// First and last time in microseconds since 1970.
    #[must_use]
    pub fn span(&self) -> Option<(i64, i64)> {
        Some((*self.times.first()?, *self.times.last()?))
    }

    pub(super) fn values(&self) -> &Values {
        &self.values
    }

    pub(super) fn qualities(&self) -> &[Quality] {
        &self.qualities
    }

    pub(super) fn raws(&self) -> &[f64] {
        &self.raws
    }

    /// Adds a reading at the end. One that is not newer than the last takes the
    /// last one's place if its time is the same, and is left out otherwise.
    pub fn push(&mut self, point: Point) {
        let at = point.at.as_micros();
        match self.times.last() {
            Some(last) if *last == at => self.truncate(self.len() - 1),
            Some(last) if *last > at => return,
            _ => {}
        }
        if !point.quality.is_good() && self.qualities.is_empty() {
            self.qualities.resize(self.times.len(), Quality::Good);
        }
        if point.raw.is_some() && self.raws.is_empty() {
            self.raws.reserve(self.times.capacity());
            self.raws.resize(self.times.len(), NO_RAW);
        }
        self.times.push(at);
        self.values.push(point.value);
        if !self.qualities.is_empty() || !point.quality.is_good() {
            self.qualities.push(point.quality);
        }
        if !self.raws.is_empty() || point.raw.is_some() {
            self.raws.push(point.raw.unwrap_or(NO_RAW));
        }
    }

    fn truncate(&mut self, len: usize) {
        self.times.truncate(len);
        match &mut self.values {
            Values::Numbers(numbers) => numbers.truncate(len),
            Values::Any(values) => values.truncate(len),
        }
        self.qualities.truncate(len);
        self.raws.truncate(len);
    }

    /// The reading at a place.
    ///
    /// # Panics
    /// Past the end.
    #[must_use]
    pub fn point(&self, index: usize) -> Point {
        Point {
            at: moment(self.times[index]),
            value: self.values.get(index),
            quality: self.qualities.get(index).copied().unwrap_or_default(),
            raw: self.raws.get(index).copied().filter(|raw| !raw.is_nan()),
        }
    }

    /// Whether the reading at a place is a good one.
    #[must_use]
    pub fn is_good(&self, index: usize) -> bool {
        self.qualities.get(index).is_none_or(|quality| quality.is_good())
    }

    /// The value at a place.
    ///
    /// # Panics
    /// Past the end.
    #[must_use]
    pub fn value(&self, index: usize) -> Value {
        self.values.get(index)
    }

    /// All readings in order.
    pub fn points(&self) -> impl DoubleEndedIterator<Item = Point> + '_ {
        (0..self.len()).map(|index| self.point(index))
    }

    /// Times (microseconds since 1970) and numbers of the good readings; flags
    /// count as 0 and 1, texts are left out.
    pub fn good_numbers(&self) -> impl Iterator<Item = (i64, f64)> + '_ {
        self.good_numbers_in(0..self.len())
    }

    /// As [`Run::good_numbers`], of the readings at some places.
    pub fn good_numbers_in(&self, range: Range<usize>) -> impl Iterator<Item = (i64, f64)> + '_ {
        range.filter_map(|index| {
            if self.qualities.get(index).is_some_and(|quality| !quality.is_good()) {
                return None;
            }
            Some((self.times[index], self.number(index)?))
        })
    }

    /// The number at a place, whatever its quality; flags count as 0 and 1, texts are none.
    ///
    /// # Panics
    /// Past the end.
    #[must_use]
    pub fn number(&self, index: usize) -> Option<f64> {
        match &self.values {
            Values::Numbers(numbers) => Some(numbers[index]),
            Values::Any(values) => values[index].as_number(),
        }
    }

    /// The quality of the reading at a place.
    ///
    /// # Panics
    /// Past the end.
    #[must_use]
    pub fn quality(&self, index: usize) -> Quality {
        if self.qualities.is_empty() { Quality::Good } else { self.qualities[index] }
    }

    /// Times and numbers at some places, if all of them are good numbers.
    #[must_use]
    pub fn plain_numbers(&self, range: Range<usize>) -> Option<(&[i64], &[f64])> {
        let Values::Numbers(numbers) = &self.values else { return None };
        let are_good = self.qualities.is_empty() || self.qualities.get(range.clone())?.iter().all(|q| q.is_good());
        are_good.then_some(())?;
        Some((self.times.get(range.clone())?, numbers.get(range)?))
    }

    /// Places of the readings from a time on and before another.
    #[must_use]
    pub fn between(&self, from: i64, to: i64) -> Range<usize> {
        let start = self.times.partition_point(|at| *at < from);
        let end = self.times.partition_point(|at| *at < to);
        start..end.max(start)
    }

    /// A copy of the readings at some places.
    #[must_use]
    pub fn slice(&self, range: Range<usize>) -> Self {
        let mut part = Self::default();
        part.extend_from(self, range);
        part
    }

    /// Adds readings of another run that are all newer than the last.
    ///
    /// # Panics
    /// Past the end of the other run.
    pub fn extend_from(&mut self, other: &Self, range: Range<usize>) {
        if range.is_empty() {
            return;
        }
        debug_assert!(self.times.last() < Some(&other.times[range.start]), "runs overlap");
        let before = self.len();
        extend_sparse(&mut self.qualities, Quality::Good, before, &other.qualities, range.clone());
        extend_sparse(&mut self.raws, NO_RAW, before, &other.raws, range.clone());
        self.times.extend_from_slice(&other.times[range.clone()]);
        self.values.extend(&other.values, range);
    }

    /// This run with another laid over it: where both have a time, the other
    /// one's reading holds.
    #[must_use]
    pub fn overlaid(&self, over: &Self) -> Self {
        let mut merged = Self::default();
        let (mut i, mut j) = (0, 0);
        while i < self.len() && j < over.len() {
            // Whole stretches at once: usually one run follows the other.
            let start = i;
            i += self.times[i..].partition_point(|at| *at < over.times[j]);
            merged.extend_from(self, start..i);
            if self.times.get(i) == Some(&over.times[j]) {
                i += 1;
            }
            let next = self.times.get(i).copied().unwrap_or(i64::MAX);
            let start = j;
            j += 1;
            while j < over.len() && over.times[j] < next {
                j += 1;
            }
            merged.extend_from(over, start..j);
        }
        merged.extend_from(self, i..self.len());
        merged.extend_from(over, j..over.len());
        merged
    }

    /// Lays `over` onto this run in place; cheap if it is newer than all of it.
    pub fn overlay(&mut self, over: &Self) {
        match (self.times.last(), over.times.first()) {
            (_, None) => {}
            (Some(last), Some(first)) if last >= first => *self = self.overlaid(over),
            _ => self.extend_from(over, 0..over.len()),
        }
    }

    /// Takes out all readings from a time on and before another.
    pub fn remove(&mut self, from: i64, to: i64) {
        let gone = self.between(from, to);
        if gone.is_empty() {
            return;
        }
        let mut rest = self.slice(0..gone.start);
        rest.extend_from(self, gone.end..self.len());
        *self = rest;
    }

    /// The longest time between one reading and the next, in microseconds.
    #[must_use]
    pub fn longest_gap(&self) -> i64 {
        self.times.windows(2).map(|pair| pair[1] - pair[0]).max().unwrap_or(0)
    }

    /// The room it takes in memory, in numbers with their times (16 bytes).
    #[must_use]
    pub fn weight(&self) -> usize {
        let values = match &self.values {
            Values::Numbers(numbers) => numbers.len(),
            Values::Any(values) => values
                .iter()
                .map(|value| match value {
                    Value::Text(text) => 4 + text.len() / 16,
                    Value::Flag(_) | Value::Number(_) => 3,
                    Value::Position(_) => 6,
                })
                .sum(),
        };
        values + self.raws.len().div_ceil(2)
    }
}

/// Lengthens a column that is empty where it would hold nothing but what is usual.
fn extend_sparse<T: Copy>(column: &mut Vec<T>, usual: T, before: usize, more: &[T], range: Range<usize>) {
    match (column.is_empty(), more.is_empty()) {
        (true, true) => {}
        (_, true) => column.resize(before + range.len(), usual),
        (_, false) => {
            column.resize(before, usual);
            column.extend_from_slice(&more[range]);
        }
    }
}

/// Only times of moments come into runs.
pub(super) fn moment(micros: i64) -> Moment {
    Moment::from_micros(micros).unwrap_or(Moment::EPOCH)
}

impl FromIterator<Point> for Run {
    fn from_iter<I: IntoIterator<Item = Point>>(points: I) -> Self {
        let points = points.into_iter();
        let mut run = Self::with_room_for(points.size_hint().0);
        for point in points {
            run.push(point);
        }
        run
    }
}

#[cfg(test)]
pub(super) mod tests;
