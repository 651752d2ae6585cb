use super::*;
use crate::series::{Buckets, Digest, Point, Run, SealedDigest, decode_segment, encode_segment};
use crate::units::UnitCode;
use crate::{Moment, Value};
use proptest::prelude::*;

const SECOND: i64 = 1_000_000;

fn run_of(readings: &[(i64, f64)]) -> Run {
    let mut run = Run::default();
    for (at, value) in readings {
        run.push(Point::good(Moment::from_micros(*at).unwrap(), Value::Number(*value)));
    }
    run
}

fn figures(wanted: &WantedFigures, readings: &[(i64, f64)], width: i64, to: i64, hold: i64) -> Vec<Figures> {
    let mut fold = FigureFold::new(wanted, Buckets::Even(width), 0, to);
    fold.take_run(&run_of(readings), hold);
    fold.finish()
}

fn wanted() -> WantedFigures {
    WantedFigures {
        quantiles: vec![0.5, 0.0, 1.0, 0.25],
        bands: vec![Band::Above(2.0), Band::Below(2.0), Band::Within(2.0, 3.0)],
        degrees: vec![Degrees::Below(3.0), Degrees::Above(3.0)],
    }
}

#[test]
fn figures_of_a_few_readings() {
    let readings = [(0, 2.0), (10 * SECOND, 4.0), (20 * SECOND, 1.0), (30 * SECOND, 4.0)];
    let found = figures(&wanted(), &readings, 60 * SECOND, 60 * SECOND, 100 * SECOND);
    let [one] = found.as_slice() else { panic!("{found:?}") };
    assert_eq!((one.count, one.total, one.mean), (4, 11.0, 2.75));
    assert_eq!(one.min, Extreme { value: 1.0, at: Some(20 * SECOND) });
    assert_eq!(one.max, Extreme { value: 4.0, at: Some(10 * SECOND) }, "the first of two");
    // 2 for 10 s, 4 for 10 s, 1 for 10 s, 4 for 30 s.
    assert_eq!((one.area, one.held), (190.0 * SECOND as f64, 60 * SECOND));
    assert!((one.time_mean - 190.0 / 60.0).abs() < 1e-12);
    assert!((one.deviation.unwrap() - 1.5).abs() < 1e-12);
    assert_eq!(one.quantiles, [3.0, 1.0, 4.0, 1.75]);
    assert_eq!(one.inside, [40 * SECOND, 10 * SECOND, 10 * SECOND]);
    assert_eq!(one.degrees, [30.0 * SECOND as f64, 40.0 * SECOND as f64]);
}

#[test]
fn a_value_goes_on_into_the_next_bucket_and_holds_no_longer_than_it_may() {
    let readings = [(5 * SECOND, 4.0), (32 * SECOND, 1.0)];
    let found = figures(&wanted(), &readings, 10 * SECOND, 100 * SECOND, 30 * SECOND);
    let told: Vec<_> =
        found.iter().map(|one| (one.start / SECOND, one.held / SECOND, one.inside[0] / SECOND)).collect();
    // In the bucket of the second reading the first goes on for two seconds.
    assert_eq!(told, [(0, 5, 5), (30, 10, 2)]);
}

#[test]
fn what_held_before_counts_for_the_first_bucket() {
    let wanted = wanted();
    let mut fold = FigureFold::new(&wanted, Buckets::Even(10 * SECOND), 10 * SECOND, 20 * SECOND);
    fold.start_with(5 * SECOND, 7.0, 60 * SECOND);
    fold.take_run(&run_of(&[(14 * SECOND, 1.0)]), 60 * SECOND);
    let found = fold.finish();
    assert_eq!((found[0].held, found[0].inside[0], found[0].count), (10 * SECOND, 4 * SECOND, 1));
}

#[test]
fn where_readings_are_gone_the_rest_says_so() {
    let run = run_of(&[(0, 2.0), (10 * SECOND, 4.0), (20 * SECOND, 1.0)]);
    let digest = Digest::of(&run, 100 * SECOND).encode();
    let wanted = wanted();
    let mut fold = FigureFold::new(&wanted, Buckets::Even(60 * SECOND), 0, 60 * SECOND);
    fold.take_what_is_left(&SealedDigest::open(&digest).unwrap()).unwrap();
    fold.take_run(&run_of(&[(30 * SECOND, 0.5)]), 100 * SECOND);
    let found = fold.finish();
    let [one] = found.as_slice() else { panic!("{found:?}") };
    assert!(!one.is_whole);
    assert_eq!((one.count, one.total), (4, 7.5));
    assert_eq!(one.min, Extreme { value: 0.5, at: Some(30 * SECOND) });
    assert_eq!(one.max, Extreme { value: 4.0, at: None }, "when is not known any more");
    assert_eq!((one.deviation, one.quantiles.len(), one.inside.len(), one.degrees.len()), (None, 0, 0, 0));
    assert_eq!(one.held, 60 * SECOND);
}

#[test]
fn integrals_have_units() {
    for (unit, expected) in [
        ("L/min", Some(("L", 60.0))),
        ("m3/h", Some(("m3", 3_600.0))),
        ("m/s", Some(("m", 1.0))),
        ("mm/d", Some(("mm", 86_400.0))),
        ("/min", Some(("1", 60.0))),
        ("W", Some(("W.h", 3_600.0))),
        ("kW", Some(("kW.h", 3_600.0))),
        ("m", Some(("m.h", 3_600.0))),
        ("K", Some(("K.h", 3_600.0))),
        ("m/s2", Some(("m/s2.h", 3_600.0))),
        ("Cel", None),
        ("[degF]", None),
        ("dB", None),
    ] {
        let found = integral_of(&UnitCode::parse(unit).unwrap());
        let told = found.as_ref().map(|found| (found.unit.as_str(), found.seconds));
        assert_eq!(told, expected, "{unit}");
    }
}

fn lies_in(band: &Band, value: f64) -> bool {
    match *band {
        Band::Above(limit) => value > limit,
        Band::Below(limit) => value < limit,
        Band::Within(low, high) => low <= value && value <= high,
    }
}

fn degrees_of(side: &Degrees, value: f64) -> f64 {
    match *side {
        Degrees::Above(base) => f64::max(value - base, 0.0),
        Degrees::Below(base) => f64::max(base - value, 0.0),
    }
}

/// Each figure by itself, straight from its definition.
fn by_definition(wanted: &WantedFigures, readings: &[(i64, f64)], width: i64, to: i64, hold: i64) -> Vec<Figures> {
    let inside: Vec<(i64, f64)> = readings.iter().copied().filter(|(at, _)| (0..to).contains(at)).collect();
    let mut starts: Vec<i64> = inside.iter().map(|(at, _)| at / width * width).collect();
    starts.dedup();
    let of = |start: i64| {
        let end = start + width;
        let own: Vec<(i64, f64)> = inside.iter().copied().filter(|(at, _)| (start..end).contains(at)).collect();
        let mut values: Vec<f64> = own.iter().map(|(_, value)| *value).collect();
        let first = |wanted: f64| own.iter().find(|(_, value)| *value == wanted).map(|(at, _)| *at);
        let count = values.len() as f64;
        let total: f64 = values.iter().sum();
        let mean = total / count;
        let squares: f64 = values.iter().map(|value| (value - mean).powi(2)).sum();
        values.sort_by(f64::total_cmp);
        let stretch = |index: usize| {
            let (at, value) = inside[index];
            let next = inside.get(index + 1).map_or(to, |(next, _)| *next);
            (value, (next.min(at + hold).min(end).min(to) - at.max(start)).max(0))
        };
        let stretches: Vec<(f64, i64)> = (0..inside.len()).map(stretch).collect();
        let held: i64 = stretches.iter().map(|(_, time)| time).sum();
        let area: f64 = stretches.iter().map(|(value, time)| value * *time as f64).sum();
        let quantile = |share: &f64| {
            let rank = share * (count - 1.0);
            let (low, high) = (values[rank.floor() as usize], values[rank.ceil() as usize]);
            low + (high - low) * (rank - rank.floor())
        };
        Figures {
            start,
            end,
            count: own.len() as u64,
            min: Extreme { value: values[0], at: first(values[0]) },
            max: Extreme { value: values[values.len() - 1], at: first(values[values.len() - 1]) },
            mean,
            time_mean: if held == 0 { mean } else { area / held as f64 },
            total,
            area,
            held,
            deviation: Some(if own.len() < 2 { 0.0 } else { (squares / (count - 1.0)).sqrt() }),
            quantiles: wanted.quantiles.iter().map(quantile).collect(),
            inside: (wanted.bands.iter())
                .map(|band| stretches.iter().filter(|(value, _)| lies_in(band, *value)).map(|(_, time)| time).sum())
                .collect(),
            degrees: (wanted.degrees.iter())
                .map(|side| stretches.iter().map(|(value, time)| degrees_of(side, *value) * *time as f64).sum())
                .collect(),
            is_whole: true,
        }
    };
    starts.into_iter().map(of).collect()
}

fn is_near(a: f64, b: f64) -> bool {
    (a - b).abs() <= 1e-9 * a.abs().max(b.abs()).max(1.0)
}

proptest! {
    #[test]
    fn figures_are_what_they_are_defined_to_be(
        steps in prop::collection::vec((1_i64..40, -50_i32..50), 1..120),
        width in 20_i64..400,
        hold in 0_i64..60,
        cut in 0_usize..120,
        last in 10_i64..3_000,
    ) {
        let mut at = 0;
        let readings: Vec<(i64, f64)> = steps.iter().map(|(step, value)| {
            at += step * SECOND;
            (at, f64::from(*value) / 10.0)
        }).collect();
        let (width, hold, to) = (width * SECOND, hold * SECOND, last * SECOND);
        let wanted = wanted();
        let mut fold = FigureFold::new(&wanted, Buckets::Even(width), 0, to);
        // However the readings are cut into runs, and also when they come from a segment.
        let cut = cut.min(readings.len());
        fold.take_run(&run_of(&readings[..cut]), hold);
        fold.take_run(&decode_segment(&encode_segment(&run_of(&readings[cut..]))).unwrap(), hold);
        let found = fold.finish();
        let expected = by_definition(&wanted, &readings, width, to, hold);
        prop_assert_eq!(found.len(), expected.len());
        for (found, expected) in found.iter().zip(&expected) {
            let exact = |one: &Figures| (one.start, one.end, one.count, one.min, one.max, one.held, one.inside.clone());
            prop_assert_eq!(exact(found), exact(expected));
            let near = |one: &Figures| {
                let mut all = vec![one.mean, one.time_mean, one.total, one.deviation.unwrap()];
                all.extend(&one.quantiles);
                all
            };
            for (a, b) in near(found).iter().zip(near(expected)) {
                prop_assert!(is_near(*a, b), "{found:?} is not {expected:?}");
            }
            // Parts of an integral may cancel out: what is left is as exact as the parts, which are at most
            // 120 of up to 25 times the time that is held.
            let rounding = 120.0 * f64::EPSILON * 25.0 * expected.held as f64;
            let integrals = |one: &Figures| [vec![one.area], one.degrees.clone()].concat();
            for (a, b) in integrals(found).iter().zip(integrals(expected)) {
                prop_assert!((a - b).abs() <= rounding, "{found:?} is not {expected:?}");
            }
        }
    }
}
