//! Summaries: what a stretch of readings comes to.

/// Minimum, maximum, mean, first and last of the good numbers in a stretch of
/// time. Flags count as 0 and 1.
///
/// For the time-weighted mean each value counts until the next reading, at most
/// for a holding time, so that a long silence is not filled with its last value.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Summary {
    /// How many readings, at least one.
    pub count: u64,
    /// Smallest value.
    pub min: f64,
    /// Largest value.
    pub max: f64,
    /// Sum of the values, to which [`Summary::carry`] belongs.
    pub sum: f64,
    /// What rounding took from the sum: means of decimals come out as decimals
    /// (A. Neumaier, Zeitschrift für Angewandte Mathematik und Mechanik 54, 1974).
    pub carry: f64,
    /// Time of the first reading, microseconds since 1970.
    pub first_at: i64,
    /// The first value.
    pub first: f64,
    /// Time of the last reading, microseconds since 1970.
    pub last_at: i64,
    /// The last value.
    pub last: f64,
    /// Sum of the values times how long each was held, in the unit times microseconds.
    pub area: f64,
    /// How long values were held, in microseconds.
    pub held: i64,
}

impl Summary {
    /// The summary of one reading.
    #[must_use]
    pub const fn of(at: i64, value: f64) -> Self {
        Self {
            count: 1,
            min: value,
            max: value,
            sum: value,
            carry: 0.0,
            first_at: at,
            first: value,
            last_at: at,
            last: value,
            area: 0.0,
            held: 0,
        }
    }

    /// Takes in a later stretch; its first reading ends the holding of this
    /// one's last, which lasts `hold` microseconds at most.
    pub fn append(&mut self, later: &Self, hold: i64) {
        self.hold_last(later.first_at, hold);
        self.join(later);
    }

    /// Holds the last value until `until`, at most `hold` microseconds.
    pub(super) fn hold_last(&mut self, until: i64, hold: i64) {
        let held = until.saturating_sub(self.last_at).clamp(0, hold);
        self.area += self.last * held as f64;
        self.held += held;
    }

    /// Takes in a later stretch without holding anything in between.
    pub(super) fn join(&mut self, later: &Self) {
        self.count += later.count;
        self.min = self.min.min(later.min);
        self.max = self.max.max(later.max);
        self.add_to_sum(later.sum);
        self.carry += later.carry;
        self.last_at = later.last_at;
        self.last = later.last;
        self.area += later.area;
        self.held += later.held;
    }

    fn add_to_sum(&mut self, term: f64) {
        let sum = self.sum + term;
        if sum.is_finite() {
            self.carry += if self.sum.abs() >= term.abs() { (self.sum - sum) + term } else { (term - sum) + self.sum };
        }
        self.sum = sum;
    }

    /// Puts what rounding took into the sum, as far as it goes: how it is kept.
    #[must_use]
    pub(super) const fn settled(mut self) -> Self {
        self.sum += self.carry;
        self.carry = 0.0;
        self
    }

    /// The arithmetic mean of the readings.
    #[must_use]
    pub fn mean(&self) -> f64 {
        self.within((self.sum + self.carry) / self.count as f64)
    }

    /// The mean with each value weighted by how long it was held; the plain mean
    /// where none was held for any time.
    #[must_use]
    pub fn time_weighted_mean(&self) -> f64 {
        if self.held == 0 { self.mean() } else { self.within(self.area / self.held as f64) }
    }

    /// A sum of numbers near the largest there are can overflow; a mean lies
    /// between the extremes whatever happens. (A value held from before may lie
    /// outside them, so only what is not finite is put right.)
    fn within(&self, mean: f64) -> f64 {
        if mean.is_finite() { mean } else { f64::midpoint(self.min, self.max) }
    }
}

/// The summary of readings in order of time; `None` if there are none.
pub fn summarize(readings: impl IntoIterator<Item = (i64, f64)>, hold: i64) -> Option<Summary> {
    let mut readings = readings.into_iter();
    let (at, value) = readings.next()?;
    let mut summary = Summary::of(at, value);
    for (at, value) in readings {
        summary.append(&Summary::of(at, value), hold);
    }
    Some(summary)
}
