//! How values are spread: their deviation and quantiles, exactly.

use super::LANES;
use super::steps::Steps;

/// The values of a bucket, counted where that can be.
#[derive(Debug, Default)]
pub(super) struct Spread {
    steps: Steps,
    others: Vec<f64>,
}

impl Spread {
    /// Takes in values that were counted.
    pub(super) fn add_counted(&mut self, part: &Steps) {
        if !self.steps.add(part) {
            expand(part, &mut self.others);
        }
    }

    /// Takes in any values.
    pub(super) fn add(&mut self, values: &[f64]) {
        self.others.extend_from_slice(values);
    }

    /// Forgets all values.
    pub(super) fn clear(&mut self) {
        self.steps.clear();
        self.others.clear();
    }

    /// The standard deviation of a sample about its mean.
    pub(super) fn deviation(&self, mean: f64) -> f64 {
        let mut count = self.others.len() as u64;
        let mut squares = squares(&self.others, mean);
        for (value, times) in self.steps.each() {
            count += u64::from(times);
            squares += f64::from(times) * (value - mean) * (value - mean);
        }
        if count < 2 { 0.0 } else { (squares / (count - 1) as f64).sqrt() }
    }

    /// Quantiles in the order of their shares, interpolated between neighbours.
    pub(super) fn quantiles(&mut self, shares: &[f64]) -> Vec<f64> {
        if shares.is_empty() {
            return Vec::new();
        }
        if self.others.is_empty() {
            return of_steps(&self.steps, shares);
        }
        expand(&self.steps, &mut self.others);
        self.steps.clear();
        selected(&self.others, &ranks(shares, self.others.len()))
    }
}

fn expand(steps: &Steps, values: &mut Vec<f64>) {
    values.extend(steps.each().flat_map(|(value, count)| std::iter::repeat_n(value, count as usize)));
}

fn ranks(shares: &[f64], count: usize) -> Vec<f64> {
    shares.iter().map(|share| share.clamp(0.0, 1.0) * count.saturating_sub(1) as f64).collect()
}

fn between(rank: f64, at: impl Fn(usize) -> f64) -> f64 {
    let (low, part) = (rank.floor(), rank - rank.floor());
    let value = at(low as usize);
    if part > 0.0 { value + (at(low as usize + 1) - value) * part } else { value }
}

fn of_steps(steps: &Steps, shares: &[f64]) -> Vec<f64> {
    let mut sum = 0;
    let up_to: Vec<(f64, usize)> = steps
        .each()
        .map(|(value, count)| {
            sum += count as usize;
            (value, sum)
        })
        .collect();
    let at = |place| up_to.get(up_to.partition_point(|(_, up_to)| *up_to <= place)).map_or(f64::NAN, |step| step.0);
    if sum == 0 { Vec::new() } else { ranks(shares, sum).into_iter().map(|rank| between(rank, at)).collect() }
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

/// The sum of the squares of what differs from a mean.
fn squares(values: &[f64], mean: f64) -> f64 {
    let mut lanes = [0.0; LANES];
    let chunks = values.chunks_exact(LANES);
    let rest: f64 = chunks.remainder().iter().map(|value| (value - mean) * (value - mean)).sum();
    for chunk in chunks {
        for (lane, value) in lanes.iter_mut().zip(chunk) {
            *lane += (value - mean) * (value - mean);
        }
    }
    rest + lanes.iter().sum::<f64>()
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
    fn keys_are_in_the_order_of_their_numbers() {
        let numbers = [f64::NEG_INFINITY, -1e300, -1.5, -0.0, 0.0, 1e-300, 2.0, f64::INFINITY];
        assert!(numbers.windows(2).all(|pair| key(pair[0]) < key(pair[1])));
        assert!(numbers.iter().all(|value| number(key(*value)).to_bits() == value.to_bits()));
    }

    proptest! {
        #[test]
        fn counted_and_other_values_are_spread_as_one(
            decimals in prop::collection::vec(-5_000_i32..5_000, 0..300),
            others in prop::collection::vec(-1e6_f64..1e6, 0..30),
            shares in prop::collection::vec(0.0_f64..=1.0, 1..6),
        ) {
            let values: Vec<f64> = decimals.iter().map(|value| f64::from(*value) / 100.0).collect();
            let mut spread = Spread::default();
            for part in values.chunks(50) {
                let mut steps = Steps::default();
                if steps.count(part).is_some() { spread.add_counted(&steps) } else { spread.add(part) }
            }
            spread.add(&others);
            let all: Vec<f64> = values.into_iter().chain(others).collect();
            prop_assume!(!all.is_empty());
            let mean = all.iter().sum::<f64>() / all.len() as f64;
            let squares: f64 = all.iter().map(|value| (value - mean).powi(2)).sum();
            let deviation = if all.len() < 2 { 0.0 } else { (squares / (all.len() - 1) as f64).sqrt() };
            prop_assert!((spread.deviation(mean) - deviation).abs() <= 1e-9 * deviation.max(1.0));
            for (found, share) in spread.quantiles(&shares).into_iter().zip(&shares) {
                let expected = by_sorting(&all, *share);
                prop_assert!((found - expected).abs() <= 1e-9 * expected.abs().max(1.0), "{found} {expected}");
            }
        }
    }
}
