//! Quantiles of values, exactly.

/// Steps between least and greatest up to which values are counted by step.
const MOST_STEPS: f64 = 65_535.0;
/// Values have so many decimals at the most, to be counted.
const POWERS: [f64; 5] = [1.0, 10.0, 100.0, 1_000.0, 10_000.0];

/// Quantiles of values, in the order of the shares, interpolated between neighbours.
pub(super) fn quantiles(values: &[f64], shares: &[f64]) -> Vec<f64> {
    if shares.is_empty() || values.is_empty() {
        return Vec::new();
    }
    let ranks: Vec<f64> = shares.iter().map(|share| share.clamp(0.0, 1.0) * (values.len() - 1) as f64).collect();
    match Counted::of(values) {
        Some(counted) => ranks.iter().map(|rank| between(*rank, |place| counted.at(place))).collect(),
        None => selected(values, &ranks),
    }
}

fn between(rank: f64, at: impl Fn(usize) -> f64) -> f64 {
    let (low, part) = (rank.floor(), rank - rank.floor());
    let value = at(low as usize);
    if part > 0.0 { value + (at(low as usize + 1) - value) * part } else { value }
}

/// Values that are whole multiples of a decimal step, counted by it: what sensors send is so nearly
/// always, and counting takes a third of the time.
struct Counted {
    power: f64,
    low: f64,
    /// How many values there are up to each step.
    up_to: Vec<usize>,
}

impl Counted {
    fn of(values: &[f64]) -> Option<Self> {
        let (low, high) = values.iter().fold((f64::INFINITY, f64::NEG_INFINITY), |(low, high), value| {
            (if *value < low { *value } else { low }, if *value > high { *value } else { high })
        });
        let is_exact = |value: f64, power: f64| rounded(value * power) / power == value;
        // The first values tell which step it may be.
        let power = POWERS.into_iter().find(|power| values.iter().take(16).all(|value| is_exact(*value, *power)));
        let from = POWERS.iter().position(|known| Some(*known) == power)?;
        let power = POWERS[from..].iter().copied().find(|power| {
            let wrong = |part: &[f64]| part.iter().map(|value| u32::from(!is_exact(*value, *power))).sum::<u32>();
            values.chunks(1_024).all(|part| wrong(part) == 0)
        })?;
        let (low, high) = (rounded(low * power), rounded(high * power));
        if !(high - low <= MOST_STEPS && low.abs().max(high.abs()) < 1e15) {
            return None;
        }
        let mut up_to = vec![0_usize; (high - low) as usize + 1];
        let first = (low + ROOM).to_bits();
        for value in values {
            // What is added leaves the whole number in the last bits.
            let step = (value * power + ROOM).to_bits().wrapping_sub(first);
            if let Some(count) = up_to.get_mut(step as usize) {
                *count += 1;
            }
        }
        let mut sum = 0;
        for count in &mut up_to {
            sum += *count;
            *count = sum;
        }
        Some(Self { power, low, up_to })
    }

    /// The value at a place, if they were in order.
    fn at(&self, place: usize) -> f64 {
        let step = self.up_to.partition_point(|up_to| *up_to <= place);
        (self.low + step as f64) / self.power
    }
}

/// Adding so much to a number below 2^51 leaves no room for a fraction: 1.5 times 2^52.
const ROOM: f64 = 6_755_399_441_055_744.0;

/// The nearest whole number, for numbers below 2^51.
fn rounded(value: f64) -> f64 {
    (value + ROOM) - ROOM
}

/// Any values: each quantile is looked for among those behind the one before.
fn selected(values: &[f64], ranks: &[f64]) -> Vec<f64> {
    let mut keys: Vec<i64> = values.iter().map(|value| key(*value)).collect();
    let mut order: Vec<usize> = (0..ranks.len()).collect();
    order.sort_by(|a, b| ranks[*a].total_cmp(&ranks[*b]));
    let mut found = vec![0.0; ranks.len()];
    let mut from = 0;
    for which in order {
        let place = (ranks[which].floor() as usize).max(from);
        let (_, low, above) = keys[from..].select_nth_unstable(place - from);
        let low = number(*low);
        let next = above.iter().copied().min().map_or(low, number);
        found[which] = between(ranks[which] - place as f64, |place| if place == 0 { low } else { next });
        from = place;
    }
    found
}

/// A key that is in order as its number is, and found again from it: whole numbers are compared faster.
const fn key(value: f64) -> i64 {
    let bits = value.to_bits().cast_signed();
    bits ^ ((bits >> 63).cast_unsigned() >> 1).cast_signed()
}

/// The number of a [`key`]: the way there and back is the same.
const fn number(key: i64) -> f64 {
    f64::from_bits((key ^ ((key >> 63).cast_unsigned() >> 1).cast_signed()).cast_unsigned())
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn by_sorting(values: &[f64], share: f64) -> f64 {
        let mut values = values.to_vec();
        values.sort_by(f64::total_cmp);
        let rank = share * (values.len() - 1) as f64;
        let (low, high) = (values[rank.floor() as usize], values[rank.ceil() as usize]);
        low + (high - low) * (rank - rank.floor())
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
            assert_eq!(Counted::of(values).map(|counted| counted.power), power, "{values:?}");
        }
        // A finer step shows only behind the first values.
        let mut late = vec![1.0; 2_000];
        late[1_500] = 1.25;
        assert_eq!(Counted::of(&late).map(|counted| counted.power), Some(100.0));
    }

    #[test]
    fn keys_are_in_the_order_of_their_numbers() {
        let numbers = [f64::NEG_INFINITY, -1e300, -1.5, -0.0, 0.0, 1e-300, 2.0, f64::INFINITY];
        assert!(numbers.windows(2).all(|pair| key(pair[0]) < key(pair[1])));
        assert!(numbers.iter().all(|value| number(key(*value)).to_bits() == value.to_bits()));
    }

    proptest! {
        #[test]
        fn quantiles_are_those_of_the_sorted_values(
            decimals in prop::collection::vec(-5_000_i32..5_000, 1..300),
            odd in prop::collection::vec(-1e6_f64..1e6, 0..3),
            shares in prop::collection::vec(0.0_f64..=1.0, 1..6),
        ) {
            // With and without values that cannot be counted.
            let values: Vec<f64> = decimals.iter().map(|value| f64::from(*value) / 100.0).chain(odd).collect();
            for (found, share) in quantiles(&values, &shares).into_iter().zip(&shares) {
                let expected = by_sorting(&values, *share);
                prop_assert!((found - expected).abs() <= 1e-9 * expected.abs().max(1.0), "{found} {expected}");
            }
        }
    }
}
