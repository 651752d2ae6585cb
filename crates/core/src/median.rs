//! The middle of some numbers.

/// The median; of an even count the mean of the two in the middle. `None` of none.
#[must_use]
pub fn median(values: impl Iterator<Item = f64>) -> Option<f64> {
    let mut sorted: Vec<f64> = values.collect();
    sorted.sort_by(f64::total_cmp);
    let middle = sorted.len() / 2;
    match sorted.len() {
        0 => None,
        len if len % 2 == 1 => Some(sorted[middle]),
        _ => Some(f64::midpoint(sorted[middle - 1], sorted[middle])),
    }
}

#[cfg(test)]
mod tests {
    use super::median;

    #[test]
    fn the_median_is_in_the_middle() {
        for (values, middle) in
            [(&[3.0, 1.0, 2.0][..], Some(2.0)), (&[4.0, 1.0, 2.0, 3.0], Some(2.5)), (&[7.0], Some(7.0)), (&[], None)]
        {
            assert_eq!(median(values.iter().copied()), middle, "{values:?}");
        }
    }
}
