//! Choosing points that keep the shape of a curve.

/// Indices of `count` points of `x` and `y` that draw nearly the same curve as
/// all of them: the first, the last, and from each bucket between them the point
/// that makes the largest triangle with the one chosen before and the mean of
/// the next bucket. All indices if there are no more than `count` points.
///
/// Largest Triangle Three Buckets: S. Steinarsson, Downsampling Time Series for
/// Visual Representation, MSc thesis, University of Iceland, 2013, section 4.2.
#[must_use]
pub fn largest_triangles(points: &[(f64, f64)], count: usize) -> Vec<usize> {
    if count >= points.len() || points.len() < 3 {
        return (0..points.len()).collect();
    }
    if count < 3 {
        return if count == 0 { Vec::new() } else { [0, points.len() - 1][..count.min(2)].to_vec() };
    }
    let every = (points.len() - 2) as f64 / (count - 2) as f64;
    let edge = |bucket: usize| ((bucket as f64 * every).floor() as usize + 1).min(points.len());
    let mut chosen = Vec::with_capacity(count);
    chosen.push(0);
    let mut before = 0;
    for bucket in 0..count - 2 {
        let next = edge(bucket + 1)..edge(bucket + 2).min(points.len());
        let (sum_x, sum_y) = points[next.clone()].iter().fold((0.0, 0.0), |(x, y), point| (x + point.0, y + point.1));
        let (mean_x, mean_y) = (sum_x / next.len() as f64, sum_y / next.len() as f64);
        let (x, y) = points[before];
        let mut best = (-1.0, edge(bucket));
        let candidates = edge(bucket)..edge(bucket + 1);
        for (index, point) in candidates.clone().zip(&points[candidates]) {
            let area = ((x - mean_x) * (point.1 - y) - (x - point.0) * (mean_y - y)).abs() * 0.5;
            if area > best.0 {
                best = (area, index);
            }
        }
        before = best.1;
        chosen.push(before);
    }
    chosen.push(points.len() - 1);
    chosen
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use std::collections::BTreeMap;

    fn rows(name: &str) -> Vec<Vec<String>> {
        let path = format!("{}/tests/data/{name}.csv", env!("CARGO_MANIFEST_DIR"));
        let mut reader = csv::Reader::from_path(path).unwrap();
        reader.records().map(|record| record.unwrap().iter().map(str::to_owned).collect()).collect()
    }

    #[test]
    fn chooses_the_points_of_the_thesis() {
        let points: Vec<(f64, f64)> =
            rows("lttb_input").iter().map(|row| (row[1].parse().unwrap(), row[2].parse().unwrap())).collect();
        let mut expected: BTreeMap<usize, Vec<usize>> = BTreeMap::new();
        for row in rows("lttb_expected").iter().filter(|row| row[0] == "floor_buckets_thesis") {
            expected.entry(row[1].parse().unwrap()).or_default().push(row[3].parse().unwrap());
        }
        assert!(expected.len() > 2, "there are several counts in the table");
        for (count, indices) in expected {
            assert_eq!(largest_triangles(&points, count), indices, "{count} points");
        }
    }

    proptest! {
        #[test]
        fn as_many_as_asked_in_order(ys in prop::collection::vec(-1e9..1e9f64, 0..300), count in 0usize..100) {
            let points: Vec<(f64, f64)> = ys.iter().enumerate().map(|(x, y)| (x as f64, *y)).collect();
            let chosen = largest_triangles(&points, count);
            prop_assert!(chosen.is_sorted_by(|a, b| a < b));
            prop_assert_eq!(chosen.len(), if points.len() < 3 { points.len() } else { count.min(points.len()) });
        }
    }
}
