//! Values counted by decimal step.

use super::LANES;

/// Steps between least and greatest up to which values are counted.
const MOST_STEPS: usize = 65_535;
/// Values have so many decimals at the most, to be counted.
const POWERS: [f64; 5] = [1.0, 10.0, 100.0, 1_000.0, 10_000.0];
/// Whole numbers below this are told apart after [`ROOM`] is added.
const MOST: f64 = 1e15;
/// Adding so much to a number below 2^51 leaves no room for a fraction: 1.5 times 2^52.
const ROOM: f64 = 6_755_399_441_055_744.0;

/// Values that are whole multiples of a decimal step, and how many there are of each: what sensors send is so
/// nearly always. A few hundred steps are summed up in no time, however many values there are.
#[derive(Debug, Default)]
pub(super) struct Steps {
    /// Which of [`POWERS`] goes into one.
    exponent: usize,
    /// The least, in steps.
    low: i64,
    /// How many values there are of each step from the least on.
    counts: Vec<u32>,
}

impl Steps {
    /// Counts values instead of those before; gives the least and the greatest of them. None if they are no
    /// whole multiples of a step, or if there are so many steps that counting takes longer than it saves.
    pub(super) fn count(&mut self, values: &[f64]) -> Option<(f64, f64)> {
        self.counts.clear();
        // What has had many decimals is not tried with fewer.
        let of = |exponent: usize| Some((exponent, whole_between(values, POWERS[exponent])?));
        let (exponent, (low, high)) = (self.exponent..POWERS.len()).find_map(of)?;
        let pays = high - low <= MOST_STEPS.min(2 * values.len() + 64) as f64;
        if !(pays && low.abs().max(high.abs()) < MOST) {
            return None;
        }
        let power = POWERS[exponent];
        self.exponent = exponent;
        self.low = low as i64;
        self.counts.resize((high - low) as usize + 1, 0);
        let first = (low + ROOM).to_bits();
        for value in values {
            // What is added leaves the whole number in the last bits.
            let step = (value * power + ROOM).to_bits().wrapping_sub(first);
            if let Some(count) = self.counts.get_mut(step as usize) {
                *count += 1;
            }
        }
        Some((low / power, high / power))
    }

    /// Takes in what was counted elsewhere. Says no, and takes in nothing, if there would be too many steps.
    pub(super) fn add(&mut self, part: &Self) -> bool {
        if self.counts.is_empty() {
            (self.exponent, self.low) = (part.exponent, part.low);
        }
        let exponent = self.exponent.max(part.exponent);
        let (own, others) = (self.finer(exponent), part.finer(exponent));
        let last = |steps: &Self, (low, width): (i64, i64)| low + (steps.counts.len().max(1) as i64 - 1) * width;
        let low = own.0.min(others.0);
        let high = last(self, own).max(last(part, others));
        if high - low > MOST_STEPS as i64 {
            return false;
        }
        if exponent != self.exponent || low != self.low {
            let mut counts = vec![0; (high - low) as usize + 1];
            spread(&self.counts, (own.0 - low, own.1), &mut counts);
            *self = Self { exponent, low, counts };
        } else {
            self.counts.resize((high - low) as usize + 1, 0);
        }
        spread(&part.counts, (others.0 - low, others.1), &mut self.counts);
        true
    }

    /// The least and how many steps one becomes, if steps are so fine.
    fn finer(&self, exponent: usize) -> (i64, i64) {
        let width = 10_i64.pow((exponent - self.exponent) as u32);
        (self.low * width, width)
    }

    /// Forgets what was counted, and takes up whole numbers again.
    pub(super) fn clear(&mut self) {
        self.counts.clear();
        (self.exponent, self.low) = (0, 0);
    }

    /// The values of the steps in order, and how many there are of each; of some there are none.
    pub(super) fn each(&self) -> impl Iterator<Item = (f64, u32)> + '_ {
        let (power, low) = (POWERS[self.exponent], self.low);
        self.counts.iter().enumerate().map(move |(at, count)| ((low + at as i64) as f64 / power, *count))
    }

    /// The sum of all values.
    pub(super) fn sum(&self) -> f64 {
        let (mut above, mut count) = (0_i128, 0_i128);
        for (at, of_step) in self.counts.iter().enumerate() {
            above += i128::from(*of_step) * at as i128;
            count += i128::from(*of_step);
        }
        (i128::from(self.low) * count + above) as f64 / POWERS[self.exponent]
    }
}

/// Values after which it is looked whether any was wrong.
const STRETCH: usize = 1_024;

/// The least and the greatest of values in steps of a power of ten; none if some are no whole multiples.
fn whole_between(values: &[f64], power: f64) -> Option<(f64, f64)> {
    let (mut least, mut most) = ([f64::INFINITY; LANES], [f64::NEG_INFINITY; LANES]);
    // The first values nearly always tell.
    let (first, rest) = values.split_at(values.len().min(2 * LANES));
    for stretch in std::iter::once(first).chain(rest.chunks(STRETCH)) {
        let mut wrong = [0_u64; LANES];
        let mut look = |values: &[f64; LANES]| {
            for (lane, value) in values.iter().enumerate() {
                let whole = rounded(value * power);
                wrong[lane] += u64::from(whole / power != *value);
                least[lane] = if whole < least[lane] { whole } else { least[lane] };
                most[lane] = if whole > most[lane] { whole } else { most[lane] };
            }
        };
        let (chunks, rest) = stretch.as_chunks();
        chunks.iter().for_each(&mut look);
        if let Some(first) = rest.first() {
            let mut chunk = [*first; LANES];
            chunk[..rest.len()].copy_from_slice(rest);
            look(&chunk);
        }
        if wrong.iter().sum::<u64>() > 0 {
            return None;
        }
    }
    let least = least.into_iter().fold(f64::INFINITY, f64::min);
    Some((least, most.into_iter().fold(f64::NEG_INFINITY, f64::max)))
}

/// The nearest whole number, for numbers below 2^51.
fn rounded(value: f64) -> f64 {
    (value + ROOM) - ROOM
}

/// Adds counts to those of finer steps: the first goes to a place, each further one so many on.
fn spread(counts: &[u32], (place, width): (i64, i64), to: &mut [u32]) {
    let places = to.iter_mut().skip(place as usize).step_by(width as usize);
    places.zip(counts).for_each(|(to, count)| *to += count);
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn counted(values: &[f64]) -> Option<Steps> {
        let mut steps = Steps::default();
        let (least, most) = steps.count(values)?;
        assert_eq!(least, values.iter().copied().fold(f64::INFINITY, f64::min));
        assert_eq!(most, values.iter().copied().fold(f64::NEG_INFINITY, f64::max));
        Some(steps)
    }

    fn expanded(steps: &Steps) -> Vec<f64> {
        steps.each().flat_map(|(value, count)| std::iter::repeat_n(value, count as usize)).collect()
    }

    #[test]
    fn values_with_few_decimals_are_counted_and_others_not() {
        for (values, power) in [
            (&[1.0, 2.0, -3.0][..], Some(1.0)),
            (&[1.5, 2.0], Some(10.0)),
            (&[0.1 + 0.2, 2.0], None),
            (&[1.0 / 3.0], None),
            (&[1e-5], None),
            (&[0.0, 1e6], None),
            (&[1e300, 1e300], None),
        ] {
            assert_eq!(counted(values).map(|steps| POWERS[steps.exponent]), power, "{values:?}");
        }
        // A finer step shows only behind the first values.
        let mut late = vec![1.0; 2_000];
        late[1_500] = 1.25;
        assert_eq!(counted(&late).map(|steps| POWERS[steps.exponent]), Some(100.0));
    }

    #[test]
    fn steps_that_lie_too_far_apart_are_not_put_together() {
        let (mut near, far) = (counted(&[1.0, 2.0]).unwrap(), counted(&[70_000.0]).unwrap());
        assert!(!near.add(&far));
        assert_eq!(expanded(&near), [1.0, 2.0]);
        let mut fine = counted(&[0.0001]).unwrap();
        assert!(!fine.add(&counted(&[100.0]).unwrap()));
    }

    proptest! {
        #[test]
        fn parts_put_together_are_all_of_them(
            parts in prop::collection::vec((0_u32..5, prop::collection::vec(-50_i32..50, 1..60)), 1..6)
        ) {
            let mut all = Steps::default();
            let mut expected = Vec::new();
            for (decimals, wholes) in parts {
                let values: Vec<f64> = wholes.iter().map(|whole| f64::from(*whole) / 10_f64.powi(decimals as i32)).collect();
                let Some(part) = counted(&values) else { continue };
                if all.add(&part) {
                    expected.extend(values);
                }
            }
            expected.sort_by(f64::total_cmp);
            let sum: f64 = expected.iter().sum();
            prop_assert!((all.sum() - sum).abs() < 1e-9);
            prop_assert_eq!(expanded(&all), expected.iter().map(|value| value + 0.0).collect::<Vec<_>>());
        }
    }
}
