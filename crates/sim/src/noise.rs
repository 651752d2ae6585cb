//! Randomness that is a function of seed and place, so that the same seed gives
//! the same days in whatever order they are asked for.

/// A source of numbers of its own.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Noise {
    seed: u64,
}

impl Noise {
    pub(crate) const fn new(seed: u64, stream: u64) -> Self {
        Self { seed: seed.wrapping_mul(0x9e37_79b9_7f4a_7c15) ^ stream.wrapping_mul(0xd1b5_4a32_d192_ed03) }
    }

    /// Evenly spread in 0..1 (the mixer of SplitMix64, Steele, Lea and Flood 2014).
    pub(crate) fn uniform(self, place: i64) -> f64 {
        let mut z = self.seed.wrapping_add((place as u64).wrapping_mul(0x9e37_79b9_7f4a_7c15));
        z = (z ^ (z >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
        z = (z ^ (z >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
        ((z ^ (z >> 31)) >> 11) as f64 / (1u64 << 53) as f64
    }

    /// About normal with mean 0 and deviation 1: the sum of twelve evenly spread
    /// numbers less six.
    pub(crate) fn normal(self, place: i64) -> f64 {
        (0..12).map(|i| self.uniform(place.wrapping_mul(12).wrapping_add(i))).sum::<f64>() - 6.0
    }

    /// Smooth: between -1 and 1, with a new direction each `period` seconds.
    pub(crate) fn smooth(self, seconds: f64, period: f64) -> f64 {
        let at = seconds / period;
        let (place, part) = (at.floor() as i64, at - at.floor());
        let eased = part * part * (3.0 - 2.0 * part);
        let knot = |i: i64| self.uniform(i) * 2.0 - 1.0;
        knot(place) * (1.0 - eased) + knot(place + 1) * eased
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_same_seed_gives_the_same_numbers_and_another_does_not() {
        let (a, b, c) = (Noise::new(1, 1), Noise::new(1, 1), Noise::new(2, 1));
        assert_eq!(a.normal(77).to_bits(), b.normal(77).to_bits());
        assert_ne!(a.normal(77).to_bits(), c.normal(77).to_bits());
    }

    #[test]
    fn normal_numbers_have_the_right_spread() {
        let numbers: Vec<f64> = (0..10_000).map(|i| Noise::new(7, 3).normal(i)).collect();
        let mean = numbers.iter().sum::<f64>() / 1e4;
        let variance = numbers.iter().map(|n| (n - mean).powi(2)).sum::<f64>() / 1e4;
        assert!(mean.abs() < 0.05 && (variance - 1.0).abs() < 0.05, "{mean} {variance}");
    }

    #[test]
    fn smooth_has_no_jumps() {
        let noise = Noise::new(1, 2);
        for i in 0..1_000 {
            let step = noise.smooth(f64::from(i + 1), 60.0) - noise.smooth(f64::from(i), 60.0);
            assert!(step.abs() < 0.06, "{step}");
        }
    }
}
