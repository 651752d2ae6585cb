use super::*;
use proptest::prelude::*;

fn signals(name: &str) -> Option<SignalType> {
    let unit = match name {
        "temp" | "shed-1/temp" => Some("Cel"),
        "fridge" => Some("[degF]"),
        "hum" => Some("%"),
        "level" | "tower/level-p" => Some("m"),
        "pressure" => Some("hPa"),
        "lat" | "lon" => Some("deg"),
        "count" => None,
        "pos" | "sorrel/pos" => return Some(SignalType { unit: None, value_type: ValueType::Position }),
        "door" => return Some(SignalType { unit: None, value_type: ValueType::Flag }),
        _ => return None,
    };
    Some(SignalType { unit: unit.map(|unit| UnitCode::parse(unit).unwrap()), value_type: ValueType::Number })
}

fn formula(text: &str, output: Option<&str>) -> Result<Formula, FormulaError> {
    let output = output.map(|unit| UnitCode::parse(unit).unwrap());
    Formula::new(text, &signals, output.as_ref())
}

#[test]
fn formulas_give_what_was_worked_out_by_hand() {
    type Case = (&'static str, Option<&'static str>, &'static [f64], f64);
    let cases: &[Case] = &[
        ("1 + 2 * 3 ^ 2", None, &[], 19.0),
        ("-2 ^ 2", None, &[], -4.0),
        ("2 ^ 3 ^ 2", None, &[], 512.0),
        ("(8 - 2 - 1) / 2", None, &[], 2.5),
        ("level * 2", Some("cm"), &[1.5], 300.0),
        ("level - {tower/level-p}", Some("mm"), &[2.31, 2.30], 10.0),
        ("(temp + fridge) / 2", Some("Cel"), &[10.0, 68.0], 15.0),
        ("temp - fridge", Some("K"), &[10.0, 68.0], -10.0),
        ("temp + 5 \"K\"", Some("[degF]"), &[15.0], 68.0),
        ("max(temp, 0 \"Cel\")", Some("Cel"), &[-4.0], 0.0),
        ("dew_point(temp, hum)", Some("Cel"), &[20.0, 50.0], 9.255_174_599),
        ("altitude(pressure, 1013.25 \"hPa\")", Some("m"), &[900.0], 988.500_079),
        ("distance(lat, lon, 0 \"deg\", 1 \"deg\")", Some("m"), &[0.0, 0.0], 111_195.080_234),
        ("latitude(pos)", Some("deg"), &[54.5], 54.5),
        ("longitude(pos) - longitude({sorrel/pos})", Some("deg"), &[3.0, 1.0], 2.0),
        ("altitude(pos) + 0.1 \"km\"", Some("m"), &[20.0], 120.0),
        ("accuracy(pos)", Some("m"), &[4.0], 4.0),
        ("distance(pos, {sorrel/pos})", Some("km"), &[0.0, 0.0, 0.0, 1.0], 111.195_080_234),
        ("distance(pos, 0 \"deg\", 1 \"deg\")", Some("m"), &[0.0, 0.0], 111_195.080_234),
        ("distance(pos, previous(pos))", Some("m"), &[0.0, 1.0, 0.0, 0.0], 111_195.080_234),
        // Latitude, longitude and second of the position before, then of the last.
        ("speed(pos)", Some("m/s"), &[0.0, 0.0, 100.0, 0.0, 1.0, 200.0], 1_111.950_802),
        ("course(pos)", Some("deg"), &[0.0, 0.0, 100.0, 0.0, -1.0, 200.0], 270.0),
        ("if door then 1 else 0", None, &[1.0], 1.0),
        ("if level > 2 \"m\" and not door then level else 0 \"m\"", Some("m"), &[2.5, 0.0], 2.5),
        ("count - previous(count)", None, &[7.0, 5.0], 2.0),
        ("temp - average(temp, 10 \"min\")", Some("K"), &[21.0, 20.0], 1.0),
        ("sqrt(level * level)", Some("m"), &[3.0], 3.0),
        ("level ^ 2 * 3.5 \"m\"", Some("m3"), &[2.0], 14.0),
        ("min(3, 1, 2, 5, 4)", None, &[], 1.0),
        ("hum / 2", Some("%"), &[50.0], 25.0),
    ];
    for (text, output, values, expected) in cases {
        let formula = formula(text, *output).unwrap_or_else(|error| panic!("{text}: {error}"));
        let found = formula.value(values).unwrap_or_else(|| panic!("{text}: nothing"));
        assert!((found - expected).abs() < 1e-6 * expected.abs().max(1.0), "{text}: {found}, not {expected}");
    }
}

#[test]
fn errors_name_the_character_and_what_was_expected() {
    for (text, output, says) in [
        ("", None, "character 1: a number, a signal, a function or `(` was expected, and here is the end"),
        ("1 +", None, "character 4: a number"),
        ("(1 + 2", None, "character 7: `)` was expected"),
        ("pos * 2", None, "character 1: `pos` is a position; say which number of it, such as `speed(pos)`"),
        ("speed(level)", Some("m/s"), "character 1: `speed` is written `speed(position)`"),
        ("speed(previous(pos))", Some("m/s"), "character 1: `speed` is written"),
        ("distance(pos, level)", Some("m"), "character 15: a signal with positions was expected"),
        ("distance(pos, 1, 2)", Some("m"), "character 15: this is a plain number"),
        ("average(pos, 10 \"min\")", None, "`pos` is a position"),
        ("1 2", None, "character 3: an operator or the end was expected, and here is `2`"),
        ("tempo * 2", None, "character 1: there is no signal `tempo`"),
        (
            "level + temp",
            Some("m"),
            "character 9: this is a temperature (Th), but what begins at character 1 is a length (L)",
        ),
        ("level + 1", Some("m"), "character 9: this is a plain number"),
        ("level < 3 \"Cel\"", None, "character 9: this is a temperature"),
        ("dew_point(hum, temp)", Some("Cel"), "character 11: this is a plain number; `dew_point` takes a temperature"),
        ("dew_point(temp)", Some("Cel"), "`dew_point` takes 2 values, and here are 1"),
        ("wet_bulb(temp)", Some("Cel"), "character 1: there is no function `wet_bulb`"),
        ("if level then 1 else 2", None, "character 4: this is a number; a comparison or a flag was expected"),
        ("if door then 1", None, "character 15: `else` was expected"),
        ("door + 1", None, "character 1: this is yes or no"),
        ("level ^ 0.5", None, "exponent has to be a whole number"),
        ("sqrt(level)", None, "character 6: there is no square root of a length"),
        ("level * 2", None, "the result is a length (L), so its signal needs a unit"),
        ("level * 2", Some("Cel"), "the result is a length (L), but `Cel` is a temperature"),
        ("temp - fridge", Some("Cel"), "`K` would do"),
        ("temp + fridge", Some("Cel"), "a difference or a sum"),
        ("level > 1 \"m\"", Some("m"), "yes or no"),
        ("3 \"parsnip\"", None, "character 1: `parsnip` is not a unit"),
        ("{tower/level-p", None, "`}` to end the name"),
        ("average(temp, 5)", Some("Cel"), "character 15: a time was expected"),
        ("previous(1)", None, "`previous(signal)`"),
        ("1 ? 2", None, "character 3: `?` means nothing here"),
    ] {
        let error = formula(text, output).unwrap_err().to_string();
        assert!(error.contains(says), "{text}: {error}");
    }
    assert!(formula(&"(".repeat(500), None).unwrap_err().message.contains("too deep"));
    assert!(formula(&"1+".repeat(1_500), None).unwrap_err().message.contains("at most 2000"));
}

#[test]
fn what_has_no_value_gives_none() {
    for (text, values) in [
        ("1 / (count - 1)", &[1.0][..]),
        ("sqrt(count)", &[-1.0]),
        ("ln(count)", &[0.0]),
        ("min(count, 5)", &[f64::NAN]),
        ("min(1 / (count - 1), 5)", &[1.0]),
        ("if 1 / (count - 1) > 5 then 1 else 2", &[1.0]),
        ("if not (sqrt(count) > 5) then 1 else 2", &[-1.0]),
        ("atan(exp(count)) / 1 \"rad\"", &[1e9]),
        ("if count > 1 then 1 else 2", &[f64::NAN]),
        ("count", &[]),
        ("count ^ 400", &[1e9]),
    ] {
        assert_eq!(formula(text, None).unwrap().value(values), None, "{text}");
    }
}

#[test]
fn each_reference_is_asked_for_once() {
    let formula = formula("temp + temp - average(temp, 1 \"h\") + previous(temp) - temp", Some("Cel")).unwrap();
    let spans: Vec<Span> = formula.references().iter().map(|reference| reference.span).collect();
    assert_eq!(spans, [Span::Last, Span::Mean(3_600_000_000), Span::Before]);
}

proptest! {
    #[test]
    fn any_text_is_read_without_panic(text in "[a-z0-9+*/^()<>=,.{}\" -]{0,60}") {
        if let Ok(formula) = formula(&text, None) {
            let _ = formula.value(&[1.0, 2.0, 3.0]);
        }
    }

    /// Sums and products as the machine has them.
    #[test]
    fn arithmetic_is_that_of_numbers(a in -1e6..1e6f64, b in -1e6..1e6f64, c in 0.001..1e6f64) {
        let formula = formula("(count - 3) * 2 + count / 7", None).unwrap();
        prop_assert_eq!(formula.value(&[a]), Some((a - 3.0) * 2.0 + a / 7.0));
        let text = format!("{} + {} * {c} - {} / {c}", a.abs(), b.abs(), a.abs());
        let worked = self::formula(&text, None).unwrap().value(&[]).unwrap();
        prop_assert!((worked - (a.abs() + b.abs() * c - a.abs() / c)).abs() <= 1e-9 * worked.abs().max(1.0));
    }
}
