//! Readings of two series side by side.

/// Two values of about the same time.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Pair {
    /// The time of the other's reading, microseconds since 1970.
    pub at: i64,
    /// The reference then.
    pub reference: f64,
    /// The other.
    pub other: f64,
}

/// How to find the reference at the time of a reading of the other.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Alignment {
    /// Its nearest reading, at most the tolerance away.
    Nearest,
    /// On the straight line between the readings before and after, each at most the
    /// tolerance away.
    Interpolated,
}

/// For each reading of `other` what the reference said then. Both are in order of
/// time; `tolerance` is in microseconds.
#[must_use]
pub fn pairs(reference: &[(i64, f64)], other: &[(i64, f64)], alignment: Alignment, tolerance: i64) -> Vec<Pair> {
    let mut found = Vec::new();
    let mut next = 0;
    for &(at, value) in other {
        while reference.get(next).is_some_and(|(then, _)| *then <= at) {
            next += 1;
        }
        let within = |place: &&(i64, f64)| (place.0 - at).abs() <= tolerance;
        let before = next.checked_sub(1).and_then(|place| reference.get(place)).filter(within);
        let after = reference.get(next).filter(within);
        let beside = match (alignment, before, after) {
            (_, Some((then, exact)), _) if *then == at => Some(*exact),
            (Alignment::Interpolated, Some(&(t0, y0)), Some(&(t1, y1))) => {
                Some(y0 + (y1 - y0) * ((at - t0) as f64 / (t1 - t0) as f64))
            }
            (Alignment::Interpolated, ..) | (_, None, None) => None,
            (Alignment::Nearest, Some(before), Some(after)) => {
                Some(if at - before.0 <= after.0 - at { before.1 } else { after.1 })
            }
            (Alignment::Nearest, Some(only), None) | (Alignment::Nearest, None, Some(only)) => Some(only.1),
        };
        found.extend(beside.map(|reference| Pair { at, reference, other: value }));
    }
    found
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_reference_is_looked_up_at_the_others_times() {
        let reference = [(0, 0.0), (10, 10.0), (20, 0.0), (100, 5.0)];
        let other = [(-3, 1.0), (4, 1.0), (6, 1.0), (10, 1.0), (15, 1.0), (40, 1.0), (99, 1.0), (104, 1.0)];
        let seen = |alignment| -> Vec<(i64, f64)> {
            pairs(&reference, &other, alignment, 10).iter().map(|pair| (pair.at, pair.reference)).collect()
        };
        assert_eq!(
            seen(Alignment::Nearest),
            [(-3, 0.0), (4, 0.0), (6, 10.0), (10, 10.0), (15, 10.0), (99, 5.0), (104, 5.0)]
        );
        assert_eq!(seen(Alignment::Interpolated), [(4, 4.0), (6, 6.0), (10, 10.0), (15, 5.0)]);
        assert!(pairs(&[], &other, Alignment::Nearest, 10).is_empty());
    }
}
