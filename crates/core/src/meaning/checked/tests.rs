use super::super::{History, NoOthers};
use super::*;

fn signals(name: &str) -> Option<SignalType> {
    let number =
        |unit: &str| Some(SignalType { unit: Some(UnitCode::parse(unit).unwrap()), value_type: ValueType::Number });
    match name {
        "pos" => Some(SignalType { unit: None, value_type: ValueType::Position }),
        "cold" => number("[degF]"),
        "level" | "other/level" => number("m"),
        "lat" | "lon" => number("deg"),
        "sats" => Some(SignalType { unit: None, value_type: ValueType::Number }),
        "bonded" => Some(SignalType { unit: None, value_type: ValueType::Flag }),
        _ => None,
    }
}

fn checked(unit: &str, text: &str) -> Result<Checked, MeaningError> {
    let meaning: Meaning = serde_json::from_str(text).unwrap();
    let unit = UnitCode::parse(unit).unwrap();
    Checked::new(&meaning, ValueType::Number, Some(&unit), &signals)
}

struct Known(Vec<History>);

impl Others for Known {
    fn last(&self, need: usize, at: i64) -> Option<(i64, f64)> {
        self.0[need].last(at)
    }
}

fn known(values: &[(i64, f64)]) -> Known {
    let histories = values.iter().map(|(at, value)| {
        let mut history = History::keeping(Micros::ZERO);
        history.take(*at, *value, true);
        history
    });
    Known(histories.collect())
}

#[test]
fn the_cold_junction_is_another_signal_in_its_own_unit() {
    let meaning = checked(
        "Cel",
        r#"{"conversion": {"from": "mV", "steps": [{"step": "thermocouple", "kind": "K", "cold_junction": "cold"}]},
            "others_within_s": 10}"#,
    )
    .unwrap();
    let mut memory = Memory::default();
    let (hot, quality) = meaning.convert(5_000_000, 0.0, &known(&[(0, 68.0)]), &mut memory);
    assert!((hot - 20.0).abs() < 0.01 && quality.is_good(), "no voltage: as warm as the cold junction, {hot}");
    let rejected = (0.0, Quality::Rejected(Cause::Conversion));
    assert_eq!(meaning.convert(11_000_000, 0.0, &known(&[(0, 68.0)]), &mut memory), rejected, "too old by then");
    assert_eq!(meaning.convert(0, 0.0, &NoOthers, &mut memory), (0.0, Quality::Rejected(Cause::Conversion)));
}

/// A fridge that sends 185 °F when its probe is off, of which the machine makes no round
/// number of °C; counts of which 65535 is none, and whose volts come by it.
#[test]
fn markers_are_looked_for_in_what_was_sent() {
    /// What is sent, its value, how far that can be believed.
    type Judged = (f64, f64, Quality);
    let none = Quality::Rejected(Cause::Marker);
    let cases: &[(&str, &str, &[Judged])] = &[
        (
            "Cel",
            r#"{"conversion": {"from": "[degF]", "steps": []}, "screen": {"markers": [185.2]}}"#,
            &[(185.2, 185.2, none), (41.0, 5.0, Quality::Good)],
        ),
        ("m", r#"{"screen": {"markers": [-127]}}"#, &[(-127.0, -127.0, none), (1.0, 1.0, Quality::Good)]),
        (
            "m",
            r#"{"conversion": {"steps": [{"step": "total", "modulus": 65536}]}, "screen": {"markers": [65535, 8]}}"#,
            &[(5.0, 0.0, Quality::Good), (65535.0, 65535.0, none), (13.0, 8.0, Quality::Good)],
        ),
    ];
    for (unit, text, values) in cases {
        let (meaning, mut memory) = (checked(unit, text).unwrap(), Memory::default());
        for (at, (sent, value, quality)) in (0..).zip(*values) {
            let (found, before) = meaning.convert(at, *sent, &NoOthers, &mut memory);
            let judged = meaning.screen(at, found, before, None, &NoOthers, &mut memory);
            assert_eq!((found, judged), (*value, *quality), "{text}: {sent}");
        }
    }
}

fn of_position(text: &str) -> Result<Checked, MeaningError> {
    Checked::new(&serde_json::from_str(text).unwrap(), ValueType::Position, None, &signals)
}

#[test]
fn a_position_is_screened_as_one() {
    let screened = of_position(
        r#"{"screen": {"position": {"fastest_m_per_s": 30, "fix": {"signal": "sats", "at_least": 4}}, "late_after_s": 60}}"#,
    )
    .unwrap();
    let mut memory = Memory::default();
    for (second, (latitude, longitude), satellites, late_s, expected) in [
        (0, (54.5, -2.3), 7.0, 1, Quality::Good),
        (2, (54.5, -2.3), 3.0, 1, Quality::Rejected(Cause::Position)),
        (4, (54.5001, -2.3), 7.0, 1, Quality::Good),
        (6, (54.5001, -2.5), 7.0, 1, Quality::Rejected(Cause::Position)),
        (8, (54.5002, -2.3), 7.0, 61, Quality::Suspect(Cause::Time)),
    ] {
        let (at, fix) = (second * 1_000_000, Fix::new(latitude, longitude));
        let known = known(&[(at, satellites)]);
        let found = screened.judge(at, &fix.into(), Quality::Good, Some(late_s * 1_000_000), &known, &mut memory);
        assert_eq!(found, expected, "at {second} s");
    }
    let nowhere = Quality::Rejected(Cause::Position);
    let found = screened.judge(9_000_000, &Fix::new(0.0, 0.0).into(), nowhere, None, &NoOthers, &mut memory);
    assert_eq!(found, nowhere);
}

#[test]
fn a_screen_fits_the_type_of_its_signal() {
    for text in [
        r#"{"screen": {"possible": {"low": 1}}}"#,
        r#"{"screen": {"fastest_per_s": 1}}"#,
        r#"{"screen": {"markers": [-127]}}"#,
        r#"{"conversion": {"from": "m", "steps": []}}"#,
    ] {
        of_position(text).unwrap_err();
    }
    let error = checked("m", r#"{"screen": {"position": {}}}"#).map(|_| ()).unwrap_err();
    assert_eq!(error.to_string(), "the screen: how it moves is checked of positions only");
}

#[test]
fn what_does_not_fit_is_named() {
    for (unit, text, expected) in [
        ("m", r#"{"conversion": {"steps": []}, "formula": "level"}"#, "not both"),
        ("m", r#"{"formula": "levle * 2"}"#, "the formula: character 1: there is no signal `levle`"),
        ("Cel", r#"{"formula": "level * 2"}"#, "the result is a length (L), but `Cel` is a temperature"),
        ("m", r#"{"screen": {"while": {"signal": "level", "is": true}}}"#, "`level` must be a flag"),
        ("m", r#"{"screen": {"while": {"signal": "nothing", "is": true}}}"#, "no signal `nothing`"),
        ("m", r#"{"conversion": {"from": "mV", "steps": [{"step": "echo", "air": 20}]}}"#, "step 1"),
        (
            "m",
            r#"{"conversion": {"steps": [{"step": "echo", "air": "level"}]}}"#,
            "`level`: `m` is a length (L) and `Cel` is a temperature (Th)",
        ),
        ("m", r#"{"others_within_s": 0}"#, "up to a week"),
        ("m", r#"{"formula": "level > 2 \"m\""}"#, "the result is yes or no"),
    ] {
        let error = checked(unit, text).map(|_| ()).unwrap_err().to_string();
        assert!(error.contains(expected), "{text}: {error}");
    }
}
