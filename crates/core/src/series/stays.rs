//! How long values stayed: texts and flags, drawn as spans of time, and how far readings could be trusted.

use super::Run;
use crate::Value;
use crate::quality::Quality;

/// A value that did not change from one reading to the next. Times are in microseconds since 1970.
#[derive(Debug, Clone, PartialEq)]
pub struct Stay {
    /// The value.
    pub value: Value,
    /// The time of the first reading with it.
    pub first: i64,
    /// The time of the last one.
    pub last: i64,
    /// How many readings there are.
    pub count: u64,
}

/// What is looked at in each reading.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum StayOf {
    /// The values of good readings.
    Value,
    /// The quality of all readings, as a text: `good`, or the cause of the doubt.
    Quality,
}

/// Takes readings of one signal in order of time and gives how long each value, or quality, stayed.
#[derive(Debug)]
pub struct StayFold {
    of: StayOf,
    stays: Vec<Stay>,
}

impl StayFold {
    /// Nothing has been taken in yet.
    #[must_use]
    pub const fn new(of: StayOf) -> Self {
        Self { of, stays: Vec::new() }
    }

    /// Takes readings in until there are so many stays, and says whether one found no room.
    pub fn take_run(&mut self, run: &Run, most: usize) -> bool {
        for (place, at) in run.times().iter().enumerate() {
            if self.goes_on(run, place) {
                if let Some(stay) = self.stays.last_mut() {
                    stay.last = *at;
                    stay.count += 1;
                }
                continue;
            }
            let value = match self.of {
                StayOf::Value if !run.is_good(place) => continue,
                StayOf::Value => run.value(place),
                StayOf::Quality => Value::Text(word_of(run.quality(place)).into()),
            };
            if self.stays.len() >= most {
                return true;
            }
            self.stays.push(Stay { value, first: *at, last: *at, count: 1 });
        }
        false
    }

    /// Whether the reading at a place is like the one before it.
    fn goes_on(&self, run: &Run, place: usize) -> bool {
        self.stays.last().is_some_and(|stay| match self.of {
            StayOf::Value => run.is_good(place) && run.value(place) == stay.value,
            StayOf::Quality => matches!(&stay.value, Value::Text(text) if text.as_str() == word_of(run.quality(place))),
        })
    }

    /// What was found.
    #[must_use]
    pub fn finish(self) -> Vec<Stay> {
        self.stays
    }
}

const fn word_of(quality: Quality) -> &'static str {
    match quality {
        Quality::Good => "good",
        Quality::Suspect(cause) | Quality::Rejected(cause) => cause.as_str(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::Moment;
    use crate::quality::Cause;
    use crate::series::Point;

    fn run_of(readings: &[(i64, &str, Quality)]) -> Run {
        let mut run = Run::default();
        for (at, text, quality) in readings {
            let at = Moment::from_micros(*at).unwrap();
            run.push(Point { at, value: Value::Text((*text).into()), quality: *quality, raw: None });
        }
        run
    }

    #[test]
    fn a_value_stays_until_another_comes() {
        let bad = Quality::Rejected(Cause::Type);
        let good = Quality::Good;
        let first = run_of(&[(1, "eco", good), (2, "eco", good), (3, "boost", bad)]);
        let second = run_of(&[(4, "eco", good), (5, "off", good), (6, "eco", good), (7, "eco", good)]);
        let mut fold = StayFold::new(StayOf::Value);
        assert!(!fold.take_run(&first, 2));
        assert!(fold.take_run(&second, 2), "the third finds no room");
        let told: Vec<_> =
            fold.finish().into_iter().map(|stay| (stay.value, stay.first, stay.last, stay.count)).collect();
        assert_eq!(told, [(Value::Text("eco".into()), 1, 4, 3), (Value::Text("off".into()), 5, 5, 1)]);
    }

    #[test]
    fn doubts_stay_until_readings_are_good_again() {
        let loose = Quality::Rejected(Cause::Dependent);
        let run = run_of(&[(1, "a", Quality::Good), (2, "b", Quality::Good), (3, "c", loose), (9, "c", loose)]);
        let mut fold = StayFold::new(StayOf::Quality);
        assert!(!fold.take_run(&run, 9));
        let told: Vec<_> = fold.finish().into_iter().map(|stay| (stay.value, stay.first, stay.last)).collect();
        assert_eq!(told, [(Value::Text("good".into()), 1, 2), (Value::Text("dependent".into()), 3, 9)]);
    }
}
