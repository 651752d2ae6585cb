use super::super::{Arrangement, Outside, Per};
use super::*;
use crate::physics::tank::Tank;
use crate::physics::thermocouple::Thermocouple;
use proptest::prelude::*;

/// Unit before, steps, unit wanted, raw value, what comes out.
type Worked = (Option<&'static str>, &'static str, Option<&'static str>, f64, f64);
/// A conversion, raw values, what comes out of each.
type Remembering<'a> = (&'a Conversion, &'a [f64], &'a [Result<f64, Why>]);

fn code(text: &str) -> UnitCode {
    UnitCode::parse(text).unwrap()
}

fn chain(input: Option<&str>, steps: &str, output: Option<&str>) -> Result<Conversion, ConversionError> {
    let steps: Vec<Step> = serde_json::from_str(steps).unwrap();
    let (input, output) = (input.map(code), output.map(code));
    Conversion::new(input.as_ref(), steps, output.as_ref())
}

fn value(conversion: &Conversion, raw: f64) -> Result<f64, Why> {
    let converted = conversion.apply(0, raw, &[], &mut Memory::default());
    converted.map(|converted| converted.value).map_err(|fault| fault.why)
}

/// Chains as people would build them, and what comes out, worked out by hand.
#[test]
fn chains_give_what_was_worked_out_by_hand() {
    let cases: &[Worked] = &[
        // 10 bits of 5 V, a transducer of 0.5 to 4.5 V for 0 to 20 bar.
        (
            None,
            r#"[{"step": "counts", "bits": 10, "reference_v": 5}, {"step": "two-point", "points": [[0.5, 0], [4.5, 20]], "unit": "bar"}]"#,
            Some("kPa"),
            512.0,
            1_000.0,
        ),
        (Some("mV"), r#"[{"step": "scale", "factor": 100, "offset": -50, "unit": "Cel"}]"#, Some("[degF]"), 0.7, 68.0),
        (None, r#"[{"step": "polynomial", "coefficients": [1, 2, 3], "unit": "m"}]"#, None, 2.0, 17.0),
        (None, r#"[{"step": "table", "points": [[0, 0], [10, 100], [20, 400]]}]"#, None, 15.0, 250.0),
        (None, r#"[{"step": "table", "points": [[0, 0], [10, 100]], "outside": "keep"}]"#, None, 12.0, 120.0),
        (None, r#"[{"step": "table", "points": [[0, 0], [10, 100]], "outside": "clamp"}]"#, None, 12.0, 100.0),
        // Half the supply: as much as the fixed resistor, whichever way round.
        (
            Some("mV"),
            r#"[{"step": "divider", "fixed_ohm": 10000, "supply_v": 3.3, "sensor": "to-ground"},
            {"step": "thermistor-beta", "r0_ohm": 10000, "t0_celsius": 25, "beta_k": 3950}]"#,
            Some("Cel"),
            1_650.0,
            25.0,
        ),
        (
            Some("V"),
            r#"[{"step": "divider", "fixed_ohm": 1000, "supply_v": 4, "sensor": "to-supply"}]"#,
            Some("Ohm"),
            1.0,
            3_000.0,
        ),
        (Some("Ohm"), r#"[{"step": "rtd", "r0_ohm": 100}]"#, Some("Cel"), 138.5055, 100.0),
        (Some("mV"), r#"[{"step": "thermocouple", "kind": "K", "cold_junction": 0}]"#, Some("Cel"), 4.096_230_2, 100.0),
        (Some("us"), r#"[{"step": "echo", "air": 20}]"#, Some("m"), 5_830.0, 1.000_526_216_65),
        (None, r#"[{"step": "percent", "empty": 200, "full": 1000}]"#, Some("%"), 600.0, 50.0),
        (None, r#"[{"step": "percent", "empty": 1000, "full": 200, "outside": "clamp"}]"#, Some("%"), 100.0, 100.0),
        (
            Some("cm"),
            r#"[{"step": "volume", "tank": {"shape": "vertical-cylinder", "diameter_m": 2, "height_m": 3}}]"#,
            Some("L"),
            100.0,
            3_141.592_653_589_79,
        ),
        (
            Some("kOhm"),
            r#"[{"step": "ratio-curve", "r0_ohm": 10000, "factor": 100, "exponent": -2, "unit": "[ppm]"}]"#,
            Some("[ppm]"),
            5.0,
            400.0,
        ),
        (Some("mA"), r#"[{"step": "current-loop", "low": 0, "high": 10, "unit": "bar"}]"#, Some("bar"), 12.0, 5.0),
        (Some("[in_i]"), r#"[{"step": "unit", "to": "mm"}]"#, None, 2.0, 50.8),
        (Some("[degF]"), "[]", Some("Cel"), 212.0, 100.0),
    ];
    for (input, steps, output, raw, expected) in cases {
        let conversion = chain(*input, steps, *output).unwrap_or_else(|error| panic!("{steps}: {error}"));
        let found = value(&conversion, *raw).unwrap_or_else(|why| panic!("{steps}: {why:?}"));
        assert!((found - expected).abs() < 1e-4 * expected.abs().max(1.0) * 0.01, "{steps}: {found}, not {expected}");
    }
}

#[test]
fn what_makes_no_sense_is_refused_with_its_step() {
    let cases: &[(Option<&str>, &str, Option<&str>, &str)] = &[
        (
            None,
            r#"[{"step": "two-point", "points": [[1, 0], [1, 20]]}]"#,
            None,
            "step 1: the two points must differ before",
        ),
        (None, r#"[{"step": "table", "points": [[0, 0], [2, 1], [1, 5]]}]"#, None, "step 1: the points must ascend"),
        (None, r#"[{"step": "counts", "bits": 10, "reference_v": 0}]"#, None, "reference voltage must be over zero"),
        (None, r#"[{"step": "percent", "empty": 5, "full": 5}]"#, None, "two different numbers"),
        (None, r#"[{"step": "median", "window": 4}]"#, None, "an odd number"),
        (None, r#"[{"step": "thermocouple", "kind": "T", "cold_junction": 900}]"#, None, "cold junction is outside"),
        (None, r#"[{"step": "volume", "tank": {"shape": "sphere", "diameter_m": 0}}]"#, None, "lengths of the tank"),
        (None, r#"[{"step": "scale", "factor": 1, "unit": "parsnip"}]"#, None, "`parsnip` is not a unit"),
        (
            Some("Cel"),
            r#"[{"step": "rtd", "r0_ohm": 100}]"#,
            None,
            "step 1: `Cel` is a temperature (Th) and `Ohm` is a resistance",
        ),
        (
            None,
            r#"[{"step": "counts", "bits": 8, "reference_v": 5}, {"step": "scale", "factor": 2}, {"step": "echo", "air": 20}]"#,
            None,
            "step 3: `V` is a voltage",
        ),
        (None, r#"[{"step": "rtd", "r0_ohm": 100}]"#, Some("bar"), "the result: `Cel` is a temperature"),
    ];
    for (input, steps, output, says) in cases {
        let error = chain(*input, steps, *output).unwrap_err().to_string();
        assert!(error.contains(says), "{steps}: {error}");
    }
    let many = vec![Step::Unit { to: "m".into() }; 17];
    assert_eq!(Conversion::new(None, many, None).unwrap_err(), ConversionError::TooManySteps);
}

#[test]
fn what_cannot_be_converted_is_a_fault_and_no_number() {
    let cases: &[(&str, f64, Why)] = &[
        (r#"[{"step": "table", "points": [[0, 0], [10, 100]]}]"#, 10.5, Why::Outside),
        (r#"[{"step": "divider", "fixed_ohm": 1, "supply_v": 3, "sensor": "to-ground"}]"#, 3.0, Why::Outside),
        (r#"[{"step": "rtd", "r0_ohm": 100}]"#, 500.0, Why::Outside),
        (r#"[{"step": "thermistor-beta", "r0_ohm": 10000, "t0_celsius": 25, "beta_k": 3950}]"#, -1.0, Why::Outside),
        (r#"[{"step": "thermocouple", "kind": "J", "cold_junction": 20}]"#, 1.0, Why::Outside),
        (r#"[{"step": "thermocouple", "kind": "J", "cold_junction": "board"}]"#, 0.001, Why::OtherMissing),
        (r#"[{"step": "current-loop", "low": 0, "high": 10, "unit": "bar"}]"#, 0.003, Why::Failed),
        (r#"[{"step": "rate", "per": "s"}]"#, 5.0, Why::First),
        (r#"[{"step": "scale", "factor": 1e300}, {"step": "scale", "factor": 1e300}]"#, 1e10, Why::NotANumber),
    ];
    for (steps, raw, why) in cases {
        assert_eq!(value(&chain(None, steps, None).unwrap(), *raw), Err(*why), "{steps}");
    }
    let doubtful =
        chain(Some("mA"), r#"[{"step": "current-loop", "low": 0, "high": 10, "unit": "bar"}]"#, None).unwrap();
    let converted = doubtful.apply(0, 3.7, &[], &mut Memory::default()).unwrap();
    assert_eq!(converted.quality, Quality::Suspect(Cause::Range));
}

#[test]
fn other_signals_are_taken_where_they_are_needed() {
    let steps = r#"[{"step": "thermocouple", "kind": "K", "cold_junction": "box/temp"}]"#;
    let conversion = chain(Some("mV"), steps, Some("Cel")).unwrap();
    assert_eq!(conversion.needs(), ["box/temp"]);
    let hot = conversion.apply(0, 3.0, &[Some(25.0)], &mut Memory::default()).unwrap().value;
    assert!((hot - Thermocouple::K.hot_celsius(3.0, 25.0).unwrap()).abs() < 1e-9);
}

#[test]
fn what_remembers_goes_on_after_a_restart() {
    let second = 1_000_000;
    let rate = chain(None, r#"[{"step": "rate", "modulus": 65536, "most": 2000, "per": "min"}]"#, None).unwrap();
    let total = chain(None, r#"[{"step": "total", "modulus": 256}]"#, None).unwrap();
    let median = chain(None, r#"[{"step": "median", "window": 3}]"#, None).unwrap();
    let smooth = chain(None, r#"[{"step": "smooth", "time_constant_s": 10}]"#, None).unwrap();
    assert!(rate.is_stateful());
    let cases: [Remembering<'_>; 4] = [
        (&rate, &[65_000.0, 65_500.0, 100.0, 90.0], &[Err(Why::First), Ok(3_000.0), Ok(816.0), Ok(540.0)]),
        (&total, &[250.0, 255.0, 3.0], &[Ok(0.0), Ok(5.0), Ok(9.0)]),
        (&median, &[1.0, 9.0, 2.0, 3.0], &[Ok(1.0), Ok(5.0), Ok(2.0), Ok(3.0)]),
        (&smooth, &[0.0, 10.0], &[Ok(0.0), Ok(10.0 * (1.0 - (-1.0_f64).exp()))]),
    ];
    for (conversion, raws, expected) in cases {
        let mut memory = Memory::default();
        for (i, (raw, expected)) in raws.iter().zip(expected).enumerate() {
            let at = i as i64 * 10 * second;
            let found = conversion.apply(at, *raw, &[], &mut memory).map(|c| c.value).map_err(|fault| fault.why);
            assert!(
                match (found, expected) {
                    (Ok(a), Ok(b)) => (a - b).abs() < 1e-9,
                    (a, b) => a == *b,
                },
                "{found:?}, not {expected:?}"
            );
            // A late one changes nothing.
            assert_eq!(conversion.apply(at, 7.0, &[], &mut memory).unwrap_err().why, Why::Late);
            memory = serde_json::from_str(&serde_json::to_string(&memory).unwrap()).unwrap();
        }
    }
}

#[test]
fn a_trace_shows_every_step_up_to_the_one_that_fails() {
    let steps = r#"[{"step": "counts", "bits": 10, "reference_v": 5}, {"step": "percent", "empty": 0, "full": 2.5}, {"step": "scale", "factor": 2}]"#;
    let conversion = chain(None, steps, None).unwrap();
    let shown = |raw| -> Vec<_> {
        let traced = conversion.trace(0, raw, &[], &Memory::default());
        traced.into_iter().map(|t| (t.input, t.output, t.unit.map(|unit| unit.to_string()))).collect()
    };
    let unit = |text: &str| Some(text.to_owned());
    assert_eq!(shown(256.0), [(256.0, Ok(1.25), unit("V")), (1.25, Ok(50.0), unit("%")), (50.0, Ok(100.0), unit("%"))]);
    assert_eq!(shown(1_000.0)[1].1, Err(Why::Outside));
    assert_eq!(shown(1_000.0).len(), 2);
}

fn any_step() -> impl Strategy<Value = Step> {
    let number = prop_oneof![Just(0.0), Just(f64::NAN), Just(f64::INFINITY), -1e9..1e9f64, any::<f64>()];
    let outside = prop_oneof![Just(Outside::Reject), Just(Outside::Clamp), Just(Outside::Keep)];
    let optional = prop::option::of(number.clone());
    prop_oneof![
        (any::<u8>(), number.clone()).prop_map(|(bits, reference_v)| Step::Counts { bits, reference_v }),
        (number.clone(), number.clone()).prop_map(|(factor, offset)| Step::Scale { factor, offset, unit: None }),
        prop::collection::vec((number.clone(), number.clone()), 0..5)
            .prop_flat_map(move |points| (Just(points), outside.clone()))
            .prop_map(|(points, outside)| Step::Table { points, outside, unit: None }),
        (number.clone(), number.clone()).prop_map(|(fixed_ohm, supply_v)| Step::Divider {
            fixed_ohm,
            supply_v,
            sensor: Arrangement::ToSupply
        }),
        number.clone().prop_map(|r0_ohm| Step::Rtd { r0_ohm }),
        number
            .clone()
            .prop_map(|diameter_m| Step::Volume { tank: Tank::Sphere { diameter_m }, outside: Outside::Clamp }),
        (optional.clone(), optional).prop_map(|(modulus, most)| Step::Rate {
            modulus,
            most,
            per: Per::Hour,
            unit: None
        }),
        number.prop_map(|time_constant_s| Step::Smooth { time_constant_s }),
        any::<u8>().prop_map(|window| Step::Median { window }),
    ]
}

proptest! {
    /// Whatever was accepted gives a number or a fault, for any value.
    #[test]
    fn nothing_but_numbers_and_faults_comes_out(steps in prop::collection::vec(any_step(), 0..4), raws in prop::collection::vec(any::<f64>(), 1..5)) {
        if let Ok(conversion) = Conversion::new(None, steps, None) {
            let mut memory = Memory::default();
            for (at, raw) in raws.into_iter().enumerate() {
                if let Ok(converted) = conversion.apply(at as i64, raw, &[], &mut memory) {
                    prop_assert!(converted.value.is_finite());
                }
            }
        }
    }

    /// A table goes through its points, and stays between its neighbours.
    #[test]
    fn tables_are_monotonic_where_their_points_are(steps in prop::collection::vec(0.1..10.0f64, 2..8), share in 0.0..1.0f64) {
        let mut at = 0.0;
        let points: Vec<(f64, f64)> = steps.iter().map(|step| { at += step; (at, at * at) }).collect();
        let (first, last) = (points[0].0, points[points.len() - 1].0);
        let conversion = Conversion::new(None, vec![Step::Table { points: points.clone(), outside: Outside::Reject, unit: None }], None).unwrap();
        for (x, y) in &points {
            prop_assert_eq!(value(&conversion, *x), Ok(*y));
        }
        let x = first + share * (last - first) * 0.99;
        let (a, b) = (value(&conversion, x).unwrap(), value(&conversion, x + (last - first) * 0.01).unwrap_or(f64::MAX));
        prop_assert!(a < b);
    }
}
